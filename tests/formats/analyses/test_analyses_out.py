"""Analyses in words and on sheets: nothing that their figures do not bear."""

import io
import re
from typing import Any

import openpyxl
import pytest
from released import released

from even_ballot.core.models.results import (
    AnalysisResult,
    CorrelationsResult,
    Factor,
    ItemResult,
    LeftOut,
    ModelResult,
    PairResult,
    ReliabilityResult,
)
from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import Study
from even_ballot.demo import FILES
from even_ballot.formats.analyses.in_words import analysis_in_words
from even_ballot.formats.analyses.rows import blocks_of
from even_ballot.services.running import run_file


@pytest.fixture(scope="module")
def demo() -> tuple[Study, Results]:
    return run_file(FILES / "study.json")


def words(result: AnalysisResult) -> str:
    return " ".join(analysis_in_words(result))


def test_a_model_is_told_by_what_it_expects_of_everybody(demo: tuple[Study, Results]) -> None:
    model = next(of for of in demo[1].models if of.id == "weekly")
    said = words(model)
    assert f"{model.n:,} of {model.in_filter:,} cases have all answers" in said
    assert "Average prediction with everyone in" in said and "“Every week”" in said
    for term in ("isle", "age_band"):
        mine = [of for of in model.predictions if of.variable == term]
        for of in (min(mine, key=lambda of: of.est), max(mine, key=lambda of: of.est)):
            assert f"{100 * of.est:.1f} %" in said
    clear = [of.term[0] for of in model.joint if of.p < 0.05]
    assert f"Terms significant at the 5 % level: {', '.join(clear)}" in said
    assert "not a share of variance" in said
    assert not re.search(r"odds|logit|coefficient", said)


def test_what_a_model_has_not_is_told_too() -> None:
    gone = ModelResult("m", "linear", "M", 20, in_filter=20, left_out=(LeftOut((Factor("b"),)),), r2=0.25)
    assert words(gone) == (
        "Left out, because earlier columns make it up: b. "
        "The terms account for 25.0 % of the variance of the outcome."
    )
    assert words(ModelResult("m", "logistic", "M", 4, message="It splits.", in_filter=4)) == "It splits."


def test_a_scale_is_told_with_the_items_that_spoil_it() -> None:
    items = (ItemResult("p", 3.0, 1.0, 0.5, 0.4), ItemResult("q", 3.0, 1.0, -0.2, 0.8))
    scale = ReliabilityResult("r", "R", 90, 0.6, 0.1, 0.4, 0.7, 0.6, items, None, ("q",), 100)
    said = words(scale)
    assert "90 of 100 cases" in said and "α is 0.60 (0.40 to 0.70)" in said
    assert (
        "higher without q" in said
        and "q correlates negatively with the others: reverse it, or check its wording." in said
    )


@pytest.mark.parametrize("r", [0.7, -0.35, 0.02])
def test_the_closest_pair_is_told(r: float) -> None:
    pairs = (PairResult("a", "b", 1040, r), PairResult("a", "c", 40))
    said = words(CorrelationsResult("c", "C", "spearman", pairs))
    assert f"The correlation is between a and b: r = {r:.2f}, n = 1,040." in said
    assert "Could not be computed for a with c" in said
    closer = PairResult("b", "c", 41, -0.9)
    said = words(CorrelationsResult("c", "C", "spearman", (*pairs, closer)))
    assert "The strongest correlation is between b and c: r = -0.90, n = 41." in said


def test_every_analysis_has_a_sheet_with_its_figures_as_numbers(demo: tuple[Study, Results]) -> None:
    book = openpyxl.load_workbook(io.BytesIO(released(*demo)["tables.xlsx"]))
    made: list[AnalysisResult] = [*demo[1].models, *demo[1].reliability, *demo[1].correlations]
    titles = [of.title for of in made]
    assert len(book.sheetnames) == 3 + len(demo[1].tables) + len(titles) + len(demo[0].side_by_side)
    listed = [row[1].value for row in book["Contents"].iter_rows(min_row=3)]
    assert [title for title in listed if title in titles] == titles
    sheets: list[Any] = [sheet for sheet in book.worksheets if sheet["A1"].value in titles]
    assert len(sheets) == len(made)
    for k, sheet in enumerate(sheets):
        numbers = [cell.value for row in sheet.iter_rows() for cell in row if isinstance(cell.value, float)]
        wanted: list[Any] = [
            value
            for block in blocks_of(made[k])
            for row in block.rows
            for value in row
            if isinstance(value, float)
        ]
        # A workbook holds 16 digits; what is whole is read as such.
        digits = {f"{x:.12g}" for x in numbers}
        assert {f"{x:.12g}" for x in wanted if not x.is_integer()} <= digits
        assert sheet["A2"].value.startswith("Cases where" if made[k].id == "weekly_people" else "All cases")


def test_contrasts_stand_below_their_table(demo: tuple[Study, Results]) -> None:
    import json

    from even_ballot.core.study.pipeline import run
    from even_ballot.core.study.study_file import parse_study
    from even_ballot.formats.workbooks.workbook import workbook
    from even_ballot.services.answers import load_table

    document = json.loads((FILES / "study.json").read_text())
    of = [{"at": {"isle": 4}, "times": 1}, {"at": {"isle": 1}, "times": -1}]
    document["tables"] = [{**document["tables"][0], "contrasts": [{"label": "Brim less Hask", "of": of}]}]
    study = parse_study(document)
    raw, reading = load_table(FILES, study.source, "source")
    lookups = {name: load_table(FILES, said, name)[0] for name, said in study.lookups.items()}
    results = run(study.model_copy(update={"source": reading}), raw, lookups)
    sheet = openpyxl.load_workbook(io.BytesIO(workbook(study, results))).worksheets[1]
    rows = [[cell.value for cell in row[:8]] for row in sheet.iter_rows() if row[0].value == "Brim less Hask"]
    shown = [(of.stat, of.est) for of in results.tables[0].contrasts or ()]
    assert len(rows) == len(shown)
    for row, (stat, est) in zip(rows, shown, strict=True):
        assert row[2] == pytest.approx(100 * est if stat == "col_pct" else est)
