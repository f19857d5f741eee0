"""What the Release station shows."""

from dataclasses import dataclass
from typing import Literal

from even_ballot.core.release.changes import NamedThing, ReleaseChanges
from even_ballot.core.release.plan import ReleasePlan
from even_ballot.formats.printed.blocks import Heading, Paragraph, PrintedTable
from even_ballot.services.releases.checking import Notice
from even_ballot.store.releases import FileEntry


@dataclass(frozen=True)
class PictureView:
    """A picture, drawn."""

    anchor: str
    caption: str
    says: str
    svg: str


@dataclass(frozen=True)
class BlockView:
    """One of the four kinds of blocks."""

    kind: Literal["heading", "paragraph", "table", "picture"]
    heading: Heading | None = None
    paragraph: Paragraph | None = None
    table: PrintedTable | None = None
    picture: PictureView | None = None


@dataclass(frozen=True)
class SectionView:
    """The blocks of a part. at: its place in the plan, or foreword, changes, methods; title: what it is
    called in the contents."""

    at: str
    title: str
    blocks: tuple[BlockView, ...]


@dataclass(frozen=True)
class ReleaseView:
    """The release as it would be made now. plan: as it stands, with every part that is in it; left_out: what
    of the study is not."""

    plan: ReleasePlan
    title: str
    date: str
    sections: tuple[SectionView, ...]
    left_out: tuple[NamedThing, ...]


@dataclass(frozen=True)
class MadeRelease:
    """A release that was made. edition: of the study; files: as they were, each with its SHA-256."""

    number: int
    title: str
    edition: int
    who: str
    made: str
    version: str
    study_sha256: str
    files: tuple[FileEntry, ...]


@dataclass(frozen=True)
class Releases:
    """The releases of a study, the newest first, and what to look at before the next."""

    made: tuple[MadeRelease, ...]
    check: tuple[Notice, ...]


@dataclass(frozen=True)
class Compared:
    """What changed between two releases; `before` and `after` name them."""

    before: str
    after: str
    changes: ReleaseChanges
