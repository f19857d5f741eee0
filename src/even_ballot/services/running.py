"""A study file run from end to end, its outputs written all or not at all."""

import json
import os
import stat
import tempfile
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any, Literal, get_args

from even_ballot.core.data.dataset import RawTable
from even_ballot.core.faults import Fault, StudyError, fault
from even_ballot.core.study.pipeline import given
from even_ballot.core.study.results import Results
from even_ballot.core.study.roles import role_notices
from even_ballot.core.study.study_file import Source, Study, parse_study
from even_ballot.formats.estimates.json_stat import json_stat_files
from even_ballot.formats.estimates.lines import estimate_lines, lines_csv, lines_parquet, table_lines
from even_ballot.formats.exchange.microdata import microdata
from even_ballot.formats.exchange.replicate_weights import ReplicateColumns
from even_ballot.formats.tables.designs import design_notices
from even_ballot.formats.tables.weighting_page import weighting_page
from even_ballot.formats.tables.workbook import workbook
from even_ballot.services.workers.helper_processes import forked
from even_ballot.services.workers.process_limits import give_back


def read_document(content: bytes, where: str) -> Any:
    """A JSON document; a fault says line and column."""
    try:
        return json.loads(content.decode("utf-8-sig"), parse_constant=_no_number)
    except UnicodeDecodeError:
        raise fault(
            "This is not a study file: it is no UTF-8 text.", where, "Bring the JSON document."
        ) from None
    except json.JSONDecodeError as error:
        place = f"{where}, line {error.lineno}, column {error.colno}"
        raise fault(f"This is not JSON: {error.msg}.", place, "Mend the document there.") from None
    except RecursionError:
        raise fault("The document is nested too deeply.", where) from None
    except ValueError as error:
        raise fault(f"This is not JSON: {error}.", where, "Mend the document there.") from None


def _no_number(word: str) -> None:
    raise ValueError(f"{word} is no number in JSON")


LARGEST_STUDY = 64 << 20


def _opened(path: Path, where: str, inside: Path | None, most: int) -> bytes:
    """A regular file's bytes; `inside`: the folder it has to stand in, links followed."""
    try:
        if inside is not None and not path.resolve().is_relative_to(inside.resolve()):
            raise fault(
                f"{path} stands outside the folder of the study file.",
                where,
                "Move it there, or run with --allow-outside.",
            )
        # Not waiting for somebody to write into it, where it is a pipe.
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK)
        with os.fdopen(handle, "rb") as file:
            about = os.fstat(handle)
            if not stat.S_ISREG(about.st_mode):
                raise fault(f"{path} is no regular file.", where, "Name a file.")
            if about.st_size > most:
                raise fault(
                    f"{path} is larger than {most / 2**30:g} GiB.", where, "Leave out what is not needed."
                )
            return file.read()
    except (OSError, ValueError) as error:
        said = error.strerror if isinstance(error, OSError) else str(error)
        raise fault(
            f"{path} cannot be read: {said}.", where, "Paths are relative to the study file."
        ) from None


def load_study(path: Path) -> Study:
    """A study from its file."""
    return parse_study(read_document(_opened(path, str(path), None, LARGEST_STUDY), str(path)))


def load_table(folder: Path, source: Source, where: str, outside: bool = False) -> tuple[RawTable, Source]:
    """The table a study file points at, relative to it, and how it was read. outside: it may stand
    elsewhere than in the study's folder. It is read in a process of its own, within limits."""
    content = _opened(folder / source.path, f"{where}.path", None if outside else folder, 8 << 30)
    table: tuple[RawTable, Source] = forked("read", content, source, size=len(content), where=source.path)
    return table


def run_file(path: Path, outside: bool = False) -> tuple[Study, Results]:
    """Runs a study file on the files beside it."""
    study = load_study(path)
    raw, reading = load_table(path.parent, study.source, "source", outside)
    lookups = {
        name: load_table(path.parent, s, f"lookups.{name}", outside)[0] for name, s in study.lookups.items()
    }
    pipeline = given(study.model_copy(update={"source": reading}), raw, lookups)
    del raw
    # The answers as they came make room for what they were read as.
    _ = pipeline.start
    give_back()
    results = pipeline.results()
    give_back()
    return study, replace(results, guessed=study.source.guessed(reading))


def _later(make: Callable[[], bytes]) -> Iterator[bytes]:
    """Bytes that are made when they are asked for."""
    yield make()


