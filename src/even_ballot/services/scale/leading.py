"""A study led through several processes that hold its parts."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any, Protocol

from even_ballot.core.numerics.meeting import Leading, Node
from even_ballot.core.numerics.parts import InParts
from even_ballot.core.study.nodes import Telling
from even_ballot.core.study.parted.pipeline import NOBODY, PartedPipeline
from even_ballot.core.study.results import Results
from even_ballot.services.scale.holder import faults_of
from even_ballot.services.scale.time_left import TimeLeft
from even_ballot.services.scale.work import Job


class Said(Protocol):
    """What a holder will have said."""

    def result(self) -> Any: ...


GoOn = Callable[..., Said]
"""Has a holder go on."""


class Refused(Exception):
    """A holder cannot go on for what is wrong with its parts, or with itself."""

    def __init__(self, kind: str, said: Any) -> None:
        super().__init__(kind)
        self.kind, self.said = kind, said


class Lost(Exception):
    """A holder is gone."""


class _Holders:
    """Those who hold parts. A holder goes on as soon as it has the whole; what it sees next is waited for
    when it is needed."""

    def __init__(self, going: Sequence[GoOn], parts: int, tells: TimeLeft) -> None:
        self._going, self._parts, self._tells = going, parts, tells
        self._asked = [go_on() for go_on in going]
        self._read = [0] * len(going)

    def _said(self, at: int) -> tuple[str, Any]:
        """What a holder has to say once it is done with what it works on."""
        while True:
            try:
                kind, value = self._asked[at].result()
            except Exception as error:
                raise Lost from error
            if kind != "reading":
                return kind, value
            self._read[at] = value
            if sum(self._read) < self._parts:
                self._tells.parts(sum(self._read), self._parts)
            self._asked[at] = self._going[at]()

    def _heard(self) -> list[tuple[str, Any]]:
        found = [self._said(at) for at in range(len(self._asked))]
        for kind, value in found:
            if kind in ("faults", "failed"):
                raise Refused(kind, value)
        return found

    def lead(self, place: str, make: Callable[[Mapping[Node, Any]], Any]) -> Any:
        """Merges what all saw at a place, and gives it back to them."""
        found: dict[Node, Any] = {}
        for kind, value in self._heard():
            if kind != "seen" or value[0] != place:
                raise Refused("failed", f"{place} was met at {value[0] if kind == 'seen' else kind}")
            found |= value[1]
        whole = make(found)
        self._asked = [go_on(whole) for go_on in self._going]
        return whole

    def end(self) -> list[str]:
        """The files that were written, in the order of the parts."""
        return [name for _, names in self._heard() for name in names]


def led(job: Job, going: Sequence[GoOn], telling: Telling) -> tuple[Results, list[str]]:
    """The results of a study, and the files of records that were written. Raises StudyError, Refused and
    Lost."""
    tells = TimeLeft(telling, job.study)
    holders = _Holders(going, len(job.names), tells)
    nobody = InParts([job.head], Leading(len(job.names), holders.lead))
    try:
        results = PartedPipeline(job.study, nobody, [NOBODY], job.lookups, tells.telling).results()
        return results, holders.end()
    except Refused as error:
        if error.kind == "faults":
            raise faults_of(error.said) from None
        raise
