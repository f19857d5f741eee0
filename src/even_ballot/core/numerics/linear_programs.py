"""Linear programs, solved by the library's own solver."""

from typing import Any

from even_ballot.core.numerics.arrays import Floats


def least(
    cost: Floats, bounds: Any, equal: tuple[Any, Floats], upto: tuple[Any, Floats] | None = None
) -> Floats | None:
    """The x that costs least. cost: (n,); bounds: (n, 2), least and greatest; equal: A (m, n) and b (m,)
    of A x = b; upto: those of A x ≤ b; matrices dense or sparse. None where there is no such x.

    >>> import numpy as np
    >>> bounds = np.array([[0.0, np.inf], [0.0, np.inf]])
    >>> least(np.array([1.0, 2.0]), bounds, (np.array([[1.0, 1.0]]), np.array([3.0]))).tolist()
    [3.0, 0.0]
    """
    # Loading the solver takes a good part of the time that a command needs to start, and few studies need it.
    from scipy.optimize import linprog

    solve: Any = linprog
    (a_eq, b_eq), (a_ub, b_ub) = equal, upto or (None, None)
    found = solve(cost, a_ub, b_ub, a_eq, b_eq, bounds, method="highs")
    return found.x if found.status == 0 else None
