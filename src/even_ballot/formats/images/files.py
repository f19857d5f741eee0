"""Drawn pictures as files: one as it is asked for, several as an archive."""

import io
import re
import zipfile
from collections.abc import Sequence
from functools import cache
from typing import Any, Literal

from even_ballot.core.faults import fault
from even_ballot.formats.fonts import font_folder
from even_ballot.formats.images.drawing import checked

PictureFormat = Literal["svg", "png", "pdf"]
TYPES: dict[str, str] = {
    "svg": "image/svg+xml",
    "png": "image/png",
    "pdf": "application/pdf",
    "zip": "application/zip",
}
_POINTS = 3


@cache
def _converter() -> Any:
    """What draws; it knows our own letters."""
    import vl_convert  # Large; needed by nothing else.

    vl_convert.register_font_directory(str(font_folder()))
    return vl_convert


def drawn(svg: str, kind: PictureFormat, resolution: float = _POINTS) -> bytes:
    """A drawing as SVG, as points (so many to one) or as a page. svg: the whole document. Raises StudyError
    where it is none."""
    svg = checked(svg)
    if kind == "svg":
        return svg.encode()
    convert = _converter()
    try:
        return bytes(convert.svg_to_pdf(svg) if kind == "pdf" else convert.svg_to_png(svg, scale=resolution))
    except (ValueError, RuntimeError) as error:
        first = str(error).split("\n", 1)[0].rstrip(".")
        raise fault(
            f"The drawing cannot be read: {first}.", "svg", "Save the chart from the Tables station."
        ) from None


def archived(pictures: Sequence[tuple[str, str]], kind: PictureFormat) -> bytes:
    """Drawings, by name and SVG, as one archive; the same drawings give the same bytes."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, svg in pictures:
            entry = zipfile.ZipInfo(f"{_file_name(name)}.{kind}", (2026, 1, 1, 0, 0, 0))
            entry.compress_type = zipfile.ZIP_DEFLATED
            archive.writestr(entry, drawn(svg, kind))
    return out.getvalue()


def picture_content(pictures: Sequence[tuple[str, str]], kind: PictureFormat) -> bytes:
    """A drawing, by name and SVG, as it is asked for; several as an archive."""
    return drawn(pictures[0][1], kind) if len(pictures) == 1 else archived(pictures, kind)


def _file_name(name: str) -> str:
    return re.sub(r"[^\w.-]+", "-", name).strip("-.") or "picture"
