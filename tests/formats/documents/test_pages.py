"""The pages of a release (PDF): what they say to those who listen, and what any words in them come to."""

import shutil
import subprocess
from collections import Counter
from pathlib import Path

import pytest
from builders import raw
from reading_documents import pdf_texts
from small_releases import NASTY, plan, small

from even_ballot.core.study.pipeline import run
from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import Study
from even_ballot.demo import FILES
from even_ballot.formats.documents.compose import compose
from even_ballot.formats.printed.blocks import Document, Picture
from even_ballot.formats.writers.pdf_file import pdf_file
from even_ballot.services.running import run_file

pytestmark = pytest.mark.skipif(shutil.which("pdfinfo") is None, reason="poppler's tools are not installed")


@pytest.fixture(scope="module")
def demo() -> tuple[Study, Results]:
    return run_file(FILES / "study.json")


def about(content: bytes, folder: Path, *asked: str) -> str:
    path = folder / "pages.pdf"
    path.write_bytes(content)
    return subprocess.run(["pdfinfo", *asked, str(path)], capture_output=True, check=True).stdout.decode(
        errors="replace"
    )


def parts(content: bytes, folder: Path) -> Counter[str]:
    """How many of each part the structure of the pages has."""
    lines = about(content, folder, "-struct").splitlines()
    return Counter(line.split()[0].strip(":") for line in lines if line.strip())


def test_the_pages_say_their_parts_to_those_who_listen(demo: tuple[Study, Results], tmp_path: Path) -> None:
    document = compose(*demo, plan(title="Ferries", authors=["Isles"], style={"language": "en-GB"}))
    content = pdf_file(document)
    found = parts(content, tmp_path)
    assert found["Figure"] == sum(isinstance(block, Picture) for block in document.blocks)
    assert found["Table"] >= len(document.tables) and found["TH"] > 2 * found["Table"]
    assert found["H1"] == sum(heading.level == 1 for heading in document.headings)
    assert found["TOCI"] >= len(document.tables)
    says = about(content, tmp_path, "-meta")
    assert "<pdfuaid:part>1<" in says and ">Ferries<" in says and "en-GB" in says
    assert "Tagged:" in about(content, tmp_path)
    fonts = subprocess.run(["pdffonts", str(tmp_path / "pages.pdf")], capture_output=True, check=True)
    lines = fonts.stdout.decode().splitlines()[2:]
    assert lines and all(" yes yes yes " in line for line in lines)  # Embedded, a part of it, with its text.


def words(text: str, title: str = "Answers") -> Document:
    study, results = small(label=text or "x", title=title, foreword=f"## {text}\n\n{text}")
    return compose(study, results, study.release or plan())


@pytest.mark.parametrize("text", NASTY)
def test_whatever_a_label_holds_pages_come_of_it(text: str, tmp_path: Path) -> None:
    safe = text.encode("utf-8", "replace").decode()
    content = pdf_file(words(safe, safe if safe.strip() else "x"))
    assert content.startswith(b"%PDF-1.7") and parts(content, tmp_path)["Table"] == 1
    assert pdf_file(words(safe, safe if safe.strip() else "x")) == content


@pytest.mark.parametrize(
    "text", ["#panic()", "$x$ *b* _i_ `c` @x <y>", "= heading", "#set page(width: 1pt)", "//gone", "\\ #[a]"]
)
def test_nothing_that_is_said_is_read_as_markup(text: str) -> None:
    (found,) = pdf_texts(pdf_file(words(text)))
    assert text in found


@pytest.mark.parametrize("text", ["→ ≤ ½", "日本語", "🙂", "\ue000"])
def test_letters_that_we_do_not_carry_cost_no_pages(text: str, tmp_path: Path) -> None:
    content = pdf_file(words(text))
    assert parts(content, tmp_path)["TD"] > 4


def test_long_tables_say_their_headings_on_every_page(tmp_path: Path) -> None:
    study, _ = small(columns=30)
    turned = study.tables[0].model_copy(
        update={"stub": ("b",), "banner": (("q",),), "show": ("col_pct", "n")}
    )
    asked = study.model_copy(update={"tables": (turned,)})
    answers = {"q": [str(k % 2 + 1) for k in range(120)], "b": [str(k % 30 + 1) for k in range(120)]}
    results = run(asked, raw(answers), {})
    content = pdf_file(compose(asked, results, plan(pictures=False, with_it=[])))
    (tmp_path / "long.pdf").write_bytes(content)
    pages = int(about(content, tmp_path).split("Pages:")[1].split()[0])
    assert pages > 1
    shown = [
        subprocess.run(
            ["pdftotext", "-layout", "-f", str(k), "-l", str(k), str(tmp_path / "long.pdf"), "-"],
            capture_output=True,
            check=True,
        ).stdout.decode()
        for k in range(1, pages + 1)
    ]
    assert all("Yes" in page and "No" in page for page in shown if "Column 3" in page or "Column 29" in page)
    assert not any("Base (unweighted)" in page and "Column 30" not in page for page in shown)


def test_a_title_of_ten_thousand_characters_and_endless_notes_do(tmp_path: Path) -> None:
    title = "Crossings " * 999
    assert parts(pdf_file(words("Yes", title)), tmp_path)["Table"] == 1
