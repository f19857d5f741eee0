"""One table or analysis by itself over the API: for the clipboard, and as a file of every format."""

import io
import re
import zipfile
from html import unescape
from typing import Any
from urllib.parse import quote

import openpyxl
import pytest

FORMATS = ("xlsx", "ods", "docx", "pdf", "html", "pptx", "csv", "jsonstat")


def cells_of(html: str) -> list[list[str]]:
    """The cells of every row of a table, without what is raised above them."""
    rows = re.findall(r"<tr>(.*?)</tr>", html)
    plain = (re.findall(r"<t[hd][^>]*>(.*?)</t[hd]>", re.sub(r"<sup>.*?</sup>", "", row)) for row in rows)
    return [[unescape(cell) for cell in row] for row in plain]


def clip(api: Any, study: dict[str, Any], part: str, name: str) -> dict[str, str]:
    return dict(api("GET", f"/studies/{study['id']}/pieces/{part}/{name}/clip"))


def test_a_table_is_copied_with_the_figures_of_the_release(api: Any, demo: dict[str, Any]) -> None:
    copied = clip(api, demo, "tables", "crossing")
    shown = api("GET", f"/studies/{demo['id']}/releases/next")
    (table,) = (
        block["table"]
        for section in shown["sections"]
        for block in section["blocks"]
        if block.get("table", {}) and block["table"]["id"] == "crossing" and block["table"]["label"]
    )
    figures = [[entry["text"] for entry in row["entries"]] for of in table["groups"] for row in of["rows"]]
    rows = [row for row in cells_of(copied["html"]) if len(row) > 2]
    assert [row[-table["columns"] :] for row in rows[len(table["heads"]) :]] == figures
    lines = copied["text"].split("\n")
    assert lines[0] == table["title"]
    for row in figures:
        said = "\t".join(row).replace("\u2212", "-").rstrip("\t")
        assert any(said in re.sub(r" [A-Z°]+(?=\t|$)", "", line) for line in lines), row


@pytest.mark.parametrize(
    ("part", "name", "text"),
    [
        ("models", "weekly", "Odds ratio"),
        ("reliability", "trust", "α"),
        ("correlations", "views", "correlations (Spearman)"),
        ("side_by_side", "weekly", "Odds ratio"),
    ],
)
def test_an_analysis_is_copied_too(api: Any, demo: dict[str, Any], part: str, name: str, text: str) -> None:
    copied = clip(api, demo, part, name)
    assert text in unescape(copied["html"]) and text in copied["text"]
    assert "\t" in copied["text"]


@pytest.mark.parametrize("kind", FORMATS)
def test_one_table_is_a_file_of_every_format(api: Any, demo: dict[str, Any], kind: str) -> None:
    content = api("GET", f"/studies/{demo['id']}/pieces/tables/crossing/file/{kind}")
    if kind == "pdf":
        assert content[:5] == b"%PDF-"
    elif kind in ("html", "csv", "jsonstat"):
        assert b"How often" in content or b"crossing" in content
    else:
        assert zipfile.ZipFile(io.BytesIO(content)).testzip() is None
    if kind == "xlsx":
        names = openpyxl.load_workbook(io.BytesIO(content)).sheetnames
        assert not any("need" in name for name in names)


def test_an_identifier_of_any_letters_is_a_file_name(api: Any, small: dict[str, Any]) -> None:
    name = 'Fähre "日"\r\nX: 1'
    study = api.change(small, tables=[{"id": name, "stub": ["sex"], "show": ["mean"]}])
    answer = api.raw("GET", f"/studies/{study['id']}/pieces/tables/{quote(name)}/file/html")
    assert answer.status_code == 200
    assert answer.headers["content-disposition"].endswith('F_hre_X_1.html"')


def test_what_is_not_there_is_said(api: Any, demo: dict[str, Any]) -> None:
    answer = api.raw("GET", f"/studies/{demo['id']}/pieces/tables/nothing/clip")
    assert answer.status_code in (404, 422)
    assert "There is no 'nothing'" in answer.json()["faults"][0]["what"]


def test_a_label_that_a_spreadsheet_would_run_is_no_formula(api: Any, small: dict[str, Any]) -> None:
    table = {"id": "t", "title": "=HYPERLINK(1)", "stub": ["sex"], "show": ["n"]}
    copied = clip(api, api.change(small, tables=[table]), "tables", "t")
    assert copied["text"].startswith("'=HYPERLINK(1)")


def test_small_cells_stay_hidden(api: Any, demo: dict[str, Any]) -> None:
    (table,) = (of for of in demo["document"]["tables"] if of["id"] == "crossing")
    study = api.change(demo, tables=[table], suppression={"below": 60})
    shown = api("GET", f"/studies/{study['id']}/tables/crossing")["result"]
    assert shown["hidden"]
    copied = clip(api, study, "tables", "crossing")
    assert copied["text"].count("×") >= len(shown["hidden"]) > 0
    assert copied["html"].count("×") >= len(shown["hidden"])
