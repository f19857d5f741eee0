"""Made-up files as they come: other encodings, dates, heading rows, codes, ticks; each with what it truly holds."""

import csv
import io
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta

import numpy as np
import xlsxwriter

N = 240
START = datetime(2026, 3, 2, 8, 30)


@dataclass
class Truth:
    """What a column is. order: of answers, from low to high; missing: codes or wordings that mean no answer; value: a
    function from an entry to the number or date it means."""

    kind: str
    role: str | None = None
    order: tuple[str, ...] = ()
    missing: tuple[object, ...] = ()
    values: Sequence[float | None] | None = None


@dataclass
class MessyFile:
    """A file's bytes, what its columns are by their heading, and how it is to be read."""

    name: str
    content: bytes
    truth: dict[str, Truth]
    margin: str
    encoding: str | None = None
    rows: int = N
    left_out: Mapping[str, object] = field(default_factory=dict)


class Maker:
    """Columns drawn with one seed."""

    def __init__(self, seed: int) -> None:
        self.rng = np.random.default_rng(seed)
        self.columns: dict[str, list[str]] = {}
        self.truth: dict[str, Truth] = {}

    def put(self, heading: str, cells: Sequence[str], truth: Truth) -> None:
        self.columns[heading] = list(cells)
        self.truth[heading] = truth

    def pick(self, words: Sequence[str], weights: Sequence[float] | None = None) -> list[str]:
        share = None if weights is None else np.array(weights) / sum(weights)
        return [str(w) for w in self.rng.choice(np.array(words, object), N, p=share)]

    def words(
        self,
        heading: str,
        order: Sequence[str],
        missing: Sequence[str] = (),
        blank: float = 0.05,
        ordered: bool = True,
    ) -> None:
        shares = [1.0] * len(order) + [0.06] * len(missing)
        cells = [c if self.rng.random() > blank else "" for c in self.pick([*order, *missing], shares)]
        self.put(
            heading, cells, Truth("coded", order=tuple(order) if ordered else (), missing=tuple(missing))
        )

    def codes(self, heading: str, codes: Sequence[int], missing: Sequence[int] = ()) -> None:
        shares = [1.0] * len(codes) + [0.3] * len(missing)
        cells = self.pick([str(c) for c in (*codes, *missing)], shares)
        self.put(heading, cells, Truth("coded", missing=tuple(missing)))

    def numbers(
        self,
        heading: str,
        write: Callable[[float], str],
        low: float = 18,
        high: float = 88,
        digits: int = 0,
        role: str | None = None,
    ) -> None:
        values = [round(float(v), digits) for v in self.rng.uniform(low, high, N)]
        self.put(heading, [write(v) for v in values], Truth("number", role, values=values))

    def dates(
        self, heading: str, form: str, role: str | None = None, days: int = 40, start: datetime = START
    ) -> None:
        step = timedelta(minutes=1)
        moments = [start + step * int(m) for m in self.rng.integers(0, days * 1440, N)]
        written = [m.strftime(form) for m in moments]
        whole = "%H" not in form and "%I" not in form
        truth = [m.replace(hour=0, minute=0) if whole else m for m in moments]
        self.put(
            heading,
            written,
            Truth("date", role, values=[(m - datetime(1970, 1, 1)).total_seconds() for m in truth]),
        )

    def ids(self, heading: str, form: str = "VI{:05d}") -> None:
        self.put(heading, [form.format(i + 101) for i in range(N)], Truth("text", "id"))

    def open(self, heading: str) -> None:
        parts = (
            self.pick(["The ferry", "Mail day", "The deck", "My cabin"]),
            self.pick(["was late", "was fine", "ran twice"]),
        )
        self.put(
            heading,
            [f"{a} {b}, trip {i}" if i % 3 else "" for i, (a, b) in enumerate(zip(*parts, strict=True))],
            Truth("text"),
        )

    def rows(self) -> list[list[str]]:
        return [list(row) for row in zip(*self.columns.values(), strict=True)]

    def csv(
        self, delimiter: str = ",", above: Sequence[Sequence[str]] = (), below: Sequence[Sequence[str]] = ()
    ) -> str:
        out = io.StringIO()
        writer = csv.writer(out, delimiter=delimiter, lineterminator="\n")
        writer.writerows([*above, list(self.columns), *self.rows(), *below])
        return out.getvalue()


