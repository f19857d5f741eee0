"""Every figure of the tables in long form and as JSON-stat: the same numbers, none lost, the same bytes twice."""

import csv
import io
import json
from math import prod
from pathlib import Path
from typing import Any

import pytest
from pyarrow import parquet
from surveys import study, survey
from typer.testing import CliRunner

from even_ballot.cli import app
from even_ballot.core.faults import StudyError
from even_ballot.core.study.pipeline import run
from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import Study, parse_study
from even_ballot.demo import FILES
from even_ballot.formats.estimates.json_stat import dataset, json_stat_files
from even_ballot.formats.estimates.lines import HEADINGS, estimate_lines, lines_csv, lines_parquet
from even_ballot.services.releases.files import outputs, release_formats
from even_ballot.services.running import run_file

TABLE = {
    "id": "t/1", "title": "=A title", "stub": ["q", "y", "many"], "banner": ["a", ["a", "b"]],
    "show": ["n", "col_pct", "mean", "median", "q97.5", "mode"], "nets": [{"label": "high", "stub": "q", "top": 2}],
}  # fmt: skip


@pytest.fixture(scope="module", params=[None, 4])
def made(request: Any) -> tuple[Study, Results]:
    document = study({"strata": ["h"], "clusters": ["i"]}, None, TABLE).model_dump(
        mode="json", exclude_unset=True, by_alias=True
    )
    asked = parse_study({**document, "marks": {"base": 15}, "suppression": {"below": request.param}})
    return asked, run(asked, survey(2, psus=4, size=6), {})


def test_every_figure_has_a_line_with_its_numbers(made: tuple[Study, Results]) -> None:
    (table,), lines = made[1].tables, estimate_lines(*made)
    shown = [line for line in lines if not line.hidden]
    assert len(shown) == len(table.cells) and len(lines) - len(shown) == len(table.hidden or ())
    for line, cell in zip(shown, table.cells, strict=True):
        assert (line.variable, line.code, line.net) == (cell.stub.variable, cell.stub.code, cell.stub.net)
        assert line.at == "; ".join(f"{k.variable}={k.code}" for k in cell.banner)
        assert (line.statistic, line.estimate, line.se, line.low, line.high) == (
            cell.stat, cell.est, cell.se, cell.low, cell.high,
        )  # fmt: skip
        assert (line.n, line.base_n, line.deff, line.df) == (cell.n, cell.base_n, cell.deff, cell.df)
        assert ("base under 15" in line.marks) == (
            cell.base_n is not None and cell.base_n < 15 and cell.stat not in ("n", "mode")
        )
    assert {line.hidden for line in lines} <= {"", "suppressed"}


def test_text_and_parquet_hold_the_same(made: tuple[Study, Results]) -> None:
    lines = estimate_lines(*made)
    rows = list(csv.DictReader(io.StringIO(lines_csv(lines).decode())))
    table = parquet.read_table(io.BytesIO(lines_parquet(lines)))
    assert tuple(table.column_names) == HEADINGS and len(rows) == table.num_rows == len(lines)
    for row, other, line in zip(rows, table.to_pylist(), lines, strict=True):
        assert other == {name: getattr(line, name) for name in HEADINGS}
        assert row["estimate"] == ("" if line.estimate is None else repr(line.estimate))
        # What a spreadsheet would run is text.
        assert row["title"] == "'=A title"
    assert lines_csv(lines, guard=False).decode().splitlines()[1].split(",")[1] == "=A title"


