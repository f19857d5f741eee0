"""The demo's study file: the whole job done on the first delivery."""

from typing import Any

from even_ballot.demo.form import (
    AGREE,
    HEADINGS,
    MISSPELT,
    OFTEN,
    REASONS,
    SCHOOLING,
    SEX,
    STATEMENTS,
    TENURE,
    TRANSLATED,
    TURNED,
)
from even_ballot.demo.isles import ISLES, margins
from even_ballot.formats.sources.headings import unique_names

RENAMED = {
    HEADINGS.sex: "sex", HEADINGS.age: "age", HEADINGS.tenure: "tenure", HEADINGS.school: "schooling", HEADINGS.district: "district",
    HEADINGS.reasons: "reasons", HEADINGS.spend: "fare_spend", HEADINGS.household: "household", HEADINGS.office: "harbour_office",
    HEADINGS.more[0]: "comment_1", HEADINGS.more[1]: "comment_2",
}  # fmt: skip


def names() -> dict[str, str]:
    """The short name each column arrives under, by its key."""
    return dict(zip(HEADINGS.keys, unique_names(HEADINGS.columns), strict=True))


def _scale(
    labels: tuple[str, ...], ordered: bool = False, missing: dict[int, str] | None = None
) -> dict[str, Any]:
    scale: dict[str, Any] = {
        "codes": [{"code": i, "label": label} for i, label in enumerate(labels, start=1)]
    }
    if ordered:
        scale["ordered"] = True
    if missing:
        scale["missing"] = [{"code": code, "label": label} for code, label in missing.items()]
    return scale


def _wordings() -> dict[str, int]:
    """Answers that are no label but mean one: the translated form's, case variants, misspellings."""
    code = {label: i for i, label in enumerate(AGREE, start=1)}
    translated = {other: code[label] for label, other in TRANSLATED.items()}
    return {**translated, **{label.lower(): i for label, i in code.items()}, **MISSPELT}


def _targets(margin: str, at: list[dict[str, int]]) -> list[dict[str, Any]]:
    return [
        {"at": where, "value": count} for where, count in zip(at, margins()[margin].values(), strict=True)
    ]


