"""Own paragraphs of a release: plain text with headings, items and stress."""

import re
from collections.abc import Iterator

from even_ballot.formats.printed.blocks import Heading, Paragraph, Run

_STRESSED = re.compile(r"\*([^*\n]+)\*")


def runs_of(text: str) -> tuple[Run, ...]:
    """A paragraph's pieces: what stands between two stars is stressed.

    >>> [run.text for run in runs_of("is *much* larger") if run.stressed]
    ['much']
    """
    found, at = [], 0
    for match in _STRESSED.finditer(text):
        if match.start() > at:
            found.append(Run(text[at : match.start()]))
        found.append(Run(match[1], True))
        at = match.end()
    return (*found, Run(text[at:])) if at < len(text) else tuple(found)


def plain_paragraph(text: str) -> Paragraph:
    """A paragraph in which nothing is stressed, whatever stands in it."""
    return Paragraph((Run(text),))


def own_blocks(text: str, anchor: str, level: int) -> Iterator[Heading | Paragraph]:
    """Blocks of a text. A blank line parts paragraphs; a line that begins with `#` is a heading, one `#` more
    for each level further down; one with `- ` is an item. level: of the first of headings."""
    held: list[str] = []

    def paragraph() -> Iterator[Paragraph]:
        if held:
            yield Paragraph(runs_of(" ".join(held)))
            held.clear()

    for k, line in enumerate(text.splitlines()):
        own = line.strip()
        marks = re.match(r"(#{1,3}) +(.+)", own)
        if marks or not own or own.startswith("- "):
            yield from paragraph()
        if marks:
            yield Heading(marks[2], min(level + len(marks[1]) - 1, 4), f"{anchor}-{k}")
        elif own.startswith("- "):
            yield Paragraph(runs_of(own[2:]), item=True)
        elif own:
            held.append(own)
    yield from paragraph()
