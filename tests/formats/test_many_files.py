"""Answers in many files: the same study as from one, whatever they are; and parts made in one pass."""

import json
import shutil
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from typer.testing import CliRunner

from even_ballot.cli import app
from even_ballot.core.faults import StudyError
from even_ballot.core.study.study_file import Source
from even_ballot.demo import FILES
from even_ballot.formats.sources.delimited import read_delimited
from even_ballot.services.answers import load_table, make_parts, source_files, source_hashes
from even_ballot.services.running import load_study, run_file


def same(a: Any, b: Any) -> bool:
    """Whether two tables hold the same texts under the same headings, record by record."""
    if (a.names, a.labels, a.rows.tolist()) != (b.names, b.labels, b.rows.tolist()):
        return False
    for x, y in zip(a.columns, b.columns, strict=True):
        if x.state.tolist() != y.state.tolist():
            return False
        answered = x.state == 0
        mine, other = (np.array([*of.words, ""], object)[of.values][answered] for of in (x, y))
        if mine.tolist() != other.tolist():
            return False
    return True


@pytest.fixture
def study(tmp_path: Path) -> Path:
    """The demo's study file in a folder of its own."""
    shutil.copytree(FILES, tmp_path / "demo")
    return tmp_path / "demo" / "study.json"


def named(study: Path, path: str) -> Path:
    """The study file with its answers elsewhere."""
    document = json.loads(study.read_text())
    document["source"] = {"path": path}
    study.write_text(json.dumps(document))
    return study


def figures(path: Path) -> dict[str, Any]:
    document = run_file(path)[1].document()
    del document["summary"]["guessed"]
    return document


def test_the_demo_gives_the_same_figures_from_parts(study: Path) -> None:
    whole = figures(named(study, "answers.csv"))
    made = make_parts(study.parent / "answers.csv", study.parent / "parts", 500)
    assert made == (2330 + 40, 5)
    assert figures(named(study, "parts")) == whole
    assert figures(named(study, "parts/part-*.parquet")) == whole


def test_files_of_one_heading_are_one_table(tmp_path: Path) -> None:
    for k in range(3):
        rows = "\n".join(f"{10 * k + i},{'yes' if i % 2 else 'no'};maybe" for i in range(4))
        (tmp_path / f"wave-{k}.csv").write_text(f"id,q\n{rows}\n")
    table, reading = load_table(tmp_path, Source(path="wave-*.csv"), "source")
    assert table.rows.tolist() == list(range(1, 13))
    assert [table.columns[0].words[i] for i in table.columns[0].values][::4] == ["0", "10", "20"]
    assert (reading.path, reading.delimiter) == ("wave-*.csv", ",")
    hashes = source_hashes(
        tmp_path, load_study(FILES / "study.json").model_copy(update={"source": reading, "lookups": {}})
    )
    assert list(hashes) == ["wave-0.csv", "wave-1.csv", "wave-2.csv"]


def test_decimals_are_judged_over_all_files(tmp_path: Path) -> None:
    (tmp_path / "a.csv").write_text("id;x\n1;2\n2;3\n")
    (tmp_path / "b.csv").write_text("id;x\n3;2,5\n4;3,75\n")
    assert load_table(tmp_path, Source(path="[ab].csv"), "source")[1].decimal == ","


@pytest.mark.parametrize(
    ("second", "says"),
    [
        ("id,p\n1,2\n", "Column 2 is “p” here, not “q” as in a.csv"),
        ("id,q,r\n1,2,3\n", "This file has 3 columns, not the 2 of a.csv"),
        ("id,q\n", "The file contains headings and no records"),
    ],
)
def test_a_file_that_does_not_fit_is_named(tmp_path: Path, second: str, says: str) -> None:
    (tmp_path / "a.csv").write_text("id,q\n1,2\n")
    (tmp_path / "b.csv").write_text(second)
    with pytest.raises(StudyError, match=says) as told:
        load_table(tmp_path, Source(path="*.csv"), "source")
    assert told.value.faults[0].where == "b.csv"


def test_a_folder_is_read_in_the_order_of_names_without_what_programs_keep_there(tmp_path: Path) -> None:
    for name in ("b.csv", "a.csv", "_metadata", ".hidden.csv", "notes.md"):
        (tmp_path / "in" / name).parent.mkdir(exist_ok=True)
        (tmp_path / "in" / name).write_text("q\n1\n")
    assert source_files(tmp_path, Source(path="in"), "source") == ["in/a.csv", "in/b.csv"]
    (tmp_path / "none").mkdir()
    with pytest.raises(StudyError, match="holds no file that is read"):
        source_files(tmp_path, Source(path="none"), "source")
    with pytest.raises(StudyError, match="A pattern names files below"):
        source_files(tmp_path / "in", Source(path="../*.csv"), "source")


def test_a_link_out_of_the_folder_is_not_followed(tmp_path: Path) -> None:
    (tmp_path / "secret.csv").write_text("q\n1\n")
    (tmp_path / "study" / "in").mkdir(parents=True)
    (tmp_path / "study" / "in" / "a.csv").symlink_to(tmp_path / "secret.csv")
    with pytest.raises(StudyError, match="outside the study file's folder"):
        load_table(tmp_path / "study", Source(path="in/*.csv"), "source")


