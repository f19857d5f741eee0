"""A study on a sample of its records, as a preview of what all of them give."""

from dataclasses import replace

import numpy as np

from even_ballot.core.data.dataset import Dataset
from even_ballot.core.elsewhere import Elsewhere, here
from even_ballot.core.ledger import Effect, take_step
from even_ballot.core.ledger.cells import Edit
from even_ballot.core.ledger.step import Step, Tables
from even_ballot.core.study.study_file import Study


def on_a_sample(study: Study) -> Study:
    """A study as it is previewed: units that are alone in their stratum because the others were not drawn are
    no reason to stop.

    >>> from even_ballot.core.study.study_file import parse_study
    >>> on_a_sample(parse_study({"source": {"path": "parts"}})).design.single_psu
    'centre'
    """
    if study.design.single_psu != "stop":
        return study
    return study.model_copy(update={"design": study.design.model_copy(update={"single_psu": "centre"})})


def take_if_drawn(
    data: Dataset, step: Step, index: int, tables: Tables, elsewhere: Elsewhere = here
) -> tuple[Dataset, Effect]:
    """A step on a sample: an edit of a case that was not drawn changes nothing here.

    >>> from even_ballot.core.data.example import ferry
    >>> edit = Edit(do="edit", id=99, by="row", variable="age", value=40)
    >>> take_if_drawn(ferry(), edit, 0, {})[1].cells_changed
    0
    """
    drawn = not isinstance(step, Edit) or step.off or bool(np.any(step.cases(data)))
    taken = step if drawn else step.model_copy(update={"off": True})
    data, effect = take_step(data, taken, index, tables, elsewhere=elsewhere)
    return data, replace(effect, off=step.off)
