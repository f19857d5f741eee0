"""A drawing as it is let through: parsed, of the elements and attributes that our own pictures are made
of, and written anew."""

import re
from xml.parsers import expat
from xml.sax.saxutils import escape, quoteattr

from even_ballot.core.faults import fault

_SPACE = "http://www.w3.org/2000/svg"
_ELEMENTS = {
    "svg",
    "g",
    "title",
    "desc",
    "rect",
    "line",
    "path",
    "circle",
    "ellipse",
    "polyline",
    "polygon",
    "text",
    "tspan",
}
_ATTRIBUTES = {
    "viewBox",
    "width",
    "height",
    "x",
    "y",
    "x1",
    "x2",
    "y1",
    "y2",
    "dx",
    "dy",
    "cx",
    "cy",
    "r",
    "rx",
    "ry",
    "d",
    "points",
    "transform",
    "fill",
    "fill-opacity",
    "stroke",
    "stroke-width",
    "stroke-opacity",
    "stroke-dasharray",
    "stroke-linecap",
    "stroke-linejoin",
    "stroke-miterlimit",
    "opacity",
    "font-family",
    "font-size",
    "font-style",
    "font-weight",
    "text-anchor",
    "dominant-baseline",
    "alignment-baseline",
    "letter-spacing",
    "class",
    "role",
    "aria-label",
    "aria-hidden",
    "aria-labelledby",
    "id",
    "tabindex",
    "data-picture",
    "data-name",
    "vector-effect",
    "shape-rendering",
    "pointer-events",
    "preserveAspectRatio",
    "focusable",
    "lengthAdjust",
    "textLength",
    "paint-order",
}
MOST_ELEMENTS, DEEPEST, LONGEST, LARGEST = 100_000, 50, 10_000.0, 8_000_000.0
"""Elements, how deep they are nested, points along one side, and points in all."""
_MEND = "Save the chart from the Tables station."


_NO_XML = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]")


def no_controls(text: str) -> str:
    r"""A text without what XML does not hold: control characters and halves of characters.

    >>> no_controls("a\x00b")
    'a b'
    """
    return _NO_XML.sub(" ", text.encode("utf-8", "replace").decode())


class _Refused(Exception):
    pass


class _Writer:
    """What a parser finds, written anew."""

    def __init__(self) -> None:
        self.out: list[str] = []
        self.elements = self.depth = 0

    def begin(self, name: str, attributes: dict[str, str]) -> None:
        space, _, local = name.rpartition("|")
        if space != _SPACE or local not in _ELEMENTS:
            raise _Refused(f"it holds <{local[:40]}>")
        if not self.depth and (local != "svg" or self.elements):
            raise _Refused("it does not begin with <svg>")
        self.elements, self.depth = self.elements + 1, self.depth + 1
        if self.elements > MOST_ELEMENTS or self.depth > DEEPEST:
            raise _Refused(
                f"it has more than {MOST_ELEMENTS:,} elements, or nests them more than {DEEPEST} deep"
            )
        kept = []
        for key, value in attributes.items():
            if key not in _ATTRIBUTES or "url(" in value.replace(" ", "").lower():
                raise _Refused(f"an element has the attribute {key.rpartition('|')[2][:40]}")
            kept.append(f" {key}={quoteattr(value)}")
        if self.depth == 1:
            _check_size(attributes)
            kept.insert(0, f' xmlns="{_SPACE}"')
        self.out.append(f"<{local}{''.join(kept)}>")

    def end(self, name: str) -> None:
        self.depth -= 1
        self.out.append(f"</{name.rpartition('|')[2]}>")

    def text(self, text: str) -> None:
        self.out.append(escape(text))


def _check_size(attributes: dict[str, str]) -> None:
    try:
        wide, high = (float(attributes[side].removesuffix("px")) for side in ("width", "height"))
    except (KeyError, ValueError):
        raise _Refused("it does not say how large it is") from None
    if not (0 < wide <= LONGEST and 0 < high <= LONGEST and wide * high <= LARGEST):
        raise _Refused(f"it is {wide:,.0f} × {high:,.0f} points; at most {LARGEST:,.0f} in all are drawn")


def _no_types(*_: object) -> None:
    raise _Refused("it defines types or entities of its own")


def checked(svg: str) -> str:
    """A drawing made only of what ours are made of, with nothing from elsewhere. Raises StudyError for any
    other."""
    writer = _Writer()
    parser = expat.ParserCreate(encoding="utf-8", namespace_separator="|")
    parser.StartElementHandler, parser.EndElementHandler = writer.begin, writer.end
    parser.CharacterDataHandler = writer.text
    parser.StartDoctypeDeclHandler = _no_types
    parser.EntityDeclHandler = _no_types
    try:
        parser.Parse(svg.encode(), True)
    except _Refused as refused:
        raise fault(f"This is not a drawing of Even Ballot's: {refused}.", "svg", _MEND) from None
    except (expat.ExpatError, UnicodeError, ValueError) as error:
        raise fault(f"The drawing cannot be read: {str(error)[:200]}.", "svg", _MEND) from None
    return "".join(writer.out)
