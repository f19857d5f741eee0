"""Study documents as an interface, a colleague or an attacker may send them: a good one on a small file of
answers, and what can be done to it at any place."""

import copy
from collections.abc import Callable, Iterator
from typing import Any

from hypothesis import strategies as st

ANSWERS = (
    "id,q,a,b,c,age,sex,region,w,psu,when,why,spend,left\n"
    + "\n".join(
        f"{i},{('yes', 'no', 'Yes ', 'maybe', '')[i % 5]},{i % 5 + 1},{(i * 7) % 5 + 1},{(i * 3) % 5 + 1},"
        f"{18 + (i * 11) % 60},{i % 2 + 1},{i % 3 + 1},{1 + i % 4}.5,{i % 8},2026-0{i % 9 + 1}-1{i % 9},"
        f'{("Work", "Work; Shop", "Shop", "")[i % 4]},"{i % 30},50",{("x", "")[i % 2]}'
        for i in range(1, 49)
    )
    + "\n"
).encode()
_AGREE = [{"code": i, "label": f"Agree {i}"} for i in range(1, 6)]


def _scale(*labels: str) -> dict[str, Any]:
    return {"codes": [{"code": i, "label": label} for i, label in enumerate(labels, 1)]}


def document() -> dict[str, Any]:
    """A study file that uses every kind of step, and something of everything else."""
    return {
        "title": "Boats of Orran",
        "source": {"path": "answers.csv"},
        "codebook": {
            "scales": {
                "agree": {"codes": _AGREE, "ordered": True, "missing": [{"code": 9, "label": "None"}]},
                "yesno": _scale("yes", "no"), "sex": _scale("women", "men"), "region": _scale("N", "E", "S"),
            },
            "variables": [
                *({"name": n, "kind": "coded", "scale": "agree"} for n in "abc"),
                {"name": "sex", "kind": "coded", "scale": "sex"}, {"name": "region", "kind": "coded", "scale": "region"},
                {"name": "age", "kind": "number", "least": 18, "most": 99, "missing": [{"code": 99, "label": "Refused"}]},
                {"name": "id", "kind": "number", "role": "id", "label": "Letter"},
                {"name": "q", "kind": "text"}, {"name": "why", "kind": "text"},
            ],
            "rules": [{"name": "grown up", "must": "age > 17"}],
            "accepted": [{"variable": "q", "kind": "not_placed", "value": "maybe", "why": "said so"}],
        },
        "screening": {"fast": 30, "battery": 3, "questions": ["a", "b", "c"]},
        "ledger": [
            {"do": "rename", "names": {"left": "rest"}}, {"do": "discard", "variables": ["rest"]},
            {"do": "drop_cases", "where": "age > 75"}, {"do": "drop_cases", "ids": {"variable": "id", "in": [3, "4"]}, "why": "staff"},
            {"do": "drop_cases", "duplicates": {"of": ["id"], "keep": "fullest"}},
            {"do": "tidy", "variables": ["q"], "case": "lower"},
            {"do": "replace", "variables": ["q"], "wordings": {"maybe": "no"}},
            {"do": "code", "variables": ["q"], "scale": "yesno", "answers": {"perhaps": 2}},
            {"do": "to_number", "variables": ["spend"], "decimal": ","}, {"do": "to_date", "variables": ["when"], "order": "year_month_day"},
            {"do": "recode", "variables": ["a"], "codes": {"5": 4, "4": None}, "suffix": "_r"},
            {"do": "fill_blank", "variables": ["q"], "code": 9}, {"do": "edit", "id": 7, "variable": "b", "value": 2},
            {"do": "reverse", "variables": ["c"], "suffix": "_rev"},
            {"do": "collapse", "variable": "a", "into": "a3", "groups": [
                {"code": 1, "label": "Low", "from": [1, 2]}, {"code": 2, "label": "High", "from": [4, 5]}], "otherwise": 3},
            {"do": "band", "variable": "age", "into": "band", "bands": [
                {"code": 1, "label": "Young", "below": 40}, {"code": 2, "label": "Old", "from": 40}]},
            {"do": "derive", "into": "twice", "value": "2 * age"},
            {"do": "derive", "into": "side", "value": "pick(age < 30, 1, 2)", "scale": "sex", "label": "Side"},
            {"do": "score", "items": ["a", "b", "c"], "into": "score", "how": "mean", "at_least": 2},
            {"do": "count_blank", "variables": ["a", "q"], "into": "blanks"},
            {"do": "split", "variable": "why", "separator": ";", "into": "whys", "options": [
                {"code": 1, "label": "Work"}, {"code": 2, "label": "Shop"}]},
        ],
        "weightings": [{
            "base": "w", "nonresponse": {"responded": "not missing(q)", "cells": ["sex"], "smallest": 2},
            "margins": [
                {"by": ["sex"], "as": "percent", "targets": [{"at": {"sex": 1}, "value": 55}, {"at": {"sex": 2}, "value": 45}]},
                {"by": [], "total_of": "age", "as": "means", "targets": [{"at": {}, "value": 45}]},
            ],
            "limits": {"low": 0.1, "high": 6}, "save_as": "weight",
        }],
        "design": {"strata": ["sex"], "clusters": ["psu"], "single_psu": "mean_of_units", "calibrated": True},
        "where": "age < 90", "usual_banner": ["sex"],
        "tables": [
            {"id": "t1", "title": "Boats", "stub": ["a", "spend", "whys"], "banner": ["sex", ["region", "band"]],
             "show": ["n", "count", "col_pct", "row_pct", "mean", "median", "total", "ratio", "geometric_mean"], "per": "age",
             "tests": ["independence", "columns", "trend", "wald"], "nets": [{"label": "Top", "top": 2}, {"label": "NE", "banner": "region", "codes": [1, 2]}],
             "contrasts": [{"label": "men less women", "of": [{"at": {"sex": 2}, "times": 1}, {"at": {"sex": 1}, "times": -1}]}],
             "interval": {"method": "wilson"}, "total_row": True, "levels": [0.01, 0.05], "beside": ["se", "deff"]},
            {"id": "t2", "stub": ["a", "b", "c"], "layout": "battery", "show": ["col_pct", "mean"], "where": "sex == 1", "plain": True,
             "display": {"rows": {"stat": "mean"}}},
            {"id": "t3", "stub": ["when"], "dates": "quarter", "banner": ["band"], "show": ["col_pct"]},
        ],
        "models": [
            {"id": "m1", "kind": "logistic", "outcome": "q", "event": [1], "terms": [["sex"], ["age"]], "predictions": ["sex"]},
            {"id": "m2", "kind": "linear", "outcome": "spend", "terms": [["region"], ["region", "sex"]], "reference": {"region": 2}, "as_number": ["sex"]},
        ],
        "side_by_side": [{"id": "s1", "models": ["m1", "m2"], "show": ["est", "p"]}],
        "reliability": [{"id": "r1", "items": ["a", "b", "c_rev"]}],
        "correlations": [{"id": "c1", "variables": ["age", "spend", "a"], "method": "spearman"}],
        "marks": {"base": 5}, "suppression": {"below": 2},
        "release": {"subtitle": "Spring", "authors": ["The office"], "formats": ["html"], "foreword": "Read *this*.",
                    "parts": [{"heading": "All"}, {"table": "t1", "note": "Few.", "picture": True}, {"model": "m1"}, {"side_by_side": "s1"}]},
        "alternatives": [],
    }  # fmt: skip


