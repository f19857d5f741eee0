"""Cases cut into random parts, merged in random order by random trees; and results held against each other."""

import math
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, TypeVar

import numpy as np

from even_ballot.core.data.cases import Cases
from even_ballot.core.data.dataset import Dataset, RawTable
from even_ballot.core.faults import Fault, StudyError
from even_ballot.core.numerics.parts import Seen
from even_ballot.core.study.pipeline import run
from even_ballot.core.study.study_file import Study
from even_ballot.services.answers import load_table
from even_ballot.services.running import load_study

T = TypeVar("T")
Loaded = tuple[Study, RawTable, dict[str, RawTable]]
MORE = ["median", "q10", "q95", "mode", "geometric_mean", "q0", "q100"]
"""Figures that random studies show besides."""


class RandomTree:
    """Merges in a random order, by a random tree, anew every time."""

    def __init__(self, rng: np.random.Generator) -> None:
        self._rng = rng

    def __call__(self, add: Callable[[T, T], T], seen: Seen[T], /) -> T:
        every = list(seen)
        left: list[T] = [every[i] for i in self._rng.permutation(len(every))]
        while len(left) > 1:
            a, b = self._rng.choice(len(left), 2, replace=False)
            both = add(left[a], left[b])
            left = [of for i, of in enumerate(left) if i not in (a, b)]
            left.insert(int(self._rng.integers(0, len(left) + 1)), both)
        return left[0]


def random_parts(seed: int) -> Callable[[Dataset], Cases]:
    """Cuts cases into two to six parts, some of them empty, each case in any."""

    def cut(data: Dataset) -> Cases:
        rng = np.random.default_rng(seed)
        parts = int(rng.integers(2, 7))
        of = rng.integers(0, parts, data.n)
        if rng.random() < 0.5:
            of[of == int(rng.integers(0, parts))] = 0
        return Cases([data.where(of == k) for k in range(parts)], RandomTree(rng))

    return cut


def differing(got: Any, want: Any, at: str = "", rel: float = 1e-12) -> Iterator[str]:
    """Where two documents differ, numbers by more than `rel` of themselves and of 1."""
    if isinstance(want, dict) and isinstance(got, dict):
        for key in want.keys() | got.keys():
            if key not in got or key not in want:
                yield f"{at}.{key}: only in {'one part' if key in want else 'parts'}"
            else:
                yield from differing(got[key], want[key], f"{at}.{key}", rel)
    elif isinstance(want, list | tuple) and isinstance(got, list | tuple):
        if len(want) != len(got):
            yield f"{at}: {len(got)} in place of {len(want)}"
        for i, (a, b) in enumerate(zip(got, want, strict=False)):
            yield from differing(a, b, f"{at}[{i}]", rel)
    elif isinstance(want, float) and isinstance(got, int | float):
        if not math.isclose(got, want, rel_tol=rel, abs_tol=rel):
            yield f"{at}: {got!r} in place of {want!r}"
    elif got != want:
        yield f"{at}: {got!r} in place of {want!r}"


def loaded(path: Path) -> Loaded:
    """A study file with the files beside it."""
    study = load_study(path)
    table, reading = load_table(path.parent, study.source, "source")
    lookups = {name: load_table(path.parent, of, name)[0] for name, of in study.lookups.items()}
    return study.model_copy(update={"source": reading}), table, lookups


def refused(of: Loaded, **how: Any) -> tuple[Fault, ...]:
    """What a run is refused for."""
    try:
        run(*of, **how)
    except StudyError as error:
        return tuple(error.faults)
    return ()


def tolerated(document: dict[str, Any]) -> float:
    """How near the figures of two ways of adding up must come. Weights within limits are met to their
    tolerance and no nearer; Wald's statistic inverts a matrix that may be nearly singular."""
    bounded = any(w["limits"] for w in document["weightings"])
    return 1e-9 if bounded or "wald" in document["tables"][0]["tests"] else 1e-12
