"""What a browser fetches before it can show anything."""

import gzip
import re
from pathlib import Path

BUDGET = 150_000
"""Bytes, compressed."""


def fetched_first(web: Path) -> dict[str, int]:
    """Compressed sizes of the page, and of the scripts and styles that it names or that those import at
    once."""
    page = (web / "index.html").read_text()
    left = re.findall(r'(?:src|href)="/(assets/[^"]+\.(?:js|css))"', page)
    found = {"index.html": len(gzip.compress(page.encode()))}
    while left:
        name = left.pop()
        if name in found:
            continue
        text = (web / name).read_text()
        found[name] = len(gzip.compress(text.encode()))
        left += [f"assets/{of}" for of in re.findall(r'(?:from|import)\s*"\./([^"]+\.js)"', text)]
    return found


def test_the_first_page_keeps_to_its_budget(web: Path) -> None:
    found = fetched_first(web)
    assert len(found) > 2, "no script was found"
    assert sum(found.values()) < BUDGET, found
    # What stations show is fetched when they are opened.
    assert sum(file.stat().st_size for file in (web / "assets").glob("*.js")) > 5 * BUDGET