TEXTS = st.text(
    st.characters(codec="utf-8", exclude_characters="\x00", exclude_categories=["Cs"]), max_size=12
)


@settings(max_examples=40, deadline=None)
@given(
    st.lists(st.tuples(TEXTS, TEXTS), min_size=1, max_size=30), st.integers(1, 7), st.sampled_from(",;\t"),
    st.booleans(),
)  # fmt: skip
def test_parts_hold_what_the_file_holds(
    tmp_path_factory: pytest.TempPathFactory,
    rows: list[tuple[str, str]],
    size: int,
    delimiter: str,
    mark: bool,
) -> None:
    folder = tmp_path_factory.mktemp("parts")
    quoted = ["".join(('"', text.replace('"', '""').replace("\r", " "), '"')) for row in rows for text in row]
    lines = [f"{k}{delimiter}{quoted[2 * k]}{delimiter}{quoted[2 * k + 1]}" for k in range(len(rows))]
    text = f"id{delimiter}What do you think?{delimiter}Why?\n" + "\n".join(lines) + "\n"
    content = ("\ufeff" if mark else "").encode() + text.encode()
    (folder / "a.csv").write_bytes(content)
    source = Source(
        path="a.csv", delimiter=delimiter, encoding="utf-8", header_rows=1, rows_above=0, rows_below=0
    )
    want = read_delimited(content, source)[0]
    records, parts = make_parts_as(folder, source, size)
    assert (records, parts) == (len(rows), -(-len(rows) // size))
    assert same(load_table(folder, Source(path="out"), "source")[0], want)


def make_parts_as(folder: Path, source: Source, size: int) -> tuple[int, int]:
    from even_ballot.formats.sources.many.parting import write_parts

    (folder / "out").mkdir()
    made = list(write_parts(folder / source.path, source, folder / "out", size))
    return sum(part.records for part in made), len(made)


def test_a_large_file_is_read_by_blocks_with_titles_above_and_notes_below(tmp_path: Path) -> None:
    lines = "".join(f'{k},"answer, {k % 7}",{k % 5}\n' for k in range(400_000))
    (tmp_path / "a.csv").write_text(
        f"Ferries of the Veldry Isles\n\nid,why,q\n{lines}\nSource: the islands\n"
    )
    assert make_parts(tmp_path / "a.csv", tmp_path / "out", 150_000) == (400_000, 3)
    table, _ = load_table(tmp_path, Source(path="out"), "source")
    assert (table.names, len(table.rows)) == (("id", "why", "q"), 400_000)
    assert [table.columns[0].words[table.columns[0].values[at]] for at in (0, 399_999)] == ["0", "399999"]


def test_headings_once_more_and_guarded_texts_are_as_in_the_file(tmp_path: Path) -> None:
    rows = "".join(f"{k},'=later,{k % 3}\n" + ("row,why,q\n" if k == 4 else "") for k in range(1, 9))
    (tmp_path / "a.csv").write_text(f"row,why,q\n{rows}")
    make_parts(tmp_path / "a.csv", tmp_path / "out", 20)
    table, _ = load_table(tmp_path, Source(path="out"), "source")
    want, _ = load_table(tmp_path, Source(path="a.csv"), "source")
    assert same(table, want)
    assert (len(table.rows), table.rows.tolist()[4], table.columns[1].words[0]) == (8, 6, "=later")


def test_question_texts_in_a_second_row_go_with_the_parts(tmp_path: Path) -> None:
    rows = "".join(f"{k},{k % 3}\n" for k in range(9))
    (tmp_path / "a.csv").write_text(f"id,q1\nNumber,How often do you cross?\n{rows}")
    make_parts(tmp_path / "a.csv", tmp_path / "out", 4)
    table, _ = load_table(tmp_path, Source(path="out"), "source")
    want, _ = load_table(tmp_path, Source(path="a.csv"), "source")
    assert same(table, want)
    assert table.labels == ("Number", "How often do you cross?")


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"", "The file is empty"), (b"id,q\n1,2\n3\n" + b"4,5\n" * 900_000, "does not have"),
        ("id,q\n1,é\n".encode("latin-1") * 3, "Save it as UTF-8"),
        (b"id,q\n" + b"1,2\n" * 2_000_000 + b'3,"never closed\n' + b"4,5\n" * 300_000, ""),
    ],
)  # fmt: skip
def test_what_cannot_be_read_leaves_nothing(tmp_path: Path, content: bytes, says: str) -> None:
    (tmp_path / "a.csv").write_bytes(content)
    result = CliRunner().invoke(app, ["parts", str(tmp_path / "a.csv"), "--out", str(tmp_path / "out")])
    assert result.exit_code == 2, result.output
    assert says in result.stderr
    assert sorted(path.name for path in tmp_path.iterdir()) == ["a.csv"]


def test_the_command_says_what_it_made_and_keeps_what_is_there(tmp_path: Path) -> None:
    (tmp_path / "a.csv").write_text("id,q\n1,2\n3,4\n5,6\n")
    asked = ["parts", str(tmp_path / "a.csv"), "--out", str(tmp_path / "out"), "--records", "2"]
    result = CliRunner().invoke(app, asked)
    assert (result.exit_code, "3 records in 2 parts" in result.stdout) == (0, True)
    again = CliRunner().invoke(app, asked)
    assert again.exit_code == 2
    assert "contains files" in again.stderr
