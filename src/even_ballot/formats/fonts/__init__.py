"""The typefaces that documents and pictures carry: made by scripts/fonts.py; their licence stands beside
them."""

from importlib.resources import as_file, files
from pathlib import Path


def font_folder() -> Path:
    """The folder they stand in."""
    with as_file(files(__name__)) as folder:
        return folder
