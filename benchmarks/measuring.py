"""What the benchmarks share: the best of several runs, one plain pass, a line with a ratio and its goal."""

import time
from collections.abc import Callable

import numpy as np


def best(action: Callable[[], object], repeat: int) -> float:
    """Seconds of the fastest of several runs."""
    action()
    times = []
    for _ in range(repeat):
        start = time.perf_counter()
        action()
        times.append(time.perf_counter() - start)
    return min(times)


def plain_pass(arrays: list[np.ndarray]) -> None:
    for array in arrays:
        array.sum()


def row(name: str, ratio: float, goal: str) -> None:
    print(f"{name:<62}{ratio:9.2f}   goal {goal}")
