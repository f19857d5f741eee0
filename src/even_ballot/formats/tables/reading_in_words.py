"""A table read in words: sentences that its numbers bear, with their uncertainty.

Each sentence is made of cells and tests of the result, printed with the digits it states; nothing is
worked out anew but differences, and those come with their own test. What sampling alone could explain is
said so.
"""

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, replace

from even_ballot.core.data.batteries import item_of, stem_of
from even_ballot.core.estimation.comparisons import ColumnComparison
from even_ballot.core.estimation.independence import Independence
from even_ballot.core.tables.display import displayed
from even_ballot.core.tables.results import (
    BannerHeading,
    BannerKey,
    BannerPath,
    Cell,
    CodeOrNet,
    StubHeading,
    StubKey,
    TableResult,
)
from even_ballot.core.tables.stubs.counts import ALL
from even_ballot.core.tables.table_request import TableRequest


@dataclass(frozen=True)
class Reading:
    """A sentence, and which figures bear it: stub row, banner paths and stat. about: the question, where
    the table has several."""

    text: str
    stub: StubKey
    paths: tuple[BannerPath, ...]
    stat: str
    about: str | None = None


def _percent(share: float) -> str:
    return f"{100 * share:.1f} %"


def _interval(cell: Cell, share: bool) -> str:
    """(35.2 to 47.0), as far as there are limits, with the decimals of the table."""
    if cell.low is None or cell.high is None:
        return ""
    if share:
        return f" ({100 * cell.low:.1f} to {100 * cell.high:.1f})"
    return f" ({cell.low:,.2f} to {cell.high:,.2f})"


def _said(cell: Cell, share: bool) -> str:
    return (_percent(cell.est) if share else f"{cell.est:,.2f}") + _interval(cell, share)


