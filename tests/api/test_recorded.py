"""What the tests of the interface's components are fed is what the API answers: a small study, its answers
recorded in web/tests/recorded.json. `--record` writes them anew."""

import json
import re
from pathlib import Path
from typing import Any

import pytest

RECORDED = Path(__file__).parents[2] / "web" / "tests" / "recorded.json"
ISLES = [{"code": 1, "label": "Hask"}, {"code": 2, "label": "Orran"}]
OFTEN = [{"code": 1, "label": "Never"}, {"code": 2, "label": "At times"}, {"code": 3, "label": "Weekly"}]
PASSING = {"who": "somebody", "seconds": 0.0} | dict.fromkeys(
    ("when", "made", "changed"), "2026-05-02T10:00:00Z"
)
GETS = [
    "", "/codebook", "/ledger", "/ledger/1", "/findings", "/flow", "/left-out", "/weightings", "/weightings/0/limits",
    "/weightings/0/heaviest", "/comparison", "/design", "/tables/t1", "/tables/t2", "/disclosure", "/doing",
]  # fmt: skip


def answers() -> bytes:
    """Forty passengers; one isle is mistyped, one age is out of range."""
    lines = ["id,isle,crosses,safe,age,to_work,to_shop,said"]
    for k in range(1, 41):
        isle = "Hask" if k % 3 else "Orran"
        crosses, safe = 1 + k * k % 3, 1 + (k + k // 5) % 3
        age = "" if k == 9 else str(18 + 7 * k % 60)
        lines.append(
            f"{k},{'Haks' if k == 7 else isle},{'' if k == 11 else crosses},{safe},{age},{k % 2},{k % 4 // 2},{'late' if k % 5 else 'dear'}"
        )
    return ("\n".join(lines) + "\n").encode()


def document(study: dict[str, Any]) -> dict[str, Any]:
    """The parts of the small study."""
    scales = {
        "isles": {"codes": ISLES},
        "often": {"codes": OFTEN, "ordered": True, "missing": [{"code": 9, "label": "No answer"}]},
    }
    variables = [
        {"name": "isle", "kind": "coded", "scale": "isles", "label": "Isle of landing"},
        {"name": "crosses", "kind": "coded", "scale": "often", "label": "How often do you cross?"},
        {"name": "safe", "kind": "coded", "scale": "often", "label": "How often do you feel safe?"},
        {"name": "age", "kind": "number", "label": "How old are you?", "least": 16, "most": 70},
        {"name": "why", "kind": "multi", "label": "Why do you cross?", "parts": ["to_work", "to_shop"]},
        {"name": "id", "kind": "number", "role": "id"},
    ]
    targets = [{"at": {"isle": 1}, "value": 0.6}, {"at": {"isle": 2}, "value": 0.4}]
    return {
        "codebook": {**study["document"]["codebook"], "scales": scales, "variables": variables},
        "ledger": [
            {"do": "drop_cases", "where": "age > 75", "why": "too old to be true"},
            {"do": "derive", "into": "older", "value": "age >= 45", "off": True},
        ],
        "weightings": [{"margins": [{"by": ["isle"], "unknown": "hold", "targets": targets}], "save_as": "weight"}],
        "tables": [
            {"id": "t1", "title": "Crossing by isle", "stub": ["crosses", "age"], "banner": ["isle"],
             "show": ["n", "col_pct", "mean"], "tests": ["columns"], "nets": [{"label": "At all", "stub": "crosses", "codes": [2, 3]}]},
            {"id": "t2", "title": "Both questions", "stub": ["crosses", "safe"], "layout": "battery", "show": ["col_pct"]},
        ],
    }  # fmt: skip


def plain(value: Any, ids: dict[str, str]) -> Any:
    """Without what is another each time or on another processor: identifiers, times, how long something
    took, bytes, the last digits of a number and what only rounding left of one."""
    if isinstance(value, dict):
        return {
            ids.get(key, key): PASSING[key]
            if key in PASSING and isinstance(item, str | float)
            else plain(item, ids)
            for key, item in value.items()
        }
    if isinstance(value, list):
        return [plain(item, ids) for item in value]
    if isinstance(value, float):
        return float(f"{round(value, 12):.9g}")
    if isinstance(value, str):
        for known, name in ids.items():
            value = value.replace(known, name)
        return re.sub(r"\d{4}-\d\d-\d\dT[\d:.]+(Z|\+00:00)?", "2026-05-02T10:00:00Z", value)
    return value


def recorded(api: Any) -> dict[str, Any]:
    """Every answer by method and path."""
    file = api.bring("answers.csv", answers())
    study = api(
        "GET", f"/studies/{api('POST', '/studies', json={'title': 'Ferries', 'file': file['id']})['id']}"
    )
    study = api.change(study, **document(study))
    at = f"/studies/{study['id']}"
    found: dict[str, Any] = {
        "GET /vocabulary": api("GET", "/vocabulary"),
        "GET /studies": api("GET", "/studies"),
    }
    found["GET /files/f1"] = api("GET", f"/files/{file['id']}")
    draft = f"/files/{file['id']}/draft"
    found["GET /files/f1/draft"] = lines = api("GET", draft)
    said = next(seen["line"] for seen in lines if "said" in seen["line"]["questions"])
    found["POST /files/f1/draft/look"] = api("POST", f"{draft}/look", json=said)
    found["POST /files/f1/draft/as"] = api(
        "POST", f"{draft}/as", json={"kind": "text", "questions": ["crosses", "safe"]}
    )
    found |= {f"GET /studies/s1{path}": api("GET", at + path) for path in GETS}
    first = found["GET /studies/s1/findings"][0]
    finding = {key: first[key] for key in ("variable", "kind", "value")}
    found["GET /studies/s1/findings/cases"] = api("GET", f"{at}/findings/cases", params=finding)
    asked: dict[str, tuple[str, dict[str, Any]]] = {
        "targets": ("targets", {"by": ["isle"], "text": "Hask 60\nOran 40"}),
        "condition": ("condition", {"where": "age > 40"}),
        "fit": ("fit", {"variables": ["said"], "scale": {"codes": ISLES}}),
        "cells": ("cells", {"limit": 10}),
        "try": ("try", {"step": {"do": "derive", "into": "young", "value": "age < 30"}}),
    }
    for name, (path, body) in asked.items():
        found[f"POST /studies/s1/{name}"] = api("POST", f"{at}/{path}", json=body)
    return plain(found, {study["id"]: "s1", file["id"]: "f1"})


def test_components_are_tested_with_what_the_api_answers(api: Any, request: pytest.FixtureRequest) -> None:
    now = json.loads(json.dumps(recorded(api)))
    if request.config.getoption("--record"):
        RECORDED.write_text(json.dumps(now, ensure_ascii=False, indent=1, sort_keys=True) + "\n")
    assert now == json.loads(RECORDED.read_text()), "run this test with --record"
