"""A study with its files as one archive: names made safe both ways, sizes looked at first."""

import io
import zipfile
from pathlib import PurePosixPath

from even_ballot.core.faults import fault
from even_ballot.formats.sources.readable import readable

LARGEST, MOST = 1 << 30, 1000
_RATIO = 1000


def safe_name(name: str) -> str:
    """A path that stays inside the folder it is unpacked in: no root, drive, parent or control character;
    never empty."""
    plain = "".join(c for c in name.replace("\\", "/") if c.isprintable())
    parts = [part.strip(" ") for part in PurePosixPath(plain).parts]
    kept = [part.replace(":", "_")[:120] for part in parts if part.strip("./ ")]
    return "/".join(kept[-8:]) or "file"


def unpacked(content: bytes, name: str) -> dict[str, bytes]:
    """The files of an archive by their names there. Raises StudyError for what is no archive, damaged,
    encrypted or too large."""
    if not content.startswith(b"PK"):
        raise fault(
            "This ZIP does not contain a study.",
            name,
            "Choose a ZIP saved from a study; to use a study file on its own, apply it within its study.",
        )
    with readable(name, "The ZIP"), zipfile.ZipFile(io.BytesIO(content)) as archive:
        items = [item for item in archive.infolist() if not item.is_dir()]
        if len(items) > MOST:
            raise fault(
                f"The ZIP contains {len(items):,} files; at most {MOST:,} are read.",
                name,
                "Choose the ZIP of one study.",
            )
        size = sum(item.file_size for item in items)
        if size > LARGEST or (size > 100_000_000 and size > _RATIO * len(content)):
            raise fault("The ZIP unpacks to more than 1 GiB.", name, "Run it at the command line.")
        if any(item.flag_bits & 1 for item in items):
            raise fault("The ZIP is encrypted.", name, "Save it without a password.")
        return {item.filename: archive.read(item) for item in items}
