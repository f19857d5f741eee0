"""A column of a contrast on the cases."""

from typing import Any

import numpy as np

from even_ballot.core.faults import fault, some
from even_ballot.core.numerics.arrays import Bools
from even_ballot.core.tables.banner import placed
from even_ballot.core.tables.request import TableRequest
from even_ballot.core.tables.results import BannerKey, BannerPath
from even_ballot.core.tables.shared import SharedCounts


class ContrastColumn:
    """A column of a contrast: for every part who is in it, (n,), and who answered its variables."""

    def __init__(self, shared: SharedCounts, request: TableRequest, at: dict[str, int], where: str) -> None:
        entry = next((of for of in request.entries if set(of) == set(at)), None)
        if at and entry is None:
            raise fault(
                f"{some(sorted(at))} is not an entry of the banner.",
                where,
                "Give a code for every variable of one banner entry, or {} for the total column.",
            )
        self.path: BannerPath = tuple(BannerKey.of(name, at[name]) for name in entry or ())
        self.whole = not at

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
        self.inside, self.answered = tuple(a for a, _ in seen), tuple(b for _, b in seen)
