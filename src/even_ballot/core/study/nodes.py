"""What a pipeline is made of: nodes with keys, the states that some hold, and where answers come from."""

import hashlib
from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping
from contextlib import AbstractContextManager
from dataclasses import dataclass
from typing import Generic, Protocol, TypeVar

from even_ballot.core.data.cases import Cases
from even_ballot.core.data.dataset import Dataset, RawTable
from even_ballot.core.faults import StudyError
from even_ballot.core.lazy import remembered
from even_ballot.core.ledger import Effect
from even_ballot.core.model import Model
from even_ballot.core.progress import Progress
from even_ballot.core.study.results import Weighted
from even_ballot.core.weighting.raking import Raked
from even_ballot.core.weighting.report import WeightingReport

T = TypeVar("T")


def key_of(*parts: str) -> str:
    """A key of everything that a node is made of.

    >>> key_of("start", "a") == key_of("start", "a"), key_of("start", "a") == key_of("starta")
    (True, False)
    """
    return hashlib.sha256("\x1f".join(parts).encode()).hexdigest()


def said(part: Model, include: set[str] | None = None) -> str:
    """A part of the study file, for a key.

    >>> from even_ballot.core.sampling.design import Design
    >>> said(Design(), {"single_psu"})
    '{"single_psu":"stop"}'
    """
    return _said(part, None if include is None else frozenset(include))


@remembered
def _said(part: Model, include: frozenset[str] | None) -> str:
    return part.model_dump_json(include=None if include is None else set(include))


@dataclass(frozen=True)
class Node(Generic[T]):
    """A value with its key."""

    key: str
    value: T


@dataclass(frozen=True)
class Ledgered:
    """The cases after as many steps as could be taken. states[i]: after step i, or the last alone where
    states are not kept; fault: why the step after them failed."""

    start: Dataset
    states: tuple[Dataset, ...]
    effects: tuple[Effect, ...]
    fault: StudyError | None

    @property
    def last(self) -> Dataset:
        """The newest state there is."""
        return self.states[-1] if self.states else self.start


@dataclass(frozen=True)
class Weighed:
    """The cases with every weight that could be made, and how each weighting came out, or what is wrong with
    it."""

    cases: Cases
    outcomes: tuple[tuple[Raked, WeightingReport] | StudyError, ...]

    @property
    def made(self) -> Weighted:
        """The weightings that could be made."""
        good = [outcome for outcome in self.outcomes if not isinstance(outcome, StudyError)]
        return Weighted(self.cases, tuple(raked for raked, _ in good), tuple(said for _, said in good))


class Inputs(ABC):
    """Where raw answers come from. source_key, lookups_key: what says all there is to know of them."""

    source_key: str
    lookups_key: str

    @abstractmethod
    def source(self) -> RawTable:
        """The answers."""

    @abstractmethod
    def lookups(self) -> Mapping[str, RawTable]:
        """Looked-up files by name."""


class Keeper(Protocol):
    """Gives what was kept under a key, or makes it; raises the StudyError that making it raised."""

    def __call__(self, key: str, make: Callable[[], T]) -> T: ...


Telling = Callable[[str | None], AbstractContextManager[Progress]]
"""Work that is told of as it goes on; for a table: whose earlier count it takes the place of."""


class Given(Inputs):
    """Tables that are there. The answers are handed over once, and not held on to."""

    source_key = lookups_key = ""

    def __init__(self, raw: RawTable | None, lookups: Mapping[str, RawTable]) -> None:
        self._raw = raw
        self._lookups = lookups

    def source(self) -> RawTable:
        raw, self._raw = self._raw, None
        assert raw is not None
        return raw

    def lookups(self) -> Mapping[str, RawTable]:
        return self._lookups
