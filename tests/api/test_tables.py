"""Tables over the API: the plan as a file, stopping, what is hidden, what one fault leaves standing,
pictures as files."""

import csv
import io
import json
import threading
import zipfile
from typing import Any

import openpyxl
import pytest

from even_ballot.core.study import graph
from even_ballot.core.tables.tabulate import counted_table

SVG = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 60 30" width="60" height="30"><text x="4" y="20">Hask</text></svg>'


def table(api: Any, study: dict[str, Any], table_id: str) -> dict[str, Any]:
    return api("GET", f"/studies/{study['id']}/tables/{table_id}")


@pytest.mark.parametrize("kind", ["csv", "json"])
def test_a_plan_goes_out_and_comes_in_as_it_was(api: Any, demo: dict[str, Any], kind: str) -> None:
    tables = [
        {**demo["document"]["tables"][0], "where": "age >= 18 and isle in (1, 2)", "nets": [{"label": "Agree; all", "top": 2}]},
        {"id": "deep", "title": 'A title, with "quotes"', "group": "Money", "stub": ["fare_spend", "age"], "show": ["mean", "q97.5"],
         "banner": ["isle", ["sex", "age_band"]], "interval": {"method": "wilson", "level": 0.9, "sides": "lower"}, "adjust": "holm",
         "tests": ["columns"], "levels": [0.01, 0.05], "dates": "year", "total_row": True},
    ]  # fmt: skip
    study = api.change(demo, tables=tables)
    file = api.raw("GET", f"/studies/{study['id']}/plan.{kind}").content
    before = study["document"]["tables"]
    params = {"edition": study["edition"], "name": f"plan.{kind}", "replace": True}
    assert api("PUT", f"/studies/{study['id']}/plan", params=params, content=file) == (
        2 if kind == "csv" else 7
    )
    now = api("GET", f"/studies/{study['id']}")
    assert _full(now["document"]["tables"]) == _full(before)
    # Read once more, after those there are: each gets an identifier of its own.
    params = {"edition": now["edition"], "name": f"plan.{kind}"}
    api("PUT", f"/studies/{study['id']}/plan", params=params, content=file)
    ids = [t["id"] for t in api("GET", f"/studies/{study['id']}")["document"]["tables"]]
    assert len(set(ids)) == len(ids) == 4
    models = api("GET", f"/studies/{study['id']}")["document"]["models"]
    there = ["weekly_people", "weekly"]
    assert [m["id"] for m in models] == (there if kind == "csv" else [*there, "weekly_people-2", "weekly-2"])
    assert {**models[-1], "id": "weekly"} == models[1]


@pytest.mark.parametrize(
    ("part", "said"),
    [
        ({"models": [{"id": "m", "kind": "cubic"}]}, "models[0], kind"),
        ({"correlations": {"id": "c"}}, "is not a list"),
        ({"reliability": [{"items": ["sxe", "age"]}]}, "names sxe"),
    ],
)
def test_a_plan_of_analyses_says_what_is_wrong_with_it(
    api: Any, demo: dict[str, Any], part: dict[str, Any], said: str
) -> None:
    params = {"edition": demo["edition"], "name": "plan.json"}
    content = json.dumps({"even_ballot_plan": 1, **part}).encode()
    refused = api("PUT", f"/studies/{demo['id']}/plan", 422, params=params, content=content)
    assert said in json.dumps(refused["faults"])


def _full(tables: list[dict[str, Any]]) -> list[dict[str, Any]]:
    from even_ballot.core.tables.table_request import TableRequest

    return [TableRequest.model_validate(t).model_dump(mode="json") for t in tables]


def test_models_that_go_with_a_plan_stand_side_by_side_no_longer(api: Any, demo: dict[str, Any]) -> None:
    plan = {"even_ballot_plan": 1, "tables": [], "models": [demo["document"]["models"][1]]}
    params = {"edition": demo["edition"], "name": "plan.json", "replace": True}
    api("PUT", f"/studies/{demo['id']}/plan", params=params, content=json.dumps(plan).encode())
    document = api("GET", f"/studies/{demo['id']}")["document"]
    assert [of["models"] for of in document["side_by_side"]] == [["weekly"]]
    found = api("GET", f"/studies/{demo['id']}/side-by-side/weekly")
    assert [column["id"] for column in found["columns"]] == ["weekly"]


