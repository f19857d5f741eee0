"""The base of every model in a study file."""

from pydantic import BaseModel, ConfigDict


class Model(BaseModel):
    """Frozen; refuses keys it does not know."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True, serialize_by_alias=True, allow_inf_nan=False)
