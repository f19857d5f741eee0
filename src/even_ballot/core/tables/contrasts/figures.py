"""A stub variable's figures on the cases: what each is a sum of."""

from dataclasses import dataclass

import numpy as np

from even_ballot.core.numerics.arrays import Bools, Floats, Ints
from even_ballot.core.tables.banner import placed
from even_ballot.core.tables.nets import net_rows
from even_ballot.core.tables.results import StubKey
from even_ballot.core.tables.shared import SharedCounts
from even_ballot.core.tables.stubs.counts import several
from even_ballot.core.tables.table_request import TableRequest

SHARES = ("col_pct", "row_pct", "total_pct", "response_pct")
SUMMED = (*SHARES, "mean", "total", "ratio")
"""The figures that are a sum, or one over another."""


@dataclass(frozen=True)
class FigureRow:
    """Figures of a stub variable: which row and figure each is of."""

    key: StubKey
    stat: str


class StubFigures:
    """A stub variable on the cases: of each of its figures what is summed above and below the line, for some
    cases of a part, (n, F). level: (F,), what was taken off the numbers of each for every case below the
    line: about their middle, numbers such as 1e12 ± 1 keep their digits."""

    def __init__(self, shared: SharedCounts, request: TableRequest, name: str, where: str) -> None:
        self.sample, self.name, self.kind = shared.sample, name, shared.head.variable(name).kind
        self.rows: list[FigureRow] = []
        stats = [stat for stat in request.figures_for(self.kind) if stat in SUMMED]
        if self.kind == "number":
            y = shared.sample.each(lambda part: part.data.column(name))
            self.values = [np.where(of.answered, np.asarray(of.values, np.float64), 0.0) for of in y]
            firsts = [v[of.answered][:1] for v, of in zip(self.values, y, strict=True)]
            middle = float(shared.sample.merge(lambda a, b: a if len(a) else b, firsts).sum())
            self.answered = [of.answered for of in y]
            if "ratio" in stats:
                x = shared.sample.each(lambda part: part.data.column(str(request.per), "per"))
                self.per = [np.where(of.answered, of.values, 0.0) for of in x]
                self.both = [a & of.answered for a, of in zip(self.answered, x, strict=True)]
            self.rows = [
                FigureRow(StubKey(name), stat) for stat in stats if stat in ("mean", "total", "ratio")
            ]
            self.level = np.array([middle if row.stat == "mean" else 0.0 for row in self.rows])
            self.middle = middle
            return
        self._coded(shared, request, stats, where)

    def _coded(self, shared: SharedCounts, request: TableRequest, stats: list[str], where: str) -> None:
        name = self.name
        if self.kind == "multi":
            of_parts = shared.sample.each(lambda part: several(part.data, name, where))
            categories = list(of_parts[0].options)
            self.answered = [of.answered for of in of_parts]
            self.chosen = [np.stack(of.chosen, 1) for of in of_parts]
        else:
            found = shared.sample.each(lambda part: placed(part.data, name, request.dates, where))
            categories = list(found[0][1])
            self.answered = [at >= 0 for at, _ in found]
            self.chosen = [at[:, None] == np.arange(len(categories)) for at, _ in found]
        nets = net_rows(request.nets, name, categories, request.stub, where)
        self.members = [np.array([k]) for k in range(len(categories))] + [net.places for net in nets]
        keys = [StubKey(name, c.code) for c in categories] + [StubKey(name, net=net.label) for net in nets]
        shares = [
            stat for stat in stats if stat in SHARES and (stat != "response_pct" or self.kind == "multi")
        ]
        self.shares = [(keys[i], i, stat) for stat in shares for i in range(len(keys))]
        self.shares = [of for of in self.shares if of[2] != "response_pct" or of[0].net is None]
        self.rows = [FigureRow(key, stat) for key, _, stat in self.shares]
        self.codes = None
        if self.kind == "coded" and "mean" in stats:
            known = np.array([c.in_codebook for c in categories])
            self.codes = np.where(known, [float(c.code) for c in categories], 0.0), known
            self.rows.append(FigureRow(StubKey(name), "mean"))
        self.level, self.middle = np.zeros(len(self.rows)), 0.0

    def figures(self, number: int, at: Ints, nested: Bools) -> tuple[Floats, Floats]:
        """What is summed above and below, (n, F) each; 0 below: a total. nested: who answered the variables
        of the column's entry."""
        above, below = np.zeros((2, len(at), len(self.rows)))
        answered = self.answered[number][at]
        if self.kind == "number":
            for j, row in enumerate(self.rows):
                y = self.values[number][at]
                if row.stat == "ratio":
                    both = self.both[number][at]
                    above[:, j], below[:, j] = y * both, self.per[number][at] * both
                else:
                    y = (y - self.level[j]) * answered
                    above[:, j], below[:, j] = y, answered if row.stat == "mean" else 0.0
            return above, below
        chosen = self.chosen[number][at]
        in_row = np.stack([chosen[:, of].any(1) for of in self.members], 1)
        for j, (_, i, stat) in enumerate(self.shares):
            above[:, j] = in_row[:, i]
            if stat == "col_pct":
                below[:, j] = answered
            elif stat == "response_pct":
                below[:, j] = chosen.sum(1)
            elif stat == "total_pct":
                below[:, j] = answered & nested
            else:
                below[:, j] = in_row[:, i] & nested
        if self.codes is not None:
            codes, known = self.codes
            above[:, -1], below[:, -1] = chosen @ codes, chosen @ known.astype(np.float64)
        return above, below
