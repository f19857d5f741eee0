"""Makes the typefaces of released documents (src/even_ballot/formats/fonts) from the interface's packages:
the parts of each, by alphabet, merged into one file."""

import tempfile
from pathlib import Path

from fontTools.merge import Merger
from fontTools.ttLib import TTFont

ROOT = Path(__file__).parents[1]
PACKAGES = ROOT / "web" / "node_modules" / "@fontsource"
OUT = ROOT / "src" / "even_ballot" / "formats" / "fonts"


def merged(family: str, cut: str, folder: Path) -> None:
    """One typeface in one cut, with all alphabets."""
    parts = []
    for alphabet in ("latin", "latin-ext", "greek", "cyrillic"):
        font = TTFont(PACKAGES / f"source-{family}" / "files" / f"source-{family}-{alphabet}-{cut}.woff2")
        font.flavor = None
        parts.append(str(folder / f"{alphabet}.ttf"))
        font.save(parts[-1])
    whole = Merger().merge(parts)
    _name(whole, {"sans-3": "Source Sans 3", "serif-4": "Source Serif 4"}[family], cut)
    whole["head"].created = whole["head"].modified = 0
    whole.recalcTimestamp = False
    whole.save(OUT / f"source-{family}-{cut}.ttf")


def _name(font: TTFont, family: str, cut: str) -> None:
    """Gives a typeface the name and weight that it is asked for by: the parts carry those of the lightest
    cut."""
    weight, slant = cut.split("-")
    style = {"400-normal": "Regular", "400-italic": "Italic", "600-normal": "SemiBold"}[cut]
    font["OS/2"].usWeightClass = int(weight)
    whole = f"{family} {style}"
    for number, text in ((1, family), (2, style), (4, whole), (6, whole.replace(" ", ""))):
        font["name"].setName(text, number, 3, 1, 0x409)
        font["name"].removeNames(number, 1)
    font["OS/2"].fsSelection = (font["OS/2"].fsSelection & ~0x61) | (0x01 if slant == "italic" else 0x40)


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as held:
        for family in ("sans-3", "serif-4"):
            for cut in ("400-normal", "400-italic", "600-normal"):
                merged(family, cut, Path(held))
