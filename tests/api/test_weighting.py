"""The weighting station through the API: several weightings, prices of limits, comparison, heavy cases,
files of targets."""

import io
from typing import Any

import openpyxl
import pytest


def weightings(demo: dict[str, Any], *more: dict[str, Any]) -> list[dict[str, Any]]:
    first = demo["document"]["weightings"][0]
    return [first, *({**first, **parts} for parts in more)]


def test_several_weightings_stand_side_by_side_and_each_can_be_the_tables(
    api: Any, demo: dict[str, Any]
) -> None:
    study = api.change(
        demo, weightings=weightings(demo, {"save_as": "held", "limits": {"low": 0.5, "high": 2}})
    )
    here = f"/studies/{demo['id']}"
    first, held = api("GET", f"{here}/weightings")["reports"]
    assert first["at_limits"] is None
    assert held["at_limits"] > 50
    assert held["n_effective"] > first["n_effective"]
    found = api("GET", f"{here}/comparison", params={"variables": ["isle", "age"]})
    assert [w["name"] for w in found["weights"]] == [None, "weight", "held"]
    assert [m["weightings"] for m in found["margins"]] == [["weight", "held"]] * 4
    assert all(m["gaps"][1] < 1e-9 and m["gaps"][2] < 1e-9 < m["gaps"][0] for m in found["margins"])
    hask = found["rows"][0]
    assert (hask["variable"], hask["label"]) == ("isle", "Hask")
    assert hask["estimates"][1] == pytest.approx(hask["estimates"][2]) == pytest.approx(0.37, abs=0.01)
    assert found["rows"][4]["label"] == "mean"
    before = api("GET", f"{here}/tables/need")["result"]["cells"]
    api.change(study, design={**study["document"]["design"], "weight": "held"})
    after = api("GET", f"{here}/tables/need")["result"]["cells"]
    assert [c["est"] for c in before] != [c["est"] for c in after]


def test_what_is_wrong_with_one_weighting_does_not_stop_the_others(api: Any, demo: dict[str, Any]) -> None:
    wrong = {
        "save_as": "off",
        "margins": [{"by": ["isle"], "targets": [{"at": {"isle": 1}, "value": 0.9}]}],
        "scale_to": "cases",
    }
    api.change(demo, weightings=weightings(demo, wrong))
    found = api("GET", f"/studies/{demo['id']}/weightings")
    assert [r and r["save_as"] for r in found["reports"]] == ["weight", None]
    assert {f["where"].split(".")[0] for f in found["faults"]} == {"weightings[1]"}
    assert api("GET", f"/studies/{demo['id']}/comparison")["weights"][1]["name"] == "weight"
    assert api("GET", f"/studies/{demo['id']}/design")["psus"] == 150


def test_limits_have_their_price(api: Any, demo: dict[str, Any]) -> None:
    prices = api("GET", f"/studies/{demo['id']}/weightings/0/limits")
    assert prices[0]["high"] is None
    assert len(prices) > 10
    assert all(p["met"] for p in prices)
    highs = [p["high"] for p in prices[1:]]
    assert highs == sorted(highs, reverse=True)
    sizes = [p["n_effective"] for p in prices]
    assert sizes == sorted(sizes)
    assert all(p["max"] <= p["high"] + 1e-9 for p in prices[1:])
    assert abs(prices[-1]["moved"]["within"] - prices[-1]["moved"]["without"]) > 0.001


def test_the_heaviest_cases_are_named_with_their_categories(api: Any, demo: dict[str, Any]) -> None:
    cases = api("GET", f"/studies/{demo['id']}/weightings/0/heaviest", params={"most": 5})
    report = api("GET", f"/studies/{demo['id']}/weightings")["reports"][0]
    assert len(cases) == 5
    assert cases[0]["weight"] == pytest.approx(report["max"])
    assert set(cases[0]["categories"]) == {"sex", "age_band", "isle", "tenure", "schooling"}
    assert cases[0]["id"]
    row = cases[0]["row"]
    (seen,) = api("POST", f"/studies/{demo['id']}/cells", json={"where": f"row == {row}"})["rows"]
    assert seen["id"] == cases[0]["id"]
    api("GET", f"/studies/{demo['id']}/weightings/7/heaviest", status=422)


