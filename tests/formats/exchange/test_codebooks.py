"""The codebook as CSV and as a table schema: out, in again, and what is wrong with a file said in place."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from even_ballot.core.data.codebook import Code, Codebook, Scale, Variable
from even_ballot.core.faults import StudyError
from even_ballot.formats.exchange.codebooks import codebook_csv, codebook_schema, read_codebook

WORDS = st.text("abcÄß ,;\"'\n0", min_size=1, max_size=12).map(str.strip).filter(bool)


def books() -> st.SearchStrategy[Codebook]:
    codes = st.lists(
        st.tuples(st.integers(-3, 99), WORDS),
        min_size=2,
        max_size=6,
        unique_by=(lambda c: c[0], lambda c: c[1]),
    )

    def book(
        scales: list[tuple[list[tuple[int, str]], int, bool]],
        labels: list[str | None],
        notes: list[str | None],
    ) -> Codebook:
        made = {}
        for i, (listed, cut, ordered) in enumerate(scales):
            all_codes = [Code(code=code, label=label) for code, label in listed]
            cut = min(max(cut, 1), len(all_codes))
            made[f"s{i}"] = Scale(
                codes=tuple(all_codes[:cut]), missing=tuple(all_codes[cut:]), ordered=ordered
            )
        variables = [
            Variable(name=f"v{i}", kind="coded", scale=f"s{i % len(made)}", label=label, note=note)
            for i, (label, note) in enumerate(zip(labels, notes, strict=True))
        ]
        variables.append(
            Variable(
                name="n",
                kind="number",
                unit="years",
                missing=(Code(code=999, label="Refused"),),
                role="weight",
            )
        )
        used = {f"s{i % len(made)}" for i in range(len(labels))}
        return Codebook(scales={k: s for k, s in made.items() if k in used}, variables=tuple(variables))

    text = st.none() | WORDS
    return st.builds(
        book,
        st.lists(st.tuples(codes, st.integers(1, 6), st.booleans()), min_size=1, max_size=3),
        st.lists(text, min_size=3, max_size=3),
        st.lists(text, min_size=3, max_size=3),
    )


@given(books())
def test_what_goes_out_comes_in_again(book: Codebook) -> None:
    for text, name in (
        (codebook_csv(book.variables, book.scales), "codebook.csv"),
        (codebook_schema(book.variables, book.scales), "codebook.json"),
    ):
        again = read_codebook(text.encode(), name)
        assert again.scales == book.scales, name
        for before, after in zip(book.variables, again.variables, strict=True):
            named = before.label if before.label != before.name else None
            assert after.model_copy(update={"level": None, "label": None}) == before.model_copy(
                update={"label": None}
            )
            assert after.label == named


def test_the_schema_is_the_standards() -> None:
    scale = Scale(
        codes=(Code(code=1, label="No"), Code(code=2, label="Yes")),
        ordered=True,
        missing=(Code(code=9, label="Refused"),),
    )
    field = json.loads(
        codebook_schema([Variable(name="q", kind="coded", scale="s", label="Did you cross?")], {"s": scale})
    )["fields"][0]
    assert (field["name"], field["type"], field["title"]) == ("q", "integer", "Did you cross?")
    assert field["categories"] == [{"value": 1, "label": "No"}, {"value": 2, "label": "Yes"}]
    assert field["categoriesOrdered"] is True
    assert {"value": "9", "label": "Refused"} in field["missingValues"]


def test_a_schema_from_elsewhere_is_read() -> None:
    fields = [
        {
            "name": "q1",
            "type": "integer",
            "categories": [{"value": 1, "label": "No"}, {"value": 2, "label": "Yes"}],
        },
        {
            "name": "q2",
            "type": "integer",
            "categories": [{"value": 1, "label": "No"}, {"value": 2, "label": "Yes"}],
        },
        {"name": "age", "type": "number", "description": "in whole years", "missingValues": ["", "999"]},
        {"name": "said", "type": "string"},
    ]
    book = read_codebook(json.dumps({"fields": fields}).encode(), "schema.json")
    assert list(book.scales) == ["q1"]
    assert [(v.kind, v.scale) for v in book.variables] == [
        ("coded", "q1"),
        ("coded", "q1"),
        ("number", None),
        ("text", None),
    ]
    assert book.variables[2].missing == (Code(code=999, label="999"),)


@pytest.mark.parametrize(
    ("content", "what", "where"),
    [
        (b"", "The file is empty", "codebook.csv"),
        (b"name,label\nq,Yes\n", "No column is headed", "line 1"),
        (b"variable,code,label\nq,one,Yes\n", "'one' is not a code", "line 2"),
        (b"variable,kind\nq,sort of\n", "kind", "line 2"),
        (b"variable,scale,code,label\nq,s,1,Yes\nr,s,1,No\n", "different codes here", "line 3"),
        (b"variable,code,label\nq,1,Yes\nq,1,No\n", "code 1 is used twice", "line 2"),
        (b"{nonsense", "This is not JSON", "codebook.csv"),
        (b"{}", "no list of fields", "codebook.csv"),
        (b'{"fields": [{"type": "string"}]}', "has no name", "fields[0]"),
    ],
)
def test_what_is_wrong_is_said_in_place(content: bytes, what: str, where: str) -> None:
    with pytest.raises(StudyError) as caught:
        read_codebook(content, "codebook.csv")
    assert what in caught.value.faults[0].what
    assert where in caught.value.faults[0].where


@pytest.mark.parametrize(
    ("word", "missing"),
    [
        ("answer", False),
        ("", False),
        ("missing", True),
        ("No answer", True),
        ("DK", True),
        ("Don\u2019t  know", True),
        ("refused", True),
    ],
)
def test_what_an_answer_is_is_understood_in_the_words_people_use(word: str, missing: bool) -> None:
    content = f"variable,kind,code,label,answer\nq,coded,1,Yes,answer\nq,coded,9,Nothing,{word}\n"
    scale = read_codebook(content.encode(), "book.csv").scales["q"]
    assert (9 in {code.code for code in scale.missing}) is missing


def test_a_word_that_says_neither_is_refused_with_its_line() -> None:
    content = b"variable,kind,code,label,answer\nq,coded,1,Yes,answer\nq,coded,9,Nothing,perhaps\n"
    with pytest.raises(StudyError) as error:
        read_codebook(content, "book.csv")
    assert error.value.faults[0].where == "book.csv, line 3"
    assert "'perhaps'" in error.value.faults[0].what
