"""Any analysis of a plan that is no table: a model, a scale of items, correlations."""

from collections.abc import Sequence
from typing import Literal

from even_ballot.core.models.model_request import (
    Analysis,
    CorrelationsRequest,
    ModelRequest,
    ReliabilityRequest,
)
from even_ballot.core.models.results import AnalysisResult
from even_ballot.core.numerics.arrays import Bools
from even_ballot.core.sampling.sample import Sample

AnalysisPart = Literal["models", "reliability", "correlations"]
ANALYSES: tuple[AnalysisPart, ...] = ("models", "reliability", "correlations")
"""The parts of a study file that hold analyses."""


def analysed(sample: Sample, request: Analysis, inside: Sequence[Bools] | None, where: str) -> AnalysisResult:
    """What an analysis comes to; inside: for every part the cases of its filter, (n,), None for all.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> request = CorrelationsRequest(id="c", variables=("age", "isle"))
    >>> analysed(sampled(ferry(), Design(), "w"), request, None, "correlations[0]").id
    'c'
    """
    # Each is loaded where a study asks for it.
    match request:
        case ModelRequest():
            from even_ballot.core.models.model import fitted_model

            return fitted_model(sample, request, inside, where)
        case ReliabilityRequest():
            from even_ballot.core.models.reliability import reliability

            return reliability(sample, request, inside, where)
        case CorrelationsRequest():
            from even_ballot.core.models.correlations import correlations

            return correlations(sample, request, inside, where)
    raise TypeError(type(request).__name__)
