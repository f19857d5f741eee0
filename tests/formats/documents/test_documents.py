"""What a released document is made of: its order, headings, notes, methods; bad input in it."""

import io
import zipfile
from typing import Any
from xml.etree import ElementTree

import docx
import openpyxl
import pytest
from builders import raw
from hypothesis import given, settings
from hypothesis import strategies as st
from reading_documents import docx_texts, page_texts
from small_releases import NASTY, plan, small

from even_ballot.core.faults import StudyError
from even_ballot.core.study.pipeline import run
from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import Study, parse_study
from even_ballot.demo import FILES
from even_ballot.formats.documents.compose import compose
from even_ballot.formats.documents.paging import pieces
from even_ballot.formats.images.charting import chart_svg
from even_ballot.formats.images.drawing import checked
from even_ballot.formats.printed.blocks import Heading, Paragraph, Picture
from even_ballot.formats.workbooks.workbook import workbook
from even_ballot.formats.writers.docx_file import docx_file
from even_ballot.formats.writers.html_page import html_page
from even_ballot.formats.writers.opendocument import spreadsheet
from even_ballot.formats.writers.slides import slides
from even_ballot.services.running import run_file


@pytest.fixture(scope="module")
def demo() -> tuple[Study, Results]:
    return run_file(FILES / "study.json")


def test_the_plan_says_what_stands_in_it_and_in_which_order(demo: tuple[Study, Results]) -> None:
    parts = [{"model": "weekly"}, {"heading": "Crossing", "level": 2}, {"table": "crossing", "note": "Adults."}, {"text": "So *much* for that.\n\n- one"}]  # fmt: skip
    made = compose(*demo, plan(parts=parts, with_it=[], foreword="# Before\nAll of it.", pictures=False))
    titles = [b.text if isinstance(b, Heading | Paragraph) else b.caption for b in made.blocks]
    assert titles[:2] == ["Before", "All of it."]
    assert titles[2].startswith("Table 1. Who takes the passenger ferry every week")
    assert titles.index("Crossing") < titles.index(
        "Table 2. How often islanders take the passenger ferry, by sex and age"
    )
    assert titles[-2:] == ["So much for that.", "one"]
    table = next(t for t in made.tables if t.id == "crossing")
    assert "Adults." in table.notes
    assert any(note.startswith("Source: Veldry Isles ferry survey") for note in table.notes)


def test_without_a_plan_everything_stands_in_it(demo: tuple[Study, Results]) -> None:
    made = compose(*demo, plan())
    shown = {t.id for t in made.tables}
    assert shown >= {t.id for t in demo[1].tables} | {"weekly", "trust"}
    assert sum(isinstance(b, Picture) for b in made.blocks) >= 5
    assert [h.text for h in made.headings if h.level == 1] == [
        "Tables", "Models", "Scale reliability", "Correlations", "How these figures were made",
    ]  # fmt: skip


def test_the_methods_note_says_everything_that_was_done(demo: tuple[Study, Results]) -> None:
    hashes = {"answers.csv": "ab" * 32}
    made = compose(*demo, plan(method="# Of our own\nAsked by letter."), hashes=hashes)
    text = " ".join(b.text for b in made.blocks if isinstance(b, Paragraph))
    assert "ab" * 32 in text and "2,330 cases received, 62 set aside, 2,268 in use" in text
    for effect in demo[1].effects:
        assert effect.off or effect.sentence in text
    assert "142 degrees of freedom" in text and "Student's t" in text and "Even Ballot 0.1.0" in text
    fits = [t for t in made.tables if t.anchor.startswith("margin-")]
    assert [len(t.groups[0].rows) for t in fits] == [len(m.rows) for m in demo[1].weightings[0].margins]
    for row in (row for t in fits for row in t.groups[0].rows):
        assert row.entries[0].text == row.entries[2].text
    assert made.headings[-1].text == "Of our own"


def test_a_wide_table_is_broken_by_columns_with_its_stub_repeated() -> None:
    study, results = small(columns=30)
    (table,) = compose(study, results, plan(with_it=[], pictures=False)).tables
    cut = pieces(table, 170, 8)
    assert len(cut) > 3 and all(piece.columns <= 8 for piece in cut)
    assert sum(piece.columns for piece in cut) == table.columns
    for piece in cut:
        assert [row.labels for row in piece.groups[0].rows] == [row.labels for row in table.groups[0].rows]
        assert all(len(row.entries) == piece.columns for row in piece.groups[0].rows)
        assert all(h.first + h.span <= piece.columns for heads in piece.heads for h in heads)
    joined = [e.text for piece in cut for e in piece.groups[0].rows[0].entries]
    assert joined == [e.text for e in table.groups[0].rows[0].entries]


@pytest.mark.parametrize(("level", "said"), [(0.95, "95 % interval"), (0.9, "90 % interval")])
def test_intervals_below_figures_are_called_by_their_level(level: float, said: str) -> None:
    study, results = small(level=level)
    look = {"errors": "below", "intervals": "below"}
    (table,) = compose(study, results, plan(with_it=[], pictures=False, style=look)).tables
    named = {row.labels[-1] for group in table.groups for row in group.rows}
    assert {said, "Standard error"} <= named, named