TableFormat = Literal["xlsx", "csv", "jsonstat"]
FORMATS: tuple[TableFormat, ...] = get_args(TableFormat)


def table_formats(text: str) -> tuple[TableFormat, ...]:
    """Formats of tables, parted by commas. Raises StudyError for one that is not known."""
    asked = [name.strip() for name in text.split(",") if name.strip()]
    strange = [name for name in asked if name not in FORMATS]
    if strange or not asked:
        what = f"{strange[0]!r} is no format of tables." if strange else "No format of tables is named."
        raise fault(what, "--formats", f"There are: {', '.join(FORMATS)}.")
    return tuple(of for of in FORMATS if of in asked)


def _file_names(study: Study) -> dict[str, str]:
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


def _table_files(
    study: Study, results: Results, guard: bool, formats: Sequence[TableFormat]
) -> dict[str, Iterator[bytes]]:
    """The tables in formats."""
    found: dict[str, Iterator[bytes]] = {}
    if "xlsx" in formats:
        found["tables.xlsx"] = _later(lambda: workbook(study, results))
    if "csv" in formats or "jsonstat" in formats:
        names = _file_names(study)
        if "csv" in formats:
            lines = estimate_lines(study, results)
            found["estimates.csv"] = _later(lambda: lines_csv(lines, guard))
            found["estimates.parquet"] = _later(lambda: lines_parquet(lines))
            for result in results.tables:
                mine = list(table_lines(result, study.marks))
                found[f"{names[result.id]}.csv"] = _later(partial(lines_csv, mine, guard))
        if "jsonstat" in formats:
            made = json_stat_files(study, results, names)
            found |= {name: iter((content,)) for name, content in made.items()}
    return found


def outputs(
    study: Study, results: Results, guard: bool = True, formats: Sequence[TableFormat] = ("xlsx",)
) -> dict[str, Iterator[bytes]]:
    """Every file a run hands over, by name, piece by piece, each made when it is gone through. guard: texts
    that a spreadsheet would run are written so that it does not; formats: of the tables."""
    weights = [w.save_as for w in study.weightings]

    def document() -> bytes:
        written = json.dumps(results.document(), ensure_ascii=False, indent=1, allow_nan=False)
        return f"{written}\n".encode(errors="replace")

    def page() -> bytes:
        return weighting_page(study, results.weightings, results.units).encode()

    replicates = None
    if study.design.save_replicates:
        taken = set(results.data.variables)
        replicates = ReplicateColumns(results.sample, study.design, results.weight, taken)
    return {
        "results.json": _later(document),
        "microdata.csv": microdata(results.data, weights, guard, replicates),
        **({"replicates.json": _later(replicates.text)} if replicates else {}),
        **_table_files(study, results, guard, formats),
        **({"weighting.html": _later(page)} if weights else {}),
    }


def run_problems(study: Study, results: Results) -> tuple[str, ...]:
    """What to mind about a run's design and its analyses, in sentences."""
    weightless = 0
    if results.weight is not None:
        column = results.data.column(results.weight)
        weightless = int((column.answered & (column.values <= 0)).sum())
    unused = role_notices(study, results.data.variables)
    notices = (*unused, *design_notices(results.units, weightless))
    of_models = [f"{of.title}: {of.message}" for of in results.models if of.message is not None]
    of_scales = [f"{of.title}: {of.message}" for of in results.reliability if of.message is not None]
    return (*(f"{item.said} {item.mend}" for item in notices), *of_models, *of_scales)


def write_outputs(files: Mapping[str, Iterable[bytes]], out: Path, mode: int = 0o644) -> list[Path]:
    """Writes files, each in pieces, into a folder: first under passing names, then all put in place, so that
    none is ever half-written."""
    try:
        out.mkdir(parents=True, exist_ok=True)
        staged = []
        try:
            for name, content in files.items():
                handle, temporary = tempfile.mkstemp(prefix=f".{name}.", dir=out)
                staged.append((Path(temporary), out / name))
                with os.fdopen(handle, "wb") as file:
                    file.writelines(content)
                    file.flush()
                    os.fsync(file.fileno())
                os.chmod(temporary, mode)
            for held, final in staged:
                held.replace(final)
        finally:
            for held, _ in staged:
                held.unlink(missing_ok=True)
    except OSError as error:
        raise StudyError(
            Fault(f"The results cannot be written: {error.strerror}.", str(out), "Choose another folder.")
        ) from None
    return [out / name for name in files]
