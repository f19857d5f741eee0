"""A study file run from end to end."""

import json
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from even_ballot.core.faults import fault
from even_ballot.core.sampling.design import former_names
from even_ballot.core.study.pipeline import Pipeline, given
from even_ballot.core.study.results import Results
from even_ballot.core.study.roles import role_notices
from even_ballot.core.study.study_file import Source, Study, parse_study
from even_ballot.formats.tables.designs import design_notices
from even_ballot.services.answers import load_table, opened, source_hashes
from even_ballot.services.workers.helper_processes import forked
from even_ballot.services.workers.process_limits import give_back

if TYPE_CHECKING:
    from even_ballot.core.dependence.depends import Depending
    from even_ballot.core.release.plan import Format
    from even_ballot.formats.printed.blocks import Block
    from even_ballot.services.releases.files import ReleaseFiles


def read_document(content: bytes, where: str) -> Any:
    """A JSON document; a fault says line and column."""
    try:
        return json.loads(content.decode("utf-8-sig"), parse_constant=_no_number)
    except UnicodeDecodeError:
        raise fault(
            "This is not a study file: it is not UTF-8 text.", where, "Choose the JSON file."
        ) from None
    except json.JSONDecodeError as error:
        place = f"{where}, line {error.lineno}, column {error.colno}"
        raise fault(f"This is not JSON: {error.msg}.", place, "Correct the file there.") from None
    except RecursionError:
        raise fault("The document is nested too deeply.", where) from None
    except ValueError as error:
        raise fault(f"This is not JSON: {error}.", where, "Correct the file there.") from None


def _no_number(word: str) -> None:
    raise ValueError(f"{word} is not a number in JSON")


LARGEST_STUDY = 64 << 20


def read_study_document(path: Path) -> Any:
    """A study file as it is written."""
    return read_document(opened(path, str(path), None, LARGEST_STUDY), str(path))


def load_study(path: Path) -> Study:
    """A study from its file."""
    return parse_study(read_study_document(path))


def _ready(path: Path, outside: bool) -> tuple[Study, Pipeline, Source]:
    """A study file with the answers beside it, and how they were read."""
    study = load_study(path)
    raw, reading = load_table(path.parent, study.source, "source", outside)
    lookups = {
        name: load_table(path.parent, s, f"lookups.{name}", outside)[0] for name, s in study.lookups.items()
    }
    return study, given(study.model_copy(update={"source": reading}), raw, lookups), reading


def run_file(path: Path, outside: bool = False) -> tuple[Study, Results]:
    """Runs a study file on the files beside it."""
    former = former_names(read_study_document(path))
    study, pipeline, reading = _ready(path, outside)
    # The answers as they came make room for what they were read as.
    _ = pipeline.start
    give_back()
    results = pipeline.results()
    give_back()
    return study, replace(results, guessed=study.source.guessed(reading), former=former)


def depends_file(
    path: Path, wanted: Sequence[str] | None, outside: bool = False, reading: bool = False
) -> "Depending":
    """What the tables and analyses of a study file depend on. wanted: which, by their ids; reading: with
    entries of the ledger that only make answers readable."""
    from even_ballot.core.dependence.depends import Depending  # Loaded where it is asked for.

    study, pipeline, _ = _ready(path, outside)
    parts = (study.tables, study.models, study.reliability, study.correlations)
    known = [request.id for part in parts for request in part]
    if strange := [name for name in wanted or () if name not in known]:
        ids = ", ".join(known) or "none"
        raise fault(
            f"There is no table or analysis {strange[0]!r}.",
            "--tables",
            f"Available: {ids}.",
        )
    return Depending(pipeline.study, pipeline.inputs, wanted, reading)


def appendix_blocks(path: Path, study: Study, results: Results, outside: bool = False) -> "tuple[Block, ...]":
    """What a release's appendix says of the figures that its plan names; empty where it names none."""
    if study.release is None or not study.release.depends:
        return ()
    from even_ballot.core.dependence.appendix import appendix
    from even_ballot.formats.documents.sections.depends import depends_blocks

    figures = study.release.depends
    found = appendix(depends_file(path, list(dict.fromkeys(of.table for of in figures)), outside), figures)
    return tuple(depends_blocks(list(found), results, study.release.style))


def release_of(
    path: Path, formats: "Sequence[Format] | None", guard: bool = True, outside: bool = False
) -> "ReleaseFiles":
    """A study file run, and what makes the files of its release. formats: those of its plan where None."""
    return files_of(path, *run_file(path, outside), formats, guard, outside)


def files_of(
    path: Path,
    study: Study,
    results: Results,
    formats: "Sequence[Format] | None",
    guard: bool = True,
    outside: bool = False,
) -> "ReleaseFiles":
    """What makes the files of a release of a study file that was run."""
    from even_ballot.services.releases.files import ReleaseFiles

    usual: tuple[Format, ...] = ("xlsx",) if study.release is None else study.release.formats
    files = ReleaseFiles(study, results, formats or usual, guard, source_hashes(path.parent, study))
    if (template := release_template(path, study, outside)) is not None:
        files.template, files.left_out = forked("template", template, size=len(template), where="template")
    files.appendix = appendix_blocks(path, study, results, outside)
    return files


def release_template(path: Path, study: Study, outside: bool = False) -> bytes | None:
    """The template of a study's release, beside the study file; None where it names none."""
    name = None if study.release is None else study.release.style.template
    if name is None:
        return None
    most = 20 << 20
    return opened(path.parent / name, "release.style.template", None if outside else path.parent, most)


def run_problems(study: Study, results: Results) -> tuple[str, ...]:
    """What to mind about a run's design and its analyses, in sentences."""
    unused = role_notices(study, results.data.variables)
    notices = (*unused, *design_notices(results.units, results.weightless))
    of_models = [f"{of.title}: {of.message}" for of in results.models if of.message is not None]
    of_scales = [f"{of.title}: {of.message}" for of in results.reliability if of.message is not None]
    return (*(f"{item.said} {item.mend}" for item in notices), *of_models, *of_scales)
