"""Nets: several categories of a stub variable as one row."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from even_ballot.core.dataset import Ints
from even_ballot.core.faults import fault, some
from even_ballot.core.request import Net
from even_ballot.core.results import Category


@dataclass(frozen=True)
class NetRow:
    """A net of one variable: its label and the places of its categories."""

    label: str
    places: Ints


def net_rows(
    nets: Sequence[Net], name: str, categories: Sequence[Category], stubs: Sequence[str], where: str
) -> tuple[NetRow, ...]:
    """The nets that one stub variable has. Raises StudyError for a net of a variable or of codes that are not there."""
    known = [i for i, c in enumerate(categories) if c.in_codebook]
    at = {c.code: i for i, c in enumerate(categories)}
    rows = []
    for k, net in enumerate(nets):
        place = f"{where}.nets[{k}]"
        if net.stub is not None and net.stub not in stubs:
            raise fault(f"{net.stub} is no stub variable of this table.", f"{place}.stub", f"Its stubs are {some(stubs)}.")
        if net.stub not in (None, name):
            continue
        strange = [code for code in net.codes if code not in at]
        if strange and net.stub is not None:
            raise fault(f"{name} has no category {some(strange)}.", f"{place}.codes", "Take it out of the net.")
        many = net.top or net.bottom or 0
        if strange or many > len(known):
            continue
        places = [at[code] for code in net.codes] if net.codes else known[-many:] if net.top else known[:many]
        rows.append(NetRow(net.label, np.array(places, np.int64)))
    return tuple(rows)
