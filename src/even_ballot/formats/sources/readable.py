"""One place where what a library makes of a broken file becomes a fault."""

from collections.abc import Iterator
from contextlib import contextmanager

from even_ballot.core.faults import StudyError, fault
from even_ballot.core.progress import Stopped

WHOLE = "Check that the file is complete, or save it again."


@contextmanager
def readable(path: str, what: str = "The file", mend: str = WHOLE) -> Iterator[None]:
    """Reading goes on inside. Whatever a library raises about what it reads is raised as a StudyError that
    names the file; memory that does not suffice, and a stop that was asked for, stay what they are."""
    try:
        yield
    except (StudyError, MemoryError, Stopped):
        raise
    except BaseException as error:
        # A library of Rust's raises its panics as no Exception at all; whoever stops the program is no fault
        # of the file's.
        if not isinstance(error, Exception) and type(error).__name__ != "PanicException":
            raise
        if type(error).__name__ == "ArrowMemoryError":
            raise MemoryError from None
        said = " ".join(str(error).split())[:300].rstrip(".") or type(error).__name__
        raise fault(f"{what} cannot be read: {said}.", path, mend) from None