def test_a_dataset_is_read_as_the_format_says(made: tuple[Study, Results]) -> None:
    asked, results = made
    (table,) = results.tables
    of = json.loads(json.dumps(dataset(table, asked, "S")))
    assert (of["version"], of["class"], len(of["value"])) == ("2.0", "dataset", prod(of["size"]))
    sizes = [len(of["dimension"][name]["category"]["index"]) for name in of["id"]]
    assert sizes == of["size"]
    places = [of["dimension"][name]["category"]["index"] for name in of["id"]]
    for index, name in zip(places, of["id"], strict=True):
        assert sorted(index.values()) == list(range(len(index)))
        assert set(of["dimension"][name]["category"]["label"]) == set(index)

    def at(stub: Any, banner: Any, figure: str) -> int:
        row = (
            f"{stub.variable}:{stub.net}"
            if stub.net
            else stub.variable
            if stub.code is None
            else f"{stub.variable}={stub.code}"
        )
        column = "; ".join(f"{k.variable}={k.code}" for k in banner) or "total"
        return (places[0][row] * sizes[1] + places[1][column]) * sizes[2] + places[2][figure]

    filled = 0
    seen = set()
    for cell in table.cells:
        place = at(cell.stub, cell.banner, cell.stat)
        if place not in seen:
            assert of["value"][place] == cell.est
        seen.add(place)
        for key, value in (("se", cell.se), ("low", cell.low), ("high", cell.high), ("base_n", cell.base_n)):
            if value is not None and cell.stat != "mode":
                assert of["value"][at(cell.stub, cell.banner, f"{cell.stat}.{key}")] == value
                filled += 1
    assert filled > 100
    for figure in table.hidden or ():
        place = at(figure.stub, figure.banner, figure.stat)
        assert of["value"][place] is None and of["status"][str(place)] == "x"
    assert set(of.get("status", {}).values()) <= {"x", "u"}


def test_the_demo_goes_out_twice_as_the_same_bytes_under_names_that_are_files() -> None:
    asked, results = run_file(FILES / "study.json")
    formats = release_formats("jsonstat, csv,xlsx")
    assert formats == ("xlsx", "csv", "jsonstat")
    first, second = (
        {name: b"".join(pieces) for name, pieces in outputs(asked, results, True, formats).items()}
        for _ in range(2)
    )
    assert first == second
    listed = json.loads(first["tables.json"])["link"]["item"]
    assert [item["href"] for item in listed] == [f"table-{of.id}.json" for of in results.tables]
    assert all(item["href"] in first for item in listed)
    whole = first["estimates.csv"].decode().splitlines()
    parts = [first[f"table-{of.id}.csv"].decode().splitlines() for of in results.tables]
    assert whole == [parts[0][0], *(line for part in parts for line in part[1:])]


def test_tables_of_strange_identifiers_have_a_file_each() -> None:
    tables = [{**TABLE, "id": name} for name in ("a/b", "a_b", "A_B", "../x")]
    document = study({}, None, TABLE).model_dump(mode="json", exclude_unset=True, by_alias=True)
    asked = parse_study({**document, "tables": tables})
    names = set(outputs(asked, run(asked, survey(1), {}), True, ("csv",)))
    assert {"table-a_b.csv", "table-a_b-2.csv", "table-A_B-3.csv", "table-___x.csv"} <= names
    assert not any("/" in name for name in names)
    assert json_stat_files(asked, run(asked, survey(1), {}), {of.id: of.id for of in asked.tables})


def test_the_command_line_writes_what_is_asked_for(tmp_path: Path) -> None:
    study_file = str(FILES / "study.json")
    done = CliRunner().invoke(app, ["run", study_file, "--out", str(tmp_path / "o"), "--formats", "csv"])
    assert done.exit_code == 0, done.output
    names = {path.name for path in (tmp_path / "o").iterdir()}
    assert {"results.json", "microdata.csv", "estimates.csv", "estimates.parquet", "table-need.csv"} <= names
    assert "tables.xlsx" not in names
    refused = CliRunner().invoke(
        app, ["run", study_file, "--out", str(tmp_path / "p"), "--formats", "csv,pdfx"]
    )
    assert refused.exit_code == 2 and "'pdfx' is not a format of a release" in refused.output
    assert not (tmp_path / "p").exists()
    with pytest.raises(StudyError, match="No format is named"):
        release_formats(" , ")
