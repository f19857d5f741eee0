"""The formula language: parsed by Python's grammar, checked against a short list, evaluated on whole
columns."""

from even_ballot.core.data.formulas.formula import Formula, Known, condition
from even_ballot.core.data.formulas.functions import FUNCTIONS
from even_ballot.core.data.formulas.values import column_of

__all__ = ["FUNCTIONS", "Formula", "Known", "column_of", "condition"]
