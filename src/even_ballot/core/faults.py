"""What is wrong, where, and what mends it."""

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

_TURNING = re.compile("[\u202a-\u202e\u2066-\u2069]")
LONGEST = 2000
"""Characters of a fault that are kept."""


def quotable(text: str, longest: int | None = LONGEST) -> str:
    """A text that can be written down anywhere: without half characters and marks that turn the direction of
    what follows, and not endless.

    >>> quotable("a word too many", 45), quotable("x" * 60, 50)
    ('a word too many', 'xxxxxxxxxx … (60 characters)')
    """
    if longest is not None and len(text) > longest:
        text = f"{text[: longest - 40]} … ({len(text):,} characters)"
    return whole(_TURNING.sub(lambda mark: f"\\u{ord(mark[0]):04x}", text))


def whole(text: str) -> str:
    """A text without half characters.

    >>> whole("half \\ud800")
    'half ?'
    """
    return text.encode("utf-8", "replace").decode()


@dataclass(frozen=True)
class Fault:
    """One thing that is wrong with a study or its data.

    what: the fault in a sentence; where: a JSON path, or a file with row and column; mend: what to do
    about it. at, of: in a formula, the character it is at, from 0, and the formula. kind: a word for what
    is wrong, where something is offered that mends it; write: what mends it in a study file.
    """

    what: str
    where: str = ""
    mend: str = ""
    at: int | None = None
    of: str = ""
    kind: str = ""
    write: str = ""

    def __post_init__(self) -> None:
        # Faults quote what came in, which may be long, or no text that can be written down.
        for name in ("what", "where", "mend"):
            object.__setattr__(self, name, quotable(getattr(self, name)))

    def __str__(self) -> str:
        place = f"{self.where}: " if self.where else ""
        way = f" In the study file: {self.write}." if self.write else ""
        return f"{place}{self.said}" + (f" {self.mend}" if self.mend else "") + way

    @property
    def said(self) -> str:
        """What is wrong, with the place in the formula."""
        return self.what if self.at is None else f"{self.what} (character {self.at + 1} of {self.of!r})"


class StudyError(Exception):
    """Raised with one or more faults; nothing has been changed when it is."""

    def __init__(self, faults: Fault | Iterable[Fault]) -> None:
        self.faults: tuple[Fault, ...] = (faults,) if isinstance(faults, Fault) else tuple(faults)
        super().__init__("\n".join(map(str, self.faults)))


class Passing(StudyError):
    """Faults of the moment, not of what was asked: who asks again may be told none."""


def fault(what: str, where: str = "", mend: str = "", *, kind: str = "", write: str = "") -> StudyError:
    """A StudyError of one fault, ready to raise.

    >>> fault("There is no answer.", "tables[0]", "Name one.").faults[0].where
    'tables[0]'
    """
    return StudyError(Fault(what, where, mend, kind=kind, write=write))


def some(items: Sequence[object], most: int = 8) -> str:
    """The first few of a list, in words: `a, b, c and 12 more`.

    >>> some(range(12), 3)
    '0, 1, 2 and 9 more'
    """
    shown = ", ".join(str(item) for item in items[:most])
    return shown if len(items) <= most else f"{shown} and {len(items) - most} more"


def counted(n: int, one: str, many: str = "") -> str:
    """A number with what it counts, inflected: `1 case`, `3 cases`; `many` where it is more than an s that
    differs.

    >>> counted(1, "case"), counted(1200, "case"), counted(2, "stratum", "strata")
    ('1 case', '1,200 cases', '2 strata')
    """
    return f"{n:,} {one if n == 1 else many or one + 's'}"
