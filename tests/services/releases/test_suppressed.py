"""What is suppressed says nowhere why: no file, sheet or schema tells a small figure from one that protects
it."""

import csv
import io
import json
import zipfile
from typing import Any

from pyarrow import parquet
from surveys import study, survey

from even_ballot.core.release.plan import Format
from even_ballot.core.study.pipeline import run
from even_ballot.core.study.study_file import parse_study
from even_ballot.services.releases.files import outputs

TABLE = {"id": "t", "title": "T", "stub": ["q"], "banner": ["a", "b"], "show": ["n", "col_pct", "mean"]}
ALL: tuple[Format, ...] = ("xlsx", "ods", "docx", "pdf", "html", "csv", "jsonstat", "pptx")


def texts(content: bytes) -> str:
    """All that a file says, parts of a package one after the other."""
    if content[:2] == b"PK":
        with zipfile.ZipFile(io.BytesIO(content)) as package:
            return "\n".join(texts(package.read(name)) for name in package.namelist())
    return content.decode("utf-8", "replace")


def files(below: int | None) -> tuple[dict[str, bytes], Any]:
    document = study({}, None, TABLE).model_dump(mode="json", exclude_unset=True, by_alias=True)
    asked = parse_study({**document, "suppression": {"below": below}})
    results = run(asked, survey(2, psus=4, size=6), {})
    made = {name: b"".join(parts) for name, parts in outputs(asked, results, formats=ALL).items()}
    return made, results


def test_no_file_tells_why_a_figure_is_suppressed() -> None:
    made, results = files(5)
    (table,) = results.tables
    hidden = {(of.stub, of.banner) for of in table.hidden if of.stat == "n"}
    counts = {(c.stub, c.banner): c.est for c in files(None)[1].tables[0].cells if c.stat == "n"}
    small = {of for of in hidden if 1 <= counts[of] < 5}
    assert small and hidden - small, "both sorts are hidden"
    document = json.loads(made["results.json"])
    assert {tuple(sorted(of)) for of in document["tables"][0]["hidden"]} == {("banner", "stat", "stub")}
    assert set(document["disclosure_control"]) == {
        "below",
        "hidden",
        "withheld",
        "unjudged",
        "weights_judged",
    }
    lines = list(csv.DictReader(io.StringIO(made["estimates.csv"].decode())))
    assert {line["hidden"] for line in lines} == {"", "suppressed"}
    columns = parquet.read_table(io.BytesIO(made["estimates.parquet"])).to_pydict()
    assert set(columns["hidden"]) == {"", "suppressed"}
    assert not any(line["estimate"] or line["n"] or line["base_n"] for line in lines if line["hidden"])
    for name, content in made.items():
        if name not in ("microdata.csv", "results.json"):
            said = texts(content).lower()
            for word in ("protects", "protecting", "primary", "secondary", ">small<"):
                assert word not in said, (name, word)
