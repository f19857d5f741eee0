"""The styles that ship, and what a study varies of them."""

from dataclasses import dataclass

from even_ballot.core.release.plan import Style


@dataclass(frozen=True)
class Look:
    """A style with nothing left open. margin: of a page, in mm; size: of the letters, in points."""

    errors: str
    intervals: str
    serif: bool
    accent: str
    size: float
    margin: int


_SHIPPED = {
    "report": Look("below", "below", True, "#1f4e5f", 9.5, 20),
    "compact": Look("brackets", "below", False, "#1f4e5f", 8.5, 14),
    "plain": Look("beside", "beside", False, "#222222", 9, 18),
}


def look_of(style: Style) -> Look:
    """What a style comes to.

    >>> look_of(Style(name="compact", intervals="none")).intervals
    'none'
    """
    own = _SHIPPED[style.name]
    return Look(
        style.errors or own.errors,
        style.intervals or own.intervals,
        own.serif if style.letters is None else style.letters == "serif",
        style.accent or own.accent,
        own.size,
        own.margin,
    )


PAPER = {"A4": (210, 297), "Letter": (216, 279)}
"""Width and height in mm."""
