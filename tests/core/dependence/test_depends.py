"""What figures depend on: every alternative is the command's own run of the study file with that decision taken
out by hand."""

import copy
import json
import re
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import pytest
from loading import depending, loaded
from typer.testing import CliRunner

from even_ballot.cli import app
from even_ballot.core.dependence.comparing import DependentAnalysis, DependentTable
from even_ballot.core.dependence.depends import Dependence, Depending
from even_ballot.core.dependence.paths import MOST_PATHS, paths
from even_ballot.core.faults import StudyError
from even_ballot.core.study.pipeline import given, run
from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import parse_study
from even_ballot.core.tables.results import TableResult, as_json
from even_ballot.demo import FILES

CASES = Path(__file__).parents[2] / "reference"
CHOSEN = sorted(
    path.parent for path in CASES.glob("*/study.json") if re.search("rak|weigh|limit|response|calibrat", path.parent.name)
)  # fmt: skip


def without(document: dict[str, Any], *names: str) -> dict[str, Any]:
    """A study file with decisions taken out, by hand."""
    changed = copy.deepcopy(document)
    gone: list[tuple[int, int]] = []
    for name in names:
        place, _, value = name.partition("=")
        if match := re.fullmatch(r"ledger\[(\d+)\]", name):
            changed["ledger"][int(match[1])]["off"] = True
        elif match := re.fullmatch(r"weightings\[(\d+)\]\.margins\[(\d+)\]", name):
            gone.append((int(match[1]), int(match[2])))
        elif match := re.fullmatch(r"weightings\[(\d+)\]\.(limits|nonresponse)", name):
            changed["weightings"][int(match[1])][match[2]] = None
        elif place == "design.variance":
            changed.setdefault("design", {})["variance"] = {"method": value}
        elif name == "design.calibrated":
            design = changed.setdefault("design", {})
            design["calibrated"] = not design.get("calibrated", False)
        elif place in ("design.clusters", "design.strata"):
            design = changed["design"]
            design.pop(place.removeprefix("design."))
            design.pop("population_size", None)
        elif place.startswith("design."):
            design = changed.setdefault("design", {})
            design[place.removeprefix("design.")] = value or None
            if place == "design.weight" and design.get("calibrated"):
                design["calibrated"] = value in [w.get("save_as", "weight") for w in changed["weightings"]]
        elif match := re.fullmatch(r"alternatives\[(\d+)\]", name):
            for setting in changed["alternatives"][int(match[1])]["set"]:
                entry, key = re.fullmatch(r"ledger\[(\d+)\]\.(\w+)", setting["at"]).groups()  # type: ignore[union-attr]
                changed["ledger"][int(entry)][key] = setting["to"]
        else:
            raise AssertionError(name)
    for weighting, margin in sorted(gone, reverse=True):
        del changed["weightings"][weighting]["margins"][margin]
    return changed


def by_hand(
    document: dict[str, Any], names: Sequence[str], study: Any, raw: Any, lookups: dict[str, Any]
) -> tuple[Results | None, str | None]:
    """Results of a study file with decisions taken out, or why there are none."""
    try:
        changed = parse_study(without(document, *names)).model_copy(update={"source": study.source})
        return run(changed, raw, lookups), None
    except StudyError as error:
        return None, str(error.faults[0])


def near(x: float | None) -> Any:
    return None if x is None else pytest.approx(x, rel=1e-12, abs=1e-12)


def check_tables(found: Sequence[DependentTable], theirs: Sequence[TableResult]) -> None:
    """Figures and tests that turn, against those of the study file's own run."""
    there = {table.id: table for table in theirs}
    for table in found:
        other = there.get(table.id)
        cells = {} if other is None else {(c.stub, c.banner, c.stat): c for c in other.cells}
        for cell in table.cells:
            mine = cells.get((cell.stub, cell.banner, cell.stat))
            assert (cell.without is None) == (mine is None)
            if mine is not None:
                assert (cell.without, cell.se_without) == (near(mine.est), near(mine.se))
                assert cell.change == pytest.approx(mine.est - cell.est, rel=1e-9, abs=1e-12)
        for turned in table.turned:
            assert (turned.p is not None and turned.p < 0.05) != (
                turned.p_without is not None and turned.p_without < 0.05
            )


