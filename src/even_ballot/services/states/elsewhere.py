"""Work that looks at every entry of a file, done in a process of its own within limits: whatever a file
holds, the server goes on."""

from collections.abc import Callable
from typing import Any, TypeVar

from even_ballot.core.progress import Progress, quiet
from even_ballot.services.states.cache import parts_of
from even_ballot.services.workers.helper import name_of
from even_ballot.services.workers.helper_processes import HELPERS

T = TypeVar("T")


def in_a_helper(task: Callable[..., T], *args: Any, tell: Progress | None = None) -> T:
    """What a function makes of what it is given. Raises StudyError where it is at fault, or takes too
    much."""
    size = sum(dict(parts_of(args)).values())
    value: T = HELPERS.run(name_of(task), *args, size=size, progress=tell or quiet)
    return value
