"""Checks that only look: findings with the cases they concern."""

from even_ballot.core.screening.finding import Finding
from even_ballot.core.screening.sweep import cases_of, sweep

__all__ = ["Finding", "cases_of", "sweep"]
