"""Drafts of made-up messy files, held against what the files truly hold, and taken to a weighted table."""

import json
from collections import Counter
from pathlib import Path

import numpy as np
import pytest
from messy import FILES, MessyFile, Truth
from typer.testing import CliRunner

from even_ballot.cli import app
from even_ballot.core.data.dataset import RawTable
from even_ballot.core.draft.draft import draft
from even_ballot.core.draft.line import DraftLine
from even_ballot.core.draft.taking import taken
from even_ballot.core.ledger import run_ledger
from even_ballot.core.study.graph import start
from even_ballot.core.study.study_file import Source, Study
from even_ballot.formats.sources.source import read_source

MADE = {make.__name__: make() for make in FILES}


def drafted(file: MessyFile) -> tuple[RawTable, Source, tuple[DraftLine, ...]]:
    raw, reading = read_source(file.content, Source(path=file.name))
    lines = draft(raw, reading.decimal or ".")
    assert sorted(q for line in lines for q in line.questions) == sorted(raw.names), (
        "every column is in one line"
    )
    return raw, reading, lines


def by_name(lines: tuple[DraftLine, ...]) -> dict[str, DraftLine]:
    return {name: line for line in lines for name in line.questions}


def columns(file: MessyFile, raw: RawTable) -> list[tuple[str, Truth]]:
    assert list(raw.labels) == list(file.truth), (raw.labels, list(file.truth))
    return list(zip(raw.names, file.truth.values(), strict=True))


def test_kinds_are_right_on_at_least_nineteen_columns_of_twenty(capsys: pytest.CaptureFixture[str]) -> None:
    found: Counter[str] = Counter()
    proposed: Counter[str] = Counter()
    true: Counter[str] = Counter()
    wrong = []
    for file in MADE.values():
        raw, _, made = drafted(file)
        lines = by_name(made)
        for name, truth in columns(file, raw):
            kind = lines[name].kind
            proposed[kind] += 1
            true[truth.kind] += 1
            found[kind] += kind == truth.kind
            if kind != truth.kind:
                wrong.append((file.name, name, kind, truth.kind, lines[name].why, lines[name].sure))
    with capsys.disabled():
        print()
        for each in sorted(true):
            print(
                f"  {each:8} precision {found[each] / max(proposed[each], 1):.3f} recall {found[each] / true[each]:.3f} of {true[each]}"
            )
    assert found.total() >= 0.95 * true.total(), wrong
    assert all(found[each] >= 0.95 * proposed[each] for each in proposed), wrong


@pytest.mark.parametrize("name", MADE)
def test_encoding_dates_numbers_and_roles_are_right(name: str) -> None:
    file = MADE[name]
    raw, reading, made = drafted(file)
    lines = by_name(made)
    assert len(raw.rows) == file.rows
    if file.encoding is not None:
        assert reading.encoding == file.encoding
    for key, value in file.left_out.items():
        assert getattr(reading, key) == value, key
    codebook, steps = taken(made, raw, reading.decimal or ".")
    study = Study(source=reading, codebook=codebook, ledger=steps)
    first = start(study, raw)
    data = [first, *(after for after, _ in run_ledger(first, steps, {}))][-1]
    for column, truth in columns(file, raw):
        assert lines[column].role == truth.role, (column, lines[column].role)
        if truth.values is not None:
            assert lines[column].kind == truth.kind, column
            got = data.column(column)
            assert got.answered.all(), (column, got.entries())
            assert np.allclose(got.values, [float(v) for v in truth.values if v is not None]), column


@pytest.mark.parametrize("name", MADE)
def test_answers_stand_in_their_order_and_no_answers_apart(name: str) -> None:
    file = MADE[name]
    raw, _, made = drafted(file)
    lines = by_name(made)
    for column, truth in columns(file, raw):
        line = lines[column]
        missing = (*(line.scale.missing if line.scale else ()), *line.missing)
        said = {m.code for m in missing} | {m.label for m in missing}
        assert set(truth.missing) <= said, (column, said)
        if truth.order:
            assert line.scale is not None, column
            assert [c.label for c in line.scale.codes] == list(truth.order), column
            assert line.scale.ordered
        if truth.kind == "coded" and not truth.missing and not truth.order:
            assert not missing, (column, said)


@pytest.mark.parametrize("name", MADE)
def test_from_file_to_weighted_table_at_the_command_line(name: str, tmp_path: Path) -> None:
    file = MADE[name]
    (tmp_path / file.name).write_bytes(file.content)
    run = CliRunner().invoke
    made = run(app, ["draft", str(tmp_path / file.name), "--out", str(tmp_path / "study.json")])
    assert made.exit_code == 0, made.output
    raw, _, proposed = drafted(file)
    lines = by_name(proposed)
    by_label = dict(zip(raw.labels, raw.names, strict=True))
    margin = by_label[file.margin]
    scale = lines[margin].scale
    codes = [c.code for c in scale.codes] if scale else []
    stub = next(
        line.name or n for n, line in lines.items() if line.kind in ("coded", "several") and n != margin
    )
    study = json.loads((tmp_path / "study.json").read_text())
    targets = [{"at": {margin: code}, "value": 1 / len(codes)} for code in codes]
    study["weightings"] = [
        {"save_as": "raked", "margins": [{"by": [margin], "targets": targets, "unknown": "hold"}]}
    ]
    study["tables"] = [{"id": "t", "stub": [margin, stub], "banner": [], "show": ["n", "col_pct"]}]
    (tmp_path / "study.json").write_text(json.dumps(study))
    ran = run(app, ["run", str(tmp_path / "study.json"), "--out", str(tmp_path / "out")])
    assert ran.exit_code == 0, ran.output
    results = json.loads((tmp_path / "out" / "results.json").read_text())
    assert results["weightings"][0]["converged"] and results["summary"]["not_placed"] == []
    cells = [c for c in results["tables"][0]["cells"] if c["stat"] == "col_pct" and c["banner"] == []]
    shares = [c["est"] for c in cells if c["stub"]["variable"] == margin and c["stub"].get("code") in codes]
    assert np.allclose(shares, [1 / len(codes)] * len(codes)), shares
    assert any(c["stub"]["variable"] == stub and c["se"] is not None for c in cells)
