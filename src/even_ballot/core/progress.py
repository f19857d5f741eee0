"""How far long work has got, said as it goes on; and being told to stop."""

from collections.abc import Callable

Progress = Callable[[str, float | None], None]
"""Takes what is being done and the share of the whole that is done (None: not known). Raises Stopped where
it was stopped."""


class Stopped(Exception):
    """Somebody stopped the work; nothing of it is kept."""


def quiet(says: str, share: float | None) -> None:
    """Says nothing to nobody.

    >>> quiet("Counting", 0.5)
    """


def stretch(progress: Progress, first: float, last: float) -> Progress:
    """A progress for a stretch of the whole, from one share to another.

    >>> stretch(lambda says, share: print(says, share), 0.5, 1.0)("Counting", 0.5)
    Counting 0.75
    """

    def tell(says: str, share: float | None) -> None:
        progress(says, None if share is None else first + share * (last - first))

    return tell