def comma(value: float) -> str:
    """A number with a comma."""
    return f"{value:g}".replace(".", ",")


AGREE = ("Strongly disagree", "Disagree", "Neither agree nor disagree", "Agree", "Strongly agree")
OFTEN = ("Never", "Rarely", "Sometimes", "Often", "Always")
BANDS = ("Under 18", "18 to 24", "25 to 34", "35 to 49", "50 to 64", "65 or over")


def western() -> MessyFile:
    """French words in cp1252, semicolons, decimal commas, dotted dates."""
    m = Maker(1)
    m.ids("No. dossier id")
    m.words("Île de résidence", ("Brimée", "Hask", "Orran", "Été-sur-Mer"), ordered=False)
    m.words(
        "La traversée est…",
        ("Très importante", "Plutôt importante", "Peu importante"),
        ("Ne sait pas",),
        ordered=False,
    )
    m.numbers("Prix payé", comma, 2, 80, 2)
    m.numbers("Poids du ménage (base weight)", comma, 0.4, 3, 3, "weight")
    m.dates("Date de l'entretien", "%d.%m.%Y")
    return MessyFile("western.csv", m.csv(";").encode("cp1252"), m.truth, "Île de résidence", "cp1252")


def central() -> MessyFile:
    """Polish words in cp1250, tabs, day-first dates with times."""
    m = Maker(2)
    m.words("Wyspa", ("Brzeźno", "Łąki", "Świętno"), ordered=False)
    m.words(
        "Czy statek jest punktualny?",
        ("Zawsze się spóźnia", "Raczej punktualny", "Bardzo punktualny"),
        ("Nie wiem",),
        ordered=False,
    )
    m.codes("Ocena załogi", range(1, 6), (9,))
    m.numbers("Wiek", lambda v: f"{v:.0f}", 18, 90)
    m.dates("Rozpoczęto (start)", "%d/%m/%Y %H:%M", "started")
    return MessyFile("central.csv", m.csv("\t").encode("cp1250"), m.truth, "Wyspa", "cp1250")


def baltic() -> MessyFile:
    """Lithuanian words in cp1257, years of two digits."""
    m = Maker(3)
    m.words("Sala", ("Žuvų sala", "Šiaurės krantas", "Ąžuolynė"), ordered=False)
    m.words(
        "Ar laivas švarus?",
        ("Visiškai nešvarus", "Vidutiniškai", "Labai švarus"),
        ("Nežinau",),
        ordered=False,
    )
    m.dates("Interview date", "%d.%m.%y", "started")
    m.numbers("Age", lambda v: f"{v:.0f}", 18, 90)
    return MessyFile("baltic.csv", m.csv().encode("cp1257"), m.truth, "Sala", "cp1257")


def report() -> MessyFile:
    """Titles above, notes and a total below, headings once more in the middle."""
    m = Maker(4)
    m.ids("Respondent ID", "{}")
    m.truth["Respondent ID"] = Truth("number", "id")
    m.words("Isle", ("Brim", "Hask", "Orran"), ordered=False)
    m.words("How often do you cross?", ("Never", "Less often", "Once a month", "Once a week", "Every day"))
    m.numbers("Spent on fares last month", lambda v: f"${v:,.2f}", 5, 2400, 2)
    m.numbers("Trips", lambda v: f"{v:.0f}", 0, 30)
    lines = m.csv(
        above=[["Veldry Isles ferry survey, spring 2026"], ["Exported on 4 May 2026"], []],
        below=[
            ["Total", "", "", "$250,000.00", "3600"],
            ["Notes: fares as told by passengers."],
            ["Source: harbour office"],
        ],
    ).split("\n")
    heading = lines[3]
    lines.insert(100, heading)
    left = {"rows_above": 2, "rows_below": 3, "repeated": True}
    return MessyFile("report.csv", "\n".join(lines).encode(), m.truth, "Isle", None, left_out=left)


