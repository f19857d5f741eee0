"""A study file run from end to end, its outputs written all or not at all."""

import json
import os
import tempfile
from pathlib import Path
from typing import Any

from even_ballot.core.dataset import RawTable
from even_ballot.core.faults import Fault, StudyError, fault
from even_ballot.core.study import Results, Source, Study, parse_study, run
from even_ballot.formats.microdata import microdata
from even_ballot.formats.source import read_source
from even_ballot.formats.weighting_page import weighting_page
from even_ballot.formats.workbook import workbook


def read_document(content: bytes, where: str) -> Any:
    """A JSON document; a fault says line and column."""
    try:
        return json.loads(content.decode("utf-8-sig"))
    except UnicodeDecodeError:
        raise fault("This is not a study file: it is no UTF-8 text.", where, "Bring the JSON document.") from None
    except json.JSONDecodeError as error:
        place = f"{where}, line {error.lineno}, column {error.colno}"
        raise fault(f"This is not JSON: {error.msg}.", place, "Mend the document there.") from None
    except RecursionError:
        raise fault("The document is nested too deeply.", where) from None


def load_study(path: Path) -> Study:
    """A study from its file."""
    try:
        content = path.read_bytes()
    except OSError as error:
        raise fault(f"The study file cannot be read: {error.strerror}.", str(path), "Check the path.") from None
    return parse_study(read_document(content, str(path)))


def load_table(folder: Path, source: Source, where: str) -> tuple[RawTable, Source]:
    """The table a study file points at, relative to it, and how it was read."""
    path = folder / source.path
    try:
        content = path.read_bytes()
    except OSError as error:
        raise fault(f"{path} cannot be read: {error.strerror}.", f"{where}.path", "Paths are relative to the study file.") from None
    return read_source(content, source)


def run_file(path: Path) -> tuple[Study, Results]:
    """Runs a study file on the files beside it."""
    study = load_study(path)
    raw, reading = load_table(path.parent, study.source, "source")
    lookups = {name: load_table(path.parent, source, f"lookups.{name}")[0] for name, source in study.lookups.items()}
    return study, run(study.model_copy(update={"source": reading}), raw, lookups)


def outputs(study: Study, results: Results) -> dict[str, bytes]:
    """Every file a run hands over, by name."""
    weights = [w.save_as for w in study.weightings]
    page = {"weighting.html": weighting_page(study, results.weightings, results.units).encode()} if weights else {}
    return {
        "results.json": (json.dumps(results.document(), ensure_ascii=False, indent=1) + "\n").encode(),
        "microdata.csv": microdata(results.data, weights).encode(),
        "tables.xlsx": workbook(study, results),
        **page,
    }


def write_outputs(files: dict[str, bytes], out: Path) -> list[Path]:
    """Writes files into a folder: each first under a passing name, then all put in place, so none is ever half-written."""
    try:
        out.mkdir(parents=True, exist_ok=True)
        staged = []
        try:
            for name, content in files.items():
                handle, temporary = tempfile.mkstemp(prefix=f".{name}.", dir=out)
                staged.append((Path(temporary), out / name))
                with os.fdopen(handle, "wb") as file:
                    file.write(content)
                    file.flush()
                    os.fsync(file.fileno())
                os.chmod(temporary, 0o644)
            for held, final in staged:
                held.replace(final)
        finally:
            for held, _ in staged:
                held.unlink(missing_ok=True)
    except OSError as error:
        raise StudyError(Fault(f"The results cannot be written: {error.strerror}.", str(out), "Choose another folder.")) from None
    return [out / name for name in files]
