"""What one figure of a table is made of, case by case: R = Σ w a / Σ w b, or a total Σ w a."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from even_ballot.core.faults import StudyError, fault
from even_ballot.core.numerics.arrays import Bools, Floats
from even_ballot.core.sampling.sample import SamplePart
from even_ballot.core.tables.banner import BannerColumns, placed
from even_ballot.core.tables.nets import net_rows
from even_ballot.core.tables.results import BannerPath, StubKey
from even_ballot.core.tables.shared import SharedCounts
from even_ballot.core.tables.stubs.counts import ALL, several
from even_ballot.core.tables.table_request import TableRequest

RATIOS = ("col_pct", "row_pct", "total_pct", "response_pct", "mean", "ratio")
TOTALS = ("count", "total")


@dataclass(frozen=True)
class CaseTerms:
    """For every part a and b of each case, (n,), 0 for cases that do not enter; b: None of a total."""

    a: tuple[Floats, ...]
    b: tuple[Floats, ...] | None


@dataclass(frozen=True)
class _Stub:
    """Of a part: who is in the row, who answered the stub, and how often (options of several answers)."""

    inside: Floats
    answered: Bools
    times: Floats


def _strange(what: str, where: str) -> StudyError:
    return fault(f"The table has no such {what}.", where, "Ask for one of its own figures.")


def _over(
    shared: SharedCounts, request: TableRequest, banner: BannerPath, where: str
) -> tuple[BannerColumns | None, int]:
    """The banner entry of a column on the cases, and the column's place; None for the total column."""
    if not banner:
        return None, 0
    names = tuple(key.variable for key in banner)
    if names not in request.entries:
        raise _strange("column", f"{where}.banner")
    at = request.entries.index(names)
    over = shared.columns_of(names, request, f"{where}.banner[{at}]", where)
    path = tuple(key.step for key in banner)
    if path not in over.paths:
        raise _strange("column", f"{where}.banner")
    return over, over.paths.index(path)


def _columns(over: BannerColumns | None, at: int, sample_sizes: Sequence[int]) -> list[tuple[Bools, Bools]]:
    """For every part who is in a column, and who answered the banner."""
    if over is None:
        return [(np.ones(n, np.bool_), np.ones(n, np.bool_)) for n in sample_sizes]
    members = [at] if over.members is None else over.members[at]
    return [(np.isin(index, members), index < over.columns) for index in over.index]


def _of_numbers(part: SamplePart, name: str) -> _Stub:
    column = part.data.column(name)
    values = np.where(column.answered, column.values, 0.0).astype(np.float64)
    return _Stub(values, column.answered, column.answered.astype(np.float64))


def _of_several(part: SamplePart, stub: StubKey, request: TableRequest, where: str) -> _Stub:
    found = several(part.data, stub.variable, where)
    if stub.net == ALL and request.total_row:
        chosen = found.answered
    elif stub.net is not None:
        nets = net_rows(request.nets, stub.variable, found.options, request.stub, where)
        chosen = found.any_of(next(net.places for net in nets if net.label == stub.net))
    else:
        chosen = found.chosen[[option.code for option in found.options].index(stub.code or 0)]
    inside = np.asarray(chosen & found.answered, np.float64)
    return _Stub(inside, found.answered, np.maximum(found.how_many, 0).astype(np.float64))


def _of_codes(part: SamplePart, stub: StubKey, request: TableRequest, where: str) -> _Stub:
    at, categories = placed(part.data, stub.variable, request.dates, where)
    answered = at >= 0
    if stub.code is None and stub.net is None:
        # The codes that the scale knows, taken as numbers.
        codes = np.array([float(c.code) for c in categories] or [0.0])
        answered = answered & np.array([c.in_codebook for c in categories] or [False])[at]
        return _Stub(np.where(answered, codes[at], 0.0), answered, answered.astype(np.float64))
    if stub.net == ALL and request.total_row:
        inside = answered
    elif stub.net is not None:
        nets = net_rows(request.nets, stub.variable, categories, request.stub, where)
        inside = np.isin(at, next(net.places for net in nets if net.label == stub.net))
    else:
        inside = at == [c.code for c in categories].index(stub.code or 0)
    return _Stub(inside.astype(np.float64), answered, answered.astype(np.float64))


def _stub(part: SamplePart, stub: StubKey, request: TableRequest, where: str) -> _Stub:
    kind = part.data.variable(stub.variable, where).kind
    try:
        if kind == "number":
            return _of_numbers(part, stub.variable)
        if kind == "multi":
            return _of_several(part, stub, request, where)
        return _of_codes(part, stub, request, where)
    except (ValueError, StopIteration):
        raise _strange("row", where) from None


def case_terms(
    shared: SharedCounts,
    request: TableRequest,
    stub: StubKey,
    banner: BannerPath,
    stat: str,
    where: str = "tables[0]",
) -> CaseTerms:
    """What a share, mean, total or ratio of a table is made of. Raises StudyError for another figure.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> shared = SharedCounts(sampled(ferry(), Design(), "w"))
    >>> request = TableRequest(id="t", stub=("crosses",), show=("col_pct",))
    >>> terms = case_terms(shared, request, StubKey("crosses", 3), (), "col_pct")
    >>> terms.a[0].tolist(), terms.b[0].tolist()
    ([0.0, 0.0, 1.0, 1.0, 0.0, 1.0, 0.0, 0.0], [1.0, 1.0, 1.0, 1.0, 1.0, 1.0, 0.0, 0.0])
    """
    if stat not in RATIOS and stat not in TOTALS:
        raise fault(
            "Which cases carry a figure is known for shares, means, totals and ratios.",
            where,
            "Choose one of them.",
        )
    if stub.variable not in request.stub:
        raise _strange("row", f"{where}.stub")
    domain, sample = shared.domain(request.where, f"{where}.where"), shared.sample
    over, at = _over(shared, request, banner, where)
    columns = _columns(over, at, [part.data.n for part in sample.parts])
    a, b = [], []
    for part, (inside, banner_answered), who in zip(sample.parts, columns, domain.who, strict=True):
        of = _stub(part, stub, request, f"{where}.stub")
        top, base = of.inside * (inside & who), inside & of.answered & who
        bottom: Floats = base.astype(np.float64)
        if stat == "row_pct":
            bottom = of.inside * (banner_answered & who)
        elif stat == "total_pct":
            bottom = np.asarray(of.answered & banner_answered & who, np.float64)
        elif stat == "response_pct":
            bottom = of.times * (inside & who)
        elif stat == "ratio":
            per = _of_numbers(part, request.per or "")
            top, bottom = top * per.answered, per.inside * base
        a.append(top)
        b.append(bottom)
    return CaseTerms(tuple(a), None if stat in TOTALS else tuple(b))
