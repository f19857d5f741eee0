"""Every figure a table can show: a module adds its own, and nothing else need know of it."""

from importlib import import_module
from pkgutil import iter_modules

from even_ballot.core.tables.statistics.statistic import (
    Shape,
    Statistic,
    StatName,
    every_statistic,
    find_statistic,
    statistic_of,
)

# In this order they are offered; a module that is not named here comes after them.
_FIRST = ("counts", "shares", "means", "totals", "ratios", "deviation", "positions", "shape")
for _name in sorted((module.name for module in iter_modules(__path__)), key=lambda n: (*_FIRST, n).index(n)):
    import_module(f"{__name__}.{_name}")

__all__ = ["Shape", "StatName", "Statistic", "every_statistic", "find_statistic", "statistic_of"]
