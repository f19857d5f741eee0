"""Numbers as a release prints them."""

from even_ballot.core.release.plan import Style
from even_ballot.core.tables.statistics import Shape

ABSENT, HIDDEN = "–", "×"


def places_of(shape: Shape, style: Style) -> int:
    """Decimal places of a figure.

    >>> places_of("share", Style()), places_of("number", Style()), places_of("whole", Style())
    (1, 2, 0)
    """
    return 0 if shape == "whole" else getattr(style.decimals, shape)


def numeral(value: float, places: int, style: Style) -> str:
    """A number with its decimal sign and thousands set apart; minus by its own sign; nought without one.

    >>> numeral(-1234.56, 1, Style()), numeral(1234.5, 0, Style(decimal_sign=",")), numeral(-0.01, 1, Style())
    ('−1,234.6', '1\\u202f234', '0.0')
    """
    text = f"{value:,.{places}f}"
    if text.startswith("-"):
        text = text[1:] if not text.strip("-0.,") else f"−{text[1:]}"
    if style.decimal_sign == ",":
        text = text.replace(",", "\u202f").replace(".", ",")
    return text


def interval(low: float | None, high: float | None, places: int, style: Style) -> str:
    """Limits as they are read: from, to, or only one of them.

    >>> interval(1, 2, 1, Style()), interval(None, 2, 1, Style()), interval(1, None, 1, Style())
    ('1.0 to 2.0', 'to 2.0', 'from 1.0')
    """
    if low is None and high is None:
        return ""
    if low is None:
        return f"to {numeral(high or 0.0, places, style)}"
    if high is None:
        return f"from {numeral(low, places, style)}"
    return f"{numeral(low, places, style)} to {numeral(high, places, style)}"
