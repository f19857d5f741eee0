"""Charts of a release as drawings (SVG): bars one after the other, bars side by side, points with their
intervals."""

import math
import textwrap
from collections.abc import Iterator, Sequence
from html import escape

from even_ballot.formats.images.drawing import no_controls
from even_ballot.formats.printed.blocks import Chart, Series

WIDE, LABEL, ROOM = 680, 230, 400
_INK, _SOFT, _HAIR, _PAPER = "#1d1b18", "#5f584f", "#d9d3c7", "#ffffff"
_APART = ("#1f4e5f", "#b5651d", "#6b8e6e", "#7a5c86", "#a8a090", "#c2a14d", "#4d7c8a", "#8f3b3b")
_SCALE = ("#b5651d", "#d9a679", "#d9d3c7", "#8fb0ba", "#1f4e5f")
_LINE = 13


def colours(count: int, ordered: bool) -> tuple[str, ...]:
    """A colour for each of so many: from warm to deep where they are ordered, else apart."""
    if not ordered:
        return tuple(_APART[k % len(_APART)] for k in range(count))
    if count == 1:
        return (_SCALE[-1],)
    places = [k * (len(_SCALE) - 1) / (count - 1) for k in range(count)]
    return tuple(_blend(_SCALE[int(p)], _SCALE[min(int(p) + 1, len(_SCALE) - 1)], p - int(p)) for p in places)


def _blend(a: str, b: str, share: float) -> str:
    pairs = [(int(a[i : i + 2], 16), int(b[i : i + 2], 16)) for i in (1, 3, 5)]
    return "#" + "".join(f"{round(x + (y - x) * share):02x}" for x, y in pairs)


def _dark(colour: str) -> bool:
    red, green, blue = (int(colour[i : i + 2], 16) for i in (1, 3, 5))
    return 0.299 * red + 0.587 * green + 0.114 * blue < 140


def _text(x: float, y: float, text: str, anchor: str = "start", size: int = 11, fill: str = _INK) -> str:
    own = escape(no_controls(text))
    return (
        f'<text x="{x:.1f}" y="{y:.1f}" text-anchor="{anchor}" font-size="{size}" fill="{fill}">{own}</text>'
    )


def _rect(x: float, y: float, wide: float, tall: float, fill: str) -> str:
    return f'<rect x="{x:.1f}" y="{y:.1f}" width="{max(wide, 0):.1f}" height="{tall:.1f}" fill="{fill}"/>'


def _line(x1: float, y1: float, x2: float, y2: float, stroke: str = _INK, wide: float = 1) -> str:
    ends = f'x1="{x1:.1f}" y1="{y1:.1f}" x2="{x2:.1f}" y2="{y2:.1f}"'
    return f'<line {ends} stroke="{stroke}" stroke-width="{wide:g}"/>'


def _label(text: str, y: float) -> tuple[list[str], int]:
    """A category's name in up to three lines ending at the axis, and how many lines."""
    lines = textwrap.wrap(no_controls(text), 38)[:3] or [""]
    top = y - _LINE * (len(lines) - 1) / 2 + 4
    return [_text(LABEL - 8, top + _LINE * k, line, "end") for k, line in enumerate(lines)], len(lines)


def _key(names: Sequence[str], fills: Sequence[str]) -> tuple[list[str], float]:
    """What the colours mean, in lines; and where they end."""
    parts, x, y = [], 0.0, 12.0
    for name, fill in zip(names, fills, strict=True):
        wide = 18 + 6.2 * len(name) + 14
        if x and x + wide > WIDE:
            x, y = 0.0, y + 18
        parts += [_rect(x, y - 9, 11, 11, fill), _text(x + 16, y, name)]
        x += wide
    return parts, y + 14


def _ticks(low: float, high: float) -> list[float]:
    """Some five round values from low to high."""
    step = 10.0 ** math.floor(math.log10((high - low) / 4 or 1.0))
    step *= next(m for m in (1, 2, 5, 10) if (high - low) / (m * step) <= 6)
    first = math.ceil(low / step - 1e-9)
    return [k * step for k in range(first, math.floor(high / step + 1e-9) + 1)]


class _Axis:
    """Values along the width. whole: from nought; odds: on a logarithmic scale."""

    def __init__(self, values: Sequence[float], kind: str) -> None:
        self.log = kind == "odds"
        own = [math.log(v) for v in values if v > 0] if self.log else list(values)
        low, high = min(own, default=0.0), max(own, default=1.0)
        if kind in ("shares", "groups"):
            low, high = 0.0, 100.0 if kind == "shares" else max(high, 1.0)
        elif kind != "means":
            low, high = min(low, 0.0), max(high, 0.0)
        room = (high - low) * 0.04 if kind not in ("shares", "groups") else 0.0
        self.low, self.high = low - room, (high + room if high > low else low + 1)
        ticks = _ticks(self.low, self.high)
        # Odds ratios by what people count in: halves and doubles, or powers of ten where they are far apart.
        base = math.log(10 if self.high - self.low > math.log(64) else 2)
        powers = range(math.ceil(self.low / base), math.floor(self.high / base) + 1)
        self.ticks = [(k * base, f"{math.exp(k * base):.3g}") for k in powers] if self.log else [
            (t, f"{t:g}".replace("-", "−") if abs(t) > 1e-12 else "0") for t in ticks
        ]  # fmt: skip

    def at(self, value: float) -> float:
        own = math.log(value) if self.log else value
        return LABEL + ROOM * (own - self.low) / (self.high - self.low)


