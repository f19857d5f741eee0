"""The base of every model in a study file."""

from pydantic import BaseModel, ConfigDict
from pydantic_core import ErrorDetails


class Model(BaseModel):
    """Frozen; refuses keys it does not know."""

    model_config = ConfigDict(
        extra="forbid",
        frozen=True,
        populate_by_name=True,
        serialize_by_alias=True,
        allow_inf_nan=False,
        defer_build=True,
    )


def said_by(item: ErrorDetails) -> str:
    """What a validation error says, without its full stop: our own words where the model has them.

    >>> from pydantic import ValidationError
    >>> from even_ballot.core.data.codebook import Code
    >>> try:
    ...     Code.model_validate({"code": 1, "label": "Hask", "colour": "red"})
    ... except ValidationError as error:
    ...     print(said_by(error.errors()[0]))
    Extra inputs are not permitted
    """
    own = item.get("ctx", {}).get("error")
    return str(own if own is not None else item["msg"]).rstrip(".")
