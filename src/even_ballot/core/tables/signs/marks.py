"""Marks for weak figures, by rules that a study sets."""

from pydantic import Field

from even_ballot.core.model import Model
from even_ballot.core.tables.results import Cell
from even_ballot.core.tables.statistics import statistic_of


class Marks(Model):
    """What makes a share, mean or count weak; null: no such rule. base: fewer unweighted cases in the base
    than this; rse: a larger relative standard error (0.3 is 30 %); effective: a smaller effective base
    (base over design effect); df: fewer degrees of freedom among the cases of its base; width: a share's
    interval that is wider than this (0.3 is 30 points); relative_width: an interval wider than so many times
    its estimate; complement: what is relative to a share p is also held against 1 − p. letters: beside weak
    figures there are none, and none where either base is under this."""

    base: int | None = Field(default=30, ge=1)
    rse: float | None = Field(default=None, gt=0, allow_inf_nan=False)
    effective: float | None = Field(default=None, gt=0, allow_inf_nan=False)
    df: int | None = Field(default=8, ge=1)
    width: float | None = Field(default=None, gt=0, lt=1)
    relative_width: float | None = Field(default=None, gt=0, allow_inf_nan=False)
    complement: bool = False
    letters: int | None = Field(default=None, ge=1)


def _over(cell: Cell, quantity: float, complement: bool) -> float | None:
    """A quantity over the estimate; complement: of a share also over its complement, whichever is more."""
    share = complement and statistic_of(cell.stat).shape == "share"
    least = min(cell.est, 1 - cell.est) if share else abs(cell.est)
    return quantity / least if least else None


def relative_error(cell: Cell, complement: bool = False) -> float | None:
    """Standard error over estimate; complement: of a share also over its complement, whichever is more.

    >>> from even_ballot.core.tables.results import StubKey
    >>> relative_error(Cell(StubKey("age"), (), "mean", 40.0, se=2.0))
    0.05
    """
    return None if cell.se is None else _over(cell, cell.se, complement)


def _width(cell: Cell) -> float | None:
    """How wide the interval is that it is shown with."""
    return None if cell.low is None or cell.high is None else cell.high - cell.low


def effective_base(cell: Cell) -> float | None:
    """Unweighted base over design effect.

    >>> from even_ballot.core.tables.results import StubKey
    >>> effective_base(Cell(StubKey("age"), (), "mean", 40.0, base_n=100, deff=2.0))
    50.0
    """
    return cell.base_n / cell.deff if cell.base_n is not None and cell.deff else None


def weak(cell: Cell, rules: Marks) -> tuple[str, ...]:
    """Why a figure is weak, in words; nothing where it is not.

    >>> from even_ballot.core.tables.results import StubKey
    >>> weak(Cell(StubKey("age"), (), "mean", 40.0, base_n=12), Marks(base=30))
    ('base under 30',)
    """
    if not statistic_of(cell.stat).marked:
        return ()
    found = []
    if rules.base is not None and cell.base_n is not None and cell.base_n < rules.base:
        found.append(f"base under {rules.base:,}")
    relative, effective = relative_error(cell, rules.complement), effective_base(cell)
    width, share = _width(cell), statistic_of(cell.stat).shape == "share"
    if rules.rse is not None and relative is not None and relative > rules.rse:
        found.append(f"relative standard error over {100 * rules.rse:g} %")
    if rules.width is not None and share and width is not None and width > rules.width:
        found.append(f"interval wider than {100 * rules.width:g} points")
    if rules.relative_width is not None and width is not None:
        times = _over(cell, width, rules.complement)
        if times is not None and times > rules.relative_width:
            found.append(f"interval wider than {100 * rules.relative_width:g} % of the estimate")
    if rules.effective is not None and effective is not None and effective < rules.effective:
        found.append(f"effective base under {rules.effective:g}")
    if rules.df is not None and cell.df is not None and cell.df < rules.df:
        found.append(f"fewer than {rules.df} degrees of freedom")
    return tuple(found)


def may_have_letters(cell: Cell | None, rules: Marks) -> bool:
    """Whether a figure is held against others: it is not weak, and of enough cases.

    >>> from even_ballot.core.tables.results import StubKey
    >>> may_have_letters(Cell(StubKey("age"), (), "mean", 40.0, base_n=40), Marks(letters=50))
    False
    """
    if cell is None or weak(cell, rules):
        return False
    return rules.letters is None or cell.base_n is None or cell.base_n >= rules.letters
