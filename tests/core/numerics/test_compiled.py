"""Loops as Python and compiled: the same bits, and compiled once that pays."""

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
import pytest
from reference_cases import CASES
from released import released

from even_ballot.core.numerics import compiled
from even_ballot.core.numerics.compiled import Budget, Loop
from even_ballot.services.running import run_file

LEAST = 15


def loops() -> Iterator[Loop]:
    """Every loop of the core, once."""
    modules = [module for name, module in sys.modules.items() if name.startswith("even_ballot.core.")]
    yield from {id(v): v for module in modules for v in vars(module).values() if isinstance(v, Loop)}.values()


@contextmanager
def budget(left: int, arrays: bool = True) -> Iterator[None]:
    """All loops fresh, with so much to go over before they are compiled; arrays: by arrays until then, where
    that is written."""
    with pytest.MonkeyPatch.context() as patch:
        for loop in loops():
            patch.setattr(loop, "_fast", None)
            patch.setattr(loop, "_budget", Budget(left))
            if not arrays:
                patch.setattr(loop, "_arrays", None)
        yield


def test_there_are_loops_to_compare() -> None:
    assert len(list(loops())) >= LEAST
    assert sum(loop._arrays is not None for loop in loops()) >= 10


@pytest.mark.parametrize("case", sorted(p.name for p in CASES.iterdir() if p.is_dir()))
def test_loops_as_python_by_arrays_and_compiled_give_the_same_bits(case: str) -> None:
    found = []
    for left, arrays in ((10**15, False), (10**15, True), (0, True)):
        with budget(left, arrays):
            found.append(released(*run_file(Path(CASES) / case / "study.json")))
            assert any(loop._fast is not None for loop in loops()) == (left == 0)
    plain, by_arrays, fast = found
    for name in ("results.json", "microdata.csv"):
        assert plain[name] == by_arrays[name] == fast[name]


def add(a: np.ndarray, out: np.ndarray) -> None:
    """Sums in halves."""
    for k in range(a.shape[0]):
        out[0] += half(a[k])


def double(x: float) -> float:
    return x + x


half = Loop(double)


def test_a_loop_is_compiled_once_the_budget_is_spent_with_those_it_calls() -> None:
    loop = Loop(add, Budget(250 * 3000))
    a, out = np.arange(100.0), np.zeros(1)
    loop(a, out)
    loop(a, out)
    assert loop._fast is None
    loop(a, out)
    assert loop._fast is not None
    assert half._fast is not None
    assert out[0] == 3 * a.sum() * 2
    assert loop.__doc__ == "Sums in halves."


def test_a_server_compiles_from_the_start() -> None:
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(compiled, "_budget", shared := Budget())
        loop = Loop(add, shared)
        compiled.prepare()
        loop(np.ones(1), np.zeros(1))
    assert loop._fast is not None


def test_loops_share_a_budget() -> None:
    shared = Budget(150 * 3000)
    first, second = Loop(add, shared), Loop(add, shared)
    a, out = np.ones(100), np.zeros(1)
    first(a, out)
    second(a, out)
    assert first._fast is None
    assert second._fast is not None


def test_what_overflows_is_no_warning_as_in_compiled_code() -> None:
    def grow(a: np.ndarray) -> None:
        for k in range(a.shape[0]):
            a[k] *= a[k]

    big = np.full(3, 1e200)
    Loop(grow, Budget())(big)
    assert np.isinf(big).all()
