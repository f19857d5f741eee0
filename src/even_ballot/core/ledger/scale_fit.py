"""How an answer scale fits variables before it is laid on them: which answers fit, which do not, what was
likely meant."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from even_ballot.core.data.codebook import Scale
from even_ballot.core.data.dataset import ANSWERED, MISSING, Dataset
from even_ballot.core.data.interpretation import code_of
from even_ballot.core.ledger.wording import other_meaning
from even_ballot.core.written.texts import fold

Verdict = Literal["fits", "in part", "already", "other codes", "other direction", "other kind"]
_LIKE, _SHOWN, _LONGEST = 80, 5000, 500


@dataclass(frozen=True)
class AnswerFit:
    """An answer and the code it takes; None where it fits nothing as it stands. proposal: the code it
    likely means, and why (`alike`: spacing or letter case; `misspelt`, with how like the label it is, in
    per cent)."""

    answer: str
    cases: int
    code: int | None
    proposal: int | None = None
    why: Literal["alike", "misspelt"] | None = None
    like: int | None = None


@dataclass(frozen=True)
class Fit:
    """How a scale fits one variable. says: what stands against it, where something does."""

    variable: str
    verdict: Verdict
    says: str
    answers: tuple[AnswerFit, ...]


def _proposed(answer: str, cases: int, scale: Scale, labels: dict[str, int]) -> AnswerFit:
    if (code := code_of(answer, labels)) is not None:
        known = scale.label_of(code) is not None
        return AnswerFit(answer, cases, code if known else None)
    folded = {fold(item.label): item.code for item in (*scale.codes, *scale.missing)}
    wanted = fold(answer)
    if wanted in folded:
        return AnswerFit(answer, cases, None, folded[wanted], "alike")
    if len(wanted) > _LONGEST:
        return AnswerFit(answer, cases, None)
    from rapidfuzz import fuzz, process  # Loaded where a label fits no code.

    near = process.extractOne(wanted, list(folded), scorer=fuzz.ratio, score_cutoff=_LIKE)
    if near is not None:
        return AnswerFit(answer, cases, None, folded[near[0]], "misspelt", round(near[1]))
    return AnswerFit(answer, cases, None)


def _verdict(data: Dataset, name: str, scale: Scale) -> tuple[Verdict, str]:
    """What stands against a scale on a variable that is coded already."""
    before = data.scale_of(name)
    if before is None:
        return "fits", ""
    if before.codes == scale.codes and before.missing == scale.missing and before.ordered == scale.ordered:
        return "already", "It has this scale already."
    old, new = [c.label for c in before.codes], [c.label for c in scale.codes]
    ranked = {item.label: item.code for item in scale.codes}
    codes = [ranked.get(item.label) for item in sorted(before.codes, key=lambda item: item.code)]
    known = [code for code in codes if code is not None]
    if set(old) == set(new) and len(known) > 1 and known == sorted(known, reverse=True):
        return "other direction", "Its codes run the other way: reverse the question instead."
    column = data.column(name)
    used = np.unique(column.values[np.isin(column.state, (ANSWERED, MISSING))]).tolist()
    if (clash := other_meaning(used, before, scale)) is not None:
        code, was, becomes = clash
        return (
            "other codes",
            f"Code {code} means “{was}” in this question but “{becomes}” in the scale: recode the "
            f"question first.",
        )
    return "fits", ""


def fit(data: Dataset, name: str, scale: Scale) -> Fit:
    """How a scale fits a variable. Nothing is changed.

    >>> from even_ballot.core.data.example import ferry
    >>> fit(ferry(), "crosses", ferry().scales["how_often"]).verdict
    'already'
    """
    column, variable = data.column(name, "variables"), data.variable(name, "variables")
    if variable.kind in ("date", "multi"):
        return Fit(name, "other kind", f"It is a {variable.kind}; scales are for single answers.", ())
    verdict, says = _verdict(data, name, scale) if variable.kind == "coded" else ("fits", "")
    labels = scale.wordings
    answers: list[AnswerFit] = []
    plain = np.isin(column.state, (ANSWERED, MISSING))
    if variable.kind == "text":
        counts = np.bincount(column.values[plain], minlength=len(column.words))
        answers = [
            _proposed(column.words[i], int(counts[i]), scale, labels)
            for i in np.argsort(-counts, kind="stable")
            if counts[i]
        ]
    else:
        values, counts = np.unique(column.values[plain], return_counts=True)
        answers = [_proposed(f"{v:.15g}", int(n), scale, labels) for v, n in zip(values, counts, strict=True)]
    answers += [
        _proposed(word, n, scale, labels) for word, n in column.entries().items() if variable.kind != "text"
    ]
    if verdict in ("fits", "already") and any(answer.code is None for answer in answers):
        verdict, says = "in part", ""
    return Fit(name, verdict, says, tuple(answers[:_SHOWN]))


def fits(data: Dataset, names: Sequence[str], scale: Scale) -> tuple[Fit, ...]:
    """How a scale fits several variables, each for itself.

    >>> from even_ballot.core.data.example import ferry
    >>> [found.verdict for found in fits(ferry(), ["crosses", "said"], ferry().scales["how_often"])]
    ['already', 'in part']
    """
    return tuple(fit(data, name, scale) for name in names)