def check_analyses(found: Sequence[DependentAnalysis], theirs: Results) -> None:
    models = {model.id: {repr(as_json(c.term)): c for c in model.coefficients} for model in theirs.models}
    scales = {scale.id: scale for scale in theirs.reliability}
    for analysis in found:
        for figure in analysis.figures:
            if analysis.part == "models":
                mine = models.get(analysis.id, {}).get(repr(figure.of["term"]))
                assert (figure.without, figure.se_without, figure.p_without) == (
                    (None, None, None) if mine is None else (near(mine.est), near(mine.se), near(mine.p))
                )
            elif analysis.part == "reliability":
                scale = scales.get(analysis.id)
                assert figure.without == (None if scale is None else near(scale.alpha))


def agrees(
    found: Dependence, document: dict[str, Any], study: Any, raw: Any, lookups: dict[str, Any]
) -> bool:
    """Whether what is said of a decision is what a run without it gives; False where cannot be computed without."""
    results, refused = by_hand(document, (found.decision.id, *found.entries), study, raw, lookups)
    assert found.document()["refused"] == refused
    if results is None:
        return False
    check_tables(found.tables, results.tables)
    check_analyses(found.analyses, results)
    return True


def test_every_alternative_of_the_demo_is_its_own_run() -> None:
    study, raw, lookups = loaded(FILES)
    document = json.loads((FILES / "study.json").read_text())
    found = list(Depending(study, given(study, raw, lookups).inputs, reading=True).each())
    kinds = [of.decision.kind for of in found]
    assert kinds.count("ledger") == 21 and kinds.count("margin") == 4
    assert [of.decision.id for of in found[25:]] == [
        "design.weight", "design.weight=base_weight", "design.calibrated", "design.clusters", "design.strata",
        "design.variance=jackknife",
    ]  # fmt: skip
    assert {analysis.part for analysis in found[-1].analyses} == {"models", "reliability", "correlations"}
    remained = sum(agrees(of, document, study, raw, lookups) for of in found)
    assert remained >= 15
    # Entries that build on another go with it, and are named.
    speed = next(of for of in found if of.decision.says.startswith("Create seconds"))
    assert speed.entries == ("ledger[3]",)


@pytest.mark.parametrize("folder", CHOSEN, ids=lambda folder: folder.name)
def test_every_alternative_of_a_reference_case_is_its_own_run(folder: Path) -> None:
    study, raw, lookups = loaded(folder)
    document = json.loads((folder / "study.json").read_text())
    found = list(Depending(study, given(study, raw, lookups).inputs).each())
    assert found
    for of in found:
        agrees(of, document, study, raw, lookups)


def small(**parts: Any) -> dict[str, Any]:
    return {
        "source": {"path": "a.csv"},
        "ledger": [{"do": "drop_cases", "where": "y > 90"}, {"do": "derive", "into": "z", "value": "2 * y"}],
        "tables": [{"id": "t", "stub": ["z"], "show": ["mean"]}, {"id": "u", "stub": ["y"], "show": ["n", "mean"]}],
        **parts,
    }  # fmt: skip


def test_the_command_writes_what_each_table_would_be(tmp_path: Path) -> None:
    (tmp_path / "a.csv").write_text("y\n" + "\n".join(map(str, (*range(1, 20), 99))) + "\n")
    (tmp_path / "study.json").write_text(json.dumps(small()))
    out = tmp_path / "out"
    result = CliRunner().invoke(app, ["depends", str(tmp_path / "study.json"), "--out", str(out)])
    assert result.exit_code == 0, result.output
    said = json.loads((out / "depends.json").read_text())["decisions"]
    assert [of["id"] for of in said] == ["ledger[0]", "ledger[1]", "design.variance=jackknife"]
    (cell,) = said[0]["tables"][0]["cells"]
    assert (cell["est"], cell["without"]) == (20.0, pytest.approx(28.9))
    assert cell["in_se"] == pytest.approx(cell["change"] / cell["se"])
    # What is gone without a decision has no figure.
    (cell,) = said[1]["tables"][0]["cells"]
    assert "without" not in cell and said[1]["refused"] is None
    again = ["depends", str(tmp_path / "study.json"), "--out", str(out), "--tables"]
    assert CliRunner().invoke(app, [*again, "u"]).exit_code == 2
    assert CliRunner().invoke(app, [*again, "u", "--replace"]).exit_code == 0
    assert [of["id"] for of in json.loads((out / "depends.json").read_text())["decisions"][0]["tables"]] == [
        "u"
    ]
    refused = CliRunner().invoke(app, [*again, "none", "--replace"])
    assert refused.exit_code == 2 and "There is no table or analysis 'none'" in refused.output