def test_a_figure_that_is_not_shown_is_not_taken_apart(api: Any, demo: dict[str, Any]) -> None:
    path = f"/studies/{demo['id']}/tables/need/design-effect"
    cell = next(
        c for c in api("GET", f"/studies/{demo['id']}/tables/need")["result"]["cells"] if c["stat"] == "mean"
    )
    asked = {"stub": cell["stub"], "banner": cell["banner"], "stat": "mean", "wanted": {"half_width": 0.05}}
    found = api("POST", path, json=asked)
    assert abs(found["parts"]["deff"] - cell["deff"]) < 1e-9 and found["plans"][0]["cases"] > 100
    refused = api("POST", path, 422, json={**asked, "stat": "col_pct"})
    assert "shows no such figure" in refused["faults"][0]["what"]


def test_a_plan_that_names_unknown_variables_is_read_only_after_saying_so(
    api: Any, demo: dict[str, Any]
) -> None:
    plan = b"title,stub,banner\nGood,sex,isle\nStrange,sxe,isle > isel\n"
    params = {"edition": demo["edition"], "name": "plan.csv", "replace": True}
    refused = api("PUT", f"/studies/{demo['id']}/plan", 422, params=params, content=plan)
    assert [f["what"] for f in refused["faults"]] == [
        "The table Strange names sxe, isel, which the study does not have."
    ]
    assert refused["faults"][0]["kind"] == "unknown_in_plan"
    assert api("GET", f"/studies/{demo['id']}")["document"]["tables"] == demo["document"]["tables"]
    assert api("PUT", f"/studies/{demo['id']}/plan", params={**params, "anyway": True}, content=plan) == 2


def test_a_plan_typed_in_a_spreadsheet_is_read(api: Any, demo: dict[str, Any]) -> None:
    rows = [
        ["Title", "Stub", "Banner", "Where"],
        ["Fares", "fare_spend", "sex; isle > sex", ""],
        ["", "tenure; schooling", "", "age > 30"],
    ]
    out = io.StringIO()
    csv.writer(out, delimiter=";").writerows(rows)
    params = {"edition": demo["edition"], "name": "plan.csv", "replace": True}
    assert (
        api("PUT", f"/studies/{demo['id']}/plan", params=params, content=out.getvalue().encode("utf-8")) == 2
    )
    first, second = api("GET", f"/studies/{demo['id']}")["document"]["tables"]
    assert (first["title"], first["stub"], first["banner"]) == (
        "Fares",
        ["fare_spend"],
        ["sex", ["isle", "sex"]],
    )
    assert (second["stub"], second["where"]) == (["tenure", "schooling"], "age > 30")
    assert table(api, demo, second["id"])["faults"] == []


@pytest.mark.parametrize(("content", "says", "where"), [
    (b"", "empty", "plan.csv"),
    (b"title,banner\nA,sex\n", "No column is headed", "plan.csv, line 1"),
    (b"title,stub,colour\nA,sex,red\n", "A column is headed", "plan.csv, line 1"),
    (b"title,stub,show\nA,sex,col_pct\nB,sex,nonsense\n", "", "plan.csv, line 3"),
    (b"title,stub,more\nA,sex,{bad\n", "not JSON", "plan.csv, line 2"),
    (b"title,stub\n", "no tables", "plan.csv"),
    (b"{\"tables\": 3}", "no list of tables", "plan.csv"),
    (b"{\"tables\": [", "not JSON", "plan.csv"),
])  # fmt: skip
def test_a_plan_that_cannot_be_read_says_where_and_changes_nothing(
    api: Any, demo: dict[str, Any], content: bytes, says: str, where: str
) -> None:
    params = {"edition": demo["edition"], "name": "plan.csv", "replace": True}
    faults = api("PUT", f"/studies/{demo['id']}/plan", 422, params=params, content=content)["faults"]
    assert says in faults[0]["what"]
    assert faults[0]["where"].startswith(where)
    assert api("GET", f"/studies/{demo['id']}")["edition"] == demo["edition"]


class EndlessCount:
    """Table "need" asked for, and counted until it is stopped."""

    def __init__(self, api: Any, study: dict[str, Any], monkeypatch: Any) -> None:
        self.begun, self.monkeypatch = threading.Event(), monkeypatch
        self.found: list[Any] = []
        monkeypatch.setattr(graph, "counted_table", self._count)
        self.thread = threading.Thread(target=lambda: self.found.append(table(api, study, "need")))
        self.thread.start()
        assert self.begun.wait(20)
        monkeypatch.setattr(graph, "counted_table", counted_table)

    def _count(self, passes: Any, request: Any, where: str, tell: Any) -> Any:
        while True:
            tell("Counting for ever", 0.25)
            self.begun.set()

    def says(self) -> str:
        """What is wrong with the table, once there is an answer."""
        self.thread.join(20)
        return str(self.found[0]["faults"][0]["what"])


