"""How a scale fits: what fits, what was likely meant, and what is refused."""

from dataclasses import replace

import pytest
from builders import dataset, scale, study

from even_ballot.core.data.codebook import Code, Scale
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.faults import StudyError
from even_ballot.core.ledger import run_ledger
from even_ballot.core.ledger.scale_fit import fit

AGREE = Scale(
    codes=tuple(
        Code(code=i, label=label) for i, label in enumerate(("Disagree", "Neither", "Agree"), start=1)
    ),
    ordered=True,
    missing=(Code(code=99, label="No answer"),),
)
TURNED = AGREE.model_copy(update={"codes": tuple(Code(code=4 - c.code, label=c.label) for c in AGREE.codes)})


def coded(**scales: Scale) -> Dataset:
    """A variable q coded by the first scale, with the others there too."""
    name = next(iter(scales))
    data = dataset({"q": ["1", "2", "3", ""]}, q=scales[name])
    q = data.variables["q"].model_copy(update={"scale": name})
    return replace(data, variables={"q": q}, scales=scales)


def test_answers_fit_by_label_or_code_and_misspellings_are_proposed() -> None:
    data = dataset({"q": ["Agree", "agree ", "Agre", "1", "no idea at all", "Agree", "7"]})
    found = fit(data, "q", AGREE)
    assert found.verdict == "in part"
    by = {a.answer: a for a in found.answers}
    assert (by["Agree"].code, by["Agree"].cases) == (3, 2)
    assert (by["agree "].code, by["agree "].proposal, by["agree "].why) == (None, 3, "alike")
    assert (by["Agre"].proposal, by["Agre"].why) == (3, "misspelt")
    assert by["Agre"].like is not None and 80 <= by["Agre"].like < 100
    assert by["1"].code == 1
    assert (by["no idea at all"].code, by["no idea at all"].proposal) == (None, None)
    assert (by["7"].code, by["7"].proposal) == (None, None)


def test_a_word_that_holds_a_label_is_no_misspelling_of_it() -> None:
    yes_no = Scale(codes=(Code(code=1, label="yes"), Code(code=2, label="no")))
    by = {a.answer: a for a in fit(dataset({"q": ["no opinion", "nO", "yess"]}), "q", yes_no).answers}
    assert by["no opinion"].proposal is None
    assert (by["nO"].proposal, by["yess"].proposal) == (2, 1)


def test_numbers_that_are_codes_of_the_scale_fit() -> None:
    found = fit(dataset({"q": ["1", "2", "99", "4"]}), "q", AGREE)
    assert found.verdict == "in part"
    assert {a.answer: a.code for a in found.answers} == {"1": 1, "2": 2, "99": 99, "4": None}


def test_a_scale_with_other_codes_or_direction_is_refused() -> None:
    other = Scale(
        codes=(Code(code=1, label="Never"), Code(code=2, label="Often"), Code(code=3, label="Always"))
    )
    assert fit(coded(agree=AGREE), "q", AGREE).verdict == "already"
    assert fit(coded(agree=AGREE), "q", TURNED).verdict == "other direction"
    refused = fit(coded(agree=AGREE), "q", other)
    assert refused.verdict == "other codes"
    assert "“Disagree”" in refused.says and "“Never”" in refused.says


def test_a_question_that_has_the_scale_already_takes_the_rest_of_its_answers() -> None:
    data = dataset({"q": ["1", "Agre"]}, q=AGREE)
    found = fit(data, "q", AGREE)
    assert found.verdict == "in part"
    assert [(a.answer, a.proposal) for a in found.answers if a.code is None] == [("Agre", 3)]


def test_a_longer_scale_that_says_the_same_of_the_codes_in_use_fits() -> None:
    longer = AGREE.model_copy(update={"codes": (*AGREE.codes, Code(code=4, label="Strongly agree"))})
    assert fit(coded(agree=AGREE), "q", longer).verdict == "fits"


def test_dates_and_several_answers_take_no_scale() -> None:
    assert fit(dataset({"d": ["2026-03-01"]}), "d", AGREE).verdict == "other kind"


@pytest.mark.parametrize(
    "other", [TURNED, Scale(codes=(Code(code=1, label="Never"), Code(code=2, label="Often")))]
)
def test_a_step_never_lays_another_meaning_over_a_coded_question(other: Scale) -> None:
    step = study(
        codebook={"scales": {"s": AGREE.model_dump()}},
        ledger=[{"do": "code", "variables": ["q"], "scale": "other"}],
    )
    with pytest.raises(StudyError, match="coded already, and its code 1 means 'Disagree'"):
        next(run_ledger(coded(agree=AGREE, other=other), step.ledger, {}))


def test_numbers_take_the_codes_of_a_scale_and_what_is_no_code_stays_a_finding() -> None:
    data = replace(dataset({"q": ["1", "3", "99", "4.5", "", "word"]}), scales={"agree": AGREE})
    step = study(
        codebook={"scales": {"agree": AGREE.model_dump()}},
        ledger=[{"do": "code", "variables": ["q"], "scale": "agree"}],
    )
    after, effect = next(run_ledger(data, step.ledger, {}))
    column = after.columns["q"]
    assert after.variables["q"].kind == "coded"
    assert column.state.tolist() == [0, 0, 2, 3, 1, 3]
    assert column.values[:3].tolist() == [1, 3, 99]
    assert dict(effect.unplaced["q"]) == {"4.5": 1, "word": 1}


def test_scale_helpers_refuse_a_midpoint_that_is_no_code() -> None:
    with pytest.raises(ValueError, match="midpoint 7 is not a code"):
        Scale(codes=scale(1, 2).codes, midpoint=7)
    assert Scale(codes=scale(1, 2, 3).codes, midpoint=2).midpoint == 2
