"""What to look at before a release is made: each leads to its place, and none forbids."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal, get_args

from even_ballot.core.faults import counted
from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import Study
from even_ballot.core.tables.results import TableResult
from even_ballot.core.tables.signs.marks import weak

FEW = 5
"""Unweighted cases under which a figure's cell is small."""
Kind = Literal[
    "faulty", "unmet", "unrecognised", "unanswered", "message", "small", "weak", "findings", "unlabelled",
    "untitled", "in_place",
]  # fmt: skip
_ORDER: tuple[Kind, ...] = get_args(Kind)
Station = Literal["codebook", "screening", "weighting", "tables", "release"]


@dataclass(frozen=True)
class Notice:
    """Something to look at. station, id: where; count: how many of it; names: what it is about."""

    kind: Kind
    says: str
    station: Station
    id: str | None
    count: int
    names: tuple[str, ...] = ()


def _screened(results: Results) -> Iterator[Notice]:
    found = results.summary
    lost = (*found.not_placed, *found.not_in_codebook)
    if lost:
        names = tuple(dict.fromkeys(of.variable for of in lost))
        cells = sum(of.cells for of in lost)
        where = counted(len(names), "variable")
        said = f"{counted(cells, 'answer')} unrecognised or not in the codebook, in {where}"
        yield Notice("unrecognised", said, "screening", None, cells, names)
    others = [
        f for f in results.findings if f.accepted is None and f.kind not in ("not_placed", "not_in_codebook")
    ]
    if others:
        said = f"{counted(len(others), 'finding')} neither resolved nor accepted"
        yield Notice(
            "findings", said, "screening", None, len(others), tuple(dict.fromkeys(f.variable for f in others))
        )


def _weighted(results: Results) -> Iterator[Notice]:
    for report in results.weightings:
        if not report.converged:
            yield Notice("unmet", f"{report.save_as}: margins not met", "weighting", report.save_as, 1)


def _of_table(study: Study, table: TableResult) -> Iterator[Notice]:
    if not any(cell.est or cell.base_n for cell in table.cells) and not table.hidden:
        yield Notice(
            "unanswered",
            f"{table.title}: no case in the filter has an answer",
            "tables",
            table.id,
            1,
        )
        return
    marked = sum(bool(weak(cell, study.marks)) for cell in table.cells)
    if marked:
        yield Notice(
            "weak", f"{table.title}: {counted(marked, 'unreliable figure')}", "tables", table.id, marked
        )
    if study.suppression.below is None:
        small = sum(cell.stat == "n" and 0 < cell.est < FEW for cell in table.cells)
        small = small or sum(cell.n is not None and 0 < cell.n < FEW for cell in table.cells)
        if small:
            figures = counted(small, "figure")
            said = f"{table.title}: {figures} based on fewer than {FEW} cases, and disclosure control is off"
            yield Notice("small", said, "tables", table.id, small)


def _labels(study: Study, results: Results) -> Iterator[Notice]:
    """Variables of tables whose label is only their short name, and categories without one."""
    short: dict[str, None] = {}
    for table in results.tables:
        short |= {stub.variable: None for stub in table.stubs if stub.title == stub.variable}
        for banner in table.banners:
            pairs = zip(banner.variables, banner.titles, strict=True)
            short |= {name: None for name, title in pairs if title == name}
    if short:
        said = f"{counted(len(short), 'variable')} of tables {'has' if len(short) == 1 else 'have'} no label"
        yield Notice("unlabelled", said, "codebook", next(iter(short)), len(short), tuple(short))


def check(study: Study, results: Results, in_place: bool = False) -> tuple[Notice, ...]:
    """Everything to look at, the most serious first. in_place: the records stay in their folder."""
    found: list[Notice] = []
    if in_place:
        said = "The records stay in their folder, so no file of them is made"
        found.append(Notice("in_place", said, "release", None, 1))
    for faulty in results.faulty:
        said = f"{faulty.title} cannot be made: {faulty.faults[0].said}"
        found.append(Notice("faulty", said, "tables", faulty.id, 1))
    found += _weighted(results)
    found += _screened(results)
    for table in results.tables:
        found += _of_table(study, table)
    for part in (results.models, results.reliability):
        found += [
            Notice("message", f"{of.title}: {of.message}", "tables", of.id, 1)
            for of in part
            if of.message is not None
        ]
    found += _labels(study, results)
    found += _dated(study)
    return tuple(sorted(found, key=lambda of: _ORDER.index(of.kind)))


def _dated(study: Study) -> Iterator[Notice]:
    """Whether the release says by whom it is, and of which day."""
    plan = study.release
    absent = ["authors"] if plan is None or not plan.authors else []
    absent += ["date"] if plan is None or plan.date is None else []
    if absent:
        said = f"The release has no {' and no '.join(absent)}"
        yield Notice("untitled", said, "release", None, len(absent))
