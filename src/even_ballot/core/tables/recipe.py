"""Recipes: settings of tables, kept under a name and laid on any number of them."""

from collections.abc import Sequence
from typing import Any, Self, TypeVar

from pydantic import Field, ValidationError, model_validator

from even_ballot.core.estimation.comparisons import Adjust
from even_ballot.core.estimation.intervals import Interval
from even_ballot.core.model import Model, said_by
from even_ballot.core.tables.display import Display, Sort
from even_ballot.core.tables.statistics import StatName
from even_ballot.core.tables.table_request import Beside, Net, TableRequest, TestName


class Recipe(Model):
    """Settings that tables take from here where they have none of their own; what is left out here is as in a
    table that says nothing. rows: the order of their rows. It names no variables."""

    name: str = Field(min_length=1, max_length=100)
    show: tuple[StatName, ...] | None = Field(default=None, min_length=1)
    interval: Interval | None = None
    nets: tuple[Net, ...] | None = Field(default=None, max_length=50)
    total_row: bool | None = None
    tests: tuple[TestName, ...] | None = None
    adjust: Adjust | None = None
    levels: tuple[float, ...] | None = Field(default=None, min_length=1, max_length=2)
    plain: bool | None = None
    beside: tuple[Beside, ...] | None = None
    rows: Sort | None = None

    @model_validator(mode="after")
    def _names_no_variables(self) -> Self:
        if any(net.stub is not None or net.banner is not None for net in self.nets or ()):
            raise ValueError(
                "a net of a recipe is of every question that has its answers: leave its variable out"
            )
        if self.rows is not None and (self.rows.variable is not None or self.rows.at):
            raise ValueError("a recipe sorts rows by the total column: leave variable and at out")
        return self

    def lays(self) -> dict[str, Any]:
        """What it settles, by the names of a table's settings; the order of rows apart."""
        given = {
            name: getattr(self, name) for name in type(self).model_fields if name not in ("name", "rows")
        }
        return {name: value for name, value in given.items() if value is not None}


OURS = (
    Recipe(name="Per cents with letters", show=("col_pct",), beside=(), tests=("columns",)),
    Recipe(name="Means with intervals", show=("mean",), beside=("interval",), tests=("columns",)),
    Recipe(
        name="Items with nets and means",
        show=("col_pct", "mean"),
        beside=(),
        nets=(Net(label="Top two", top=2), Net(label="Bottom two", bottom=2)),
    ),
    Recipe(
        name="Everything, for an appendix",
        show=("n", "count", "col_pct", "mean", "sd", "median"),
        beside=("se", "interval", "rse", "deff", "effective"),
        tests=("independence",),
        plain=True,
        total_row=True,
    ),
)
"""Those that a study begins with."""


def laid(request: TableRequest, recipe: Recipe) -> TableRequest:
    """A table with what its recipe settles where it says nothing itself. Only its own settings are written
    with it. Raises ValueError where the two do not go together.

    >>> table = TableRequest(id="t", stub=("crosses",), recipe="Means with intervals", tests=())
    >>> made = laid(table, OURS[1])
    >>> made.show, made.tests, sorted(made.model_fields_set)
    (('mean',), (), ['id', 'recipe', 'stub', 'tests'])
    """
    own = request.model_fields_set
    given = {name: value for name, value in recipe.lays().items() if name not in own}
    if recipe.rows is not None and "rows" not in request.display.model_fields_set:
        given["display"] = _unsaid(
            request.display.model_copy(update={"rows": recipe.rows}), request.display.model_fields_set
        )
    try:
        made = TableRequest.model_validate({**{name: getattr(request, name) for name in own}, **given})
    except ValidationError as error:
        raise ValueError(said_by(error.errors()[0])) from None
    return _unsaid(made, own)


T = TypeVar("T", bound=Model)


def _unsaid(made: T, own: set[str]) -> T:
    """A model that is written with some of its settings alone."""
    object.__setattr__(made, "__pydantic_fields_set__", set(own))
    return made


def by_itself(request: TableRequest) -> TableRequest:
    """The same table, its recipe's settings its own.

    >>> made = by_itself(laid(TableRequest(id="t", recipe="Means with intervals"), OURS[1]))
    >>> made.recipe, made.show, "show" in made.model_fields_set
    (None, ('mean',), True)
    """
    if request.recipe is None:
        return request
    usual = TableRequest(id=request.id)
    names = [
        name
        for name in TableRequest.model_fields
        if name != "recipe"
        and (name in request.model_fields_set or getattr(request, name) != getattr(usual, name))
    ]
    parts = {name: getattr(request, name) for name in names}
    display = Display.model_validate(request.display.model_dump(exclude_defaults=True))
    return TableRequest.model_validate(parts | ({"display": display} if "display" in parts else {}))


def with_recipes(requests: Sequence[TableRequest], recipes: Sequence[Recipe]) -> tuple[TableRequest, ...]:
    """Tables with their recipes laid on them. Raises ValueError for one that is not there, or does not fit.

    >>> with_recipes((TableRequest(id="t", recipe="Maps"),), OURS)
    Traceback (most recent call last):
    ...
    ValueError: tables[0] names the recipe 'Maps', which is not there; add it, or leave it out
    """
    named = {recipe.name: recipe for recipe in recipes}
    found = []
    for at, request in enumerate(requests):
        if request.recipe is None:
            found.append(request)
            continue
        if request.recipe not in named:
            what = f"tables[{at}] names the recipe {request.recipe!r}, which is not there"
            raise ValueError(f"{what}; add it, or leave it out")
        try:
            found.append(laid(request, named[request.recipe]))
        except ValueError as error:
            raise ValueError(f"tables[{at}] with the recipe {request.recipe!r}: {error}") from None
    return tuple(found)
