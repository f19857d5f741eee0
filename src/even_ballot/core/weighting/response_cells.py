"""Non-response adjustment in cells: those who answered take over the base weight of those who did not."""

from dataclasses import dataclass

import numpy as np

from even_ballot.core.data.dataset import Dataset
from even_ballot.core.data.formulas import Formula
from even_ballot.core.faults import Fault, StudyError, counted, fault
from even_ballot.core.numerics.arrays import Bools, Floats, Ints
from even_ballot.core.weighting.request import ResponseAdjustment


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


def _cells(data: Dataset, names: tuple[str, ...], where: str) -> tuple[np.ndarray, list[tuple[int, ...]]]:
    """Each case's cell, and each cell's positions among the variables' categories."""
    cell = np.zeros(data.n, np.int64)
    widths = []
    for name in names:
        kind = data.variable(name, where).kind
        if kind != "coded":
            raise fault(
                f"{name} is a {kind}; cells are made of coded variables.", where, "Code or band it first."
            )
        positions = data.positions(name, where)
        if (positions < 0).any():
            lost = counted(int((positions < 0).sum()), "case has", "cases have")
            raise fault(
                f"{lost} no value on {name}, so they are in no cell.",
                where,
                "Fill it in, or leave the variable out.",
            )
        widths.append(len(data.categories(name)[0]))
        cell = cell * widths[-1] + positions
    found, index = np.unique(cell, return_inverse=True)
    places = []
    for value in found.tolist():
        place = []
        for width in reversed(widths):
            value, at = divmod(value, width)
            place.append(at)
        places.append(tuple(reversed(place)))
    return index.ravel(), places


def adjusted_for_nonresponse(
    data: Dataset, base: Floats, spec: ResponseAdjustment, where: str
) -> tuple[Floats, tuple[AdjustedCell, ...], tuple[Ints, Bools]]:
    """Base weights after the adjustment, (n,); the cells; each case's cell, and whether it answered, (n,).
    Raises StudyError for cells in which nobody answered."""
    responded = Formula(spec.responded, f"{where}.responded").true(data)
    cell, places = _cells(data, spec.cells, f"{where}.cells")
    live = base > 0
    known = live & responded
    all_of, answered = (
        np.bincount(cell, weights=np.where(who, base, 0.0), minlength=len(places)) for who in (live, known)
    )
    n_yes, n_no = (np.bincount(cell[who], minlength=len(places)) for who in (known, live & ~responded))
    cells, faults = [], []
    for c, place in enumerate(places):
        codes = [data.categories(name)[0][p] for name, p in zip(spec.cells, place, strict=True)]
        label = ", ".join(code.label for code in codes) or "everybody"
        if n_no[c] and not answered[c] > 0:
            mend = "Form fewer cells, so that each holds somebody who answered."
            faults.append(
                Fault(
                    f"Nobody answered in the cell {label} ({counted(int(n_no[c]), 'case')}).",
                    f"{where}.cells",
                    mend,
                )
            )
            continue
        factor = float(all_of[c] / answered[c]) if answered[c] > 0 else 1.0
        at = {name: code.code for name, code in zip(spec.cells, codes, strict=True)}
        cells.append(
            AdjustedCell(at, label, int(n_yes[c]), int(n_no[c]), factor, bool(n_yes[c] < spec.smallest))
        )
    if faults:
        raise StudyError(faults)
    factors = np.divide(all_of, answered, out=np.ones(len(places)), where=answered > 0)
    return np.where(responded, base * factors[cell], 0.0), tuple(cells), (cell, responded)