HOSTILE: tuple[Any, ...] = (
    "", " ", "\ud800", "\u202egnp.exe", "\x00", "x" * 3000, "sex", "age", "q", "why", "row", "whys", "weight", "t1", "1", "(", "age >", "`",
    "=1+1", "<b>&amp;", 0, 1, -1, 2, 5, 0.5, 1e308, -1e308, 5e-324, 2**31, -(2**31) - 1, 10**30, True, False, None, [], {}, [None], ["sex"],
    ["age", "age"], {"sex": 1},
)  # fmt: skip
"""What may stand where something else should."""
Change = Callable[[Any], Any]


def _places(value: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    items = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, inner in items:
        yield (*path, key)
        yield from _places(inner, (*path, key))


def _leaves(value: Any) -> list[Any]:
    found = [value]
    for key in value.values() if isinstance(value, dict) else value if isinstance(value, list) else ():
        found += _leaves(key)
    return found


@st.composite
def mutated(draw: st.DrawFn, parts: tuple[str, ...] = ()) -> dict[str, Any]:
    """A document changed at one to three places: something else stands there, what stands elsewhere in the
    document stands there too, it stands twice, it is gone, or another takes its place. parts: where."""
    made = copy.deepcopy(document())
    for _ in range(draw(st.integers(1, 3))):
        places = [p for p in _places(made) if not parts or p[0] in parts]
        path = draw(st.sampled_from(places))
        holder = made
        for key in path[:-1]:
            holder = holder[key]
        last = path[-1]
        match draw(st.sampled_from(["hostile", "elsewhere", "again", "gone", "swapped", "key"])):
            case "hostile":
                holder[last] = copy.deepcopy(draw(st.sampled_from(HOSTILE)))
            case "elsewhere":
                alike = [v for v in _leaves(made) if type(v) is type(holder[last])]
                holder[last] = copy.deepcopy(draw(st.sampled_from(alike)))
            case "again" if isinstance(holder, list):
                holder.insert(last, copy.deepcopy(holder[last]))
            case "gone":
                del holder[last]
            case "swapped" if isinstance(holder, list):
                other = draw(st.integers(0, len(holder) - 1))
                holder[last], holder[other] = holder[other], holder[last]
            case "key" if isinstance(holder, dict):
                named = draw(st.sampled_from([v for v in HOSTILE if isinstance(v, str)]))
                holder[named] = holder.pop(last)
    return made
