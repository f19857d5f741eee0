"""The report on the weightings as a page to release: one file, without anything from elsewhere."""

from dataclasses import dataclass

from even_ballot import __version__
from even_ballot.core.faults import counted
from even_ballot.core.sampling.units import Units
from even_ballot.core.study.study_file import Study
from even_ballot.core.weighting.report import HiddenRow, MarginReport, MarginRow, WeightBar, WeightingReport
from even_ballot.core.weighting.weighting import Weighting
from even_ballot.formats.pages import page
from even_ballot.formats.tables.designs import design_sentence, method_sentence
from even_ballot.formats.tables.methods import weight_sentence


@dataclass(frozen=True)
class _Bar:
    """A bar of the distribution of the weights, as it is drawn."""

    x: str
    y: str
    width: str
    height: str
    says: str


@dataclass(frozen=True)
class _Line:
    """A category of a margin: sample, target and weighted figure as drawn (None: not told) and in words."""

    label: str
    figures: tuple[str, ...]
    cases: str
    mean: str
    drawn: tuple[str, str, str] | None


@dataclass(frozen=True)
class _Margin:
    """A margin's rows; number: they are figures of a number, not shares."""

    title: str
    rows: list[_Line]
    number: bool = False


@dataclass(frozen=True)
class _Weighting:
    """A weighting as the page says it."""

    name: str
    says: str
    facts: list[tuple[str, str]]
    bars: list[_Bar]
    least: str
    most: str
    cells: list[tuple[str, ...]]
    margins: list[_Margin]


def _figure(x: float, number: bool) -> str:
    """A share in per cent, or a number."""
    return f"{x:,.2f}" if number else f"{100 * x:.1f}"


_WIDE = 260


def _row(row: MarginRow, number: bool, low: float, high: float) -> _Line:
    values = (row.before, row.target, row.after)
    at = [f"{6 + (_WIDE - 12) * (x - low) / (high - low):.1f}" for x in values]
    figures = tuple(_figure(x, number) for x in values)
    return _Line(row.label, figures, f"{row.n:,}", f"{row.mean_weight:.3f}", (at[0], at[1], at[2]))


def _hidden(row: HiddenRow, number: bool) -> _Line:
    """A category whose size is not released."""
    target = "" if row.target is None else _figure(row.target, number)
    return _Line(row.label, ("×", target, "×"), "×", "×", None)


def _reach(margin: MarginReport, number: bool) -> tuple[float, float]:
    """From where to where the pictures of a margin reach: shares from nought, numbers a little beyond."""
    values = [x for row in margin.rows for x in (row.before, row.target, row.after)]
    low, high = min(values, default=0.0), max(values, default=1.0)
    if not number:
        return 0.0, max(high, 0.01)
    room = (high - low) / 10 or abs(high) / 10 or 1.0
    return low - room, high + room


def _margin(margin: MarginReport) -> _Margin:
    number = margin.total_of is not None
    low, high = _reach(margin, number)
    rows = [
        *(_row(row, number, low, high) for row in margin.rows),
        *(_hidden(row, number) for row in margin.hidden or ()),
    ]
    return _Margin(margin.title, rows, number)


def _bars(bars: tuple[WeightBar, ...]) -> list[_Bar]:
    top, width = max(bar.cases for bar in bars) or 1, 600 / len(bars)
    drawn = []
    for i, bar in enumerate(bars):
        tall, says = 100 * bar.cases / top, f"{bar.low:.2f} to {bar.high:.2f}: {counted(bar.cases, 'case')}"
        drawn.append(_Bar(f"{i * width:.1f}", f"{100 - tall:.1f}", f"{width - 1:.1f}", f"{tall:.1f}", says))
    return drawn


def _facts(report: WeightingReport) -> list[tuple[str, str]]:
    return [
        ("Cases with weight", f"{report.n:,}"),
        ("Effective sample size", f"{report.n_effective:,.1f}"),
        ("Efficiency", f"{100 * report.efficiency:.1f} %"),
        ("Design effect of weights", f"{report.deff_weights:.3f}"),
        ("Smallest weight", f"{report.min:.4g}"),
        ("Largest weight", f"{report.max:.4g}"),
        ("Ratio of largest to smallest weight", f"{report.max / report.min:.2f}"),
        ("Cycles", f"{report.cycles:,}, margins {'met' if report.converged else 'not met'}"),
    ]


def _weighting(weighting: Weighting, report: WeightingReport) -> _Weighting:
    cells: list[tuple[str, ...]] = []
    for cell in report.nonresponse or ():
        label = cell.label + (" (small)" if cell.small else "")
        cells.append((label, f"{cell.responded:,}", f"{cell.silent:,}", f"{cell.factor:.3f}"))
    bars = report.histogram
    return _Weighting(
        report.save_as,
        weight_sentence(weighting, report),
        _facts(report),
        _bars(bars),
        f"{bars[0].low:.2f}",
        f"{bars[-1].high:.2f}",
        cells,
        [_margin(margin) for margin in report.margins],
    )


def weighting_page(study: Study, reports: tuple[WeightingReport, ...], units: Units) -> str:
    """Every weighting: what was done, the health of the weights, the fit of each margin; and the design."""
    return page(
        "weighting",
        title=f"How the sample was weighted: {study.title}",
        weightings=[_weighting(w, r) for w, r in zip(study.weightings, reports, strict=True)],
        design=f"{design_sentence(study.design, units)} {method_sentence(study.design, units)}",
        version=__version__,
    )
