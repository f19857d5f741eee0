"""Contrasts as they are told: with limits and tests."""

from collections.abc import Iterator
from dataclasses import replace

import numpy as np
import scipy

from even_ballot.core.estimation.intervals import symmetric
from even_ballot.core.tables.contrasts.columns import column_at
from even_ballot.core.tables.contrasts.combined import Combined
from even_ballot.core.tables.contrasts.figures import StubFigures
from even_ballot.core.tables.contrasts.positions import Positions, positions_shown
from even_ballot.core.tables.results import ContrastResult
from even_ballot.core.tables.shared import SharedCounts
from even_ballot.core.tables.stubs.stub import there
from even_ballot.core.tables.table_request import TableRequest

_FIXED = 1e-18


def _told(of: Combined | Positions, request: TableRequest, df: int) -> Iterator[ContrastResult]:
    est, variance = of.est, of.variance()
    paths = tuple(column.path for column in of.columns)
    for row, value, v in zip(of.rows, est.tolist(), variance.tolist(), strict=True):
        if not np.isfinite(value):
            continue
        bare = ContrastResult(
            of.contrast.label, row.key, row.stat, value, columns=paths, ratio=of.contrast.ratio or None
        )
        if df < 1 or not np.isfinite(v):
            yield bare
        elif v <= _FIXED * value * value:
            sides = request.interval.sides
            low, high = (None if sides == open_ else value for open_ in ("upper", "lower"))
            yield replace(bare, se=0.0, low=low, high=high)
        else:
            yield _with_error(bare, float(np.sqrt(v)), request, df)


def _with_error(bare: ContrastResult, se: float, request: TableRequest, df: int) -> ContrastResult:
    """With its limits and test; of a ratio on the scale of its logarithm."""
    value, ratio = bare.est, bare.is_ratio
    if ratio and value <= 0:
        return replace(bare, se=se)
    middle = np.array([np.log(value) if ratio else value])
    size = np.array([se / value if ratio else se])
    ends = [float(of[0]) for of in symmetric(middle, size, df, request.interval)]
    low, high = (there(float(np.exp(x)) if ratio else x) for x in ends)
    t = float(middle[0] / size[0])
    return replace(bare, se=se, low=low, high=high, t=t, p=float(2 * scipy.special.stdtr(df, -abs(t))))


def contrasts_of(
    shared: SharedCounts, request: TableRequest, where: str = "tables[0]"
) -> tuple[ContrastResult, ...]:
    """Every contrast of a table, for each stub row and each share, mean, total or ratio shown, and each
    quantile where the design has replicates. Raises StudyError where it names columns that are not there.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> of = [{"at": {"isle": 1}, "times": 1}, {"at": {}, "times": -1}]
    >>> contrast = {"label": "Hask less all", "of": of}
    >>> request = TableRequest.model_validate(
    ...     {"id": "t", "stub": ["age"], "banner": ["isle"], "show": ["mean"], "contrasts": [contrast]})
    >>> (found,) = contrasts_of(SharedCounts(sampled(ferry(), Design(), "w")), request)
    >>> round(found.est, 3)
    -5.062
    """
    if not request.contrasts:
        return ()
    domain = shared.domain(request.where, f"{where}.where")
    df, found = domain.units.degrees_of_freedom, list[ContrastResult]()
    columns = [
        [
            column_at(shared, request, term.at, f"{where}.contrasts[{i}].of[{j}].at")
            for j, term in enumerate(c.of)
        ]
        for i, c in enumerate(request.contrasts)
    ]
    for name in request.stub:
        stub, positions = (
            StubFigures(shared, request, name, where),
            positions_shown(shared, request, name),
        )
        for contrast, of in zip(request.contrasts, columns, strict=True):
            if stub.rows:
                found += _told(Combined(shared, stub, of, contrast, domain.who), request, df)
            if positions:
                found += _told(Positions(shared, positions, of, contrast, domain.who), request, df)
    return tuple(found)