def test_a_difference_of_a_few_cases_is_not_told_where_small_counts_are_hidden(tmp_path: Path) -> None:
    (tmp_path / "a.csv").write_text("y\n" + "\n".join(map(str, (*range(1, 20), 99))) + "\n")
    (tmp_path / "study.json").write_text(json.dumps(small(suppression={"below": 5})))
    study, raw, lookups = loaded(tmp_path)
    first = next(Depending(study, given(study, raw, lookups).inputs).each())
    assert all(cell.without is None for table in first.tables for cell in table.cells)


def test_alternatives_that_differ_by_a_few_cases_are_not_both_told(tmp_path: Path) -> None:
    """Each is far from what is published; side by side they would tell of three cases."""
    (tmp_path / "a.csv").write_text("y\n" + "\n".join(map(str, range(1, 101))) + "\n")
    entries = [{"do": "drop_cases", "where": "y > 80"}]
    others = [
        {"label": str(cut), "set": [{"at": "ledger[0].where", "to": f"y > {cut}"}]} for cut in (60, 57, 40)
    ]
    tables = [{"id": "u", "stub": ["y"], "show": ["mean"]}]
    study = {"source": {"path": "a.csv"}, "ledger": entries, "tables": tables, "alternatives": others}
    told = {}
    for below in (None, 10):
        (tmp_path / "study.json").write_text(json.dumps({**study, "suppression": {"below": below}}))
        of = depending(tmp_path)
        found = [one for one in of.each() if one.decision.kind == "alternative"]
        told[below] = [one.tables[0].cells[0].without for one in found]
        over = list(paths(of, of.chosen([one.decision.id for one in found])))
        assert [path.tables[0].cells[0].without for path in over][1:] == told[below]
    assert told == {None: [30.5, 29.0, 20.5], 10: [30.5, None, 20.5]}


def test_every_combination_of_decisions_is_its_own_run() -> None:
    study, raw, lookups = loaded(FILES)
    document = json.loads((FILES / "study.json").read_text())
    of = Depending(study, given(study, raw, lookups).inputs, ["need", "fares"])
    ids = ["ledger[3]", "weightings[0].margins[0]", "weightings[0].margins[2]", "design.weight=base_weight"]
    found = list(paths(of, of.chosen(ids)))
    assert len(found) == 16 and found[0].without == () and len({path.without for path in found}) == 16
    for path in found:
        results, refused = by_hand(document, (*path.without, *path.entries), study, raw, lookups)
        assert (path.refused is None) == (refused is None)
        if results is not None:
            check_tables(path.tables, results.tables)


def test_alternatives_of_one_place_are_never_taken_together() -> None:
    study, raw, lookups = loaded(FILES)
    document = json.loads((FILES / "study.json").read_text())
    document["alternatives"] = [
        {"label": f"Under {cut} seconds", "set": [{"at": "ledger[3].where", "to": f"seconds < {cut}"}]}
        for cut in (60, 400)
    ]
    asked = parse_study(document).model_copy(update={"source": study.source})
    of = Depending(asked, given(asked, raw, lookups).inputs, ["need"])
    others = [found for found in of.each() if found.decision.kind == "alternative"]
    assert [found.decision.instead for found in others] == ["Under 60 seconds", "Under 400 seconds"]
    assert all(agrees(found, document, asked, raw, lookups) for found in others)
    assert others[0].tables[0].largest != others[1].tables[0].largest
    cut_offs = of.chosen(["ledger[3]", "alternatives[0]", "alternatives[1]"])
    assert [path.without for path in paths(of, cut_offs)] == [
        (), ("ledger[3]",), ("alternatives[0]",), ("alternatives[1]",),
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("at", "what"),
    [
        ("ledger[99].where", "has no place"),
        ("ledger[3].nothing", "not known here"),
        ("ledger 3", "not a path"),
        ("title.x", "has no place"),
    ],
)
def test_an_alternative_that_fits_nowhere_says_so(at: str, what: str) -> None:
    study, raw, lookups = loaded(FILES)
    document = json.loads((FILES / "study.json").read_text())
    document["alternatives"] = [{"label": "Strange", "set": [{"at": at, "to": "seconds < 1"}]}]
    asked = parse_study(document).model_copy(update={"source": study.source})
    found = list(Depending(asked, given(asked, raw, lookups).inputs, ["need"]).each())[-1]
    assert found.refused is not None and what in str(found.refused)


