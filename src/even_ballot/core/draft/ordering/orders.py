"""The order of answers: by what they say, never by how often they were given."""

import re
from collections.abc import Sequence
from dataclasses import dataclass

from even_ballot.core.draft.ordering.degrees import by_degree
from even_ballot.core.draft.ordering.quantities import by_quantity
from even_ballot.core.written.texts import fold

_LISTS = (
    "very poor,terrible,awful,very bad|poor,bad|below average|fair,average,ok,okay,acceptable,"
    "adequate,satisfactory,neither good nor bad,neither good nor poor|good|very good|excellent,"
    "outstanding,exceptional",
    "none,nothing,not at all,none at all,never|hardly any,very little,hardly at all,almost none,"
    "almost nothing|a little,a few,slightly,little,a bit,to a small extent,not much,not very much,"
    "few|some,somewhat,moderately,a moderate amount,to some extent,a fair amount|quite a lot,quite a "
    "bit,many,much,a lot,most|a great deal,very much,to a great extent,all,all of them,completely,"
    "extremely,everything,entirely",
    "very small,extra small,tiny|small|medium,middle,average,medium-sized|large,big|very large,extra "
    "large,huge",
    "very low|low|medium,moderate,average,middle|high|very high",
    "definitely not,certainly not|probably not|might or might not,maybe,perhaps,possibly,undecided,"
    "unsure,not sure|probably,probably yes|definitely,definitely yes,certainly",
    "no qualifications,no formal education,no education,no schooling,less than high school,less than "
    "primary,below secondary|primary,primary school,primary school or less,"
    "primary education,elementary,elementary school|"
    "lower secondary,lower secondary school,some secondary|secondary,secondary school,"
    "upper secondary,upper secondary school,high school,secondary "
    "education|vocational,vocational training,apprenticeship,college,further education,"
    "post-secondary,diploma,some college,associate degree|bachelor,bachelor's,bachelor's degree,"
    "degree,university,college or university,university or college,"
    "university degree,undergraduate degree,first degree,higher education,tertiary|"
    "master,master's,master's degree,postgraduate,postgraduate degree,graduate degree|doctorate,"
    "doctoral degree,phd",
    "monday,mon|tuesday,tue,tues|wednesday,wed|thursday,thu,thurs|friday,fri|saturday,sat|sunday,sun",
    "january,jan|february,feb|march,mar|april,apr|may|june,jun|july,jul|august,aug|september,sep,sept|october,oct|november,nov|december,dec",
    "spring|summer|autumn|winter",
    "early morning|morning|midday,noon,lunchtime|afternoon|evening|night,late night,late evening",
    "not at all|not really|to some extent,partly,in part,somewhat|mostly,mainly,largely|fully,"
    "completely,totally",
    "none of the time|a little of the time|some of the time|a good bit of the time|most of the time|"
    "all of the time",
    "much too little,far too little|too little,not enough|about right,just right,enough|too much|"
    "much too much,far too much",
    "much too low|too low|about right,just right|too high|much too high",
    "never|once,once or twice,rarely|several times,a few times,sometimes|many times,often,frequently",
    "first|second|third|fourth|fifth|sixth",
    "never|almost never,hardly ever|very rarely|rarely,seldom|occasionally,now and then,once in a "
    "while,from time to time|sometimes|about half the time,half of the time|often,regularly,"
    "frequently|usually,generally|very often|most of the time,mostly|almost always,nearly always|"
    "always,all the time,every time",
)
_NAMES = tuple(
    {word: rank for rank, words in enumerate(line.split("|")) for word in words.split(",")} for line in _LISTS
)
_UNORDERED = tuple(
    tuple(words.split(","))
    for words in ("yes,maybe,no", "yes,y,no,n", "true,false", "male,female", "men,women")
)
_LAST = re.compile(r"(others?\b.*|another\b.*|something else|none( of (these|the above|them))?|elsewhere)")
_WOULD = re.compile(r" (would|will|do|am|is|are)\b|^i (would|will) ")
_DIGITS = re.compile(r"(\d+)")


@dataclass(frozen=True)
class Ordered:
    """Answers in their order, whether the order is one of size, whether it is known (or only for reading),
    and which of them leans neither way."""

    labels: tuple[str, ...]
    ordered: bool
    known: bool
    natural: bool = False
    middle: str | None = None


def _listed(labels: Sequence[str]) -> dict[str, float] | None:
    folded = [_WOULD.sub("", fold(label).replace("’", "'").rstrip(".!")) for label in labels]
    for names in _NAMES:
        ranks = [names.get(word) for word in folded]
        if None not in ranks and len(set(ranks)) == len(ranks):
            return {label: float(rank or 0) for label, rank in zip(labels, ranks, strict=True)}
    return None


def natural_key(label: str) -> tuple[bool, list[tuple[int, float, str]]]:
    """What sorts texts as a reader would: numbers in them by their size, what is "other" last.

    >>> sorted(["Route 10", "Other", "Route 9"], key=natural_key)
    ['Route 9', 'Route 10', 'Other']
    """
    word = fold(label)
    parts = [(0, float(p), "") if p.isdecimal() else (1, 0.0, p) for p in _DIGITS.split(word[:200]) if p]
    return _LAST.fullmatch(word) is not None, parts


def in_order(labels: Sequence[str]) -> Ordered:
    """Answers in the order in which a scale would show them: from low to high where what they say is known
    to be ordered.

    >>> in_order(["Often", "Never", "Always", "Rarely"]).labels
    ('Never', 'Rarely', 'Often', 'Always')
    >>> in_order(["25 to 34", "65 or over", "18 to 24"]).labels
    ('18 to 24', '25 to 34', '65 or over')
    >>> in_order(["No", "Yes"]).labels, in_order(["Orran", "Hask"])
    (('Yes', 'No'), Ordered(labels=('Hask', 'Orran'), ordered=False, known=False, natural=False, middle=None))
    """
    if len(labels) < 2:
        return Ordered(tuple(labels), False, False)
    words = [fold(label) for label in labels]
    for known in _UNORDERED:
        if set(words) <= set(known):
            at = {word: i for i, word in enumerate(known)}
            return Ordered(tuple(sorted(labels, key=lambda label: at[fold(label)])), False, True)
    listed = _listed(labels)
    if listed is not None:
        return Ordered(tuple(sorted(labels, key=lambda label: listed[label])), True, True)
    scored = by_degree(labels)
    if scored is not None:
        ranks = scored.scores
        middle = next((label for label in labels if ranks[label] == 0), None) if scored.two_sided else None
        ordered = tuple(sorted(labels, key=lambda label: ranks[label]))
        return Ordered(ordered, True, scored.apart, middle=middle if scored.apart else None)
    sized = by_quantity(labels)
    if sized is not None:
        ordered = tuple(sorted(labels, key=lambda label: sized.keys[label]))
        return Ordered(ordered, sized.ordered, sized.ordered, natural=True)
    return Ordered(tuple(sorted(labels, key=natural_key)), False, False)
