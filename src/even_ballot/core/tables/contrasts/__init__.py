"""Contrasts of a table's figures."""

from even_ballot.core.tables.contrasts.contrast import contrasts_of

__all__ = ["contrasts_of"]