def test_counting_a_table_is_seen_and_stopped_and_counted_again(
    api: Any, demo: dict[str, Any], monkeypatch: Any
) -> None:
    count = EndlessCount(api, demo, monkeypatch)
    assert api("GET", f"/studies/{demo['id']}/doing") == {"says": "Counting for ever", "share": 0.25}
    api("DELETE", f"/studies/{demo['id']}/doing", 204)
    assert "stopped" in count.says()
    assert api("GET", f"/studies/{demo['id']}/doing") is None
    assert table(api, demo, "need")["faults"] == []


def test_a_count_that_a_change_made_useless_ends(api: Any, demo: dict[str, Any], monkeypatch: Any) -> None:
    count = EndlessCount(api, demo, monkeypatch)
    asked = [{**t, "where": "age > 30"} if t["id"] == "need" else t for t in demo["document"]["tables"]]
    study = api.change(demo, tables=asked)
    assert table(api, study, "fares")["faults"] == []
    assert count.thread.is_alive()
    assert table(api, study, "need")["faults"] == []
    assert "changed while" in count.says()


def test_what_is_hidden_is_hidden_in_every_table_in_words_and_in_the_release(
    api: Any, demo: dict[str, Any]
) -> None:
    tables = [
        {
            "id": "a",
            "stub": ["ferry_runs_need"],
            "banner": ["isle"],
            "show": ["n", "col_pct", "mean"],
            "tests": ["columns"],
        },
        {
            "id": "b",
            "stub": ["isle"],
            "banner": ["ferry_runs_need"],
            "show": ["n", "row_pct"],
            "total_row": True,
        },
    ]
    analyses: dict[str, Any] = {key: [] for key in ("models", "side_by_side", "reliability", "correlations")}
    study = api.change(demo, tables=tables, suppression={"below": 12}, **analyses)
    a, b = (table(api, study, name) for name in ("a", "b"))
    gone = {
        (f["stub"].get("code"), f["banner"][0]["code"])
        for f in a["result"]["hidden"]
        if f["stat"] == "n" and f["banner"]
    }
    assert gone
    for q, isle in gone:
        assert not [c for c in b["result"]["cells"] if c["stub"].get("code") == isle and c["banner"] and c["banner"][0]["code"] == q
                    and c["stat"] == "n"]  # fmt: skip
    assert any("fewer than 12 cases" in note for note in a["grid"]["notes"])
    means = {c["banner"][0]["code"] for c in a["result"]["cells"] if c["stat"] == "mean" and c["banner"]}
    assert not means & {isle for _, isle in gone}
    for reading in a["words"]:
        stub, paths = reading["stub"], reading["paths"]
        assert not any((stub.get("code"), path[0]["code"]) in gone for path in paths if path)
    book = openpyxl.load_workbook(io.BytesIO(api("GET", f"/studies/{study['id']}/release/tables.xlsx")))
    written = [cell.value for row in book.worksheets[1].iter_rows() for cell in row]
    assert "×" in written
    results = json.loads(api.raw("GET", f"/studies/{study['id']}/release/results.json").content)
    assert results["tables"][0]["hidden"]


def test_one_weighting_that_stops_leaves_tables_by_another_weight_standing(
    api: Any, demo: dict[str, Any]
) -> None:
    weightings = demo["document"]["weightings"]
    broken = {**weightings[0], "save_as": "other", "base": "no_such_weight"}
    study = api.change(demo, weightings=[*weightings, broken])
    view = table(api, study, "need")
    assert view["faults"] == []
    assert any(line.startswith("Weight weight:") for line in view["note"])
    study = api.change(study, design={**study["document"]["design"], "weight": "other"})
    assert "no_such_weight" in table(api, study, "need")["faults"][0]["what"]


