"""Makes the demo's files, the same every time.

python -m even_ballot.demo.generate [folder]
"""

import csv
import io
import json
import sys
from collections import defaultdict
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np
import xlsxwriter

from even_ballot.demo import FILES
from even_ballot.demo.form import (
    AGREE,
    HEADINGS,
    MISSPELT,
    OFTEN,
    REASONS,
    SCHOOLING,
    SEX,
    STATEMENTS,
    TENURE,
    TRANSLATED,
    TURNED,
)  # fmt: skip
from even_ballot.demo.isles import District, districts, margins
from even_ballot.demo.study import study_document

SEED, CASES, LATER = 20_260_412, 2_290, 180
_WORDS = {
    19: "nineteen",
    27: "twenty-seven",
    34: "thirty-four",
    41: "forty one",
    58: "Fifty-eight",
    66: "sixty-six",
}


@dataclass
class Planted:
    """What was planted: for each kind of fault, the entry numbers that have it."""

    entries: dict[str, list[int]] = field(default_factory=lambda: defaultdict(list))
    blank_rows: int = 0


@dataclass(frozen=True)
class Delivery:
    """One delivery of answers: rows of cells in the order of `headings`."""

    headings: list[str]
    rows: list[list[str]]
    planted: Planted


def _person(rng: np.random.Generator, district: District) -> dict[str, int]:
    """Who answers: women and older people more readily than others, as in most surveys."""
    sex = int(rng.random() < 0.43) + 1
    age = int(18 + 74 * rng.beta(1.55 + 0.25 * (district.side == 1), 1.75))
    tenure = int(rng.choice(3, p=[0.67, 0.26, 0.07]))
    school = int(
        rng.choice(
            4, p=np.array([0.10, 0.26, 0.36, 0.28]) if age < 60 else np.array([0.24, 0.36, 0.26, 0.14])
        )
    )
    return {"sex": sex, "age": age, "tenure": tenure, "school": school}


def _answers(
    rng: np.random.Generator, district: District, person: dict[str, int], mood: float
) -> dict[str, str]:
    """What they say. `mood` is the district's; Brim, the farthest isle, likes its ferry least."""
    isle_mood = (0.35, 0.1, -0.1, -0.55)[district.isle]
    own = mood + isle_mood + 0.25 * (district.side == 0) + rng.normal(0, 0.7)
    cells: dict[str, str] = {}
    for i, statement in enumerate(STATEMENTS):
        level = own + (0.5, 0.1, -0.2, 0.3, 0, -0.1, 0.4, 0.2)[i]
        if i in TURNED:
            level = -level
        answer = int(np.clip(np.floor(level * 0.9 + rng.normal(0, 0.85) + 2.6), 0, 4))
        cells[statement] = (
            AGREE[answer] if rng.random() > 0.035 else ("Don't know" if rng.random() < 0.4 else "")
        )
    for i, service in enumerate(HEADINGS.services):
        level = (
            1.3
            + 0.5 * own * (i == 0)
            - 0.012 * (person["age"] - 45) * (i in (0, 3))
            + rng.normal(0, 0.9)
            - 0.18 * i
        )
        cells[service] = OFTEN[int(np.clip(np.round(level), 0, 3))] if rng.random() > 0.03 else ""
    working = person["age"] < 65
    chances = (0.55 * working, 0.6, 0.4, 0.25 + 0.006 * max(person["age"] - 40, 0), 0.15 * working, 0.2)
    chosen = [reason for reason, p in zip(REASONS, chances, strict=True) if rng.random() < p]
    cells[HEADINGS.reasons] = "; ".join(chosen) if rng.random() > 0.03 else ""
    crossings = cells[HEADINGS.services[0]]
    typical = {"Every week": 24.0, "Every month": 9.0, "A few times a year": 3.0}.get(crossings, 1.0)
    spend = round(float(rng.gamma(2.2, typical / 2.2)), 2)
    cells[HEADINGS.spend] = f"{spend:.2f}" if rng.random() > 0.06 else ""
    cells[HEADINGS.household] = str(int(np.clip(rng.poisson(1.4) + 1, 1, 8)))
    content = int(np.clip(np.round(3 + 0.5 * own + rng.normal(0, 0.9)), 1, 5))
    cells[HEADINGS.office] = str(content) if rng.random() > 0.05 else "99"
    return cells


def _comment(rng: np.random.Generator) -> str:
    openers = (
        "The early boat",
        "The last crossing",
        "The ticket window",
        "The winter timetable",
        "Freight day",
        "The ramp at low tide",
    )
    rest = ("is always full.", "leaves too early for the clinic.", "works well, thank you", "could be 20 minutes later",
            "was cancelled three times in March;\nno one told us", 'is what my son calls "the sardine tin".')  # fmt: skip
    return f"{rng.choice(openers)} {rng.choice(rest)}" if rng.random() < 0.22 else ""


