"""A study whose answers come in parts: each is read and taken through the ledger by itself, and only what is
seen of the parts comes together."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from even_ballot.core.data.cases import Cases
from even_ballot.core.data.codebook import Kind
from even_ballot.core.data.dataset import Dataset, RawTable
from even_ballot.core.data.interpretation import interpret
from even_ballot.core.faults import StudyError
from even_ballot.core.lazy import lazy
from even_ballot.core.ledger import Effect, Step, take_step
from even_ballot.core.ledger.cells import Edit
from even_ballot.core.ledger.step import Apply, placed
from even_ballot.core.numerics.parts import InParts, Looks, kept, plus
from even_ballot.core.screening import Finding, sweep
from even_ballot.core.screening.sweep import ADDITIVE, listed
from even_ballot.core.study.graph import untold
from even_ballot.core.study.nodes import Given, Ledgered, Node, Telling
from even_ballot.core.study.parted.comparing import influential, twice, unusual, with_cut
from even_ballot.core.study.parted.seen import (
    KindSeen,
    by_name,
    effects_together,
    findings_together,
    kinds_seen,
    rows_after,
    unlisted,
)
from even_ballot.core.study.pipeline import Pipeline
from even_ballot.core.study.study_file import Study
from even_ballot.core.study.uses import book_in_use, made_later

NOBODY = -1
"""In place of a part's number: of the one that holds no cases."""
_NOBODY = np.zeros(0, np.int64)


@dataclass(frozen=True)
class _Seen:
    """The parts that are here; how many records come before each, by its number; kinds of columns that the
    codebook does not list."""

    tables: Sequence[RawTable]
    before: Mapping[int, int]
    kinds: Mapping[str, Kind]


@dataclass(frozen=True)
class _Done:
    """The columns before the ledger, without cases; the parts after it; how many cases came, and what the
    ledger did to all of them."""

    start: Dataset
    parts: Sequence[Dataset]
    received: int
    effects: tuple[Effect, ...]


