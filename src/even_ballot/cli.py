"""The command line: the same core, with no database and no browser.

What a command needs is loaded when it runs, so that help comes at once.
"""

import contextlib
import json
import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, NoReturn

# Help in plain letters: markup takes as long to load as a small study to run.
os.environ.setdefault("TYPER_USE_RICH", "0")
import typer

from even_ballot import __version__

if TYPE_CHECKING:
    from even_ballot.core.faults import StudyError
    from even_ballot.core.progress import Progress
    from even_ballot.core.study.results import Results
    from even_ballot.services.releases.files import ReleaseFiles

_REPORT = "Please report it, with the study file if you can share it; --debug shows the traceback."
app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    help="From questionnaire answers to weighted tables.",
)


def _refuse(error: "StudyError") -> None:
    for item in error.faults:
        typer.echo(str(item), err=True)
    raise typer.Exit(2)


def _own_fault(error: Exception) -> NoReturn:
    said = " ".join(str(error).split())[:300]
    typer.echo(
        f"Internal error in Even Ballot ({type(error).__name__}: {said}). {_REPORT}",
        err=True,
    )
    raise typer.Exit(2) from None


def _tell_of_control(results: "Results") -> None:
    """What disclosure control has hidden."""
    from even_ballot.core.faults import counted

    if (control := results.control) is not None:
        judged = (
            ""
            if control.weights_judged
            else " With more than 100 different weights, weighted figures were not checked for "
            "what they disclose about small counts."
        )
        typer.echo(
            f"Disclosure control: {counted(control.hidden, 'group')} suppressed, small ones and those that "
            f"protect them; {counted(control.withheld, 'analysis', 'analyses')} suppressed.{judged}",
            err=True,
        )


def _tell_of_run(files: "ReleaseFiles") -> tuple[str, ...]:
    """What to know of a run; what to mind about it is given, too."""
    from rich.console import Console

    from even_ballot.services.running import run_problems
    from even_ballot.services.telling import tell

    results = files.results
    _tell_of_control(results)
    for table in results.faulty:
        typer.echo(f"Not made: {table.title}", err=True)
        for item in table.faults:
            typer.echo(f"  {item}", err=True)
    notes = [str(note) for note in results.former]
    if files.left_out:
        notes.append(f"not taken from the template: {', '.join(files.left_out)}.")
    for note in notes:
        typer.echo(f"Note: {note}", err=True)
    problems = run_problems(files.study, results)
    tell(results.summary, problems, Console(stderr=True, highlight=False))
    return problems


def _says() -> "Progress":
    """Tells how far work has got, where somebody looks on."""

    def progress(says: str, share: float | None) -> None:
        if sys.stderr.isatty():
            done = "" if share is None else f": {100 * share:.0f} %"
            typer.echo(f"\r\033[K{says}{done}", err=True, nl=False)

    return progress


