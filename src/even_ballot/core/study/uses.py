"""What a study uses and makes, by name, read from its document alone."""

from even_ballot.core.data.codebook import Codebook
from even_ballot.core.lazy import remembered
from even_ballot.core.study.study_file import Study


@remembered
def book_in_use(study: Study) -> Codebook:
    """The codebook without scales that neither a variable nor a step names: what is only kept changes
    nothing.

    >>> from even_ballot.core.study.study_file import parse_study
    >>> scales = {"kept": {"codes": [{"code": 1, "label": "yes"}]}}
    >>> book_in_use(parse_study({"source": {"path": "answers.csv"}, "codebook": {"scales": scales}})).scales
    {}
    """
    book = study.codebook
    named = {variable.scale for variable in book.variables}
    named |= {getattr(step, "scale", None) for step in study.ledger}
    return book.model_copy(update={"scales": {n: s for n, s in book.scales.items() if n in named}})


def made_later(study: Study) -> list[str]:
    """Names of the variables that steps and weightings make.

    >>> from even_ballot.core.study.study_file import parse_study
    >>> made_later(parse_study({"source": {"path": "answers.csv"}, "weightings": [{"save_as": "w"}]}))
    ['w']
    """
    made = [name for step in study.ledger for name in step.makes()]
    return made + [weighting.save_as for weighting in study.weightings]


def weight_name(study: Study) -> str | None:
    """The weight that tables use: the design's; where it says nothing, the last weighting's, or none.

    >>> from even_ballot.core.study.study_file import parse_study
    >>> step = {"do": "drop_cases", "where": "age < 20"}
    >>> study = parse_study({"source": {"path": "answers.csv"}, "ledger": [step]})
    >>> weight_name(study) is None
    True
    """
    if "weight" in study.design.model_fields_set:
        return study.design.weight
    return study.weightings[-1].save_as if study.weightings else None


def margins_of(study: Study) -> tuple[tuple[str, ...], ...]:
    """The variables of every margin that a report is made on, its groups included.

    >>> from even_ballot.core.study.study_file import parse_study
    >>> step = {"do": "drop_cases", "where": "age < 20"}
    >>> study = parse_study({"source": {"path": "answers.csv"}, "ledger": [step]})
    >>> margins_of(study)
    ()
    """
    named = (tuple(dict.fromkeys((*w.within, *m.by))) for w in study.weightings for m in w.margins)
    return tuple(name for name in dict.fromkeys(named) if name)
