"""Pictures that the interface drew, as one file."""

from collections.abc import Sequence
from dataclasses import dataclass

from even_ballot.formats.pictures import TYPES, Kind, archived, drawn

__all__ = ["Kind", "PictureFile", "picture_file"]


@dataclass(frozen=True)
class PictureFile:
    """A file and its media type."""

    content: bytes
    media_type: str


def picture_file(pictures: Sequence[tuple[str, str]], kind: Kind) -> PictureFile:
    """A drawing, by name and SVG, as it is asked for; several as an archive."""
    if len(pictures) == 1:
        return PictureFile(drawn(pictures[0][1], kind), TYPES[kind])
    return PictureFile(archived(pictures, kind), TYPES["zip"])
