"""How much of a run by workers is done, and about how long the rest takes."""

import contextlib
import time
from collections.abc import Callable, Iterator

from even_ballot.core.progress import Progress
from even_ballot.core.study.nodes import Telling
from even_ballot.core.study.study_file import Study

_FIRST = 2.0
"""Seconds before it is said how long the rest takes."""


def left(seconds: float) -> str:
    """A time in words.

    >>> left(44), left(100), left(9000)
    ('about 40 s left', 'about 2 min left', 'about 2 h 30 min left')
    """
    if seconds < 90:
        return f"about {max(10 * round(seconds / 10), 10)} s left"
    minutes = round(seconds / 60)
    if minutes < 90:
        return f"about {minutes} min left"
    return f"about {minutes // 60} h {minutes % 60} min left"


class TimeLeft:
    """Tells of the parts as they are read, and of everything that is made of them one after the other. clock:
    seconds."""

    def __init__(self, telling: Telling, study: Study, clock: Callable[[], float] = time.monotonic) -> None:
        self._telling, self._clock = telling, clock
        analyses = sum(len(of) for of in (study.models, study.reliability, study.correlations))
        # The findings count as one, and so does the look at what analyses tell of small groups.
        hiding = study.suppression.below is not None and analyses > 0
        self._steps, self._begun = 1 + len(study.tables) + analyses + hiding, 0
        self._since: dict[str, float] = {}

    def parts(self, read: int, of: int) -> None:
        """So many parts are read."""
        with self._telling(None) as tell:
            self._say(tell, "Parts read", read, of)

    def _say(self, tell: Progress, what: str, done: int, of: int) -> None:
        now = self._clock()
        passed = now - self._since.setdefault(what, now)
        rest = f", {left(passed * (of - done) / done)}" if passed > _FIRST and 0 < done < of else ""
        tell(f"{what}: {done} of {of}{rest}", done / of)

    @contextlib.contextmanager
    def telling(self, what: str | None) -> Iterator[Progress]:
        """Work that begins: the one before it is done."""
        with self._telling(what) as tell:
            self._say(tell, "Results", min(self._begun, self._steps), self._steps)
            self._begun += 1
            yield tell
