"""Batteries and several-answer columns, recognised by stem and answers."""

from typing import Any

from builders import raw
from hypothesis import given
from hypothesis import strategies as st

from even_ballot.core.data.batteries import batteries_of, common_start, item_of, several_answers_of, stem_of
from even_ballot.core.data.codebook import Codebook
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.data.interpretation import interpret

STEM = "How often do you use these services between the isles?"
WORDS = ["Never", "Every week", "Every month", "Never"]


def arrived(columns: dict[str, tuple[str, list[Any]]], **book: Any) -> Dataset:
    """Columns by name, each with its heading and its entries."""
    table = raw({name: entries for name, (_, entries) in columns.items()})
    table = type(table)(table.names, tuple(label for label, _ in columns.values()), table.columns, table.rows)
    return interpret(table, Codebook.model_validate(book))


def test_neighbours_of_one_stem_and_the_same_words_are_a_battery() -> None:
    data = arrived(
        {
            "boat": (f"{STEM} [Mail boat]", WORDS),
            "deck": (f"{STEM} [Car deck]", WORDS[::-1]),
            "why": (f"{STEM} [Why?]", ["it rains", "my aunt", "who knows", "none"]),
        }
    )
    (battery,) = batteries_of(data)
    assert battery.variables == ("boat", "deck")
    assert battery.items == ("Mail boat", "Car deck")
    assert battery.stem == STEM.strip("?")


def test_other_stems_or_other_scales_part_batteries() -> None:
    scales = {"s": {"codes": [{"code": 1, "label": "Never"}]}, "t": {"codes": [{"code": 1, "label": "No"}]}}
    columns = {name: (f"{STEM} [{name}]", ["1", "1"]) for name in ("a", "b", "c", "d")}
    kinds = [
        {"name": name, "kind": "coded", "scale": scale} for name, scale in zip("abcd", "sstt", strict=True)
    ]
    data = arrived(columns, scales=scales, variables=kinds)
    assert [b.variables for b in batteries_of(data)] == [("a", "b"), ("c", "d")]
    assert [b.scale for b in batteries_of(data)] == ["s", "t"]
    other = {"a": (f"{STEM} [a]", ["1"]), "b": ("Where were you born?", ["1"])}
    assert batteries_of(arrived(other, scales=scales, variables=kinds[:2])) == ()


def test_columns_of_0_and_1_are_proposed_as_one_question() -> None:
    stem = "Why do you cross? Tick all that apply"
    columns = {
        f"why_{i}": (f"{stem} - {word}", ["0", "1", ""])
        for i, word in enumerate(("Work", "Shopping", "Leisure"), start=1)
    }
    (found,) = several_answers_of(arrived({**columns, "age": ("How old are you?", ["1", "30", "41"])}))
    assert found.parts == ("why_1", "why_2", "why_3")
    assert [(o.code, o.label) for o in found.options] == [(1, "Work"), (2, "Shopping"), (3, "Leisure")]
    assert (found.name, found.stem, found.worded) == ("why", stem, False)


def test_columns_of_one_word_or_blank_are_proposed_as_worded() -> None:
    columns = {
        f"why_{i}": (f"Why do you cross? [{word}]", ["", word, ""])
        for i, word in enumerate(("Work", "Shopping"), start=1)
    }
    (found,) = several_answers_of(arrived(columns))
    assert (found.parts, found.worded) == (("why_1", "why_2"), True)


def test_what_is_taken_already_is_not_proposed_again() -> None:
    columns = {f"why_{i}": (f"Why do you cross? [{i}]", ["0", "1"]) for i in (1, 2)}
    multi = {"name": "why", "kind": "multi", "parts": ["why_1", "why_2"]}
    assert several_answers_of(arrived(columns, variables=[multi])) == ()


@given(st.lists(st.text(max_size=12), min_size=1, max_size=5))
def test_the_common_start_is_one_and_the_longest(texts: list[str]) -> None:
    start = common_start(texts)
    assert all(text.startswith(start) for text in texts)
    longer = {text[: len(start) + 1] for text in texts}
    assert len(longer) > 1 or longer == {start}


def test_a_stem_ends_at_a_whole_word() -> None:
    assert (
        stem_of(["How content are you with the harbour", "How content are you with the harvest"])
        == "How content are you with the "
    )
    assert stem_of(["Age", "Agent"]) == ""
    assert item_of("How content? [Boats]", "How content? ") == "Boats"


PIECES = st.sampled_from(["How ", "safe ", "do ", "you ", "feel", ": ", "on deck", "below", "s", "2"])
TITLES = st.lists(st.lists(PIECES, min_size=1, max_size=8).map("".join), min_size=2, max_size=12)


@given(TITLES)
def test_a_run_is_cut_as_by_trying_every_length_from_the_longest(titles: list[str]) -> None:
    names = [f"q{k}" for k in range(len(titles))]
    found = arrived(
        {name: (title, ["0", "1"]) for name, title in zip(names, titles, strict=True)},
        scales={"s": {"codes": [{"code": 0, "label": "No"}, {"code": 1, "label": "Yes"}]}},
        variables=[{"name": name, "kind": "coded", "scale": "s", "label": title} for name, title in zip(names, titles, strict=True)],
    )  # fmt: skip
    expected, at = [], 0
    while at < len(titles):
        length = next((n for n in range(len(titles) - at, 1, -1) if stem_of(titles[at : at + n])), 1)
        if length > 1:
            expected.append(tuple(names[at : at + length]))
        at += length
    assert [one.variables for one in batteries_of(found)] == expected
