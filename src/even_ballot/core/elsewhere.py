"""Where work that looks at every entry of a file is done: here, or wherever who runs a study has it done."""

from collections.abc import Callable
from typing import Any, Protocol, TypeVar

from even_ballot.core.progress import Progress

T = TypeVar("T")


class Elsewhere(Protocol):
    """Has a function of a module called with what it needs, all of which can be sent to another process, and
    gives what it gave; tell: given to it last, where it says how far it has got."""

    def __call__(self, task: Callable[..., T], *args: Any, tell: Progress | None = None) -> T: ...


def here(task: Callable[..., T], *args: Any, tell: Progress | None = None) -> T:
    """Calls it.

    >>> here(divmod, 7, 2)
    (3, 1)
    """
    return task(*args) if tell is None else task(*args, tell)