def sheets() -> MessyFile:
    """A workbook: a hidden sheet first, a title, headings over groups of columns, hidden rows."""
    m = Maker(5)
    m.words("Isle", ("Brim", "Hask", "Orran"), ordered=False)
    for item in ("punctual", "clean", "affordable"):
        m.words(f"The ferry is … [{item}]", AGREE, ("Don't know",))
    m.dates("Visited on", "%d", days=60)
    stamps = [(START + timedelta(days=int(d))).replace(hour=0, minute=0) for d in m.rng.integers(0, 60, N)]
    out = io.BytesIO()
    book = xlsxwriter.Workbook(out, {"in_memory": True})
    kept = book.add_worksheet("lists")
    kept.write(0, 0, "nothing to see")
    sheet = book.add_worksheet("Answers")
    sheet.activate()
    sheet.set_first_sheet()
    kept.hide()
    day = book.add_format({"num_format": "d mmm yyyy"})
    sheet.write_row(0, 0, ["Ferry survey"])
    sheet.write_row(1, 0, ["", "The ferry is …"])
    sheet.write_row(2, 0, ["Isle", "punctual", "clean", "affordable", "Visited on"])
    sheet.write(1, 4, "When")
    rows = m.rows()
    for i, row in enumerate(rows):
        sheet.write_row(3 + i, 0, row[:4])
        sheet.write_datetime(3 + i, 4, stamps[i], day)
    for i in (10, 11, 12):
        sheet.set_row(3 + i, None, None, {"hidden": True})
    book.close()
    truth = dict(m.truth)
    truth["When [Visited on]"] = Truth(
        "date",
        values=[
            (s - datetime(1970, 1, 1)).total_seconds() for i, s in enumerate(stamps) if i not in (10, 11, 12)
        ],
    )
    del truth["Visited on"]
    return MessyFile(
        "sheets.xlsx",
        out.getvalue(),
        truth,
        "Isle",
        None,
        N - 3,
        {"rows_above": 1, "hidden": True, "sheet": "Answers"},
    )


def ticked() -> MessyFile:
    """Several-answer questions: 0 and 1, crosses, the option's own text; and answers parted in a cell."""
    m = Maker(6)
    m.ids("Serial number")
    m.words("Isle", ("Brim", "Hask", "Orran"), ordered=False)
    for i, option in enumerate(("Shop", "Clinic", "School"), start=1):
        m.put(f"Which of these do you cross for? - {option}", m.pick(["0", "1"]), Truth("several"))
        del i
    for option in ("Bicycle", "Van", "Horse cart"):
        m.put(option, m.pick(["x", ""]), Truth("several"))
    for k, option in enumerate(("By post", "At the quay", "On the web"), start=1):
        m.put(f"Q9_{k}", m.pick([option, "", ""]), Truth("several"))
    parts = [[p for p in ("Rain", "Fog", "Crowds", "Price") if m.rng.random() < 0.5] for _ in range(N)]
    m.put("What bothers you?", ["; ".join(p) for p in parts], Truth("several"))
    m.open("Anything else? Please specify")
    return MessyFile("ticked.csv", m.csv().encode(), m.truth, "Isle")


def coded() -> MessyFile:
    """Numbers that are codes, each way of coding no answer, and numbers that are none."""
    m = Maker(7)
    m.put("caseid", [str(1000 + i) for i in range(N)], Truth("number", "id"))
    m.codes("isle", (1, 2, 3))
    for k in range(1, 7):
        m.codes(f"sat_{k}", range(1, 6), (8, 9))
    m.codes("trust", range(11), (77, 88, 99))
    m.codes("owns_boat", (0, 1), (-8, -9))
    ages = [str(v) for v in m.rng.integers(18, 91, N)]
    ages[3] = ages[40] = "999"
    m.put("age", ages, Truth("number", missing=(999,)))
    m.put("children", m.pick(["0", "1", "2", "3", "4"], [5, 3, 2, 1, 0.4]), Truth("number"))
    m.put("stratum", m.pick(["1", "2", "3", "4"]), Truth("coded", "stratum"))
    m.put("psu", [str(v) for v in m.rng.integers(1, 60, N)], Truth("number", "cluster"))
    m.put("fpc", m.pick(["120", "140", "260"]), Truth("number", "population_size"))
    m.numbers("weight", lambda v: f"{v:.4f}", 0.3, 4, 4, "weight")
    return MessyFile("coded.csv", m.csv().encode(), m.truth, "isle")