def _frame(axis: _Axis, top: float, bottom: float, name: str) -> Iterator[str]:
    for place, text in axis.ticks:
        x = LABEL + ROOM * (place - axis.low) / (axis.high - axis.low)
        yield _line(x, top, x, bottom, _HAIR)
        yield _text(x, bottom + 14, text, "middle", 10, _SOFT)
    yield _text(LABEL + ROOM / 2, bottom + 30, name, "middle", 10, _SOFT)


def _whisker(axis: _Axis, series: Series, k: int, y: float, fill: str) -> Iterator[str]:
    low = series.lows[k] if series.lows else None
    high = series.highs[k] if series.highs else None
    if low is None or high is None or (axis.log and (low <= 0 or high <= 0)):
        return
    yield _line(axis.at(low), y, axis.at(high), y, fill, 1.2)
    for end in (low, high):
        yield _line(axis.at(end), y - 3, axis.at(end), y + 3, fill, 1.2)


def _stacked(chart: Chart, axis: _Axis, top: float) -> tuple[list[str], float]:
    fills, parts, y = colours(len(chart.series), True), list[str](), top
    for k, name in enumerate(chart.categories):
        label, lines = _label(name, y + 11)
        tall = max(22.0, 14.0 * lines)
        label, _ = _label(name, y + tall / 2)
        parts += label
        x = float(LABEL)
        for series, fill in zip(chart.series, fills, strict=True):
            value = series.values[k] or 0.0
            wide = ROOM * value / 100
            parts.append(_rect(x, y + 2, wide, tall - 4, fill))
            if wide > 22:
                ink = _PAPER if _dark(fill) else _INK
                parts.append(_text(x + wide / 2, y + tall / 2 + 4, f"{value:.0f}", "middle", 10, ink))
            x += wide
        y += tall
    return parts, y


def _beside(chart: Chart, axis: _Axis, top: float) -> tuple[list[str], float]:
    fills, parts, y = colours(len(chart.series), False), list[str](), top
    for k, name in enumerate(chart.categories):
        bar = 12.0 if len(chart.series) > 1 else 16.0
        _, lines = _label(name, y)
        tall = max(bar * len(chart.series) + 8, 14.0 * lines + 4)
        label, _ = _label(name, y + tall / 2)
        parts += label
        for s, series in enumerate(chart.series):
            at = y + 4 + bar * s
            if (value := series.values[k]) is not None:
                parts.append(_rect(LABEL, at + 1, axis.at(value) - LABEL, bar - 2, fills[s]))
                parts += _whisker(axis, series, k, at + bar / 2, _INK)
        y += tall
    return parts, y


def _points(chart: Chart, axis: _Axis, top: float) -> tuple[list[str], float]:
    parts, y, series = list[str](), top, chart.series[0]
    for k, name in enumerate(chart.categories):
        _, lines = _label(name, y)
        tall = max(22.0, 14.0 * lines + 4)
        label, _ = _label(name, y + tall / 2)
        parts += label
        value = series.values[k]
        if value is not None and not (axis.log and value <= 0):
            parts += _whisker(axis, series, k, y + tall / 2, _APART[0])
            parts.append(
                f'<circle cx="{axis.at(value):.1f}" cy="{y + tall / 2:.1f}" r="4" fill="{_APART[0]}"/>'
            )
        y += tall
    return parts, y


_DRAW = {"shares": _stacked, "groups": _beside}


def chart_svg(chart: Chart, title: str = "", says: str = "") -> str:
    """A chart as SVG, 680 points wide. title, says: what it is, and what it shows, for those who do not see
    it. The same chart gives the same drawing."""
    ends = [v for s in chart.series for of in (s.values, s.lows, s.highs) for v in of if v is not None]
    values = [v for v in ends if math.isfinite(v)]
    axis = _Axis(values, chart.kind)
    key: list[str] = []
    top = 6.0
    if len(chart.series) > 1:
        fills = colours(len(chart.series), chart.kind == "shares")
        key, top = _key([s.name for s in chart.series], fills)
    parts, bottom = _DRAW.get(chart.kind, _points)(chart, axis, top)
    frame = list(_frame(axis, top, bottom, chart.axis))
    if chart.kind in ("odds", "effects", "groups", "shares"):
        one = axis.at(1.0 if axis.log else 0.0)
        frame.append(_line(one, top, one, bottom, _INK, 0.8))
    size = f'width="{WIDE}" height="{bottom + 38:.0f}" viewBox="0 0 {WIDE} {bottom + 38:.0f}"'
    face = "'Source Sans 3', Arial, sans-serif"
    told = "".join(
        f"<{name}>{escape(no_controls(text))}</{name}>"
        for name, text in (("title", title), ("desc", says))
        if text
    )
    body = "".join((told, *frame, *parts, *key))
    return f'<svg xmlns="http://www.w3.org/2000/svg" {size} font-family="{face}">{body}</svg>'
