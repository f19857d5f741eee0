"""The rows of a table in print: each estimate with its error and limits where the style wants them."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from even_ballot.core.release.plan import Style
from even_ballot.core.tables.statistics import Shape
from even_ballot.formats.printed.blocks import Entry, Row
from even_ballot.formats.printed.looks import Look
from even_ballot.formats.printed.numerals import ABSENT, HIDDEN, interval, numeral, places_of
from even_ballot.formats.tables.layout import Bases, Kind, Line


@dataclass(frozen=True)
class Bundle:
    """An estimate's line with those that stand beside it."""

    first: Line
    beside: dict[Kind, Line]


def bundles(lines: Sequence[Line]) -> Iterator[Bundle]:
    """Lines by the estimate that they belong to."""
    held: list[Line] = []
    for line in lines:
        if line.kind == "estimate" and held:
            yield Bundle(held[0], {of.kind: of for of in held[1:]})
            held = []
        held.append(line)
    if held:
        yield Bundle(held[0], {of.kind: of for of in held[1:]})


def times(shape: Shape) -> float:
    """What a figure is printed as a multiple of: shares in per cent."""
    return 100.0 if shape == "share" else 1.0


class RowPrinter:
    """Makes rows of lines. named: whether the stub has a column that names the figures; level: of the
    intervals, as a share."""

    def __init__(self, style: Style, look: Look, named: bool, level: float) -> None:
        self._style, self._look, self._named, self._level = style, look, named, level

    def columns_of(self, lines: Sequence[Line]) -> tuple[str, ...]:
        """What each column holds, side by side, where errors or limits stand beside the figures."""
        kinds = {line.kind for line in lines}
        found = [""]
        if self._look.errors == "beside" and "se" in kinds:
            found.append("Standard error")
        if self._look.intervals == "beside" and kinds & {"low", "high"}:
            found.append("Interval")
        return tuple(found) if len(found) > 1 else ()

    def rows(self, bundle: Bundle, columns: Sequence[str]) -> Iterator[Row]:
        """An estimate's row, and those below it."""
        line = bundle.first
        sides = [self._entry(bundle, c) for c in range(len(line.values))]
        if columns:
            sides = [
                entry
                for c, own in enumerate(sides)
                for entry in (own, *(self._side(bundle, what, c) for what in columns[1:]))
            ]
        yield Row(self._labels(line.category + _stray(line), line.figure), tuple(sides))
        for name, texts in self._below(bundle):
            wide = [entry for text in texts for entry in (text, *[Entry("")] * max(len(columns) - 1, 0))]
            yield Row(self._labels("", name), tuple(wide), "soft")

    def base(self, bases: Bases, columns: Sequence[str]) -> Row:
        """A line of bases."""
        entries = []
        for base in bases.values:
            text = HIDDEN if base is None else numeral(base, 0, self._style)
            entries += [Entry(text, base), *[Entry("")] * max(len(columns) - 1, 0)]
        return Row(self._labels(bases.label, ""), tuple(entries), "base")

    def _labels(self, category: str, figure: str) -> tuple[str, ...]:
        return (category, figure) if self._named else (category or figure,)

    def _shape(self, line: Line, column: int) -> Shape:
        return line.shapes[column] if line.shapes else line.shape

    def _number(self, line: Line | None, column: int) -> float | None:
        value = None if line is None else line.values[column]
        return None if line is None or value is None else value * times(self._shape(line, column))

    def _places(self, line: Line, column: int) -> int:
        return places_of(self._shape(line, column), self._style)

    def _text(self, line: Line | None, column: int) -> str:
        value = self._number(line, column)
        return (
            "" if line is None or value is None else numeral(value, self._places(line, column), self._style)
        )

    def _limits(self, bundle: Bundle, column: int) -> str:
        low, high = bundle.beside.get("low"), bundle.beside.get("high")
        places = self._places(bundle.first, column)
        return interval(self._number(low, column), self._number(high, column), places, self._style)

    def _entry(self, bundle: Bundle, column: int) -> Entry:
        """A figure with what the style puts into the same cell."""
        line = bundle.first
        value = self._number(line, column)
        if value is None:
            return Entry(HIDDEN if line.hidden and line.hidden[column] else ABSENT)
        places, text = self._places(line, column), self._text(line, column)
        error, limits = self._text(bundle.beside.get("se"), column), self._limits(bundle, column)
        if error and self._look.errors == "plus_minus":
            text += f" ± {error}"
        inside = [error] if error and self._look.errors == "brackets" else []
        inside += [limits] if limits and self._look.intervals == "brackets" else []
        text += f" ({'; '.join(inside)})" if inside else ""
        weak = "°" if line.marks and line.marks[column] else ""
        letters = (line.letters[column] or "") if line.letters else ""
        return Entry(text, value, places, " ".join(filter(None, (weak, letters))))

    def _side(self, bundle: Bundle, what: str, column: int) -> Entry:
        if what == "Interval":
            return Entry(self._limits(bundle, column))
        line = bundle.beside.get("se")
        if line is None:
            return Entry("")
        return Entry(self._text(line, column), self._number(line, column), self._places(line, column))

    def _below(self, bundle: Bundle) -> Iterator[tuple[str, list[Entry]]]:
        """The lines that stand below an estimate."""
        across, beside = range(len(bundle.first.values)), bundle.beside
        if "se" in beside and self._look.errors == "below":
            line = beside["se"]
            yield line.figure, [self._line_entry(line, c, "({})") for c in across]
        if beside.keys() & {"low", "high"} and self._look.intervals == "below":
            yield f"{100 * self._level:g} % interval", [Entry(self._limits(bundle, c)) for c in across]
        for kind in ("rse", "deff", "effective"):
            if (other := beside.get(kind)) is not None:
                yield other.figure, [self._line_entry(other, c, "{}") for c in across]

    def _line_entry(self, line: Line, column: int, shown: str) -> Entry:
        text = self._text(line, column)
        if not text:
            return Entry("")
        return Entry(shown.format(text), self._number(line, column), self._places(line, column))


def _stray(line: Line) -> str:
    """The mark of an answer that is in no scale."""
    return " †" if line.marked and line.category and "not in" not in line.category else ""
