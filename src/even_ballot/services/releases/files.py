"""Every file of a release: results, records, tables and documents in their formats.

What a format needs is loaded where it is made.
"""

import json
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import partial

from even_ballot.core.faults import fault
from even_ballot.core.lazy import lazy
from even_ballot.core.progress import Progress, quiet
from even_ballot.core.release.plan import FORMATS, Format, PictureKind, ReleasePlan
from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import Study
from even_ballot.formats.exchange.microdata import microdata
from even_ballot.formats.printed.blocks import Block, Document, Picture

Files = dict[str, Iterator[bytes]]
"""Files by name, each made piece by piece when it is gone through."""
DOCUMENTS: tuple[Format, ...] = ("docx", "pdf", "html", "pptx")
Writer = Callable[[Format, Document, bytes | None], bytes]


def release_formats(text: str) -> tuple[Format, ...]:
    """Formats of tables and documents, parted by commas. Raises StudyError for one that is not known."""
    asked = [name.strip() for name in text.split(",") if name.strip()]
    strange = [name for name in asked if name not in FORMATS]
    if strange or not asked:
        what = f"{strange[0]!r} is not a format of a release." if strange else "No format is named."
        raise fault(what, "--formats", f"Formats: {', '.join(FORMATS)}.")
    return tuple(of for of in FORMATS if of in asked)


def _later(make: Callable[[], bytes]) -> Iterator[bytes]:
    """Bytes that are made when they are asked for."""
    yield make()


def table_names(study: Study) -> dict[str, str]:
    """A file name for each table, of its identifier: letters, figures, - and _; each its own."""
    taken, names = set[str](), dict[str, str]()
    for request in study.tables:
        plain = "".join(c if c.isalnum() or c in "-_" else "_" for c in request.id)[:60]
        name, k = f"table-{plain}", 2
        while name.casefold() in taken:
            name, k = f"table-{plain}-{k}", k + 1
        taken.add(name.casefold())
        names[request.id] = name
    return names


def _writing(kind: Format, document: Document, template: bytes | None) -> bytes:
    from even_ballot.formats.writers.writing import written  # Loaded where documents are made.

    return written(kind, document, template)


