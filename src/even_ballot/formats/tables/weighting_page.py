"""The report on the weightings as a page to release: one file, without anything from elsewhere."""

from collections.abc import Iterable
from html import escape

from even_ballot import __version__
from even_ballot.core.faults import counted
from even_ballot.core.sampling.units import Units
from even_ballot.core.study.study_file import Study
from even_ballot.core.weighting.report import HiddenRow, MarginReport, MarginRow, WeightBar, WeightingReport
from even_ballot.core.weighting.request import Weighting
from even_ballot.formats.tables.designs import design_sentence, method_sentence
from even_ballot.formats.tables.methods import weight_sentence

_STYLE = """body{font:16px/1.5 Georgia,serif;max-width:60rem;margin:2rem auto;padding:0 1rem;color:#211e19;background:#fff}
h1{font-size:1.6rem}h2{font-size:1.25rem;border-bottom:1px solid #8a8172;margin-top:2rem}h3{font-size:1.05rem;margin-bottom:.3rem}
table{border-collapse:collapse;font-size:.9rem;font-variant-numeric:tabular-nums;border-top:1px solid;border-bottom:1px solid}
th{font-weight:600;border-bottom:1px solid}th,td{padding:.15rem .7rem;text-align:right}
th:first-child,td:first-child{text-align:left}
dl{display:grid;grid-template-columns:repeat(4,auto);gap:.2rem 2rem;max-width:46rem}dt{color:#5d564b;font-size:.85rem}dd{margin:0}
small{color:#5d564b}@media print{body{margin:0}h2,h3{break-after:avoid}table{break-inside:avoid}}"""


def _table(heads: Iterable[str], rows: Iterable[Iterable[str]]) -> str:
    head = "".join(f"<th scope=col>{escape(text)}</th>" for text in heads)
    body = "".join("<tr>" + "".join(f"<td>{escape(cell)}</td>" for cell in row) + "</tr>" for row in rows)
    return f"<table><thead><tr>{head}</tr></thead><tbody>{body}</tbody></table>"


def _line(row: MarginRow) -> tuple[str, ...]:
    shares = (f"{100 * x:.1f}" for x in (row.before, row.target, row.after))
    return row.label, *shares, f"{row.mean_weight:.3f}", f"{row.n:,}"


def _hidden(row: HiddenRow) -> tuple[str, ...]:
    """A category whose size is not released."""
    return row.label, "×", "" if row.target is None else f"{100 * row.target:.1f}", "×", "×", "×"


def _margin(margin: MarginReport) -> str:
    heads = ("Category", "Sample %", "Target %", "Weighted %", "Mean weight", "Cases")
    return f"<h3>{escape(' × '.join(margin.by))}</h3>" + _table(
        heads, [*map(_line, margin.rows), *map(_hidden, margin.hidden or ())]
    )


def _bars(bars: tuple[WeightBar, ...]) -> str:
    """The distribution of the weights as a picture."""
    top, width = max(bar.cases for bar in bars) or 1, 600 / len(bars)
    drawn = ""
    for i, bar in enumerate(bars):
        tall, says = 100 * bar.cases / top, f"{bar.low:.2f} to {bar.high:.2f}: {counted(bar.cases, 'case')}"
        place = f'x="{i * width:.1f}" y="{100 - tall:.1f}" width="{width - 1:.1f}" height="{tall:.1f}"'
        drawn += f"<rect {place}><title>{says}</title></rect>"
    ends = (
        f'<text x="0" y="118">{bars[0].low:.2f}</text><text x="600" y="118" '
        f'text-anchor="end">{bars[-1].high:.2f}</text>'
        '<text x="300" y="118" text-anchor="middle">weight</text>'
    )
    return (
        '<svg viewBox="0 0 600 124" width="600" role="img" aria-label="Distribution of the weights" '
        'font-size="13" fill="#3c5a57">'
        f'{drawn}<line x1="0" x2="600" y1="100" y2="100" stroke="#8a8172"/>{ends}</svg>'
    )


def _weighting(weighting: Weighting, report: WeightingReport) -> str:
    facts = [
        ("Cases with weight", f"{report.n:,}"),
        ("Effective sample size", f"{report.n_effective:,.1f}"),
        ("Efficiency", f"{100 * report.efficiency:.1f} %"),
        ("Design effect of weights", f"{report.deff_weights:.3f}"),
        ("Smallest weight", f"{report.min:.4g}"),
        ("Largest weight", f"{report.max:.4g}"),
        ("Largest by smallest", f"{report.max / report.min:.2f}"),
        ("Cycles", f"{report.cycles:,}, margins {'met' if report.converged else 'not met'}"),
    ]
    health = (
        "<dl>" + "".join(f"<div><dt>{name}</dt><dd>{value}</dd></div>" for name, value in facts) + "</dl>"
    )
    cells = ""
    if report.nonresponse:
        rows = (
            (
                cell.label + (" (small)" if cell.small else ""),
                f"{cell.responded:,}",
                f"{cell.silent:,}",
                f"{cell.factor:.3f}",
            )
            for cell in report.nonresponse
        )
        cells = "<h3>Adjustment for non-response</h3>" + _table(
            ("Cell", "Answered", "Did not", "Factor"), rows
        )
    return (
        f"<h2>{escape(report.save_as)}</h2><p>{escape(weight_sentence(weighting, report))}</p>{health}"
        f"{_bars(report.histogram)}{cells}{''.join(_margin(margin) for margin in report.margins)}"
    )


def weighting_page(study: Study, reports: tuple[WeightingReport, ...], units: Units) -> str:
    """Every weighting: what was done, the health of the weights, the fit of each margin; and the design."""
    title = f"How the sample was weighted: {study.title}"
    parts = (
        "".join(_weighting(w, r) for w, r in zip(study.weightings, reports, strict=True))
        or "<p>There are no weights.</p>"
    )
    return (
        f'<!doctype html>\n<html lang="en"><head><meta charset="utf-8"><title>{escape(title)}</title>'
        f"<style>{_STYLE}</style></head>\n"
        f"<body><h1>{escape(title)}</h1>{parts}\n<h2>Sample "
        f"design</h2><p>{escape(design_sentence(study.design, units))} "
        f"{escape(method_sentence(study.design, units))}</p>\n<p><small>Even Ballot {__version__}. Sample: "
        "shares by base weight. "
        "Effective sample size: (Σ w)²/Σ w².</small></p></body></html>\n"
    )
