"""Released documents read again, each by something else than what wrote it."""

import io
import re
import subprocess
import tempfile
from html.parser import HTMLParser
from pathlib import Path

import docx
from odf import opendocument
from odf.namespaces import OFFICENS
from odf.table import TableCell
from odf.teletype import extractText
from pptx import Presentation


class _Cells(HTMLParser):
    """The texts of a page's table cells and other elements."""

    def __init__(self) -> None:
        super().__init__()
        self.texts: list[str] = []

    def handle_data(self, data: str) -> None:
        self.texts.append(data)


def page_texts(content: bytes) -> list[str]:
    """Texts of an HTML page."""
    parser = _Cells()
    parser.feed(content.decode())
    return [text.strip() for text in parser.texts if text.strip()]


def docx_texts(content: bytes) -> list[str]:
    """Texts of the cells and paragraphs of a text document."""
    space = "{http://schemas.openxmlformats.org/wordprocessingml/2006/main}"
    body = docx.Document(io.BytesIO(content)).element.body
    return ["".join(t.text or "" for t in p.iter(f"{space}t")).strip() for p in body.iter(f"{space}p")]


def pdf_texts(content: bytes) -> list[str]:
    """Words of a PDF, as the layout tools of the system find them."""
    with tempfile.NamedTemporaryFile(suffix=".pdf") as file:
        file.write(content)
        file.flush()
        found = subprocess.run(["pdftotext", "-layout", file.name, "-"], capture_output=True, check=True)
    text = re.sub(r"\s+", " ", found.stdout.decode())
    return [text]


def ods_values(content: bytes) -> tuple[set[float], list[str]]:
    """Numbers and texts of a spreadsheet's cells."""
    document = opendocument.load(io.BytesIO(content))
    numbers, texts = set(), []
    for cell in document.getElementsByType(TableCell):
        value = cell.attributes.get((OFFICENS, "value"))
        if value is not None:
            numbers.add(float(value))
        elif text := extractText(cell):
            texts.append(text)
    return numbers, texts


def slide_texts(content: bytes) -> list[str]:
    """Texts of the shapes and table cells of slides."""
    space = "{http://schemas.openxmlformats.org/drawingml/2006/main}"
    found = []
    for slide in Presentation(io.BytesIO(content)).slides:
        for paragraph in slide._element.iter(f"{space}p"):
            found.append("".join(t.text or "" for t in paragraph.iter(f"{space}t")).strip())
    return found


def converted(name: str, content: bytes, soffice: str) -> bytes:
    """A file as an office program prints it."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / name
        path.write_bytes(content)
        profile = f"-env:UserInstallation=file://{folder}/profile"
        made = subprocess.run(
            [soffice, profile, "--headless", "--convert-to", "pdf", "--outdir", folder, str(path)],
            capture_output=True,
            check=True,
            timeout=180,
        )
        out = path.with_suffix(".pdf")
        assert out.exists(), made.stderr.decode()
        return out.read_bytes()
