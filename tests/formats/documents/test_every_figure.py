"""Every figure of results.json stands in every document, rounded as the style says; each container opens."""

import json
import random
import shutil
from collections.abc import Iterator
from typing import Any

import pytest
import random_studies
from builders import raw
from hypothesis import given, settings
from hypothesis import strategies as st
from reading_documents import (
    converted,
    docx_texts,
    ods_values,
    page_texts,
    pdf_texts,
    slide_texts,
)

from even_ballot.core.faults import StudyError
from even_ballot.core.release.plan import Format
from even_ballot.core.study.pipeline import run
from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import Study, parse_study
from even_ballot.demo import FILES
from even_ballot.services.releases.files import ReleaseFiles
from even_ballot.services.running import run_file

SHARES = ("col_pct", "row_pct", "total_pct", "response_pct")
WHOLE = ("n", "count")


def rounded(value: float, stat: str, decimals: dict[str, int]) -> str:
    """A figure by its own rounding, not by that of the code."""
    places = 0 if stat in WHOLE else decimals["share" if stat in SHARES else "number"]
    text = format(100 * value if stat in SHARES else value, f",.{places}f")
    return text.replace("-", "" if not text.strip("-0.,") else "−")


def figures(results: Results, decimals: dict[str, int]) -> Iterator[str]:
    """Every estimate, and the standard error and limits where the table has them, as they must be read."""
    document = json.loads(json.dumps(results.document()))
    for cell in (cell for table in document["tables"] for cell in table["cells"]):
        yield rounded(cell["est"], cell["stat"], decimals)


def content(study: Study, results: Results, kind: Format) -> bytes:
    files = ReleaseFiles(study, results, (kind,)).all()
    name = "tables.ods" if kind == "ods" else f"release.{kind}"
    return b"".join(files[name])


def random_study(seed: int, plan: dict[str, Any]) -> tuple[Study, Results] | None:
    rng = random.Random(seed)
    columns = random_studies.answers(rng)
    study = parse_study({**random_studies.study(rng, columns), "release": plan})
    try:
        return study, run(study, raw(columns), {})
    except StudyError:
        return None


@settings(max_examples=25, deadline=None)
@given(
    st.integers(0, 10**6),
    st.sampled_from(["below", "brackets", "plus_minus", "beside", "none"]),
    st.integers(0, 3),
    st.integers(0, 4),
)
def test_every_figure_stands_in_every_format(seed: int, errors: str, share: int, number: int) -> None:
    decimals = {"share": share, "number": number}
    made = random_study(seed, {"style": {"errors": errors, "decimals": decimals}, "pictures": False})
    if made is None or not made[1].tables:
        return
    study, results = made
    wanted = set(figures(results, decimals))
    for kind, read in (("docx", docx_texts), ("html", page_texts), ("pptx", slide_texts)):
        texts = read(content(study, results, kind))  # type: ignore[arg-type]
        words = {word for text in texts for word in text.replace("(", " ").replace(";", " ").split()}
        words |= {word.rstrip("°abcABC") for word in words}
        assert wanted <= words, (kind, sorted(wanted - words))
    numbers, _ = ods_values(content(study, results, "ods"))
    document = json.loads(json.dumps(results.document()))
    exact = {
        100 * cell["est"] if cell["stat"] in SHARES else cell["est"]
        for cell in document["tables"][0]["cells"]
    }
    assert exact <= numbers


@pytest.mark.skipif(shutil.which("pdftotext") is None, reason="pdftotext is not installed")
@settings(max_examples=3, deadline=None)
@given(st.integers(0, 10**6))
def test_every_figure_stands_in_the_pages(seed: int) -> None:
    made = random_study(seed, {"pictures": False})
    if made is None or not made[1].tables:
        return
    (text,) = pdf_texts(content(*made, "pdf"))
    words = {word.strip("();°") for word in text.split()}
    missing = set(figures(made[1], {"share": 1, "number": 2})) - words
    assert not missing


@pytest.fixture(scope="module")
def demo() -> tuple[Study, Results]:
    return run_file(FILES / "study.json")


@pytest.mark.parametrize("kind", ["docx", "pdf", "html", "pptx", "ods", "xlsx"])
def test_the_same_study_gives_the_same_bytes(kind: Format, demo: tuple[Study, Results]) -> None:
    name = f"tables.{kind}" if kind in ("ods", "xlsx") else f"release.{kind}"
    first, second = (b"".join(ReleaseFiles(*demo, (kind,)).all()[name]) for _ in range(2))
    assert first == second and len(first) > 10_000


@pytest.mark.skipif(shutil.which("soffice") is None, reason="LibreOffice is not installed")
@pytest.mark.parametrize("kind", ["docx", "pptx", "ods", "xlsx"])
def test_an_office_program_opens_every_container(kind: Format, demo: tuple[Study, Results]) -> None:
    soffice = shutil.which("soffice")
    assert soffice is not None
    name = f"tables.{kind}" if kind in ("ods", "xlsx") else f"release.{kind}"
    whole = b"".join(ReleaseFiles(*demo, (kind,)).all()[name])
    (text,) = pdf_texts(converted(name, whole, soffice))
    for title in (table.title for table in demo[1].tables):
        assert title.split(",")[0] in text
    assert "33.6" in text and "2,205" in text
