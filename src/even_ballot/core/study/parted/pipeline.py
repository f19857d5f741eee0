"""A study whose answers come in parts: each is read and taken through the ledger by itself, and only what is
seen of the parts comes together."""

from collections.abc import Iterator, Mapping, Sequence

import numpy as np

from even_ballot.core.data.cases import Cases
from even_ballot.core.data.codebook import Kind
from even_ballot.core.data.dataset import Dataset, RawTable
from even_ballot.core.data.interpretation import interpret
from even_ballot.core.faults import fault
from even_ballot.core.lazy import lazy
from even_ballot.core.ledger import Effect, take_step
from even_ballot.core.numerics.parts import InParts, plus
from even_ballot.core.screening import Finding, sweep
from even_ballot.core.screening.sweep import ADDITIVE, listed
from even_ballot.core.study.nodes import Given, Ledgered, Node, Telling
from even_ballot.core.study.parted.seen import (
    by_name,
    effects_together,
    findings_together,
    kinds_seen,
    rows_after,
    unlisted,
)
from even_ballot.core.study.pipeline import Pipeline, untold
from even_ballot.core.study.study_file import Study
from even_ballot.core.study.uses import book_in_use, made_later

NOBODY = -1
"""In place of a part's number: of the one that holds no cases."""


class PartedPipeline(Pipeline):
    """A study on parts of its answers. tables: the parts that are here; numbers: which of all parts each is,
    from 0."""

    def __init__(
        self,
        study: Study,
        tables: InParts[RawTable],
        numbers: Sequence[int],
        lookups: Mapping[str, RawTable],
        telling: Telling = untold,
    ) -> None:
        super().__init__(study, Given(tables.parts[0], lookups), telling=telling)
        self._tables, self._numbers, self._lookups = tables, numbers, lookups
        self._merge = tables.merge

    def _numbered(self) -> tuple[RawTable, ...]:
        """The parts with their records numbered through all of them."""
        last = {
            number: int(table.rows.max(initial=0))
            for number, table in zip(self._numbers, self._tables.parts, strict=True)
        }
        every = self._merge(lambda a, b: a | b, [{number: of} for number, of in last.items()])
        before = {n: sum(of for k, of in every.items() if 0 <= k < n) for n in self._numbers}
        return tuple(
            rows_after(table, before[n]) for n, table in zip(self._numbers, self._tables.parts, strict=True)
        )

    @lazy
    def _started(self) -> tuple[Dataset, ...]:
        """The parts before the ledger."""
        study, tables = self.study, self._numbered()
        book, decimal = book_in_use(study), study.source.decimal or "."
        names = unlisted(tables[0], book)
        seen = self._merge(by_name, [kinds_seen(table, names, decimal) for table in tables])
        kinds: dict[str, Kind] = {name: of.kind for name, of in seen.items()}
        return tuple(interpret(table, book, made_later(study), decimal, kinds) for table in tables)

    @lazy
    def start(self) -> Node[Dataset]:
        """The cases of a part that is here before the ledger."""
        return Node("", self._started[0])

    @lazy
    def _done(self) -> tuple[tuple[Dataset, ...], tuple[Effect, ...]]:
        """The parts after the ledger, and what it did to all of them."""
        done = [tuple(self._steps(part)) for part in self._started]
        effects: tuple[Effect, ...] = self._merge(
            effects_together, [tuple(effect for _, effect in of) for of in done]
        )
        last = [of[-1][0] if of else part for of, part in zip(done, self._started, strict=True)]
        return tuple(last), effects

    def _steps(self, data: Dataset) -> Iterator[tuple[Dataset, Effect]]:
        for at, step in enumerate(self.study.ledger):
            if step.reach != "row" and not step.off:
                raise fault(
                    f"“{step.sentence()}” looks at several cases at once, which stand in different parts.",
                    f"ledger[{at}]",
                    "Run without workers, or switch this entry off.",
                )
            data, effect = take_step(data, step, at, self._lookups)
            yield data, effect

    @lazy
    def ledgered(self) -> Node[Ledgered]:
        """What the ledger did, and the cases of a part that is here after it."""
        parts, effects = self._done
        return Node("", Ledgered(self._started[0], parts[:1], effects, None))

    @lazy
    def _cases(self) -> Cases:
        return Cases(self._done[0], self._merge)

    def _laid(self) -> Cases:
        return self._cases

    def _received(self) -> int:
        return self._merge(plus, [part.n for part in self._started])

    def _held(self, cases: Cases) -> Dataset:
        head = cases.head
        return head.where(np.zeros(0, np.int64)) if head.n else head

    @lazy
    def findings(self) -> tuple[Finding, ...]:
        """What the checks find that look at each case by itself."""
        book, settings = self.study.codebook, self.study.screening
        seen: list[Sequence[Finding]] = [
            sweep(part, book, settings, checks=ADDITIVE) for part in self._done[0]
        ]
        found: Sequence[Finding] = self._merge(findings_together, seen)
        return listed(found, book.accepted)