class _Read:
    """One table's cells and tests, found by what they are of."""

    def __init__(self, result: TableResult, request: TableRequest, nominal: Collection[str]) -> None:
        self.result, self.request, self.nominal = result, request, nominal
        self.cells = {(c.stub, c.banner, c.stat): c for c in result.cells}

    def label(self, banner: BannerHeading, path: Sequence[CodeOrNet]) -> str | None:
        """A column in words: Hask, Woman; None where it is not shown."""
        words = []
        for step, level in zip(path, banner.levels, strict=True):
            words.append(next((column.label for column in level if column.step == step), None))
        return None if None in words else ", ".join(str(word) for word in words)

    def tests(self, stub: StubKey, banner: BannerHeading) -> list[ColumnComparison]:
        key = {
            name: value for name in ("variable", "code", "net") if (value := getattr(stub, name)) is not None
        }
        mine = [
            t
            for t in self.result.tests
            if isinstance(t, ColumnComparison)
            and t.stub == key
            and t.stat is None
            and t.banner == banner.variables
        ]
        return [
            t for t in mine if self.label(banner, t.a) is not None and self.label(banner, t.b) is not None
        ]

    def rows(self, stub: StubHeading) -> list[tuple[StubKey, str, str]]:
        """Rows that can be told of: key, label and stat."""
        if "col_pct" not in self.request.show:
            return []
        nets = [
            row
            for row in stub.rows
            if isinstance(row.step, str) and not (row.step == ALL and self.request.total_row)
        ]
        rows = [*nets, *(row for row in stub.rows if not isinstance(row.step, str) and not row.stray)]
        return [(StubKey.of(stub.variable, row.step), row.label, "col_pct") for row in rows]

    def whole(self, stub: StubHeading) -> Iterator[Reading]:
        """What everybody answered: the most frequent answer, and the mean where it is shown."""
        if (top := self._most(stub)) is not None:
            cell, key, label = top
            chose = stub.kind == "multi"
            most, frequent = (
                ("chose", "Most often chosen is") if chose else ("answered", "The most frequent answer is")
            )
            text = f"Most {most} “{label}”" if cell.est > 0.5 else f"{frequent} “{label}”"
            yield Reading(
                f"{text}: {_said(cell, True)}, of {cell.base_n:,} who answered.", key, ((),), "col_pct"
            )
        mean = self.cells.get((StubKey(stub.variable), (), "mean"))
        if mean is not None and stub.variable not in self.nominal:
            text = f"The mean is {_said(mean, False)}, of {mean.base_n:,} who answered."
            yield Reading(text, StubKey(stub.variable), ((),), "mean")

    def _most(self, stub: StubHeading) -> tuple[Cell, StubKey, str] | None:
        """The most frequent answer of a coded or several-answer question; None where it is not shown, or
        figures that might be larger are hidden."""
        if stub.kind not in ("coded", "multi") or "col_pct" not in self.request.show:
            return None
        if any(
            figure.stub.variable == stub.variable and not figure.banner for figure in self.result.hidden or ()
        ):
            return None
        keys = [StubKey(stub.variable, c.code) for c in stub.categories if c.in_codebook]
        there = [(cell, key) for key in keys if (cell := self.cells.get((key, (), "col_pct"))) is not None]
        if not there:
            return None
        cell, key = max(there, key=lambda item: item[0].est)
        label = next((row.label for row in stub.rows if row.step == key.code), None)
        return None if label is None else (cell, key, label)

    def between(self, stub: StubHeading, banner: BannerHeading) -> Iterator[Reading]:
        """The largest difference between two columns of an entry, and whether sampling alone would explain
        it."""
        means = [] if stub.variable in self.nominal else [(StubKey(stub.variable), "", "mean")]
        rows = [*self.rows(stub), *means]
        tests = [(test, key, label, stat) for key, label, stat in rows for test in self.tests(key, banner)]
        # A net stands for its categories where there is one.
        if any(item[1].net is not None for item in tests):
            tests = [item for item in tests if item[1].code is None]
        if not tests:
            return
        for share in (True, False):
            mine = [item for item in tests if (item[3] != "mean") is share]
            if mine:
                test, key, label, stat = max(mine, key=lambda item: abs(item[0].t))
                yield from self._difference(test, key, label, stat, stub.kind, banner, len(mine))

    def _difference(
        self,
        test: ColumnComparison,
        key: StubKey,
        label: str,
        stat: str,
        kind: str,
        banner: BannerHeading,
        of: int,
    ) -> Iterator[Reading]:
        """The sentence on one difference, picked as the clearest of several: its test is held against all
        of them (Bonferroni)."""
        share = stat != "mean"
        larger, smaller = (test.a, test.b) if test.diff > 0 else (test.b, test.a)
        paths = tuple(tuple(map(BannerKey.of, banner.variables, path)) for path in (larger, smaller))
        a, b = (self.cells.get((key, path, stat)) for path in paths)
        if a is None or b is None:
            return
        first, second = self.label(banner, larger) or "", self.label(banner, smaller) or ""
        points = 100 * abs(test.diff)
        size = f"{points:.1f} points" if share else f"{abs(test.diff):,.2f}"
        size += f" (the clearest of {of:,})" if of > 1 else ""
        significant = test.p * of < self.request.levels[-1]
        bears = (
            "is larger than sampling alone would explain" if significant else "could be due to sampling alone"
        )
        verb = "fall under" if key.net is not None else "chose" if kind == "multi" else "answer"
        if share:
            who = f"{_said(a, True)} of “{first}” and {_said(b, True)} of “{second}”"
            text = f"{who} {verb} “{label}”; the difference of {size} {bears}."
        else:
            text = (
                f"The mean is {_said(a, False)} in “{first}”, {_said(b, False)} in “{second}”; the "
                f"difference of {size} {bears}."
            )
        yield Reading(text, key, paths, stat)

    def depends(self, stub: StubHeading, banner: BannerHeading) -> Iterator[Reading]:
        """Whether the answers go with the banner's variable."""
        for test in self.result.tests:
            if isinstance(test, Independence) and (test.stub, test.banner) == (
                stub.variable,
                banner.variables,
            ):
                goes = test.p < self.request.levels[-1]
                how = (
                    "the answers differ by more than sampling alone would explain"
                    if goes
                    else "differences could be due to sampling alone"
                )
                p = "p < 0.001" if test.p < 0.001 else f"p = {test.p:.3f}"
                text = f"Across the categories of “{banner.titles[0]}” {how} ({p})."
                yield Reading(text, StubKey(stub.variable), (), "independence")


def in_words(
    result: TableResult, request: TableRequest, nominal: Collection[str] = ()
) -> tuple[Reading, ...]:
    """Sentences about every stub variable: everybody, the largest difference in each banner entry, and
    whether they go together. nominal: variables whose codes are names, so that a mean of them says nothing.

    Differences need the table's `columns` tests.
    """
    result = displayed(result, request.display, request.items_down)
    read = _Read(result, request, nominal)
    found: list[Reading] = []
    stem = stem_of([stub.title for stub in result.stubs]) if len(result.stubs) > 1 else ""
    for stub in result.stubs:
        mine = [*read.whole(stub)]
        for banner in result.banners:
            mine += [*read.between(stub, banner), *read.depends(stub, banner)]
        about = item_of(stub.title, stem) if len(result.stubs) > 1 else None
        found += [replace(reading, about=about) for reading in mine]
    return tuple(found)
