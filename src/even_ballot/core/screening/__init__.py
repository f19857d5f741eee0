"""Checks that only look: findings with the cases they concern."""

from even_ballot.core.screening.entries import batteries
from even_ballot.core.screening.finding import Finding
from even_ballot.core.screening.settings import Screening
from even_ballot.core.screening.sweep import Behind, behind, found_as, sweep

__all__ = ["Behind", "Finding", "Screening", "batteries", "behind", "found_as", "sweep"]