def test_weak_cases_that_were_let_stand_are_a_decision(tmp_path: Path) -> None:
    seconds = [*range(300, 340), 20, 21]
    lines = [f"{k},{second},{k % 7 + (50 if second < 100 else 0)}" for k, second in enumerate(seconds)]
    (tmp_path / "a.csv").write_text("\n".join(["id,seconds,y", *lines]) + "\n")
    accepted = [
        {"kind": "too_fast", "variable": "seconds", "value": "under 100 seconds", "why": "they know the form"}
    ]
    variables = [{"name": "seconds", "kind": "number", "role": "seconds"}, {"name": "y", "kind": "number"}]
    study = {
        "source": {"path": "a.csv"},
        "codebook": {"variables": variables, "accepted": accepted},
        "screening": {"fast": 100},
        "tables": [{"id": "t", "stub": ["y"], "show": ["mean"]}],
    }
    (tmp_path / "study.json").write_text(json.dumps(study))
    (weak,) = (of for of in depending(tmp_path).each() if of.decision.kind == "weak")
    assert weak.decision.id == "codebook.accepted[0]" and weak.decision.says == (
        "Keep 2 cases accepted as too fast"
    )
    (cell,) = weak.tables[0].cells
    kept = [k % 7 for k, second in enumerate(seconds) if second >= 100]
    assert cell.without == pytest.approx(sum(kept) / len(kept))


def test_too_many_combinations_are_refused() -> None:
    of = depending(FILES, ["need"])
    with pytest.raises(StudyError, match=f"{MOST_PATHS} can be worked out"):
        list(paths(of, of.decisions[:12]))
    with pytest.raises(StudyError, match=r"There is no decision 'ledger\[99\]'"):
        of.chosen(["ledger[99]"])


def test_the_command_writes_combinations(tmp_path: Path) -> None:
    (tmp_path / "a.csv").write_text("y\n" + "\n".join(map(str, (*range(1, 20), 99))) + "\n")
    (tmp_path / "study.json").write_text(json.dumps(small()))
    asked = ["depends", str(tmp_path / "study.json"), "--out", str(tmp_path / "out"), "--combine"]
    result = CliRunner().invoke(app, [*asked, "ledger[0],design.variance=jackknife"])
    assert result.exit_code == 0, result.output
    said = json.loads((tmp_path / "out" / "depends.json").read_text())["paths"]
    assert [path["without"] for path in said][-1] == ["ledger[0]", "design.variance=jackknife"]
    figures = [path["tables"][0]["cells"][0]["without"] for path in said]
    assert figures == [20.0, 20.0, pytest.approx(28.9), pytest.approx(28.9)]


def significant(table: TableResult) -> dict[str, bool]:
    """Every test of a table, by what it is of, read plainly."""
    found = {}
    for test in table.tests:
        of = (test.kind, str(test.stub), test.banner, getattr(test, "a", None), getattr(test, "b", None))
        found[repr((*of, getattr(test, "stat", None)))] = getattr(test, "p_adjusted", test.p) < 0.05
    return found


def test_every_test_that_turns_is_named_and_no_other() -> None:
    study, raw, lookups = loaded(FILES)
    document = json.loads((FILES / "study.json").read_text())
    for table in document["tables"]:
        table["tests"] = ["independence", "wald", "columns", "trend"]
    asked = parse_study(document).model_copy(update={"source": study.source})
    names = ["need", "crossing", "why"]
    of = Depending(asked, given(asked, raw, lookups).inputs, names)
    base = {table.id: significant(table) for table in of.published.values()}
    turned = 0
    for found in of.each():
        results, _ = by_hand(document, (found.decision.id, *found.entries), asked, raw, lookups)
        if results is None:
            continue
        there = {table.id: significant(table) for table in results.tables}
        for table in found.tables:
            here, other = base[table.id], there.get(table.id, {})
            keys = {*here, *other}
            expected = sum(here.get(key, False) != other.get(key, False) for key in keys)
            assert len(table.turned) == expected
            turned += expected
    assert turned > 10


def test_unweighted_and_base_weight_take_the_account_of_raking_off_with_them() -> None:
    study, raw, lookups = loaded(FILES)
    document = json.loads((FILES / "study.json").read_text())
    document["design"]["calibrated"] = True
    asked = parse_study(document).model_copy(update={"source": study.source})
    found = {
        of.decision.id: of for of in Depending(asked, given(asked, raw, lookups).inputs, ["need"]).each()
    }
    for name in ("design.weight", "design.weight=base_weight"):
        assert found[name].refused is None
        assert found[name].tables