@app.command()
def run(
    study: Annotated[Path, typer.Argument(help="The study file (JSON).")],
    out: Annotated[Path, typer.Option(help="The folder the results go into.")],
    allow_outside: Annotated[
        bool, typer.Option(help="Read sources outside the study file's folder, too.")
    ] = False,
    guard_formulas: Annotated[
        bool, typer.Option(help="Put an apostrophe before text that a spreadsheet would run as a formula.")
    ] = True,
    formats: Annotated[
        str | None,
        typer.Option(
            help="Formats of tables and documents, separated by commas: xlsx, ods, docx, pdf, html, csv, "
            "jsonstat, pptx. Default: the formats in the study file's release, else xlsx."
        ),
    ] = None,
    replace: Annotated[bool, typer.Option(help="Replace all of an earlier run's folder.")] = False,
    allow_unmet: Annotated[bool, typer.Option(help="Exit with 0 even if margins are not met.")] = False,
    strict: Annotated[bool, typer.Option(help="Exit with 3 if any finding has not been accepted.")] = False,
    workers: Annotated[
        int | None,
        typer.Option(min=1, max=1000, help="Let so many processes hold the parts (Parquet files)."),
    ] = None,
    scheduler: Annotated[
        str | None,
        typer.Option(help="Let the workers of a Dask scheduler hold them, such as tcp://10.0.0.5:8786."),
    ] = None,
    memory: Annotated[
        int, typer.Option(min=0, help="Megabytes that a worker holds of its parts; files hold the rest.")
    ] = 500,
    debug: Annotated[bool, typer.Option(help="Show the traceback of an unexpected error.")] = False,
) -> None:
    """Runs a study file and writes results.json, microdata.csv and its release: tables.xlsx, tables.ods;
    release.docx, release.pdf, release.html, release.pptx; for csv a file for each table and estimates.csv and
    estimates.parquet, a line for each figure; for jsonstat a dataset for each table and tables.json, which
    lists them. manifest.json lists all files with their SHA-256. A folder that holds files is refused.

    With workers, each holds some parts and only what is seen of them comes together; records are written
    part by part, as microdata-00001.csv and so on.

    Exits with 2 where the study file or the data has errors, and with 3 where margins are not met or a
    table could not be made.
    """
    from even_ballot.core.faults import StudyError
    from even_ballot.services.releases.files import release_formats
    from even_ballot.services.releases.folder import checked_folder, write_folder
    from even_ballot.services.running import release_of

    try:
        wanted = None if formats is None else release_formats(formats)
        checked_folder(out, replace)
        with contextlib.ExitStack() as held:
            if workers is None and scheduler is None:
                files = release_of(study, wanted, guard_formulas, allow_outside)
            else:
                from even_ballot.services.by_workers import Workers, released_by

                by = Workers(workers, scheduler, memory << 20)
                files = held.enter_context(
                    released_by(study, by, out, wanted, _says(), guard_formulas, allow_outside)
                )
            loaded, results = files.study, files.results
            paths = write_folder(files.all(), out, {"study": loaded.title, "version": __version__}, replace)
    except StudyError as error:
        _refuse(error)
        return
    except Exception as error:
        if debug:
            raise
        _own_fault(error)
    problems = _tell_of_run(files)
    typer.echo(
        f"{results.source_cases:,} cases received, {results.used_cases:,} in use. Written: "
        f"{', '.join(map(str, paths))}"
    )
    unmet = any(not report.converged for report in results.weightings) and not allow_unmet
    found = bool(problems) or not results.summary.nothing_found
    if results.faulty or unmet or (strict and found):
        raise typer.Exit(3)


@app.command()
def draft(
    answers: Annotated[Path, typer.Argument(help="A file of answers.")],
    out: Annotated[Path, typer.Option(help="Where the study file goes.")],
    title: Annotated[str | None, typer.Option(help="The study's title.")] = None,
    replace: Annotated[bool, typer.Option(help="Overwrite an existing study file.")] = False,
) -> None:
    """Proposes a codebook for a file of answers and writes it as a study file that runs.

    Prints what it is unsure of. Exits with 2 where the file cannot be read, or the study file is there.
    """
    from rich.console import Console

    from even_ballot.core.faults import StudyError
    from even_ballot.services.drafting import draft_file
    from even_ballot.services.telling import tell_draft

    try:
        made = draft_file(answers, out, title, replace)
    except StudyError as error:
        _refuse(error)
        return
    tell_draft(made.reading, made.lines, Console(stderr=True, highlight=False))
    typer.echo(f"{made.records:,} records, {made.columns:,} columns. Written: {out}")


@app.command()
def parts(
    answers: Annotated[Path, typer.Argument(help="A file of delimited text in UTF-8.")],
    out: Annotated[Path, typer.Option(help="The folder the parts go into; it is made.")],
    records: Annotated[int, typer.Option(min=1, help="Records of a part.")] = 1_000_000,
) -> None:
    """Makes parts of a large file in one pass: Parquet files that a study file names by their folder. Every
    column is kept as text, as it stands.

    Exits with 2 where the file cannot be read; then there is no folder.
    """
    from even_ballot.core.faults import StudyError, counted
    from even_ballot.services.answers import make_parts

    try:
        found, made = make_parts(answers, out, records, _says())
    except StudyError as error:
        _refuse(error)
    if sys.stderr.isatty():
        typer.echo("", err=True)
    typer.echo(f"{counted(found, 'record')} in {counted(made, 'part')}. Written: {out}")