def test_a_variable_that_is_gone_stops_its_tables_and_no_others(api: Any, demo: dict[str, Any]) -> None:
    steps = [*demo["document"]["ledger"], {"do": "rename", "names": {"fare_spend": "spent"}}]
    study = api.change(demo, ledger=steps)
    fault = table(api, study, "fares")["faults"][0]
    assert fault["where"] == "tables[2].stub[0]"
    assert "fare_spend" in fault["what"]
    assert table(api, study, "need")["faults"] == []
    stations = {s["name"]: s for s in api("GET", f"/studies/{study['id']}")["stations"]}
    assert stations["tables"]["says"] == "1 table of 5 cannot be made"
    assert stations["release"]["state"] == "attention"
    content = api("GET", f"/studies/{study['id']}/release/tables.xlsx")
    book = openpyxl.load_workbook(io.BytesIO(content))
    contents = [row[1].value for row in book["Contents"].iter_rows() if row[1].value]
    assert any(text.startswith("Not made:") and "fare_spend" in text for text in contents)
    assert len(book.sheetnames) == 3 + 4 + 2 + 2 + 1
    results = json.loads(api.raw("GET", f"/studies/{study['id']}/release/results.json").content)
    faulty, pairs = results["faulty_tables"]
    assert (pairs["id"], pairs["part"]) == ("views", "correlations")
    assert faulty["id"] == "fares"
    assert faulty["faults"][0]["where"] == "tables[2].stub[0]"
    assert [t["id"] for t in results["tables"]] == ["need", "crossing", "why", "ferry"]


def test_what_is_shown_otherwise_is_not_counted_again(
    api: Any, demo: dict[str, Any], monkeypatch: Any
) -> None:
    table(api, demo, "need")
    asked = []

    def counted(*parts: Any) -> Any:
        asked.append(parts[1].id)
        return counted_table(*parts)

    monkeypatch.setattr(graph, "counted_table", counted)
    shown = {
        "variables": [{"variable": "isle", "categories": [{"code": 4, "label": "Outer"}]}],
        "total_column": False,
    }
    tables = demo["document"]["tables"]
    study = api.change(demo, tables=[{**tables[0], "display": shown, "group": "G"}, *tables[1:]])
    grid = table(api, study, "need")["grid"]
    assert grid["headings"][1][0]["text"] == "Outer"
    assert asked == []


@pytest.mark.parametrize(("kind", "begins"), [("svg", b"<svg"), ("png", b"\x89PNG"), ("pdf", b"%PDF")])
def test_pictures_are_files_one_or_many(api: Any, kind: str, begins: bytes) -> None:
    one = api.raw("POST", "/pictures", json={"kind": kind, "pictures": [{"name": "a", "svg": SVG}]})
    assert one.content.startswith(begins)
    many = api.raw(
        "POST",
        "/pictures",
        json={"kind": kind, "pictures": [{"name": f"a/{k}", "svg": SVG} for k in range(3)]},
    )
    with zipfile.ZipFile(io.BytesIO(many.content)) as archive:
        assert sorted(archive.namelist()) == [f"a-{k}.{kind}" for k in range(3)]
        assert all(archive.read(name).startswith(begins) for name in archive.namelist())


@pytest.mark.parametrize(
    "svg",
    ["<html></html>", '<svg xmlns="http://www.w3.org/2000/svg"><image href="file:///x"/></svg>', "<svg><"],
)
def test_what_is_no_drawing_is_refused(api: Any, svg: str) -> None:
    assert api("POST", "/pictures", 422, json={"kind": "pdf", "pictures": [{"name": "a", "svg": svg}]})[
        "faults"
    ]


def test_analyses_are_told_with_what_is_wrong_with_one_alone(api: Any, demo: dict[str, Any]) -> None:
    path = f"/studies/{demo['id']}"
    model = api("GET", f"{path}/analyses/models/weekly")
    assert model["faults"] == [] and model["model"]["event"] == ["Every week"]
    assert set(model["titles"]) == {"passenger_ferry", "sex", "age_band", "isle", "tenure", "household"}
    scale = api("GET", f"{path}/analyses/reliability/trust")
    assert len(scale["reliability"]["items"]) == 4 and scale["words"]
    assert len(set(scale["titles"].values())) == 4, "items by what tells them apart"
    assert len(api("GET", f"{path}/analyses/correlations/views")["correlations"]["pairs"]) == 10
    other = api("GET", f"{path}/analyses/models/nobody", 422)
    assert "Analyses: weekly_people, weekly" in other["faults"][0]["mend"]
    wrong = {**demo["document"]["models"][0], "id": "wrong", "terms": [["nobody"]], "predictions": []}
    changed = api.change(api("GET", path), models=[*demo["document"]["models"], wrong])
    seen = api("GET", f"{path}/analyses/models/wrong")
    assert seen["model"] is None and seen["faults"][0]["where"] == "models[2].terms[0]"
    assert api("GET", f"{path}/analyses/models/weekly")["model"]["n"] == model["model"]["n"]
    api.change(changed, models=demo["document"]["models"])