def _looks_at_all(step: Step) -> bool:
    """Whether a step must see more than a part; where a case is edited it must only be counted."""
    return step.reach != "row" and not step.off and not isinstance(step, Edit)


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
        super().__init__(study, Given(None, lookups), telling=telling)
        self._tables, self._numbers, self._lookups = tables, numbers, lookups
        self._merge = tables.merge

    def _look(self) -> _Seen:
        """Each part read once: its records' numbers, and as what it is read."""
        study, book = self.study, book_in_use(self.study)
        decimal = study.source.decimal or "."
        last, kinds = dict[int, int](), list[dict[str, KindSeen]]()

        def looked_at() -> Iterator[RawTable]:
            for number, table in zip(self._numbers, self._tables.parts, strict=True):
                last[number] = table.records
                kinds.append(kinds_seen(table, unlisted(table, book), decimal))
                yield table

        tables = kept(self._merge, looked_at())
        every: dict[int, int] = self._merge(lambda a, b: a | b, [{n: of} for n, of in last.items()])
        before = {n: sum(of for k, of in every.items() if 0 <= k < n) for n in self._numbers}
        merged: dict[str, KindSeen] = self._merge(by_name, kinds)
        return _Seen(tables, before, {name: of.kind for name, of in merged.items()})

    @lazy
    def _done(self) -> _Done:
        """Each part through the ledger."""
        study, seen, book = self.study, self._look(), book_in_use(self.study)
        later, decimal = made_later(study), study.source.decimal or "."
        first, counts, effects = list[Dataset](), list[int](), list[tuple[Effect, ...]]()
        edited = list[dict[int, int]]()

        def read() -> Iterator[Dataset]:
            for number, table in zip(self._numbers, seen.tables, strict=True):
                raw = rows_after(table, seen.before[number])
                data = interpret(raw, book, later, decimal, seen.kinds)
                first[:] = first or [data.where(_NOBODY)]
                counts.append(data.n)
                edited.append({})
                effects.append(())
                yield data

        parts: Iterable[Dataset] = read()
        for stretch in self._stretches():
            parts = self._taken(parts, stretch, effects, edited)
        parts = kept(self._merge, parts)
        self._check_edits(edited)
        return _Done(first[0], parts, self._merge(plus, counts), self._merge(effects_together, effects))

    def _stretches(self) -> list[range]:
        """Entries of the ledger, by their numbers, that each part can be taken through by itself: all but
        the first of each look at single cases, and edits, which are counted."""
        steps = self.study.ledger
        starts = [at for at, step in enumerate(steps) if _looks_at_all(step)]
        return [range(*ends) for ends in pairwise([0, *starts, len(steps)])]

    def _taken(
        self,
        parts: Iterable[Dataset],
        stretch: range,
        effects: list[tuple[Effect, ...]],
        edited: list[dict[int, int]],
    ) -> Iterator[Dataset]:
        """The parts after some entries. effects, edited: what is added there, part by part."""
        applied: Sequence[Apply | None] = [None] * len(self._numbers)
        steps = self.study.ledger
        if stretch and _looks_at_all(steps[stretch[0]]):
            parts = before = kept(self._merge, parts)
            with placed(f"ledger[{stretch[0]}]"):
                applied = steps[stretch[0]].over(before, self._merge)
        for k, (part, apply) in enumerate(zip(parts, applied, strict=True)):
            data = part
            for at in stretch:
                data, effect = self._step(data, at, apply if at == stretch[0] else None, edited[k])
                effects[k] = (*effects[k], effect)
            yield data

    def _step(
        self, data: Dataset, at: int, apply: Apply | None, edited: dict[int, int]
    ) -> tuple[Dataset, Effect]:
        """A part after one step; edited: how many cases of it each edit means is added there."""
        step = taken = self.study.ledger[at]
        if isinstance(step, Edit) and not step.off:
            edited[at] = here = int(np.count_nonzero(step.cases(data)))
            taken = step if here == 1 else step.model_copy(update={"off": True})
        data, effect = take_step(data, taken, at, self._lookups, apply=apply)
        return data, replace(effect, off=step.off)

    def _check_edits(self, edited: Sequence[Mapping[int, int]]) -> None:
        """Every edit means one case of all parts."""
        found: Mapping[int, int] = self._merge(lambda a, b: {at: n + b[at] for at, n in a.items()}, edited)
        for at, n in found.items():
            step = self.study.ledger[at]
            assert isinstance(step, Edit)
            try:
                step.check(n)
            except StudyError as error:
                place = f"ledger[{at}]"
                raise StudyError(replace(of, where=f"{place}.{of.where}") for of in error.faults) from None

    @lazy
    def start(self) -> Node[Dataset]:
        """The columns before the ledger, without cases."""
        return Node("", self._done.start)

    @lazy
    def ledgered(self) -> Node[Ledgered]:
        """What the ledger did."""
        done = self._done
        return Node("", Ledgered(done.start, (), done.effects, None))

    @lazy
    def _cases(self) -> Cases:
        return Cases(self._done.parts, self._merge)

    def _laid(self) -> Cases:
        return self._cases

    def _received(self) -> int:
        return self._done.received

    def _held(self, cases: Cases) -> Dataset:
        head = cases.head
        return head.where(_NOBODY) if head.n else head

    @lazy
    def findings(self) -> tuple[Finding, ...]:
        """What all checks find."""
        book, parts, merge = self.study.codebook, self._done.parts, self._merge
        settings = with_cut(parts, self.study.screening, merge)

        def seen(part: Dataset) -> Sequence[Finding]:
            return sweep(part, book, settings, checks=ADDITIVE)

        alone: Sequence[Finding] = merge(findings_together, Looks(parts, seen))
        compared = [
            *twice(parts, merge),
            *unusual(parts, settings, merge),
            *influential(parts, settings, merge),
        ]
        return listed([*alone, *compared], book.accepted)
