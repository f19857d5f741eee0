"""The ledger as a document for a colleague: Markdown and HTML."""

from collections.abc import Sequence

from even_ballot.core.faults import counted
from even_ballot.core.ledger import Effect
from even_ballot.core.study.study_file import Study
from even_ballot.formats.pages import page

_SIGNS = frozenset("\\`*[]#|~")


def effect_text(effect: Effect) -> str:
    """What an entry did, in words."""
    if effect.off:
        return "Switched off."
    said = []
    if gone := effect.cases_before - effect.cases_after:
        said.append(f"{counted(gone, 'case')} set aside, {effect.cases_after:,} left")
    if effect.cells_changed:
        said.append(f"{counted(effect.cells_changed, 'cell')} changed")
    for name, words in effect.unplaced.items():
        some = ", ".join(f"“{word}” ({n:,})" for word, n in list(words.items())[:5])
        said.append(
            f"unrecognised in {name}: {some}" + (f" and {len(words) - 5} more" if len(words) > 5 else "")
        )
    return ("; ".join(said) or "No case and no cell changed").capitalize() + "."


def _head(study: Study, received: int, used: int) -> tuple[str, str]:
    title = f"What was done to the answers: {study.title}"
    return (
        title,
        f"{study.source.path}: {counted(received, 'case')} received, {received - used:,} set aside, "
        f"{used:,} in use.",
    )


def _entry(effect: Effect, stamp: str = "") -> tuple[str, str]:
    """An entry's sentence, and what it did with who made it and when."""
    because = f", because: {effect.why}" if effect.why else ""
    return f"{effect.sentence}{because}.", f"{effect_text(effect)} {stamp}".rstrip()


def _entries(effects: Sequence[Effect], stamps: Sequence[str]) -> list[tuple[str, str]]:
    """Every entry with its stamp, where there is one."""
    return [_entry(effect, stamps[i] if i < len(stamps) else "") for i, effect in enumerate(effects)]


def _plain(text: str) -> str:
    """A text on one line, with what Markdown or a page in it would read as more than text written as text."""
    line = " ".join(text.split())
    return "".join(f"\\{c}" if c in _SIGNS else c for c in line).replace("&", "&amp;").replace("<", "&lt;")


def journal_markdown(
    study: Study, received: int, used: int, effects: tuple[Effect, ...], stamps: Sequence[str] = ()
) -> str:
    """The entries in order, each with its effect. stamps: who made each, and when."""
    title, state = _head(study, received, used)
    lines = [f"# {_plain(title)}", "", _plain(state), ""]
    for number, (sentence, did) in enumerate(_entries(effects, stamps), start=1):
        lines += [f"{number}. {_plain(sentence)}", f"   *{_plain(did)}*"]
    return "\n".join(lines) + "\n"


def journal_html(
    study: Study, received: int, used: int, effects: tuple[Effect, ...], stamps: Sequence[str] = ()
) -> str:
    """The same as a page of its own."""
    title, state = _head(study, received, used)
    return page("ledger", title=title, state=state, entries=_entries(effects, stamps))
