"""Nets: several categories of a stub variable as one row, or of a banner variable as one column."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from even_ballot.core.data.categories import Category
from even_ballot.core.faults import fault, some
from even_ballot.core.numerics.arrays import Ints
from even_ballot.core.tables.table_request import Net


@dataclass(frozen=True)
class NetRow:
    """A net of one variable: its label and the places of its categories, (k,)."""

    label: str
    places: Ints


def net_rows(
    nets: Sequence[Net], name: str, categories: Sequence[Category], stubs: Sequence[str], where: str
) -> tuple[NetRow, ...]:
    """The nets that one stub variable has. Raises StudyError for a net of a variable or of codes that are
    not there.

    >>> from even_ballot.core.tables.table_request import Net
    >>> labels = ((1, "Never"), (2, "At times"), (3, "Weekly"))
    >>> categories = [Category(code, label) for code, label in labels]
    >>> nets = [Net(label="At all", codes=(2, 3))]
    >>> (row,) = net_rows(nets, "crosses", categories, ["crosses"], "tables[0]")
    >>> row.label, row.places.tolist()
    ('At all', [1, 2])
    """
    rows = []
    for k, net in enumerate(nets):
        place = f"{where}.nets[{k}]"
        if net.stub is not None and net.stub not in stubs:
            raise fault(
                f"{net.stub} is not a stub variable of this table.",
                f"{place}.stub",
                f"Its stubs are {some(stubs)}.",
            )
        if net.banner is None and net.stub in (None, name):
            rows += _placed(net, name, categories, net.stub is not None, place)
    return tuple(rows)


def banner_nets(
    nets: Sequence[Net],
    name: str,
    categories: Sequence[Category],
    entries: Sequence[tuple[str, ...]],
    where: str,
) -> tuple[NetRow, ...]:
    """The nets that one banner variable has. Raises StudyError for a net of a variable or of codes that
    are not there.

    >>> from even_ballot.core.tables.table_request import Net
    >>> categories = [Category(code, label) for code, label in ((1, "Hask"), (2, "Orran"))]
    >>> net = Net(label="Both", banner="isle", codes=(1, 2))
    >>> (row,) = banner_nets([net], "isle", categories, [("isle",)], "tables[0]")
    >>> row.label, row.places.tolist()
    ('Both', [0, 1])
    """
    rows = []
    for k, net in enumerate(nets):
        place = f"{where}.nets[{k}]"
        variables = list(dict.fromkeys(variable for entry in entries for variable in entry))
        if net.banner is not None and net.banner not in variables:
            raise fault(
                f"{net.banner} is not a banner variable of this table.",
                f"{place}.banner",
                f"There are {some(variables)}.",
            )
        if net.banner == name:
            rows += _placed(net, name, categories, True, place)
    return tuple(rows)


def _placed(net: Net, name: str, categories: Sequence[Category], named: bool, place: str) -> list[NetRow]:
    """A net's row; none where the variable has not its categories and is not named either."""
    known = [i for i, c in enumerate(categories) if c.in_codebook]
    at = {c.code: i for i, c in enumerate(categories)}
    strange = [code for code in net.codes if code not in at]
    if strange and named:
        raise fault(f"{name} has no category {some(strange)}.", f"{place}.codes", "Take it out of the net.")
    many = net.top or net.bottom or 0
    if strange or many > len(known):
        return []
    places = [at[code] for code in net.codes] if net.codes else known[-many:] if net.top else known[:many]
    return [NetRow(net.label, np.unique(np.array(places, np.int64)))]
