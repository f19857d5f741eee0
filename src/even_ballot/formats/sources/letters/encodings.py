"""How the bytes of a text file are read: guessed from marks, from UTF-8, from what its words look like."""

import csv
from codecs import getincrementaldecoder

from even_ballot.core.faults import fault
from even_ballot.core.study.study_file import Source
from even_ballot.formats.sources.letters.readings import readings

_SNIFF, _PIECE = 64 * 1024, 1 << 24
_MARKS = {
    b"\xff\xfe\x00\x00": "utf-32",
    b"\x00\x00\xfe\xff": "utf-32",
    b"\xef\xbb\xbf": "utf-8-sig",
    b"\xff\xfe": "utf-16",
    b"\xfe\xff": "utf-16",
}
csv.field_size_limit(1 << 30)


def readable_in(content: bytes, encoding: str) -> bool:
    """Whether all of it decodes, looked at piece by piece, so that no second copy of a large file is made."""
    view = memoryview(content)
    try:
        decoder = getincrementaldecoder(encoding)()
        for at in range(0, len(content), _PIECE):
            decoder.decode(bytes(view[at : at + _PIECE]), final=at + _PIECE >= len(content))
    except (UnicodeError, LookupError):
        return False
    return True


def says_its_encoding(content: bytes) -> bool:
    """Whether the bytes leave no choice: by their mark, as UTF-8, or because they are no text at all."""
    marked = any(content.startswith(mark) for mark in _MARKS)
    return marked or b"\x00" in content[:_SNIFF] or readable_in(content, "utf-8")


def guess_encoding(content: bytes) -> str:
    """By its mark, else UTF-8 where it reads as that, else the likeliest; binary content is refused."""
    for mark, encoding in _MARKS.items():
        if content.startswith(mark):
            return encoding
    head = content[:_SNIFF]
    if b"\x00" in head:
        raise fault(
            "This is not a text file: it contains NUL bytes.", "", "Choose delimited text (CSV), XLSX or ODS."
        )
    if readable_in(content, "utf-8"):
        return "utf-8"
    control = sum(byte < 9 or 13 < byte < 32 for byte in head)
    if control > len(head) / 100:
        raise fault("This is not text.", "", "Choose delimited text (CSV), XLSX or ODS.")
    found = readings(content)
    if found and found[0].looks_like_words:
        return found[0].encoding
    # Characters of several bytes, and old alphabets: the detector knows those.
    from charset_normalizer import from_bytes  # Loaded where the text is not UTF-8.

    best = from_bytes(head).best()
    return "cp1252" if best is None else best.encoding


def as_utf8(content: bytes, source: Source) -> tuple[bytes, str]:
    """The content as UTF-8 without its mark, and the encoding it came in."""
    encoding = source.encoding or guess_encoding(content)
    try:
        if encoding.lower().replace("_", "-") in ("utf-8", "utf8", "utf-8-sig", "ascii"):
            if source.encoding is not None and not readable_in(content, "utf-8"):
                content.decode("utf-8")
            return content.removeprefix(b"\xef\xbb\xbf"), encoding
        return content.decode(encoding).lstrip("\ufeff").encode(), encoding
    except (UnicodeError, LookupError, ValueError) as error:
        what = f"The file does not read as {encoding}: {str(error)[:200]}."
        raise fault(what, source.path, "Leave encoding out, or name the right one.") from None


def decoded(content: bytes, path: str) -> str:
    """A text file's text, in the encoding it came in."""
    return as_utf8(content, Source(path=path))[0].decode()
