"""The appendix of a release: what its figures depend on, in every document."""

import json
from pathlib import Path

import pytest
from loading import depending
from reading_documents import docx_texts, page_texts
from typer.testing import CliRunner

from even_ballot.cli import app
from even_ballot.core.dependence.appendix import appendix
from even_ballot.core.faults import StudyError
from even_ballot.core.release.gone import without_gone
from even_ballot.core.release.plan import FigureOf
from even_ballot.core.study.study_file import parse_study
from even_ballot.demo import FILES
from even_ballot.formats.documents.compose import compose
from even_ballot.formats.documents.sections.depends import depends_blocks
from even_ballot.formats.printed.blocks import PrintedTable
from even_ballot.formats.writers.docx_file import docx_file
from even_ballot.services.running import run_file

FIGURES = [
    {"table": "need", "stub": {"variable": "ferry_runs_need", "code": 4}, "stat": "col_pct"},
    {
        "table": "need",
        "stub": {"variable": "ferry_runs_need", "code": 5},
        "banner": [{"variable": "isle", "code": 2}],
        "stat": "col_pct",
    },
    {"table": "fares", "stub": {"variable": "fare_spend"}, "stat": "mean"},
    {"table": "fares", "stub": {"variable": "gone"}, "stat": "mean"},
]


def test_the_appendix_says_each_decision_that_moves_a_figure() -> None:
    of = depending(FILES, ["need", "fares"])
    study, results = run_file(FILES / "study.json")
    plan = study.release
    assert plan is not None
    found = list(appendix(of, [FigureOf.model_validate(figure) for figure in FIGURES]))
    assert len(found) == 3  # One is no figure of its table.
    blocks = [b for b in depends_blocks(found, results, plan.style) if isinstance(b, PrintedTable)]
    assert [b.title for b in blocks] == [
        "Agree · All · Column %",
        "Strongly agree · Orran · Column %",
        "What did you yourself spend on fares in the past seven days? (crowns) · All · Mean",
    ]
    for block, figure in zip(blocks, found, strict=True):
        published, *rows = block.groups[0].rows
        assert published.labels[0].startswith("As published (")
        changes = [abs(row.entries[1].value or 0.0) for row in rows if row.entries[1].text != "–"]
        assert changes == sorted(changes, reverse=True) and len(rows) < len(figure.rows)
        for row in rows:
            if row.entries[1].value is not None:
                assert row.entries[0].value == pytest.approx(
                    (published.entries[0].value or 0.0) + row.entries[1].value
                )
        assert "cannot be computed without" in block.notes[0]
    made = compose(study, results, plan, appendix=tuple(depends_blocks(found, results, plan.style)))
    assert made.headings[-1].text == "What these figures depend on"
    assert any("Agree · All · Column %" in text for text in docx_texts(docx_file(made)))


def test_the_command_writes_the_appendix(tmp_path: Path) -> None:
    (tmp_path / "a.csv").write_text("y\n" + "\n".join(map(str, (*range(1, 20), 99))) + "\n")
    study = {
        "source": {"path": "a.csv"},
        "ledger": [{"do": "drop_cases", "where": "y > 90"}],
        "tables": [{"id": "t", "stub": ["y"], "show": ["mean"]}],
        "release": {"depends": [{"table": "t", "stub": {"variable": "y"}, "stat": "mean"}]},
    }
    (tmp_path / "study.json").write_text(json.dumps(study))
    asked = ["run", str(tmp_path / "study.json"), "--out", str(tmp_path / "out"), "--formats", "html"]
    result = CliRunner().invoke(app, asked)
    assert result.exit_code == 0, result.output
    texts = page_texts((tmp_path / "out" / "release.html").read_bytes())
    at = texts.index("Set aside the cases where y > 90")
    assert texts[at : at + 4] == ["Set aside the cases where y > 90", "14.45", "+4.45", "3.45"]


def test_a_figure_of_no_table_is_refused_and_goes_with_its_table() -> None:
    document = {
        "source": {"path": "a.csv"},
        "tables": [{"id": "t", "stub": ["y"]}],
        "release": {"depends": [{"table": "gone", "stub": {"variable": "y"}, "stat": "mean"}]},
    }
    with pytest.raises(StudyError, match="a figure of the table 'gone', which is not there"):
        parse_study(document)
    assert parse_study(without_gone(document)).release.depends == ()  # type: ignore[union-attr]
