"""Steps that rename and discard variables."""

from dataclasses import replace
from typing import Literal

from even_ballot.core.data.dataset import Dataset
from even_ballot.core.faults import some
from even_ballot.core.ledger.step import Outcome, Step, Tables, new_name


class Rename(Step):
    """Gives variables new names; all else stays."""

    do: Literal["rename"]
    names: dict[str, str]

    def sentence(self) -> str:
        return "Rename " + some([f"{old} to {new}" for old, new in self.names.items()], 4)

    def makes(self) -> tuple[str, ...]:
        return tuple(self.names.values())

    def apply(self, data: Dataset, tables: Tables) -> Outcome:
        for old, new in self.names.items():
            variable = data.variable(old, "names")
            new_name(data, new)
            columns = {new if name == old else name: column for name, column in data.columns.items()}
            renamed = data.described(variable.model_copy(update={"name": new}))
            variables = {
                new if n == old else n: renamed if n == old else v for n, v in data.variables.items()
            }
            turned = data.reversed_ - {old} | ({new} if old in data.reversed_ else set())
            data = replace(data, columns=columns, variables=variables, reversed_=turned)
        return Outcome(data)


class Discard(Step):
    """Leaves variables out from here on."""

    do: Literal["discard"]
    variables: tuple[str, ...]

    def sentence(self) -> str:
        return f"Discard {some(self.variables)}"

    def apply(self, data: Dataset, tables: Tables) -> Outcome:
        for name in self.variables:
            data.variable(name, "variables")
        gone = set(self.variables)
        columns = {name: column for name, column in data.columns.items() if name not in gone}
        variables = {name: variable for name, variable in data.variables.items() if name not in gone}
        return Outcome(replace(data, columns=columns, variables=variables))
