"""Answers that say how much or which way: "Very satisfied" … "Not at all satisfied", "Tend to disagree"."""

import re
from collections.abc import Sequence
from dataclasses import dataclass

from even_ballot.core.written.texts import fold

_PAIRS = (
    "agree/disagree satisfied/dissatisfied satisfied/unsatisfied likely/unlikely safe/unsafe "
    "important/unimportant "
    "easy/difficult easy/hard good/bad good/poor better/worse more/less more/fewer comfortable/uncomfortable "
    "for/against favour/oppose favor/oppose support/oppose approve/disapprove positive/negative "
    "happy/unhappy "
    "strong/weak high/low satisfactory/unsatisfactory fair/unfair reliable/unreliable clean/dirty "
    "clear/unclear "
    "friendly/unfriendly helpful/unhelpful useful/useless warm/cold fast/slow quick/slow cheap/expensive "
    "increase/decrease increased/decreased improve/worsen improved/worsened true/untrue true/false "
    "trust/distrust interested/uninterested long/short large/small big/small pleasant/unpleasant "
    "willing/unwilling healthy/unhealthy acceptable/unacceptable well/badly well/poorly higher/lower up/down "
    "favourable/unfavourable favorable/unfavorable convenient/inconvenient affordable/unaffordable "
    "accessible/inaccessible efficient/inefficient adequate/inadequate common/uncommon popular/unpopular "
    "familiar/unfamiliar supportive/unsupportive optimistic/pessimistic appropriate/inappropriate"
)
_STEMS: dict[str, tuple[str, int]] = {}
for _pair in _PAIRS.split():
    _good, _, _bad = _pair.partition("/")
    _stem = _STEMS.get(_good, (_good, 1))[0]
    _STEMS.setdefault(_good, (_stem, 1))
    _STEMS.setdefault(_bad, (_stem, -1))

_DEGREES = {
    "not at all": 0.0, "not in the least": 0.0, "never": 0.0,
    "not very": 0.6, "not particularly": 0.6, "not so": 0.6, "not that": 0.6, "not too": 0.6,
    "not really": 0.6,
    "hardly": 0.4, "not much": 0.6, "only a little": 0.9, "not": 0.3,
    "slightly": 1.0, "a little": 1.0, "a bit": 1.0, "mildly": 1.0, "marginally": 1.0,
    "to a small extent": 1.0,
    "fairly": 2.0, "quite": 2.0, "rather": 2.0, "somewhat": 2.0, "moderately": 2.0, "reasonably": 2.0,
    "pretty": 2.0, "tend to": 2.0, "partly": 2.0, "to some extent": 2.0, "probably": 2.0,
    "generally": 3.2, "mostly": 3.2, "mainly": 3.2, "broadly": 3.2,
    "strongly": 4.0, "very": 4.0, "very much": 4.0, "much": 4.0, "a lot": 4.0, "greatly": 4.0, "highly": 4.0,
    "definitely": 4.0, "a great deal": 4.0, "really": 4.0, "to a great extent": 4.0, "firmly": 4.0,
    "extremely": 5.0, "completely": 5.0, "totally": 5.0, "absolutely": 5.0, "entirely": 5.0, "fully": 5.0,
    "exceptionally": 5.0, "all": 5.0,
}  # fmt: skip
_BARE = 3.0
_BY_LENGTH = sorted(_DEGREES, key=lambda phrase: -len(phrase))
_DEGREE = re.compile(r"\b(" + "|".join(map(re.escape, _BY_LENGTH)) + r")\b")
_NEUTRAL = re.compile(
    r"(neither\b.*|neutral|no opinion either way|undecided|(about|more or less|roughly|stayed?|stay)? "
    r"?the same"
    r"|no change|no difference|unchanged|mixed|indifferent|average|in the middle|either way|no preference"
    r"|partly|in part|so so|so-so"
    r"|neither nor|both equally|equal(ly)?|about right|no effect)"
)
_AROUND = re.compile(r"(?:do |does |did |am |is |are )?not (\w+(?: \w+)?) at all")
_FILLERS = frozenset(
    [
        "i",
        "am",
        "is",
        "it",
        "of",
        "the",
        "was",
        "were",
        "feel",
        "be",
        "been",
        "to",
        "with",
        "have",
        "has",
        "got",
        "get",
        "a",
        "an",
        "do",
        "you",
        "me",
        "my",
        "would",
    ]
)


@dataclass(frozen=True)
class Scores:
    """A score for every answer; two_sided: whether 0 leans neither way; apart: whether no two are alike."""

    scores: dict[str, float]
    two_sided: bool
    apart: bool = True


@dataclass(frozen=True)
class _Said:
    stem: str | None
    side: int
    degree: float
    rest: frozenset[str]
    plain: bool


def _said(label: str) -> _Said | None:
    """What an answer says; None for one that leans neither way."""
    text = re.sub(r"[^\w\s']", " ", fold(label).replace("’", "'"))
    text = _AROUND.sub(r"not at all \1", " ".join(text.split()))
    if _NEUTRAL.fullmatch(text):
        return None
    degree, plain = _BARE, True
    if (found := _DEGREE.search(text)) is not None:
        degree, plain = _DEGREES[found[1]], False
        text = f"{text[: found.start()]} {text[found.end() :]}"
    stem, side, rest = None, 1, set()
    for word in text.split():
        if stem is None and word in _STEMS:
            stem, side = _STEMS[word]
        elif word not in _FILLERS:
            rest.add(word)
    if "not" in rest and stem is not None:
        # "Rather not agree" is the other side of "rather agree".
        side, rest = -side, rest - {"not"}
    return _Said(stem, side, degree, frozenset(rest), plain)


def by_degree(labels: Sequence[str]) -> Scores | None:
    """Scores, from low to high, of answers that are degrees of one thing; None where they are not.

    >>> by_degree(["Agree", "Strongly disagree", "Neutral"]).scores
    {'Agree': 3.0, 'Strongly disagree': -4.0, 'Neutral': 0.0}
    >>> by_degree(["Very worried", "Not at all worried"]).two_sided, by_degree(["Hask", "Orran"])
    (False, None)
    """
    said = {label: _said(label) for label in labels}
    real = [one for one in said.values() if one is not None]
    if len(real) < 2 or len(labels) - len(real) > 2:
        return None
    if len({(one.stem, one.rest) for one in real}) > 1 or all(one.plain and one.stem is None for one in real):
        return None
    two_sided = any(one.side < 0 for one in real) or len(real) < len(labels)
    if not two_sided and all(one.plain for one in real):
        return None
    scores = {}
    for label, one in said.items():
        if one is None:
            scores[label] = 0.0
        elif not two_sided:
            scores[label] = one.degree
        elif one.degree < 1:
            # "Not at all satisfied" beside "Satisfied" and "Dissatisfied" is the far end of the other side.
            scores[label] = -one.side * (5.0 - 3.0 * one.degree)
        else:
            scores[label] = one.side * one.degree
    return Scores(scores, two_sided, len(set(scores.values())) == len(labels))
