"""Office containers with the same bytes each time: entries in order, with one fixed time."""

import io
import zipfile
from collections.abc import Callable, Mapping

_TIME = (2026, 1, 1, 0, 0, 0)


def archive(files: Mapping[str, bytes], first: str | None = None) -> bytes:
    """A ZIP of files in the order given. first: one that stands first and is not compressed, as some
    containers want their media type.

    >>> archive({"a.txt": b"a"}) == archive({"a.txt": b"a"})
    True
    """
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
        for name in sorted(files, key=lambda name: name != first):
            entry = zipfile.ZipInfo(name, _TIME)
            entry.compress_type = zipfile.ZIP_STORED if name == first else zipfile.ZIP_DEFLATED
            entry.external_attr = 0o644 << 16
            made.writestr(entry, files[name])
    return out.getvalue()


def settled(
    content: bytes, first: str | None = None, mend: Callable[[str, bytes], bytes] | None = None
) -> bytes:
    """A container written anew, its entries by name. mend: changes an entry's bytes."""
    with zipfile.ZipFile(io.BytesIO(content)) as old:
        names = sorted(name for name in old.namelist() if not name.endswith("/"))
        files = {name: old.read(name) for name in names}
    if mend is not None:
        files = {name: mend(name, held) for name, held in files.items()}
    # The list of types comes first in every container that has one.
    order = sorted(files, key=lambda name: (name != "[Content_Types].xml", name))
    return archive({name: files[name] for name in order}, first)