# Long: a study file is one document.
def study_document() -> dict[str, Any]:
    """The study file as a document."""
    arrived = names()
    n = arrived | RENAMED
    statements = [n[s] for s in STATEMENTS]
    services = [n[s] for s in HEADINGS.services]
    turned = [statements[2], statements[5]]
    seconds = f"seconds_between({n[HEADINGS.started]}, {n[HEADINGS.finished]})"
    roles = {HEADINGS.letter: "id", HEADINGS.started: "started", HEADINGS.finished: "ended", HEADINGS.status: "status",
             HEADINGS.order: "order"}  # fmt: skip
    variables: list[dict[str, Any]] = [
        {"name": n[key], "kind": "date" if role in ("started", "ended") else "text", "role": role}
        for key, role in roles.items()
    ]
    variables += [
        {"name": arrived[HEADINGS.office], "kind": "coded", "scale": "content"},
        {"name": "seconds", "kind": "number", "unit": "seconds", "role": "seconds"},
    ]
    return {
        "even_ballot": 1,
        "title": "Veldry Isles ferry survey",
        "source": {"path": "answers.csv"},
        "lookups": {"frame": {"path": "frame.csv"}},
        "codebook": {
            "scales": {
                "agreement": _scale(AGREE, ordered=True, missing={98: "Don't know", 99: "No answer"}),
                "frequency": _scale(OFTEN, ordered=True),
                "sex": _scale(SEX, missing={9: "Prefer not to say"}),
                "tenure": _scale(TENURE),
                "schooling": _scale(SCHOOLING, ordered=True),
                "content": _scale(("Not at all", "A little", "Partly", "Mostly", "Very much"), ordered=True, missing={99: "No answer"}),
                "isle": _scale(ISLES),
            },
            "variables": variables,
        },
        "ledger": [
            {"do": "rename", "names": {arrived[key]: name for key, name in RENAMED.items()}},
            {"do": "drop_cases", "where": f"{n[HEADINGS.status]} == 'Staff test'", "why": "made by our own staff while testing the form"},
            {"do": "derive", "into": "seconds", "value": seconds, "label": "Seconds from start to finish"},
            {"do": "drop_cases", "where": "seconds < 120", "why": "faster than anyone can read the form"},
            {"do": "drop_cases", "duplicates": {"of": [n[HEADINGS.letter]], "keep": "first"}, "why": "one letter, one adult"},
            {"do": "tidy", "variables": [*statements, *services]},
            {"do": "tidy", "variables": [n[HEADINGS.district]], "case": "upper"},
            {"do": "code", "variables": statements, "scale": "agreement", "answers": _wordings()},
            {"do": "code", "variables": services, "scale": "frequency"},
            {"do": "code", "variables": [n[HEADINGS.sex]], "scale": "sex"},
            {"do": "code", "variables": [n[HEADINGS.tenure]], "scale": "tenure"},
            {"do": "code", "variables": [n[HEADINGS.school]], "scale": "schooling"},
            {"do": "recode", "variables": [n[HEADINGS.office]], "codes": {"9": 99}, "why": "a 9 typed for 99"},
            {"do": "to_number", "variables": [n[HEADINGS.age]], "words": True},
            {"do": "to_number", "variables": [n[HEADINGS.spend]], "decimal": ","},
            {"do": "drop_cases", "where": f"missing({n[HEADINGS.sex]})", "why": "the population margins know no third answer"},
            {"do": "reverse", "variables": turned, "suffix": "_rev"},
            {"do": "band", "variable": n[HEADINGS.age], "into": "age_band", "label": "Age", "bands": [
                {"code": 1, "label": "18 to 34", "from": 18, "below": 35},
                {"code": 2, "label": "35 to 59", "from": 35, "below": 60},
                {"code": 3, "label": "60 and over", "from": 60}]},
            {"do": "look_up", "from": "frame", "on": {n[HEADINGS.district]: "district"}, "take": ["stratum", "districts_in_stratum", "base_weight"]},
            {"do": "derive", "into": "isle", "label": "Isle", "scale": "isle",
             "value": "pick(contains(stratum, 'Hask'), 1, pick(contains(stratum, 'Orran'), 2, pick(contains(stratum, 'Tolvey'), 3, 4)))"},
            {"do": "split", "variable": n[HEADINGS.reasons], "separator": ";", "into": "why_cross",
             "options": [{"code": i, "label": label} for i, label in enumerate(REASONS, start=1)]},
        ],
        "weightings": [{
            "base": "base_weight",
            "margins": [
                {"by": [n[HEADINGS.sex], "age_band"], "as": "counts",
                 "targets": _targets("sex by age", [{n[HEADINGS.sex]: s, "age_band": a} for s in (1, 2) for a in (1, 2, 3)])},
                {"by": ["isle"], "as": "counts", "targets": _targets("isle", [{"isle": i} for i in (1, 2, 3, 4)])},
                {"by": [n[HEADINGS.tenure]], "as": "counts",
                 "targets": _targets("tenure", [{n[HEADINGS.tenure]: i} for i in (1, 2, 3)])},
                {"by": [n[HEADINGS.school]], "as": "counts",
                 "targets": _targets("schooling", [{n[HEADINGS.school]: i} for i in (1, 2, 3, 4)])},
            ],
            "scale_to": "population",
            "save_as": "weight",
        }],
        "design": {"weight": "weight", "strata": ["stratum"], "clusters": [n[HEADINGS.district]],
                   "population_size": "districts_in_stratum"},
        "usual_banner": [n[HEADINGS.sex], "age_band"],
        "tables": [
            {"id": "need", "title": "The ferry runs when I need it, by isle", "stub": [statements[0]], "banner": ["isle"],
             "show": ["col_pct", "mean"], "tests": ["independence"]},
            {"id": "crossing", "title": "How often islanders take the passenger ferry, by sex and age", "stub": [services[0]],
             "banner": [n[HEADINGS.sex], "age_band"], "show": ["col_pct"]},
            {"id": "fares", "title": "Weekly spending on fares, by isle", "stub": [n[HEADINGS.spend]], "banner": ["isle"],
             "show": ["mean", "median", "sd", "total", "ratio"], "per": n[HEADINGS.household]},
            {"id": "why", "title": "Why islanders cross, by isle", "stub": ["why_cross"], "banner": ["isle"],
             "show": ["col_pct", "response_pct"]},
            {"id": "ferry", "title": "What islanders think of the ferry", "stub": statements, "layout": "battery",
             "show": ["col_pct", "mean", "sd"], "nets": [{"label": "Agree in all", "top": 2}],
             "display": {"rows": {"stat": "col_pct", "net": "Agree in all"}}},
        ],
        "models": [
            {"id": "weekly_people", "title": "Every week, by who they are", "kind": "logistic", "outcome": services[0],
             "event": [4], "terms": [[n[HEADINGS.sex]], ["age_band"], [n[HEADINGS.household]]],
             "where": f"not missing(isle) and not missing({n[HEADINGS.tenure]})"},
            {"id": "weekly", "title": "Who takes the passenger ferry every week", "kind": "logistic", "outcome": services[0],
             "event": [4], "terms": [[n[HEADINGS.sex]], ["age_band"], ["isle"], [n[HEADINGS.tenure]], [n[HEADINGS.household]]],
             "predictions": ["isle", "age_band"]},
        ],
        "side_by_side": [
            {"id": "weekly", "title": "Every week: what isle and home add to who they are", "models": ["weekly_people", "weekly"],
             "show": ["odds_ratio", "or_interval"]},
        ],
        "reliability": [
            {"id": "views", "title": "Contentment with the ferry, two statements turned round",
             "items": [f"{s}_rev" if i in TURNED else s for i, s in enumerate(statements)]},
            {"id": "trust", "title": "Trust in the ferry", "items": [statements[i] for i in (0, 1, 3, 4)]},
        ],
        "correlations": [
            {"id": "views", "title": "What goes with spending on fares",
             "variables": [n[HEADINGS.spend], "age", n[HEADINGS.household], statements[0], statements[4]], "method": "spearman"},
        ],
        "release": {
            "subtitle": "What islanders say of the crossing, spring 2026",
            "authors": ["Statistics of the Veldry Isles"],
            "date": "2026-06-12",
            "foreword": "Adults on four isles were asked by letter how they cross, what they pay and what they think "
            "of the ferry. *Every figure is weighted to the population* and has its standard error and interval.",
            "formats": ["xlsx", "docx", "pdf", "html"],
            "with_it": ["records", "codebook", "ledger", "methods"],
        },
    }  # fmt: skip
