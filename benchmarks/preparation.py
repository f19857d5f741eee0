"""Intake, a step of the ledger and the sweep of all checks on 1,000,000 cases x 60 columns, as ratios within
one run.

    .venv/bin/python benchmarks/preparation.py [--cases 1000000]

Reading is compared with the time PyArrow alone needs to parse the same bytes; a step and the sweep with
one plain pass (NumPy's sum of each column in its own type, one after the other). Memory is what a fresh
process grows by at its peak while it reads the file.
"""

import argparse
import contextlib
import io
import tempfile
import time
from collections.abc import Callable, Iterator
from multiprocessing import get_context
from pathlib import Path

import numpy as np
import pyarrow as pa
from pyarrow import csv as arrow_csv
from sqlalchemy import Engine
from sqlalchemy.orm import Session

from even_ballot.core.data.codebook import Code, Codebook, Scale, Variable
from even_ballot.core.data.interpretation import interpret
from even_ballot.core.ledger import run_ledger
from even_ballot.core.screening import sweep
from even_ballot.core.study.study_file import Source, parse_study
from even_ballot.formats.sources.source import read_source
from even_ballot.services.states.study_states import Pipelines
from even_ballot.services.stations.cells import CellsWanted, cells
from even_ballot.services.stations.intake import keep
from even_ballot.services.studies.changes import change
from even_ballot.services.studies.studies import begin, view
from even_ballot.store.chunks import parts_of
from even_ballot.store.database import connect, migrate
from even_ballot.store.files import find_file
from even_ballot.store.server import MariaServer
from even_ballot.store.studies import read_study

ANSWERS = ("Strongly agree", "Agree", "Neither", "Disagree", "Strongly disagree", "")
SCALE = Scale(
    codes=tuple(Code(code=i, label=label) for i, label in enumerate(ANSWERS[:5], start=1)), ordered=True
)
QUESTIONS = tuple(f"q{i}" for i in range(50))


def made(n: int) -> bytes:
    """The bytes of a CSV: an identifier, 50 answers in words, 9 numbers."""
    rng = np.random.default_rng(1)
    columns: dict[str, object] = {"id": np.arange(n)}
    words = pa.array(ANSWERS)
    for name in QUESTIONS:
        columns[name] = pa.DictionaryArray.from_arrays(
            pa.array(rng.integers(0, 6, n), pa.int32()), words
        ).cast(pa.string())
    for i in range(9):
        columns[f"x{i}"] = np.round(rng.gamma(2, 10, n), 2)
    out = io.BytesIO()
    arrow_csv.write_csv(pa.table(columns), out)
    return out.getvalue()


def once(action: Callable[[], object]) -> float:
    start = time.perf_counter()
    action()
    return time.perf_counter() - start


def memory(what: str) -> int:
    """Bytes from the kernel's account of this process: VmRSS, or VmHWM, the peak since it was last reset."""
    line = next(line for line in Path("/proc/self/status").read_text().splitlines() if line.startswith(what))
    return int(line.split()[1]) * 1024


def peak_of_reading(path: str) -> int:
    """Bytes that a fresh process grows by at its peak, the file's own bytes among them, while it reads a
    file."""
    before = memory("VmRSS")
    read_source(Path(path).read_bytes(), Source(path="answers.csv"))
    return memory("VmHWM") - before


def in_fresh_process(content: bytes) -> int:
    with tempfile.NamedTemporaryFile(suffix=".csv") as file, get_context("spawn").Pool(1) as pool:
        file.write(content)
        file.flush()
        return pool.apply(peak_of_reading, (file.name,))


@contextlib.contextmanager
def database() -> Iterator[Engine]:
    """An empty database on a private MariaDB."""
    with tempfile.TemporaryDirectory() as folder:
        server = MariaServer(Path(folder) / "mariadb")
        server.start()
        try:
            engine = connect(server.url)
            migrate(engine)
            yield engine
            engine.dispose()
        finally:
            server.stop()


def storing(engine: Engine, content: bytes) -> tuple[str, float]:
    """A file read and kept in MariaDB, committed: its identifier, and the seconds it took."""
    start = time.perf_counter()
    with Session(engine) as session, session.begin():
        file_id = keep(session, "answers.csv", content).id
    return file_id, time.perf_counter() - start


