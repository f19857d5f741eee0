"""Whether a table can be made at all, told before anything is counted."""

from collections.abc import Iterator

from even_ballot.core.data.codebook import in_words
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.data.formulas import Formula
from even_ballot.core.faults import Fault, StudyError
from even_ballot.core.tables.banner import MENDS
from even_ballot.core.tables.table_request import TableRequest


def request_faults(head: Dataset, request: TableRequest, where: str) -> tuple[Fault, ...]:
    """Variables of a table that are not there, or of no kind it can be made of; a filter that cannot be read.

    >>> from even_ballot.core.data.example import ferry
    >>> request = TableRequest(id="t", stub=("crosing",), banner=("said",))
    >>> [fault.where for fault in request_faults(ferry(), request, "tables[0]")]
    ['tables[0].stub[0]', 'tables[0].banner[0]']
    """
    return tuple(_faults(head, request, where))


def _faults(head: Dataset, request: TableRequest, where: str) -> Iterator[Fault]:
    places: list[tuple[str, str, tuple[str, ...]]] = [
        (name, f"{where}.stub[{i}]", ("text",)) for i, name in enumerate(request.stub)
    ]
    for i, entry in enumerate(request.entries):
        places += [(name, f"{where}.banner[{i}]", ("text", "number", "multi")) for name in entry]
    for name, place, never in places:
        try:
            kind = head.variable(name, place).kind
        except StudyError as error:
            yield from error.faults
            continue
        if kind in never:
            yield Fault(f"{name} is {in_words(kind)} and cannot be used here.", place, MENDS.get(kind, ""))
    if request.where and request.where.strip():
        try:
            for name in Formula(request.where, f"{where}.where").names:
                head.variable(name, f"{where}.where")
        except StudyError as error:
            yield from error.faults
