"""The typefaces that documents and pictures carry: made by scripts/fonts.py; their licence stands beside
them."""

import re
from dataclasses import dataclass
from importlib.resources import as_file, files
from pathlib import Path

SCHEME = "letters://own/"
"""What a document calls them by."""


@dataclass(frozen=True)
class Font:
    """A file of letters: its name in a document, family, weight, upright or italic."""

    name: str
    family: str
    weight: str
    style: str


_FAMILIES = {"sans-3": "Source Sans 3", "serif-4": "Source Serif 4"}
_NAME = re.compile(r"source-(sans-3|serif-4)-(\d+)-(normal|italic)\.ttf")
FONTS = tuple(
    Font(SCHEME + match[0], _FAMILIES[match[1]], match[2], match[3])
    for match in map(_NAME.fullmatch, sorted(own.name for own in files(__name__).iterdir()))
    if match is not None
)


def font_bytes(name: str) -> bytes:
    """A file of letters by its name in a document. Raises ValueError for what is none of ours."""
    if name not in {font.name for font in FONTS}:
        raise ValueError(f"{name[:80]} is not fetched")
    return (files(__name__) / name.removeprefix(SCHEME)).read_bytes()


def font_folder() -> Path:
    """The folder they stand in."""
    with as_file(files(__name__)) as folder:
        return folder