@dataclass
class ReleaseFiles:
    """Makes the files of a release. guard: texts that a spreadsheet would run are written so that it does
    not; hashes: SHA-256 of the sources, by their names; changes: what is said of the release before;
    appendix: what is said of decisions that figures depend on;
    template: a .docx whose styles are used; left_out: what of it is not; written: files of records that are
    there already; writer: what writes documents."""

    study: Study
    results: Results
    formats: Sequence[Format] = ("xlsx",)
    guard: bool = True
    hashes: Mapping[str, str] | None = None
    changes: Sequence[Block] = ()
    appendix: Sequence[Block] = ()
    template: bytes | None = None
    left_out: tuple[str, ...] = ()
    progress: Progress = quiet
    written: Files | None = None
    writer: Writer = _writing

    @lazy
    def plan(self) -> ReleasePlan:
        """The plan of the release, or the usual one."""
        return self.study.release or ReleasePlan()

    @lazy
    def document(self) -> Document:
        """The document that every text format shows."""
        from even_ballot.formats.documents.compose import compose

        return compose(
            self.study,
            self.results,
            self.plan,
            hashes=self.hashes,
            changes=self.changes,
            appendix=self.appendix,
            progress=self.progress,
        )

    def _json(self) -> bytes:
        written = json.dumps(self.results.document(), ensure_ascii=False, indent=1, allow_nan=False)
        return f"{written}\n".encode(errors="replace")

    def records(self) -> Files:
        """The records with weights, and how to use replicate weights."""
        study, results = self.study, self.results
        if self.written is not None:
            return self.written
        weights = [w.save_as for w in study.weightings]
        replicates = None
        if study.design.save_replicates:
            from even_ballot.formats.exchange.replicate_weights import ReplicateColumns

            taken = set(results.data.variables)
            replicates = ReplicateColumns(results.sample, study.design, results.weight, taken)
        return {
            "microdata.csv": microdata(results.data, weights, self.guard, replicates),
            **({"replicates.json": _later(replicates.text)} if replicates else {}),
        }

    def workbooks(self) -> Files:
        """The workbooks that are wanted."""
        found: Files = {}
        if "xlsx" in self.formats:
            from even_ballot.formats.workbooks.workbook import workbook

            found["tables.xlsx"] = _later(lambda: workbook(self.study, self.results, self.hashes))
        if "ods" in self.formats:
            from even_ballot.formats.writers.opendocument import spreadsheet

            found["tables.ods"] = _later(lambda: spreadsheet(self.study, self.results, self.hashes))
        return found

    def estimates(self) -> Files:
        """Every estimate as data, where wanted."""
        found: Files = {}
        if "csv" in self.formats or "jsonstat" in self.formats:
            names = table_names(self.study)
            if "csv" in self.formats:
                from even_ballot.formats.estimates.lines import (
                    estimate_lines,
                    lines_csv,
                    lines_parquet,
                    table_lines,
                )

                lines = estimate_lines(self.study, self.results)
                found["estimates.csv"] = _later(lambda: lines_csv(lines, self.guard))
                found["estimates.parquet"] = _later(lambda: lines_parquet(lines))
                for result in self.results.tables:
                    mine = list(table_lines(result, self.study.marks))
                    found[f"{names[result.id]}.csv"] = _later(partial(lines_csv, mine, self.guard))
            if "jsonstat" in self.formats:
                from even_ballot.formats.estimates.json_stat import json_stat_files

                made = json_stat_files(self.study, self.results, names)
                found |= {name: iter((content,)) for name, content in made.items()}
        return found

    def documents(self) -> Files:
        """The documents in their formats."""
        return {
            f"release.{kind}": _later(lambda kind=kind: self.writer(kind, self.document, self.template))  # type: ignore[misc]
            for kind in self.formats
            if kind in DOCUMENTS
        }

    def _with_it(self) -> Files:
        """What goes with the documents, as the plan says."""
        results, found = self.results, Files()
        if "codebook" in self.plan.with_it:
            from even_ballot.formats.exchange.codebooks import codebook_csv, codebook_schema

            variables, scales = (
                results.data.variables.values(),
                {**self.study.codebook.scales, **results.data.scales},
            )
            found["codebook.csv"] = _later(lambda: codebook_csv(variables, scales).encode())
            found["codebook.json"] = _later(lambda: codebook_schema(variables, scales).encode())
        if "ledger" in self.plan.with_it:
            from even_ballot.formats.exchange.journal import journal_html

            state = (self.study, results.source_cases, results.used_cases, results.effects)
            found["ledger.html"] = _later(lambda: journal_html(*state).encode())
        return found

    def pictures(self) -> Files:
        """Every picture of the documents as files, where the plan wants them."""
        found: Files = {}
        if self.plan.picture_files:
            pictures = [block for block in self.document.blocks if isinstance(block, Picture)]
            for k, picture in enumerate(pictures, start=1):
                for kind in self.plan.picture_files:
                    found[f"figure-{k}.{kind}"] = _later(partial(self._picture, picture, kind))
        return found

    def _picture(self, picture: Picture, kind: PictureKind) -> bytes:
        from even_ballot.formats.images.charting import chart_svg
        from even_ballot.formats.images.files import drawn

        svg = chart_svg(picture.chart, picture.caption, picture.says)
        return drawn(svg, kind, self.plan.resolution)

    def _weighting(self) -> bytes:
        from even_ballot.formats.tables.weighting_page import weighting_page

        return weighting_page(self.study, self.results.weightings, self.results.units).encode()

    def all(self) -> Files:
        """Every file by name."""
        return {
            "results.json": _later(self._json),
            **self.records(),
            **self.workbooks(),
            **self.estimates(),
            **self.documents(),
            **self.pictures(),
            **self._with_it(),
            **({"weighting.html": _later(self._weighting)} if self.study.weightings else {}),
        }


def outputs(
    study: Study,
    results: Results,
    guard: bool = True,
    formats: Sequence[Format] = ("xlsx",),
    hashes: Mapping[str, str] | None = None,
) -> Files:
    """Every file a run hands over, by name, piece by piece, each made when it is gone through."""
    return ReleaseFiles(study, results, formats, guard, hashes).all()