@app.command()
def depends(
    study: Annotated[Path, typer.Argument(help="The study file (JSON).")],
    out: Annotated[Path, typer.Option(help="The folder depends.json goes into.")],
    tables: Annotated[
        str | None, typer.Option(help="Identifiers of tables and analyses, separated by commas.")
    ] = None,
    combine: Annotated[
        str | None,
        typer.Option(
            help="Identifiers of decisions, separated by commas, whose combinations are worked out."
        ),
    ] = None,
    reading: Annotated[
        bool, typer.Option(help="Leave out entries that only make answers readable, too.")
    ] = False,
    allow_outside: Annotated[
        bool, typer.Option(help="Read sources outside the study file's folder, too.")
    ] = False,
    replace: Annotated[bool, typer.Option(help="Replace all of an earlier run's folder.")] = False,
) -> None:
    """Recomputes tables and analyses leaving out one decision at a time: an entry of the ledger, a margin,
    limits, the adjustment for non-response, the weight, the variance method, accepted cases that were too
    fast or straight-lining; and the study's own alternatives. Writes depends.json.

    Exits with 2 where the study file or the data has errors.
    """
    from even_ballot.core.dependence.paths import paths
    from even_ballot.core.faults import StudyError
    from even_ballot.services.releases.folder import checked_folder, write_folder
    from even_ballot.services.running import depends_file

    document: dict[str, object] = {"even_ballot": 1, "version": __version__}
    found = []
    try:
        checked_folder(out, replace)
        whole = depends_file(study, _parted(tables), allow_outside, reading)
        chosen = whole.chosen(_parted(combine) or [])
        for of in whole.each():
            found.append(of.document())
            said = (
                f"not possible: {of.refused}"
                if of.refused
                else f"largest change {of.largest:.2g} standard errors"
            )
            typer.echo(f"{of.decision.id}  {of.decision.says}: {said}", err=True)
        document["decisions"] = found
        if chosen:
            document["paths"] = [path.document() for path in paths(whole, chosen)]
        written = json.dumps(document, ensure_ascii=False, indent=1, allow_nan=False)
        content = f"{written}\n".encode(errors="replace")
        write_folder({"depends.json": [content]}, out, {"version": __version__}, replace)
    except StudyError as error:
        _refuse(error)
    typer.echo(f"{len(found):,} decisions. Written: {out / 'depends.json'}")


def _parted(names: str | None) -> list[str] | None:
    """Names separated by commas; None where nothing is said."""
    return None if names is None else [name.strip() for name in names.split(",") if name.strip()]


@app.command()
def backup(
    out: Annotated[Path, typer.Argument(help="The file to write, such as studies.sql.gz.")],
    folder: Annotated[Path, typer.Option(help="The application's data folder.")] = Path("var"),
    replace: Annotated[bool, typer.Option(help="Write over the file where it exists.")] = False,
) -> None:
    """Writes all studies, files and releases of the application to one file, also while it runs."""
    from even_ballot.core.faults import StudyError
    from even_ballot.services.backups import back_up

    try:
        size = back_up(out, folder, replace)
    except StudyError as error:
        _refuse(error)
    typer.echo(f"Written: {out} ({size:,} bytes)")


@app.command()
def restore(
    backup: Annotated[Path, typer.Argument(help="A file that `backup` wrote.")],
    folder: Annotated[Path, typer.Option(help="The data folder to make; there must be none yet.")] = Path(
        "var"
    ),
) -> None:
    """Makes a data folder of a backup; `./start --folder FOLDER` opens it."""
    from even_ballot.core.faults import StudyError
    from even_ballot.services import backups

    try:
        backups.restore(backup, folder)
    except StudyError as error:
        _refuse(error)
    typer.echo(f"Restored: {folder}")


@app.command()
def schema() -> None:
    """Prints the JSON Schema of the study file."""
    from even_ballot.core.study.study_file import Study

    json.dump(Study.model_json_schema(), sys.stdout, indent=1, ensure_ascii=False)
    sys.stdout.write("\n")


@app.command()
def version() -> None:
    """Prints the version."""
    typer.echo(__version__)


if __name__ == "__main__":
    app()
