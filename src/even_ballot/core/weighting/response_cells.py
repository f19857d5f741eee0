"""Non-response adjustment in cells: those who answered take over the base weight of those who did not."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from even_ballot.core.data.cases import Cases
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.data.formulas import Formula
from even_ballot.core.data.groups import Groups, Key, grouped
from even_ballot.core.faults import Fault, StudyError, counted, fault
from even_ballot.core.numerics.arrays import Bools, Floats, Ints
from even_ballot.core.numerics.parts import kept, plus
from even_ballot.core.weighting.weighting import ResponseAdjustment


@dataclass(frozen=True)
class AdjustedCell:
    """A cell: its codes by variable, its name in words, who answered and who did not (cases with a base
    weight), the factor by which the base weights of those who answered grew, and whether it is small."""

    at: dict[str, int]
    label: str
    responded: int
    silent: int
    factor: float
    small: bool


@dataclass(frozen=True)
class Response:
    """For a part's cases, (n,) each: the cell of an adjustment, and who answered."""

    cell: Ints
    responded: Bools


def _cells(cases: Cases, names: tuple[str, ...], where: str) -> Groups:
    """Each case's cell, told by codes."""
    head = cases.head
    for name in names:
        kind = head.variable(name, where).kind
        if kind != "coded":
            raise fault(
                f"{name} is a {kind}; cells are made of coded variables.", where, "Code or band it first."
            )
        head.column(name, where)
        n = cases.records(cases.each(lambda part, of=name: ~part.column(of).answered)).n
        if n:
            lost = counted(n, "case has", "cases have")
            them = "belongs" if n == 1 else "belong"
            raise fault(
                f"{lost} no value of {name} and {them} to no cell.",
                where,
                "Fill it in, or leave the variable out.",
            )
    return grouped(cases, names, where)


def _in_order(head: Dataset, names: tuple[str, ...], groups: Groups) -> list[tuple[int, Key]]:
    """Cells with their numbers, in the order of the variables' categories."""
    places = [{item.code: i for i, item in enumerate(head.categories(name)[0])} for name in names]
    numbered = list(enumerate(groups.keys))
    return sorted(numbered, key=lambda of: [at[int(code)] for at, code in zip(places, of[1], strict=True)])


def _spoken(head: Dataset, names: tuple[str, ...], key: Key) -> tuple[dict[str, int], str]:
    """A cell's codes, and what it is called."""
    at = {name: int(code) for name, code in zip(names, key, strict=True)}
    labels = [
        next(item.label for item in head.categories(name)[0] if item.code == code)
        for name, code in at.items()
    ]
    return at, ", ".join(labels) or "all cases"


def adjusted_for_nonresponse(
    cases: Cases, base: Sequence[Floats], spec: ResponseAdjustment, where: str
) -> tuple[Sequence[Floats], tuple[AdjustedCell, ...], Sequence[Response]]:
    """For every part base weights after the adjustment, (n,); the cells; for every part each case's cell, and
    whether it answered. Raises StudyError for cells in which nobody answered.

    >>> from even_ballot.core.data.example import ferry
    >>> spec = ResponseAdjustment(responded="age > 0", cells=("isle",))
    >>> grown, cells, _ = adjusted_for_nonresponse(Cases.of(ferry()), [np.ones(8)], spec, "")
    >>> grown[0].tolist(), [cell.factor for cell in cells]
    ([1.0, 1.0, 1.0, 1.25, 1.25, 1.25, 1.25, 0.0], [1.0, 1.25])
    """
    formula = Formula(spec.responded, f"{where}.responded")
    groups = _cells(cases, spec.cells, f"{where}.cells")
    response = cases.each(lambda part, cell: Response(cell, formula.true(part)), groups.index)
    all_of, answered, n_yes, n_no = cases.merge(
        plus, [_counted(of, d, len(groups.keys)) for of, d in zip(response, base, strict=True)]
    )
    found, faults = [], []
    for c, key in _in_order(cases.head, spec.cells, groups):
        at, label = _spoken(cases.head, spec.cells, key)
        if n_no[c] and not answered[c] > 0:
            mend = "Form fewer cells, so that each holds somebody who answered."
            what = f"There are no respondents in the cell {label} ({counted(int(n_no[c]), 'case')})."
            faults.append(Fault(what, f"{where}.cells", mend))
            continue
        factor = float(all_of[c] / answered[c]) if answered[c] > 0 else 1.0
        small = bool(n_yes[c] < spec.smallest)
        found.append(AdjustedCell(at, label, int(n_yes[c]), int(n_no[c]), factor, small))
    if faults:
        raise StudyError(faults)
    factors = np.divide(all_of, answered, out=np.ones(len(groups.keys)), where=answered > 0)
    taken = (np.where(of.responded, d * factors[of.cell], 0.0) for of, d in zip(response, base, strict=True))
    grown = kept(cases.merge, taken)
    return grown, tuple(found), response


def _counted(of: Response, base: Floats, cells: int) -> tuple[Floats, Floats, Ints, Ints]:
    """Base weight of all and of those who answered, and how many did and did not, (cells,) each."""
    live = base > 0
    known = live & of.responded
    all_of, answered = (
        np.bincount(of.cell, weights=np.where(who, base, 0.0), minlength=cells).astype(np.float64)
        for who in (live, known)
    )
    n_yes, n_no = (np.bincount(of.cell[who], minlength=cells) for who in (known, live & ~of.responded))
    return all_of, answered, n_yes, n_no
