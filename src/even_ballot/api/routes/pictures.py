"""Pictures that the interface drew, as files."""

from typing import Annotated

from fastapi import Response
from pydantic import BaseModel, Field

from even_ballot.api.context import station
from even_ballot.services.stations.pictures import PictureFormat, picture_file

router = station("/pictures", "pictures")


class Picture(BaseModel):
    """A drawing: what it is called, and its SVG."""

    name: str = Field(max_length=200)
    svg: str = Field(max_length=2_000_000)


class PicturesWanted(BaseModel):
    """One drawing as a file, or several as an archive."""

    kind: PictureFormat
    pictures: Annotated[list[Picture], Field(min_length=1, max_length=200)]


@router.post("", response_class=Response)
def pictures(body: PicturesWanted) -> Response:
    """Drawings as SVG, PNG or PDF."""
    file = picture_file([(p.name, p.svg) for p in body.pictures], body.kind)
    return Response(file.content, media_type=file.media_type)
