"""What somebody knows who solves for hidden counts: equations on how many cases each atom holds."""

from typing import Any

import numpy as np
from scipy.optimize import linprog


class Equations:
    """rows: (m, atoms), right: (m,): what is known of sums over atoms."""

    def __init__(self) -> None:
        self.rows: list[np.ndarray] = []
        self.right: list[float] = []

    def know(self, row: np.ndarray, right: float) -> None:
        self.rows.append(row)
        self.right.append(right)

    def between(self, cell: np.ndarray) -> tuple[float, float]:
        """The least and the most that a sum over atoms can be, from all that is known."""
        a, b = np.array(self.rows).reshape(-1, len(cell)), np.array(self.right)
        ends = []
        for sign in (1, -1):
            found: Any = linprog(sign * cell, A_eq=a, b_eq=b, bounds=(0, None))
            assert found.status in (0, 3), found.message
            ends.append(sign * found.fun if found.status == 0 else -sign * np.inf)
        return ends[0], ends[1]
