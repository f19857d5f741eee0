"""Answers are put in order by what they say, whatever order they come in."""

import random

import pytest

from even_ballot.core.draft.missing import missing_among
from even_ballot.core.draft.ordering.orders import in_order
from even_ballot.core.draft.wordings import worded_scale
from even_ballot.core.written.no_answer import means_no_answer

SCALES = [
    "Never|Rarely|Sometimes|Often|Always",
    "Strongly disagree|Disagree|Neither agree nor disagree|Agree|Strongly agree",
    "Very dissatisfied|Fairly dissatisfied|Neither|Fairly satisfied|Very satisfied",
    "Never|Less often|Once a month|Once a week|Several times a week|Every day",
    "Under £10,000|£10,000 to £19,999|£20,000-£29,999|£30,000 or more",
    "Less than 5 minutes|5 to 15 minutes|15-30 minutes|30 minutes to 1 hour|More than 1 hour",
    "None|1|2|3 or more",
    "Not at all concerned|Not very concerned|Fairly concerned|Very concerned",
    "Much worse|A little worse|About the same|A little better|Much better",
    "Small|Medium|Large",
    "Definitely not|Probably not|Might or might not|Probably|Definitely",
    "Not at all important|Slightly important|Moderately important|Very important|Extremely important",
    "Poor|Fair|Good|Excellent",
    "None at all|Not very much|A fair amount|A great deal",
    "Never|Monthly or less|2 to 4 times a month|2-3 times a week|4 or more times a week",
    "Under 1 year|1-2 years|3-5 years|6-10 years|More than 10 years",
    "Decreased a lot|Decreased a little|Stayed the same|Increased a little|Increased a lot",
    "Too little|About right|Too much",
    "No formal education|Primary|Secondary|Bachelor's degree|Master's degree|PhD",
    "18-24|25-34|35-44|45-54|55-64|65+",
]


@pytest.mark.parametrize("scale", SCALES)
def test_known_and_natural_orders_are_found(scale: str) -> None:
    labels = scale.split("|")
    for seed in range(4):
        mixed = random.Random(seed).sample(labels, len(labels))
        found = in_order(mixed)
        assert list(found.labels) == labels and found.ordered


@pytest.mark.parametrize(
    "names", ["Brim|Hask|Orran|Other", "Route 1|Route 2|Route 10", "Yes|No", "Man|Woman"]
)
def test_names_are_in_no_order_of_size(names: str) -> None:
    labels = names.split("|")
    found = in_order(list(reversed(labels)))
    assert list(found.labels) == labels and not found.ordered


def test_what_leans_neither_way_is_the_middle() -> None:
    assert in_order(["Agree", "Neutral", "Disagree"]).middle == "Neutral"
    assert in_order(["A lot", "A little", "Not at all"]).middle is None


@pytest.mark.parametrize(
    ("numbers", "missing"),
    [
        ({1: 9, 2: 9, 3: 9, 4: 9, 5: 9, 8: 1, 9: 2}, (8, 9)),
        (dict.fromkeys(range(1, 10), 9), ()),
        (dict.fromkeys(range(18, 90), 3) | {97: 1, 98: 1, 99: 2}, (97, 98, 99)),
        (dict.fromkeys(range(18, 100), 3), ()),
        (dict.fromkeys(range(300), 3) | {998: 2, 999: 2}, (998, 999)),
        ({0: 9, 1: 9, -8: 1, -9: 1}, (-9, -8)),
        ({-3: 9, -2: 9, -1: 9}, ()),
        ({0.5: 9, -0.5: 9, -9: 1}, ()),
        ({1: 9, 2: 9, 3: 9, 7: 1, 8: 1, 9: 1}, (7, 8, 9)),
        ({1: 9, 66: 3, 77: 4}, (66, 77)),
        ({10: 9, 40: 9, 66: 3}, ()),
        ({1950: 3, 2005: 3, 9999: 1}, (9999,)),
    ],
)
def test_codes_that_mean_no_answer_stand_apart(numbers: dict[float, int], missing: tuple[int, ...]) -> None:
    assert missing_among(numbers) == missing


def test_words_that_mean_no_answer() -> None:
    assert all(
        map(
            means_no_answer,
            ["Don't know", "DK", "(Refused)", "N/A", "prefer not to say", "-", "…", "Weiß nicht"],
        )
    )
    assert not any(map(means_no_answer, ["No", "None", "0", "Never", "Nobody", "Not at all", "Neither", "x"]))


def test_a_slip_of_the_pen_is_no_answer_of_its_own_and_an_opposite_is() -> None:
    found = worded_scale(
        {"Very satisfied": 300, "Very satisfed": 2, "Very dissatisfied": 3, "18 to 24": 200, "18 to 29": 2},
        {},
    )
    assert found.misspelt == ("Very satisfed",)
    assert {c.label for c in found.scale.codes} == {
        "Very satisfied",
        "Very dissatisfied",
        "18 to 24",
        "18 to 29",
    }


def test_labels_that_begin_with_their_code_keep_it() -> None:
    found = worded_scale({"5 - Very good": 9, "1 - Very bad": 9, "3 - Fair": 2, "Don't know": 1}, {})
    assert [
        c.label for c in worded_scale({"5 - Very good": 9, "1 - Very bad": 9, "3 - Fair": 2}, {}).scale.codes
    ] == ["Very bad", "Fair", "Very good"]
    assert all(c.label != "Very bad" for c in found.scale.codes), (
        "one answer without a code, and none is taken for one"
    )


@pytest.mark.parametrize(
    ("common", "rare"),
    [
        ("Married", "Remarried"),
        ("Zone 10A", "Zone 10B"),
        ("Class II", "Class III"),
        ("Employed", "Unemployed"),
    ],
)
def test_rare_answers_that_look_like_common_ones_are_answers(common: str, rare: str) -> None:
    found = worded_scale({common: 400, rare: 4, "Something else": 90}, {})
    assert found.misspelt == () and rare in [c.label for c in found.scale.codes]