def _entry(
    rng: np.random.Generator, number: int, district: District, mood: float, begin: datetime
) -> dict[str, str]:
    person = _person(rng, district)
    started = begin + timedelta(seconds=int(rng.integers(0, 20 * 86400)))
    seconds = int(np.clip(rng.lognormal(6.35, 0.45), 170, 4000))
    return {
        HEADINGS.entry: str(number),
        HEADINGS.letter: f"V{rng.integers(10, 99)}-{number:04d}",
        HEADINGS.started: started.strftime("%Y-%m-%d %H:%M:%S"),
        HEADINGS.finished: (started + timedelta(seconds=seconds)).strftime("%Y-%m-%d %H:%M:%S"),
        HEADINGS.status: "Complete",
        HEADINGS.order: str(rng.choice(["Statements first", "Services first"])),
        HEADINGS.district: district.code,
        HEADINGS.sex: SEX[person["sex"] - 1],
        HEADINGS.age: str(person["age"]),
        HEADINGS.tenure: TENURE[person["tenure"]],
        HEADINGS.school: SCHOOLING[person["school"]],
        **_answers(rng, district, person, mood),
        HEADINGS.more[0]: _comment(rng),
        HEADINGS.more[1]: _comment(rng),
    }


# Long: every planted fault with its cases, in the order they are planted.
def _plant(  # noqa: C901
    rng: np.random.Generator, entries: list[dict[str, str]], planted: Planted, scale: float = 1.0
) -> list[dict[str, str]]:
    """Faults, each in entries of its own kind; returns the entries in the order they arrived."""
    n = len(entries)
    order = rng.permutation(n).tolist()

    def some(count: int, kind: str) -> list[dict[str, str]]:
        picked = [entries[order.pop()] for _ in range(max(1, round(count * scale)))]
        planted.entries[kind] += [int(e[HEADINGS.entry]) for e in picked]
        return picked

    worded = [*STATEMENTS, *HEADINGS.services]
    for e in some(60, "stray spaces"):
        heading = worded[int(rng.integers(len(worded)))]
        e[heading] = (
            f"{rng.choice([' ', chr(0xA0), '  '])}{e[heading] or AGREE[2]}{rng.choice(['', ' ', chr(0xA0)])}"
        )
        if heading in HEADINGS.services:
            e[heading] = e[heading].replace(AGREE[2], OFTEN[1])
    for e in some(45, "letter case"):
        e[HEADINGS.district] = f"{e[HEADINGS.district].lower()} "
        e[STATEMENTS[1]] = (e[STATEMENTS[1]] or AGREE[3]).lower()
    for e in some(7, "misspelt"):
        heading = STATEMENTS[int(rng.integers(8))]
        e[heading] = str(rng.choice(list(MISSPELT)))
    for e in some(26, "other wording"):
        for statement in STATEMENTS:
            e[statement] = TRANSLATED.get(e[statement], e[statement])
    for e in some(5, "9 for 99"):
        e[HEADINGS.office] = "9"
    for e in some(6, "age in words"):
        age = int(rng.choice(list(_WORDS)))
        e[HEADINGS.age] = _WORDS[age]
    for e in some(70, "decimal comma"):
        e[HEADINGS.spend] = (e[HEADINGS.spend] or "12.50").replace(".", ",")
    for e in some(18, "too fast"):
        started = datetime.fromisoformat(e[HEADINGS.started])
        e[HEADINGS.finished] = (started + timedelta(seconds=int(rng.integers(28, 52)))).strftime(
            "%Y-%m-%d %H:%M:%S"
        )
    for e in some(12, "straight line"):
        answer = AGREE[int(rng.choice([1, 2, 3]))]
        for statement in STATEMENTS:
            e[statement] = answer
    for e in some(34, "stopped half way"):
        e[HEADINGS.status] = "Partial"
        for heading in [
            *HEADINGS.services,
            HEADINGS.reasons,
            HEADINGS.spend,
            HEADINGS.household,
            HEADINGS.office,
            *HEADINGS.more,
        ]:
            e[heading] = ""
        for statement in STATEMENTS[int(rng.integers(2, 6)) :]:
            e[statement] = ""
    for e in some(9, "no answer to sex"):
        e[HEADINGS.sex] = "Prefer not to say"
    return entries


def _staff_tests(
    rng: np.random.Generator, number: int, begin: datetime, count: int, planted: Planted
) -> list[dict[str, str]]:
    tests = []
    for k in range(count):
        district = District("TEST", 0, 0, 1, 1, 1)
        e = _entry(rng, number + k, district, 0.0, begin - timedelta(days=6 if k % 3 else -4))
        e[HEADINGS.status] = "Staff test"
        e[HEADINGS.more[0]] = "test"
        planted.entries["staff test"].append(number + k)
        tests.append(e)
    return tests