@pytest.mark.parametrize("text", NASTY)
def test_whatever_a_label_holds_the_files_are_whole(text: str) -> None:
    study, results = small(
        label=text or "x",
        title=text if text.strip() else "x",
        authors=["A\x01"],
        foreword=text.encode("utf-8", "replace").decode(),
    )
    made = compose(study, results, study.release or plan())
    for content in (docx_file(made), slides(made), spreadsheet(study, results), workbook(study, results)):
        with zipfile.ZipFile(io.BytesIO(content)) as held:
            assert held.testzip() is None
            for name in held.namelist():
                if name.endswith((".xml", ".rels")):
                    ElementTree.fromstring(held.read(name))
    page = html_page(made)
    assert "<b>&amp;" not in page and "<script" not in page
    book = openpyxl.load_workbook(io.BytesIO(workbook(study, results)))
    assert all(cell.data_type != "f" for sheet in book for row in sheet.iter_rows() for cell in row)
    assert b"table:formula" not in zipfile.ZipFile(io.BytesIO(spreadsheet(study, results))).read(
        "content.xml"
    )
    if text.strip() and text.isprintable():
        assert any(text.strip()[:50] in said for said in page_texts(page.encode()))
        assert any(text.strip()[:50] in said for said in docx_texts(docx_file(made)))


@settings(max_examples=40, deadline=None)
@given(st.text(max_size=60), st.text(max_size=40))
def test_any_words_make_a_drawing_that_is_let_through(label: str, title: str) -> None:
    study, results = small(label=label or "x", title=title or "x")
    made = compose(study, results, plan(with_it=[]))
    for picture in (b for b in made.blocks if isinstance(b, Picture)):
        assert checked(chart_svg(picture.chart)).startswith("<svg")


def test_a_table_without_columns_or_with_too_many_for_a_sheet_is_said() -> None:
    study, _ = small(columns=2)
    bare = parse_study(study.model_dump(mode="json") | {"tables": [{"id": "t", "title": "Bare", "stub": ["q"], "display": {"total_column": False}}]})  # fmt: skip
    made = compose(bare, run(bare, raw({"q": ["1", "2"], "b": ["1", "2"]}), {}), plan(with_it=[]))
    assert made.tables[0].columns == 1
    many, found = small(columns=16_500)
    book = openpyxl.load_workbook(io.BytesIO(workbook(many, found)), read_only=True)
    first = book.worksheets[1]
    assert first.max_column == 16_384
    notes = [row[0] for row in first.iter_rows(min_row=10, max_col=1, values_only=True) if row[0]]
    assert any("more columns are in All estimates" in str(note) for note in notes)


@pytest.mark.parametrize(
    ("said", "what"),
    [
        ({"title": "x" * 10_000}, "500 characters"),
        ({"parts": [{"table": "none"}]}, "which is not there"),
        ({"parts": [{"heading": "a", "text": "b"}]}, "one thing"),
        ({"formats": ["doc"]}, "xlsx"),
        ({"style": {"accent": "red"}}, "pattern"),
    ],
)
def test_a_plan_that_cannot_be_followed_is_refused_in_its_place(said: dict[str, Any], what: str) -> None:
    with pytest.raises(StudyError) as refused:
        parse_study({"source": {"path": "a.csv"}, "release": said})
    assert what in str(refused.value.faults[0]) and "release" in str(refused.value.faults[0])


def test_a_template_that_is_none_is_refused(demo: tuple[Study, Results]) -> None:
    made = compose(*demo, plan(parts=[], with_it=[]))
    for content in (b"", b"no zip", zipped("a.txt"), zipped("[Content_Types].xml")):
        with pytest.raises(StudyError, match=r"no \.docx"):
            docx_file(made, content)


def test_a_template_without_the_styles_that_we_need_does_all_the_same(demo: tuple[Study, Results]) -> None:
    house, out = docx.Document(), io.BytesIO()
    for name in ("Caption", "List Bullet", "Heading 2", "Subtitle"):
        house.styles[name].delete()
    house.save(out)
    said = plan(foreword="- one", subtitle="Under it", parts=[{"table": "crossing"}])
    texts = docx_texts(docx_file(compose(*demo, said), out.getvalue()))
    assert "one" in texts and "Under it" in texts


def zipped(name: str) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr(name, "<a/>")
    return out.getvalue()


def test_tables_say_their_parts_to_those_who_listen(demo: tuple[Study, Results]) -> None:
    page = html_page(compose(*demo, plan()))
    root = ElementTree.fromstring(page.replace("<!DOCTYPE html>", "").replace("&nbsp;", " ").replace('<meta charset="utf-8">', "").replace('content="width=device-width, initial-scale=1">', 'content="w"/>').replace('content="Even Ballot">', 'content="Even Ballot"/>'))  # fmt: skip
    tables = list(root.iter("table"))
    assert len(tables) > 10
    for table in tables:
        assert table.find("caption") is not None
        for row in table.iter("tr"):
            assert all(th.get("scope") for th in row.iter("th"))
        widths = set()
        for row in table.findall("tbody/tr"):
            widths.add(sum(int(cell.get("colspan", "1")) for cell in row))
        assert len(widths) == 1
    anchors = [e.get("id") for e in root.iter() if e.get("id")]
    assert len(anchors) == len(set(anchors))
    assert {a.get("href") for a in root.find("body/nav").iter("a")} <= {f"#{name}" for name in anchors}  # type: ignore[union-attr]


def test_pictures_say_what_they_show(demo: tuple[Study, Results]) -> None:
    made = compose(*demo, plan())
    pictures = [b for b in made.blocks if isinstance(b, Picture)]
    assert all(len(picture.says) > 20 for picture in pictures)
    kinds = {picture.chart.kind for picture in pictures}
    assert {"groups", "shares", "means", "odds"} <= kinds
