"""What part in the survey a column has, by its heading and what is in it."""

import re
from collections.abc import Mapping

from even_ballot.core.data.codebook import Role
from even_ballot.core.draft.answers import Answers

_ID = re.compile(
    r"\b(id|ids|uuid|guid|caseid|case id|respid|idno|caseno|serial|serial (no|number)|case (no|number)"
    r"|respondent( id| no| number| key)?|record( id| no| number)?|interview (id|no|number)|key|token"
    r"|participant|identifier|questionnaire (no|number)|lfdn|folio)\b"
)
_WEIGHT = re.compile(
    r"(weights?\b|\bwt\b|wgh?ts?\b|\bwts?\b|^wt|wt$|\bweighting\b|\bgewicht|\bpond\w"
    r"|\bpeso\b|\bpoids\b|\bwaga\b)"
)
_NO_WEIGHT = re.compile(
    r"\b(kg|kilos?|kilograms?|lb|lbs|pounds|stone|body|your weight|you weigh|luggage|parcel|birth)\b"
)
_STRATUM = re.compile(r"\b(strat|(vstrat|schicht)\b)")
_CLUSTER = re.compile(
    r"\b(psu|psus|vpsu|clusters?|clu|primary sampling unit|sampling point|sample point|enumeration "
    r"area|\bea)\b"
)
_SIZE = re.compile(
    r"\b(fpc|population size|stratum size|stratum population|n psu in stratum|popsize|pop size)\b"
)
_STATUS = re.compile(r"\b(status|disposition|completion|response type|outcome)\b")
_STARTED = re.compile(
    r"\b(started|start|began|begin|opened|start time|startdate|starttime|interview date|date of "
    r"interview)\b"
)
_ENDED = re.compile(
    r"\b(ended|end|finished|submitted|completed|end time|enddate|endtime|submission|submitdate|"
    r"recorded)\b"
)
_SECONDS = re.compile(
    r"\b(duration|seconds|secs|time taken|interview length|length of interview|elapsed|loi)\b"
)
_MINUTES = re.compile(r"\b(minutes?|mins?|hours?|days?|weeks?|months?|years?)\b")
_COUNT = re.compile(
    r"\b(how many|number of|no of|count|times|nights?|children|people|persons|adults|members|size|trips"
    r"|visits|cars|years?|hours?|minutes?|days?|age|old|km|miles|weeks?|months?|kids|rooms|hhsize)\b"
)


_NAMES = re.compile(
    r"\b(region|isle|island|district|province|county|country|city|town|municipality|parish|harbour|area|state"
    r"|party|vote|voted|gender|gndr|sex|marital|religion|language|status|occupation|industry|wave"
    r"|arm|group|type|brand|mode|interviewer|version|sector|tenure)\b|\bethnic"
)


def says_names(answers: Answers) -> bool:
    """Whether a heading asks for which of several, so that codes are in no order.

    >>> says_names(Answers("q3", "Region", {"1": 1}, {}, 1))
    True
    """
    return _NAMES.search(answers.heading) is not None


def says_identifier(answers: Answers) -> bool:
    """Whether a heading says that it tells cases apart, and no two cells are alike.

    >>> says_identifier(Answers("resp_id", "Respondent ID", {"A1": 1, "A2": 1}, {}, 2))
    True
    """
    alike = sum(n - 1 for n in answers.words.values())
    return bool(_ID.search(answers.heading)) and answers.cells > 1 and alike <= answers.cells // 200


def says_count(answers: Answers) -> bool:
    """Whether a heading asks for a number of something.

    >>> says_count(Answers("q3", "How many trips did you make?", {"1": 1}, {}, 1))
    True
    """
    return _COUNT.search(answers.heading) is not None


def role_of(answers: Answers, numbers: Mapping[float, int] | None, dated: bool) -> Role | None:
    """The part in the survey that heading and content together say. numbers: the column's, where it holds
    nothing else; dated: whether it holds dates.

    >>> found = Answers("design_weight", "design_weight", {"0.5": 1, "1.5": 1}, {}, 2)
    >>> role_of(found, {0.5: 1, 1.5: 1}, False)
    'weight'
    """
    heading = answers.heading
    if says_identifier(answers):
        return "id"
    if dated:
        if _STARTED.search(heading):
            return "started"
        return "ended" if _ENDED.search(heading) else None
    if numbers and _WEIGHT.search(heading) and not _NO_WEIGHT.search(heading) and min(numbers) >= 0:
        whole = all(v == int(v) for v in numbers)
        if not whole or len(numbers) > 20 or re.search(r"weight|wt|wgt", answers.name.casefold()):
            return "weight"
    if numbers and _SIZE.search(heading):
        return "population_size"
    if _STRATUM.search(heading) and len(answers.words) < answers.cells:
        return "stratum"
    if _CLUSTER.search(heading) and len(answers.words) < answers.cells:
        return "cluster"
    if numbers and _SECONDS.search(heading) and not _MINUTES.search(heading):
        return "seconds"
    if numbers is None and _STATUS.search(answers.name.replace("_", " ")) and 1 <= len(answers.words) <= 12:
        return "status"
    return None
