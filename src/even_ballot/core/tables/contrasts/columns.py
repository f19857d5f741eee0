"""A column of a contrast on the cases."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from even_ballot.core.faults import fault, some
from even_ballot.core.numerics.arrays import Bools
from even_ballot.core.tables.banner import placed
from even_ballot.core.tables.results import BannerKey, BannerPath
from even_ballot.core.tables.shared import SharedCounts
from even_ballot.core.tables.table_request import TableRequest


@dataclass(frozen=True)
class ContrastColumn:
    """A column of a contrast: for every part who is in it, (n,), and who answered its variables; whole: it is
    the total column."""

    path: BannerPath
    whole: bool
    inside: tuple[Bools, ...]
    answered: tuple[Bools, ...]


def column_at(shared: SharedCounts, request: TableRequest, at: dict[str, int], where: str) -> ContrastColumn:
    """The column of some codes, of all variables of one banner entry; of none: the total column.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> request = TableRequest(id="t", stub=("age",), banner=("isle",))
    >>> column_at(SharedCounts(sampled(ferry(), Design())), request, {"isle": 1}, "of").inside[0].sum().item()
    3
    """
    entry = next((of for of in request.entries if set(of) == set(at)), None)
    if at and entry is None:
        raise fault(
            f"{some(sorted(at))} is not an entry of the banner.",
            where,
            "Give a code for every variable of one banner entry, or {} for the total column.",
        )

    def of(part: Any) -> tuple[Bools, Bools]:
        inside = answered = np.ones(part.data.n, np.bool_)
        for name in entry or ():
            places, categories = placed(part.data, name, request.dates, where)
            codes = [c.code for c in categories]
            if at[name] not in codes:
                known = some([str(code) for code in codes])
                raise fault(f"{name} has no column {at[name]}.", where, f"Columns: {known}.")
            inside = inside & (places == codes.index(at[name]))
            answered = answered & (places >= 0)
        return inside, answered

    seen = shared.sample.each(of)
    path: BannerPath = tuple(BannerKey.of(name, at[name]) for name in entry or ())
    return ContrastColumn(path, not at, tuple(a for a, _ in seen), tuple(b for _, b in seen))
