"""The whole job on the demo, headless: prints the weighting report and a table, and says where the files
are."""

import sys
from pathlib import Path

from even_ballot.core.faults import StudyError
from even_ballot.core.tables.results import TableResult
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.core.weighting.report import WeightingReport
from even_ballot.demo import FILES
from even_ballot.formats.tables.grid import lay_out
from even_ballot.services.releases.files import outputs
from even_ballot.services.releases.folder import write_outputs
from even_ballot.services.running import run_file


def weighting_text(report: WeightingReport) -> str:
    """A weighting report as plain text."""
    lines = [
        f"Weight {report.save_as}: {'margins met' if report.converged else 'margins not met'} after "
        f"{report.cycles} cycles",
        f"  {report.n:,} cases, effective {report.n_effective:,.0f} (efficiency {report.efficiency:.1%}), "
        f"weights {report.min:.2f} to {report.max:.2f}",
        f"  {'':<44}{'sample':>8}{'target':>8}{'weighted':>10}{'mean w.':>9}{'n':>7}",
    ]
    for margin in report.margins:
        for row in margin.rows:
            lines.append(
                f"  {row.label:<44}{100 * row.before:8.1f}{100 * row.target:8.1f}{100 * row.after:10.1f}"
                f"{row.mean_weight:9.2f}{row.n:7,}"
            )
    return "\n".join(lines)


def table_text(result: TableResult, request: TableRequest) -> str:
    """A table as plain text."""
    grid = lay_out(result, request)
    lines = [result.title]
    for spanners in grid.headings:
        cells = ["All" if spanners is grid.headings[-1] else "", *[""] * (grid.columns - 1)]
        for spanner in spanners:
            cells[spanner.first] = spanner.text[: 11 * spanner.span]
        lines.append(f"  {'':<48}" + "".join(f"{cell:>11.11}" for cell in cells))
    for section in grid.sections:
        lines.append(f"  {section.title}")
        for line in section.lines:
            figures = (None if v is None else 100 * v if line.shape == "share" else v for v in line.values)
            numbers = "".join(
                f"{'–':>11}" if v is None else f"{v:11.1f}" if line.shape == "share" else f"{v:11.2f}"
                for v in figures
            )
            lines.append(f"    {line.category:<28}{line.figure:<18}{numbers}")
        lines += [
            f"    {bases.label:<46}" + "".join(f"{base or 0:11,}" for base in bases.values)
            for bases in section.bases
        ]
    return "\n".join(lines)


def main() -> None:
    out = Path("var/example")
    try:
        study, results = run_file(FILES / "study.json")
        paths = write_outputs(outputs(study, results), out)
    except StudyError as error:
        sys.exit(str(error))
    print(f"{study.title}: {results.source_cases:,} cases received, {results.used_cases:,} in use.\n")
    for effect in results.effects:
        gone = effect.cases_before - effect.cases_after
        print(f"  {effect.step:>2}. {effect.sentence}" + (f" — {gone:,} cases" if gone else ""))
    for report in results.weightings:
        print("\n" + weighting_text(report))
    print("\n" + table_text(results.tables[0], study.tables[0]))
    print("\nThe files:\n" + "\n".join(f"  {path}" for path in paths))


if __name__ == "__main__":
    main()
