"""The demo: the files that ship are what the generator makes, and hold what it says it planted."""

import csv
import io

import pytest

from even_ballot.demo import FILES
from even_ballot.demo.form import HEADINGS
from even_ballot.demo.generate import deliveries, files
from even_ballot.demo.isles import ADULTS, margins


@pytest.fixture(scope="module")
def made() -> dict[str, bytes]:
    return files()


@pytest.mark.parametrize("name", ["answers.csv", "frame.csv", "margins.csv", "study.json"])
def test_the_shipped_files_are_what_the_generator_makes(made: dict[str, bytes], name: str) -> None:
    assert (FILES / name).read_bytes() == made[name]


def test_the_second_delivery_holds_the_first_and_more() -> None:
    first, second, _ = deliveries()
    kept = [row for row in first.rows if any(row)]
    assert [row[: len(first.headings)] for row in second.rows[: len(kept)]] == kept
    assert len(second.rows) - len(kept) == 180
    assert second.headings[:-1] == first.headings
    tenure = list(HEADINGS.keys).index(HEADINGS.tenure)
    assert {r[tenure] for r in second.rows} - {r[tenure] for r in first.rows} == {"Tied to the job"}


def test_the_sample_is_as_described() -> None:
    first, _, drawn = deliveries()
    assert len({d.stratum for d in drawn}) == 8
    assert len(drawn) == 150
    assert 2300 <= sum(any(row) for row in first.rows) <= 2450
    assert all(sum(table.values()) == ADULTS for table in margins().values())


def test_what_was_planted_is_there() -> None:
    first, _, _ = deliveries()
    rows = {row[0]: row for row in first.rows if row[0]}
    place = {key: i for i, key in enumerate(HEADINGS.keys)}
    planted = first.planted.entries

    def all_have(kind: str, key: str, *texts: str) -> bool:
        return all(rows[str(e)][place[key]] in texts for e in planted[kind])

    assert all_have("staff test", HEADINGS.status, "Staff test")
    assert all_have("9 for 99", HEADINGS.office, "9")
    assert all_have("stopped half way", HEADINGS.status, "Partial")
    assert all_have("no answer to sex", HEADINGS.sex, "Prefer not to say")
    assert all(not rows[str(e)][place[HEADINGS.age]].isdigit() for e in planted["age in words"])
    assert all("," in rows[str(e)][place[HEADINGS.spend]] for e in planted["decimal comma"])
    letters = [row[place[HEADINGS.letter]] for row in first.rows if row[0]]
    assert len(letters) - len(set(letters)) == len(planted["duplicate"])
    assert sum(not any(row) for row in first.rows) == first.planted.blank_rows


def test_headings_are_as_forms_make_them() -> None:
    heads = next(csv.reader(io.StringIO((FILES / "answers.csv").read_bytes().decode())))
    assert any(len(h) > 100 for h in heads)
    assert any("\n" in h for h in heads) and any('"' in h for h in heads) and any("/" in h for h in heads)
    assert len(set(heads)) < len(heads)
