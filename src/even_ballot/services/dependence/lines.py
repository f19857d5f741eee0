"""What figures depend on, worked out in a process of its own, line by line."""

import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any

from even_ballot.core.data.dataset import RawTable
from even_ballot.core.dependence.appendix import AppendixFigure, appendix
from even_ballot.core.dependence.comparing import DependentAnalysis, DependentTable
from even_ballot.core.dependence.decisions import DecisionKind
from even_ballot.core.dependence.depends import Dependence, Depending
from even_ballot.core.dependence.influence import Influence, influence_steps
from even_ballot.core.dependence.paths import combinations, paths
from even_ballot.core.faults import Fault
from even_ballot.core.release.plan import FigureOf
from even_ballot.core.study.pipeline import given
from even_ballot.core.study.study_file import parse_study
from even_ballot.core.tables.results import BannerKey, BannerPath, StubKey, as_json

ALL = "_all"
"""All tables and analyses, each with its largest change alone."""
Lookups = Mapping[str, RawTable]


@dataclass(frozen=True)
class FigureKey:
    """Which figure of a table."""

    stub: StubKey
    banner: tuple[BannerKey, ...]
    stat: str

    @property
    def key(self) -> tuple[StubKey, BannerPath, str]:
        """The same as a cell's."""
        return self.stub, self.banner, self.stat


@dataclass(frozen=True)
class DependenceLine:
    """One decision of `of`. place: decisions of one place cannot be taken away at once; entries: of the
    ledger that go with it; lost: tables and analyses of which nothing is left without it; gone: other figures
    that there are not; turned: tests that come out the other way; untested: those of which there is none on
    one side; tables, analyses: with their figures; largest: the largest change in each, in standard
    errors."""

    at: int
    of: int
    id: str
    kind: DecisionKind
    says: str
    instead: str | None
    place: str
    entries: tuple[str, ...]
    refused: Fault | None
    lost: tuple[str, ...]
    gone: int
    turned: int
    untested: int
    tables: tuple[DependentTable, ...]
    analyses: tuple[DependentAnalysis, ...]
    largest: dict[str, float]


@dataclass(frozen=True)
class PathLine:
    """One combination of `of`: a figure without some decisions. without, se: None where there is none."""

    at: int
    of: int
    decisions: tuple[str, ...]
    refused: Fault | None
    without: float | None
    se: float | None


@dataclass(frozen=True)
class Waiting:
    """Nothing has begun: other questions are being answered first."""

    waiting: bool = True


@dataclass(frozen=True)
class InfluenceLine:
    """How far it has got, as a share; at last what carries the figure."""

    share: float
    influence: Influence | None = None


def _depending(
    document: Any, raw: RawTable, lookups: Lookups, wanted: Sequence[str] | None, reading: bool = False
) -> Depending:
    study = parse_study(document)
    return Depending(study, given(study, raw, lookups).inputs, wanted, reading)


def _line(value: Any) -> bytes:
    return f"{json.dumps(value, ensure_ascii=False)}\n".encode(errors="replace")


def _of(at: int, of: int, found: Dependence, whole: bool) -> dict[str, Any]:
    decision = found.decision
    turned = sum(len(table.turned) for table in found.tables)
    turned += sum(figure.turned for analysis in found.analyses for figure in analysis.figures)
    line = DependenceLine(
        at,
        of,
        *(decision.id, decision.kind, decision.says, decision.instead, decision.place),
        found.entries,
        found.refused,
        tuple(part.id for part in found.parts if part.lost),
        sum(part.gone for part in found.parts if not part.lost),
        turned,
        sum(table.untested for table in found.tables),
        () if whole else found.tables,
        () if whole else found.analyses,
        {part.id: part.largest for part in found.parts},
    )
    said: dict[str, Any] = as_json(replace(line, tables=(), analyses=()))
    # Figures that are gone have no keys; everything else is there, None or not.
    return said | {"tables": as_json(line.tables), "analyses": as_json(line.analyses)}


def decision_lines(
    document: Any, raw: RawTable, lookups: Lookups, table_id: str, reading: bool
) -> Iterator[bytes]:
    """What a table or an analysis (or `_all`) would be without each decision."""
    whole = table_id == ALL
    of = _depending(document, raw, lookups, None if whole else [table_id], reading)
    for k, found in enumerate(of.each()):
        yield _line(_of(k, len(of.decisions), found, whole))


def path_lines(
    document: Any, raw: RawTable, lookups: Lookups, table_id: str, figure: FigureKey, decisions: Sequence[str]
) -> Iterator[bytes]:
    """What a figure would be over every combination of decisions."""
    of = _depending(document, raw, lookups, [table_id])
    chosen = of.chosen(decisions)
    count = len(combinations(chosen))
    for k, path in enumerate(paths(of, chosen)):
        cell = next((table.cell(figure.key) for table in path.tables), None)
        found = (None, None) if cell is None else (cell.without, cell.se_without)
        yield _line(asdict(PathLine(k, count, path.without, path.refused, *found)))


def influence_lines(
    document: Any, raw: RawTable, lookups: Lookups, table_id: str, figure: FigureKey
) -> Iterator[bytes]:
    """What carries a figure, as it is worked out."""
    of = _depending(document, raw, lookups, [table_id])
    at = next(k for k, request in enumerate(of.study.tables) if request.id == table_id)
    for found in influence_steps(of, at, *figure.key):
        share = found if isinstance(found, float) else 1.0
        yield _line(asdict(InfluenceLine(share, None if isinstance(found, float) else found)))


def appendix_figures(
    document: Any, raw: RawTable, lookups: Lookups, figures: Sequence[FigureOf]
) -> Iterator[AppendixFigure]:
    """What a release's appendix says of figures."""
    yield from appendix(
        _depending(document, raw, lookups, list(dict.fromkeys(of.table for of in figures))), figures
    )