# Long: the columns of a file, one after the other.
def deliveries() -> tuple[Delivery, Delivery, list[District]]:
    """The first delivery, the second (all of the first and more), and the frame."""
    rng = np.random.default_rng(SEED)
    drawn = districts(rng)
    sizes = np.array([d.households for d in drawn], float)
    answered = rng.multinomial(CASES + LATER, sizes / sizes.sum())
    answered = np.maximum(answered, 5)
    drawn = [replace(d, asked=int(a)) for d, a in zip(drawn, answered, strict=True)]
    moods = rng.normal(0, 0.3, len(drawn))
    who = np.repeat(np.arange(len(drawn)), answered)
    rng.shuffle(who)
    begin = datetime(2026, 3, 2, 8)
    first_part, later_part = who[:-LATER], who[-LATER:]
    planted = Planted()
    first = [
        _entry(rng, 1001 + k, drawn[d], float(moods[d]), begin) for k, d in enumerate(first_part.tolist())
    ]
    first = _plant(rng, first, planted)
    number = 1001 + len(first)
    tests = _staff_tests(rng, number, begin, 14, planted)
    number += len(tests)
    twice = []
    for k, at in enumerate(rng.choice(len(first), 21, replace=False).tolist()):
        copy = dict(first[at])
        copy[HEADINGS.entry] = str(number + k)
        again = datetime.fromisoformat(copy[HEADINGS.started]) + timedelta(
            minutes=int(rng.integers(20, 4000))
        )
        spent = datetime.fromisoformat(copy[HEADINGS.finished]) - datetime.fromisoformat(
            copy[HEADINGS.started]
        )
        copy[HEADINGS.started], copy[HEADINGS.finished] = (
            t.strftime("%Y-%m-%d %H:%M:%S") for t in (again, again + spent)
        )
        planted.entries["duplicate"].append(number + k)
        twice.append(copy)
    number += len(twice)
    every = sorted(first + tests + twice, key=lambda e: (e[HEADINGS.started], e[HEADINGS.entry]))
    headings = list(HEADINGS.columns)
    rows = [[e[h] for h in _keys()] for e in every]
    planted.blank_rows = 40
    blank = [[""] * len(headings) for _ in range(planted.blank_rows)]
    second_planted = Planted()
    later = [
        _entry(rng, number + k, drawn[d], float(moods[d]), begin + timedelta(days=20))
        for k, d in enumerate(later_part.tolist())
    ]
    later = _plant(rng, later, second_planted, scale=0.08)
    for e in later[:7]:
        e[HEADINGS.tenure] = "Tied to the job"
    heard = ("By letter", "From a neighbour", "At the harbour")
    more = [
        [e[h] for h in _keys()] + [str(rng.choice(heard))]
        for e in sorted(later, key=lambda e: e[HEADINGS.started])
    ]
    second_rows = [[*row, ""] for row in rows] + more
    second = Delivery([*headings, "How did you hear of this survey?"], second_rows, second_planted)
    return Delivery(headings, rows + blank, planted), second, drawn


def _keys() -> list[str]:
    return list(HEADINGS.keys)


def _csv(rows: list[list[str]]) -> bytes:
    out = io.StringIO()
    csv.writer(out, lineterminator="\r\n").writerows(rows)
    return out.getvalue().encode()


def _xlsx(delivery: Delivery) -> bytes:
    out = io.BytesIO()
    book = xlsxwriter.Workbook(out, {"in_memory": True})
    book.set_properties({"created": datetime(2026, 1, 1)})
    sheet = book.add_worksheet("Answers")
    number = {
        i
        for i, key in enumerate(HEADINGS.keys)
        if key in (HEADINGS.entry, HEADINGS.household, HEADINGS.office, HEADINGS.age)
    }
    for c, heading in enumerate(delivery.headings):
        sheet.write_string(0, c, heading)
    for r, row in enumerate(delivery.rows):
        for c, cell in enumerate(row):
            if cell and c in number and cell.isdigit():
                sheet.write_number(r + 1, c, int(cell))
            elif cell:
                sheet.write_string(r + 1, c, cell)
    book.close()
    return out.getvalue()


def files() -> dict[str, bytes]:
    """Every file of the demo, by name."""
    first, second, drawn = deliveries()
    frame = [["district", "stratum", "districts_in_stratum", "households", "base_weight"]]
    frame += [[d.code, d.stratum, str(d.in_stratum), str(d.households), f"{d.base_weight:g}"] for d in drawn]
    targets = [["margin", "category", "adults"]]
    targets += [
        [margin, label, str(count)] for margin, table in margins().items() for label, count in table.items()
    ]
    study = json.dumps(study_document(), ensure_ascii=False, indent=1) + "\n"
    return {
        "answers.csv": _csv([first.headings, *first.rows]),
        "answers-second-delivery.xlsx": _xlsx(second),
        "frame.csv": _csv(frame),
        "margins.csv": _csv(targets),
        "study.json": study.encode(),
    }


def main() -> None:
    folder = Path(sys.argv[1]) if len(sys.argv) > 1 else FILES
    folder.mkdir(parents=True, exist_ok=True)
    for name, content in files().items():
        (folder / name).write_bytes(content)
        print(f"{folder / name}: {len(content):,} bytes")


if __name__ == "__main__":
    main()
