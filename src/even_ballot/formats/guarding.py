"""Texts in a CSV that a spreadsheet would take for formulas: written so that it does not, and read back as
they were."""

_RUN = ("=", "+", "-", "@", "\t", "\r")


def guarded(text: str) -> str:
    """A text with an apostrophe before what a spreadsheet would run; other texts, and those that begin so
    already, keep apart."""
    return (
        f"'{text}"
        if text.startswith(_RUN) or (text.startswith("'") and text[1:].lstrip("'").startswith(_RUN))
        else text
    )


def unguarded(text: str) -> str:
    """What was guarded, as it was."""
    return text[1:] if text.startswith("'") and text[1:].lstrip("'").startswith(_RUN) else text
