"""What a study file says of its screening: cut-offs, and over which questions."""

from pydantic import Field

from even_ballot.core.model import Model


class Screening(Model):
    """fast: seconds under which an interview is too fast; null, a third of the median. answered: the share
    of `questions` (default: those of all batteries) under which too little was answered. battery: how many
    neighbouring questions of one scale make a battery. far: how many times the middle half's width beyond
    it a number is unusual. influence: standard errors of a number's mean beyond which one case carries it;
    null, not looked for."""

    fast: float | None = Field(default=None, gt=0)
    answered: float = Field(default=0.5, ge=0, le=1)
    questions: tuple[str, ...] = ()
    battery: int = Field(default=4, ge=3)
    far: float = Field(default=4.0, gt=0)
    influence: float | None = Field(default=None, gt=0)
