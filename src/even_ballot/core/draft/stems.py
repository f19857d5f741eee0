"""What question texts have in common, at their beginning or at their end."""

from collections.abc import Sequence

from even_ballot.core.data.batteries import QUIET, common_start, stem_of

_LEAST = 12


def stem_within(labels: Sequence[str]) -> str:
    """What some question texts begin with, however short where a mark ends it: "Q5: boat", "Q5: train".

    >>> stem_within(["Q5: boat", "Q5: train"]), stem_within(["How safe is the deck?", "How safe is the sea?"])
    ('Q5', 'How safe is the')
    """
    if (stem := stem_of(labels)) and len(set(labels)) == len(labels):
        return stem.strip(QUIET)
    common = common_start(labels)
    for mark in ("[", ":", " - ", " – ", "(", "|", "/"):
        if mark in common:
            stem = common[: common.rfind(mark)].strip(QUIET)
            if stem:
                return stem
    return ""


def common_ending(labels: Sequence[str]) -> str:
    """What some question texts end in, from a whole word on; empty where that is too little to go by.

    >>> common_ending(["Deck: how satisfied are you?", "Cabin: how satisfied are you?"])
    'how satisfied are you'
    """
    if len(set(labels)) < len(labels):
        return ""
    common = common_start([label[::-1] for label in labels])[::-1]
    if not all(label == common or not label[: -len(common) or None][-1:].isalnum() for label in labels):
        common = common.partition(" ")[2]
    stem = common.strip(QUIET)
    return stem if len(stem) >= _LEAST else ""
