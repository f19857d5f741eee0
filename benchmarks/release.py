"""A release of 200 tables in every format, against what writing the same cells takes with the format's
library alone: as ratios of processor time, with the seconds and the peak memory of each.

    .venv/bin/python benchmarks/release.py [--tables 200] [--formats xlsx,ods,docx,html,pptx,csv,jsonstat]

The library alone writes the text of every cell into bare tables: no titles, notes, widths, rules or pictures.
"""

import argparse
import io
import json
import multiprocessing
import resource
import time
from collections.abc import Callable
from dataclasses import astuple, replace
from html import escape
from itertools import chain

from even_ballot.core.release.plan import ReleasePlan
from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import Study
from even_ballot.demo import FILES
from even_ballot.formats.documents.compose import compose
from even_ballot.formats.estimates.lines import estimate_lines
from even_ballot.formats.printed.blocks import PrintedTable
from even_ballot.services.releases.files import ReleaseFiles, release_formats
from even_ballot.services.running import run_file

Cells = list[list[list[str]]]


def repeated(study: Study, results: Results, count: int) -> tuple[Study, Results]:
    """The demo's tables over and over, each under a name of its own, and nothing else."""
    requests, tables = [], []
    for k in range(count):
        of = k % len(results.tables)
        name, title = f"t{k}", f"{results.tables[of].title} ({k + 1})"
        requests.append(study.tables[of].model_copy(update={"id": name, "title": title}))
        tables.append(replace(results.tables[of], id=name, title=title))
    plan = ReleasePlan(pictures=False, with_it=())
    bare = {
        "tables": tuple(requests),
        "models": (),
        "side_by_side": (),
        "reliability": (),
        "correlations": (),
    }
    made = study.model_copy(update={**bare, "release": plan})
    return made, replace(results, tables=tuple(tables), models=(), reliability=(), correlations=())


def cells_of(table: PrintedTable) -> list[list[str]]:
    rows = [[h.text for h in heads] for heads in table.heads]
    return rows + [[*row.labels, *(e.text for e in row.entries)] for g in table.groups for row in g.rows]


def by_xlsxwriter(cells: Cells) -> None:
    import xlsxwriter

    book = xlsxwriter.Workbook(io.BytesIO(), {"in_memory": True})
    for table in cells:
        sheet = book.add_worksheet()
        for r, row in enumerate(table):
            for c, text in enumerate(row):
                sheet.write(r, c, text)
    book.close()


def by_odfpy(cells: Cells) -> None:
    from odf.opendocument import OpenDocumentSpreadsheet
    from odf.table import Table, TableCell, TableRow
    from odf.text import P

    book = OpenDocumentSpreadsheet()
    for k, table in enumerate(cells):
        sheet = Table(name=f"t{k}")
        for row in table:
            line = TableRow()
            for text in row:
                cell = TableCell(valuetype="string")
                cell.addElement(P(text=text))
                line.addElement(cell)
            sheet.addElement(line)
        book.spreadsheet.addElement(sheet)
    book.write(io.BytesIO())


def by_docx(cells: Cells) -> None:
    import docx

    document = docx.Document()
    for table in cells:
        grid = document.add_table(len(table), max(map(len, table)))
        for line, row in zip(grid.rows, table, strict=True):
            for cell, text in zip(line.cells, row, strict=False):
                cell.text = text
    document.save(io.BytesIO())


def by_pptx(cells: Cells) -> None:
    from pptx import Presentation

    deck = Presentation()
    for table in cells:
        slide = deck.slides.add_slide(deck.slide_layouts[6])
        grid = slide.shapes.add_table(len(table), max(map(len, table)), 0, 0, 9_000_000, 5_000_000).table
        for line, row in zip(grid.rows, table, strict=True):
            for cell, text in zip(line.cells, row, strict=False):
                cell.text = text
    deck.save(io.BytesIO())


def by_html(cells: Cells) -> None:
    lines = (row for table in cells for row in table)
    rows = ("<tr>" + "".join(f"<td>{escape(text)}</td>" for text in row) + "</tr>" for row in lines)
    f"<table>{''.join(rows)}</table>".encode()


def by_typst(cells: Cells) -> None:
    import typst

    tables = [
        {
            "wide": max(map(len, table)),
            "cells": list(
                chain.from_iterable([*row, *[""] * (max(map(len, table)) - len(row))] for row in table)
            ),
        }
        for table in cells
    ]
    bare = """#set document(title: "Bare")
#for it in json(bytes(sys.inputs.cells)) { table(columns: it.wide, ..it.cells) }"""
    typst.compile(bare.encode(), sys_inputs={"cells": json.dumps(tables)}, pdf_standards="ua-1")


ALONE: dict[str, Callable[[Cells], object]] = {
    "xlsx": by_xlsxwriter,
    "ods": by_odfpy,
    "docx": by_docx,
    "pptx": by_pptx,
    "pdf": by_typst,
    "html": by_html,
}


def measured(work: Callable[[], object]) -> tuple[float, float, float]:
    """Seconds, seconds of the processor, and peak memory (MB) of work in a process of its own."""

    def inside(out: "multiprocessing.Queue[tuple[float, float, float]]") -> None:
        begun, cpu = time.perf_counter(), time.process_time()
        work()
        peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        out.put((time.perf_counter() - begun, time.process_time() - cpu, peak))

    forks = multiprocessing.get_context("fork")
    out = forks.Queue()
    process = forks.Process(target=inside, args=(out,))
    process.start()
    found = out.get()
    process.join()
    return found  # type: ignore[no-any-return]


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--tables", type=int, default=200)
    parser.add_argument("--formats", default="xlsx,ods,docx,html,pptx,csv,jsonstat,pdf")
    asked = parser.parse_args()
    study, results = repeated(*run_file(FILES / "study.json"), asked.tables)
    cells = [cells_of(table) for table in compose(study, results, study.release or ReleasePlan()).tables]
    # Workbooks have every figure in long form, too.
    long = [[str(x) for x in astuple(line)] for line in estimate_lines(study, results)]
    print(f"{asked.tables} tables, {sum(len(row) for t in cells for row in t):,} cells")
    print(f"{'':10}{'seconds':>10}{'processor':>11}{'peak MB':>9}{'alone':>9}{'ratio':>8}")
    for kind in release_formats(asked.formats):

        def make(kind: str = kind) -> None:
            files = ReleaseFiles(study, results, (kind,))  # type: ignore[arg-type]
            for name, pieces in files.all().items():
                if not name.startswith(("results", "microdata", "weighting")):
                    for _ in pieces:
                        pass

        seconds, cpu, peak = measured(make)
        line = f"{kind:10}{seconds:10.2f}{cpu:11.2f}{peak:9.0f}"
        if (alone := ALONE.get(kind)) is not None:
            own = [*cells, long] if kind in ("xlsx", "ods") else cells
            least = measured(lambda alone=alone, own=own: alone(own))[1]  # type: ignore[misc]
            line += f"{least:9.2f}{cpu / least:8.2f}"
        print(line, flush=True)


if __name__ == "__main__":
    main()