def test_targets_come_from_a_file_and_a_misspelt_label_says_what_was_meant(
    api: Any, demo: dict[str, Any]
) -> None:
    sheet = openpyxl.Workbook()
    for line in (("Isle", None, "People"), ("Haask", None, 22681), ("Orran", None, 17164), (4, None, 8582)):
        sheet.active.append(line)
    content = io.BytesIO()
    sheet.save(content)
    here = f"/studies/{demo['id']}/targets"
    text = api("PUT", here, params={"name": "isles.xlsx"}, content=content.getvalue())["text"]
    assert text == "Isle\tPeople\nHaask\t22681\nOrran\t17164\n4\t8582"
    found = api("POST", here, json={"by": ["isle"], "text": text})
    assert [line["likely"] for line in found["lines"]] == ["Hask", None, None]
    assert [line["label"] for line in found["lines"]] == [None, "Orran", "Brim"]
    assert found["without_target"] == ["Hask", "Tolvey"]
    assert (
        api("PUT", here, params={"name": "isles.csv"}, content="Hask;1\nBrim;2\n".encode("utf-16"))["text"]
        == "Hask;1\nBrim;2"
    )
    (fault,) = api("PUT", here, params={"name": "empty.csv"}, content=b"\n\n", status=422)["faults"]
    assert "file is empty" in fault["what"]
    (fault,) = api("PUT", here, params={"name": "a.jsonl"}, content=b"{}", status=422)["faults"]
    assert "CSV, XLSX or ODS" in fault["what"]


def test_the_report_is_a_page_to_release(api: Any, demo: dict[str, Any]) -> None:
    page = api("GET", f"/studies/{demo['id']}/release/weighting.html").decode()
    for said in (
        "How the sample was weighted",
        "<svg",
        "sex × age_band",
        "8 strata, 150 first-stage units",
        "Effective sample size",
    ):
        assert said in page
    assert "http" not in page.replace("http-equiv", "")
    study = api.change(demo, weightings=[], design={"weight": None})
    (fault,) = api("GET", f"/studies/{study['id']}/release/weighting.html", status=422)["faults"]
    assert "no weights to report on" in fault["what"]


@pytest.mark.parametrize(
    ("design", "says"),
    [
        (
            {"variance": {"method": "jackknife"}},
            "the jackknife, each first-stage unit left out in turn (150 replicates)",
        ),
        (
            {"variance": {"method": "bootstrap", "count": 40, "seed": 3}, "calibrated": True},
            "40 bootstrap replicates",
        ),
        (
            {"calibrated": True},
            "linearisation (Taylor series), accounting for raking through the residuals on the margins",
        ),
    ],
)
def test_the_design_says_how_standard_errors_are_made(
    api: Any, demo: dict[str, Any], design: dict[str, Any], says: str
) -> None:
    held = demo["document"]["design"]
    plain = api("GET", f"/studies/{demo['id']}/tables/need")["result"]["cells"]
    api.change(demo, design={**held, **design})
    view = api("GET", f"/studies/{demo['id']}/design")
    assert says in view["method"]
    assert view["faults"] == []
    table = api("GET", f"/studies/{demo['id']}/tables/need")
    assert any(says in line for line in table["note"])
    pairs = [(a["se"], b["se"]) for a, b in zip(plain, table["result"]["cells"], strict=True) if a.get("se")]
    assert all(b is not None for _, b in pairs)
    assert any(abs(a - b) > 1e-6 for a, b in pairs)


def test_what_to_mind_about_a_design_is_said(api: Any, demo: dict[str, Any]) -> None:
    api.change(demo, design={"strata": ["isle"], "clusters": ["sex"], "single_psu": "add_nothing"})
    notices = " ".join(n["what"] for n in api("GET", f"/studies/{demo['id']}/design")["notices"])
    assert "2 cluster names stand in more than one stratum (Woman, Man)" in notices
    assert "With 4 degrees of freedom" in notices


def test_parts_in_the_survey_that_nothing_uses_are_told_and_proposed(api: Any) -> None:
    lines = ["h,psu,people,dw,q"] + [f"{k % 2},{k % 6},{90 + k % 2},{1 + k % 3},{k % 3}" for k in range(48)]
    file = api.bring("drawn.csv", "\n".join(lines).encode())
    made = api("POST", "/studies", json={"title": "Drawn", "file": file["id"]})
    study = api("GET", f"/studies/{made['id']}")
    roles = {"h": "stratum", "psu": "cluster", "people": "population_size", "dw": "weight"}
    variables = [{"name": name, "kind": "number", "role": role} for name, role in roles.items()]
    study = api.change(study, codebook={**study["document"]["codebook"], "variables": variables})
    view = api("GET", f"/studies/{study['id']}/design")
    said = [notice["what"] for notice in view["notices"] if notice["kind"] == "unused_role"]
    assert len(said) == 4
    assert "h is said to be a stratum, but the design does not use it." in said
    assert view["proposal"] == {
        "strata": ["h"],
        "clusters": ["psu"],
        "population_size": "people",
        "weight": "dw",
    }
    study = api.change(study, design=view["proposal"])
    view = api("GET", f"/studies/{study['id']}/design")
    assert view["proposal"] is None
    assert not [notice for notice in view["notices"] if notice["kind"] == "unused_role"]
    assert view["strata"] == 2