def american() -> MessyFile:
    """Month first, a clock of twelve hours, dollars and thousands."""
    m = Maker(8)
    m.dates("Start Time", "%m/%d/%Y %I:%M:00 %p", "started", days=12)
    m.words("Which isle?", ("Brim", "Hask", "Orran", "Other"), ordered=False)
    m.words(
        "How likely are you to cross again?",
        (
            "Very unlikely",
            "Somewhat unlikely",
            "Neither likely nor unlikely",
            "Somewhat likely",
            "Very likely",
        ),
    )
    m.numbers("Household income", lambda v: f"${v:,.0f}", 900, 250_000)
    m.numbers("Boat value", lambda v: f"{v:.0f}k", 1, 90)
    m.truth["Boat value"].values = [1000 * (v or 0) for v in m.truth["Boat value"].values or ()]
    m.words("Age group", BANDS)
    return MessyFile("american.csv", m.csv().encode(), m.truth, "Which isle?")


def misspelt() -> MessyFile:
    """A battery under two rows of headings, with spaces, letter cases and slips of the pen."""
    m = Maker(9)
    for k, item in enumerate(("The ferry is on time", "The crew is helpful", "The fare is right"), start=1):
        m.words(f"q{k}", AGREE, ("Prefer not to say",))
        cells = m.columns[f"q{k}"]
        cells[k], cells[k + 20], cells[k + 40] = " Agree ", "STRONGLY AGREE", "Strongly agre"
        m.truth[f"How far do you agree: {item}"] = m.truth.pop(f"q{k}")
    m.words("isle", ("Brim", "Hask", "Orran"), ordered=False)
    m.truth["Which isle do you live on?"] = m.truth.pop("isle")
    m.words("freq", OFTEN, ("Not applicable",))
    m.truth["How often do you read the timetable?"] = m.truth.pop("freq")
    rows = [list(m.truth), *m.rows()]
    out = io.StringIO()
    csv.writer(out, lineterminator="\n").writerows([list(m.columns), *rows])
    return MessyFile(
        "misspelt.csv", out.getvalue().encode("utf-8-sig"), m.truth, "Which isle do you live on?"
    )


def machine() -> MessyFile:
    """Stamps with zones, lengths of time, postcodes, an index without a heading."""
    m = Maker(10)
    m.put("", [str(i) for i in range(N)], Truth("discard"))
    m.put("uuid", [f"{i:04x}-{i * 7919 % 65521:04x}" for i in range(N)], Truth("text", "id"))
    m.dates("started_at", "%Y-%m-%dT%H:%M:00Z", "started")
    seconds = [int(s) for s in m.rng.integers(70, 4000, N)]
    m.put(
        "duration",
        [f"{s // 3600}:{s // 60 % 60:02d}:{s % 60:02d}" for s in seconds],
        Truth("number", "seconds", values=seconds),
    )
    m.put("postcode", [f"0{v}" for v in m.rng.integers(1000, 1400, N)], Truth("text"))
    m.words("isle", ("Brim", "Hask", "Orran"), ordered=False)
    m.words("size", ("Small", "Medium", "Large"))
    m.words("crew_rating", ("1 - Very poor", "2 - Poor", "3 - Fair", "4 - Good", "5 - Very good"))
    m.truth["crew_rating"].order = ("Very poor", "Poor", "Fair", "Good", "Very good")
    return MessyFile("machine.csv", m.csv().encode(), m.truth, "isle")


def topped() -> MessyFile:
    """Open ends beside numbers, distances with their unit, dates with named months."""
    m = Maker(11)
    ages = m.rng.integers(18, 95, N)
    m.put(
        "How old are you?",
        ["89 or older" if a >= 89 else str(a) for a in ages],
        Truth("number", values=[float(min(a, 89)) for a in ages]),
    )
    m.words("Home isle", ("Brim", "Hask", "Orran"), ordered=False)
    m.numbers("Distance to the quay", lambda v: f"{v:g} km", 0.5, 30, 1)
    m.dates("Last crossing", "%d %B %Y", days=300)
    m.words(
        "Waiting time",
        (
            "Less than 5 minutes",
            "5 to 15 minutes",
            "15 to 30 minutes",
            "30 minutes to 1 hour",
            "More than 1 hour",
        ),
    )
    m.words("Children in the household", ("None", "1", "2", "3 or more"))
    m.numbers("Discount", lambda v: f"{v:.0f} %", 0, 60)
    return MessyFile("topped.csv", m.csv().encode(), m.truth, "Home isle")


FILES = (western, central, baltic, report, sheets, ticked, coded, american, misspelt, machine, topped)
