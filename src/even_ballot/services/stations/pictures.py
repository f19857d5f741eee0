"""Pictures that the interface drew, as one file."""

from collections.abc import Sequence
from dataclasses import dataclass

from even_ballot.formats.images.files import TYPES, PictureFormat
from even_ballot.services.workers.helper_processes import HELPERS

__all__ = ["PictureFile", "PictureFormat", "picture_file"]


@dataclass(frozen=True)
class PictureFile:
    """A file and its media type."""

    content: bytes
    media_type: str


def picture_file(pictures: Sequence[tuple[str, str]], kind: PictureFormat) -> PictureFile:
    """A drawing, by name and SVG, as it is asked for; several as an archive."""
    size = sum(len(svg) for _, svg in pictures)
    content: bytes = HELPERS.run("picture", list(pictures), kind, size=size)
    return PictureFile(content, TYPES[kind if len(pictures) == 1 else "zip"])
