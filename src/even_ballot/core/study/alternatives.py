"""Alternatives to a study's decisions that somebody wants to see: other values at some places of the study
file."""

import re
from typing import Any

from pydantic import Field

from even_ballot.core.faults import fault
from even_ballot.core.model import Model

_STEP = re.compile(r"([A-Za-z_][A-Za-z_0-9]*)((?:\[\d+\])*)(?:\.|$)")


class Setting(Model):
    """Another value at a place of the study file, such as `ledger[3].where`."""

    at: str = Field(min_length=1, max_length=400)
    to: Any = None


class Alternative(Model):
    """A study with other values at some places: a cut-off, a coding."""

    label: str = Field(min_length=1, max_length=400)
    set: tuple[Setting, ...] = Field(min_length=1, max_length=100)


def _steps(path: str, where: str) -> list[str | int]:
    found: list[str | int] = []
    at = 0
    while at < len(path):
        match = _STEP.match(path, at)
        if match is None:
            raise fault(f"{path!r} is not a path in a study file.", where, "Write it as `ledger[3].where`.")
        found += [match[1], *(int(n) for n in re.findall(r"\d+", match[2]))]
        at = match.end()
    return found


def put(document: dict[str, Any], path: str, value: Any, where: str = "") -> None:
    """Puts a value at a place of a study file's document. Raises StudyError where there is no such place.

    >>> document = {"ledger": [{"do": "drop_cases", "where": "seconds < 100"}]}
    >>> put(document, "ledger[0].where", "seconds < 120")
    >>> document["ledger"][0]["where"]
    'seconds < 120'
    """
    *way, last = _steps(path, where)
    here: Any = document
    try:
        for step in way:
            here = here.setdefault(step, {}) if isinstance(step, str) else here[step]
        if isinstance(here, list) and not (isinstance(last, int) and last < len(here)):
            raise IndexError
        here[last] = value
    except (AttributeError, IndexError, KeyError, TypeError):
        raise fault(f"The study file has no place {path}.", where, "Name one that it has.") from None
