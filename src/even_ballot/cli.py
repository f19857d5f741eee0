"""The command line: the same core, with no database and no browser."""

import json
import sys
from pathlib import Path
from typing import Annotated

import typer

from even_ballot import __version__
from even_ballot.core.faults import StudyError
from even_ballot.core.study import Study
from even_ballot.services.running import outputs, run_file, write_outputs

app = typer.Typer(add_completion=False, no_args_is_help=True, help="From questionnaire answers to weighted tables.")


def _refuse(error: StudyError) -> None:
    for item in error.faults:
        typer.echo(str(item), err=True)
    raise typer.Exit(2)


@app.command()
def run(
    study: Annotated[Path, typer.Argument(help="The study file (JSON).")],
    out: Annotated[Path, typer.Option(help="The folder the results go into.")],
) -> None:
    """Runs a study file and writes results.json, microdata.csv and tables.xlsx."""
    try:
        loaded, results = run_file(study)
        paths = write_outputs(outputs(loaded, results), out)
    except StudyError as error:
        _refuse(error)
        return
    for report in results.weightings:
        if not report.converged:
            typer.echo(f"Note: {report.save_as} has not met its margins after {report.cycles} cycles; "
                       f"the largest gap is {report.max_gap:.2g} of the whole.", err=True)  # fmt: skip
    typer.echo(f"{results.source_cases:,} cases received, {results.used_cases:,} in use. Written: {', '.join(map(str, paths))}")


@app.command()
def schema() -> None:
    """Prints the JSON Schema of the study file."""
    json.dump(Study.model_json_schema(), sys.stdout, indent=1, ensure_ascii=False)
    sys.stdout.write("\n")


@app.command()
def version() -> None:
    """Prints the version."""
    typer.echo(__version__)


if __name__ == "__main__":
    app()