def grid(engine: Engine, file_id: str) -> None:
    """Server time of the grid of all cells: any place of any order, and a cell changed."""
    pipelines = Pipelines()
    with Session(engine) as session, session.begin():
        study_id = begin(session, "Grid", file_id)
        state = read_study(session, study_id)
        pipelines.ledgered(session, state)
        n = find_file(session, file_id).records
        rng = np.random.default_rng(2)
        columns = [*QUESTIONS[:16]]

        def look(**asked: object) -> float:
            offset = int(rng.integers(0, n - 100))
            return once(
                lambda: cells(
                    session, pipelines, state, CellsWanted(columns=columns, offset=offset, limit=100, **asked)
                )
            )

        cases: tuple[tuple[str, dict[str, object]], ...] = (
            ("as they came", {}),
            ("sorted by a number", {"sort": "x0"}),
            ("sorted by words", {"sort": "q3", "descending": True}),
            ("filtered", {"where": "x1 > 10"}),
        )
        for name, asked in cases:
            row(f"grid {name}: the first look (ms)", look(**asked) * 1e3, "")
            row(
                f"grid {name}: any place, the largest of 40 (ms)",
                max(look(**asked) for _ in range(40)) * 1e3,
                "under 200",
            )
        view(session, pipelines, study_id)
        edits = [{"do": "edit", "id": 500 + k, "variable": "x0", "value": 1} for k in range(5)]
        took = []
        for k in range(5):
            took.append(
                once(lambda k=k: change(session, pipelines, study_id, k + 1, {"ledger": edits[: k + 1]}))
            )  # type: ignore[misc]
            took[-1] += once(lambda: view(session, pipelines, study_id))
        row(
            "a cell changed, all findings sought, the study shown: median (ms)",
            float(np.median(took)) * 1e3,
            "",
        )


def row(name: str, ratio: float, goal: str) -> None:
    print(f"  {name:<58}{ratio:8.2f}   goal {goal}")


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--cases", type=int, default=1_000_000)
    content = made(parser.parse_args().cases)
    start = time.perf_counter()
    raw, _ = read_source(content, Source(path="answers.csv"))
    reading = time.perf_counter() - start
    parse = min(once(lambda: arrow_csv.read_csv(pa.BufferReader(content))) for _ in range(2))
    packing = once(lambda: sum(len(piece) for _, pieces in parts_of(raw) for piece in pieces))
    print(
        f"{len(raw.rows):,} cases x {len(raw.names)} columns, {len(content) / 1e6:.0f} MB; PyArrow alone "
        f"parses it in {parse:.2f} s"
    )
    row("reading it into columns / PyArrow alone", reading / parse, "under 4")
    row("reading and compressing for storage / PyArrow alone", (reading + packing) / parse, "under 8")
    row(
        "peak memory of reading, the bytes included / the file",
        in_fresh_process(content) / len(content),
        "under 4",
    )

    del raw
    with database() as engine:
        file_id, kept = storing(engine, content)
        row(f"reading and keeping it in MariaDB / PyArrow alone ({kept:.1f} s)", kept / parse, "under 8")
        grid(engine, file_id)
    raw, _ = read_source(content, Source(path="answers.csv"))
    variables = tuple(Variable(name=name, kind="coded", scale="agreement") for name in QUESTIONS)
    book = Codebook(scales={"agreement": SCALE}, variables=variables)
    data = interpret(raw, book)
    plain = min(once(lambda: [column.values.sum() for column in data.columns.values()]) for _ in range(3))
    print(f"One plain pass over the columns {plain * 1e3:.0f} ms")
    document = {
        "source": {"path": "answers.csv"},
        "ledger": [
            {"do": "reverse", "variables": ["q0"], "suffix": "_rev"},
            {"do": "drop_cases", "where": "x0 > 30 and q1 == 'Agree'"},
        ],
    }
    for step in parse_study(document).ledger:
        took = once(lambda step=step: next(run_ledger(data, [step], {})))  # type: ignore[misc]
        row(f"{step.do} / one plain pass ({took:.2f} s)", took / plain, "0.5 s")
    took = once(lambda: sweep(data, book))
    row(f"the sweep of all checks / one plain pass ({took:.1f} s)", took / plain, "15 s")


if __name__ == "__main__":
    main()
