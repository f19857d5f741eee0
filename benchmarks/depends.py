"""What the demo's tables depend on: seconds for all decisions, and what a decision costs over what it forces
anew (weights, design) with one pass over the tables.

    .venv/bin/python benchmarks/depends.py [--tables 200]
"""

import argparse
import time

from measuring import row

from even_ballot.core.dependence.decisions import decisions_of
from even_ballot.core.dependence.depends import Depending
from even_ballot.core.faults import StudyError
from even_ballot.core.study.pipeline import given
from even_ballot.core.study.study_file import Study
from even_ballot.demo import FILES
from even_ballot.services.answers import load_table
from even_ballot.services.running import load_study


def many(study: Study, count: int) -> Study:
    """The study with its tables over and over, each under a name of its own."""
    tables = (study.tables[k % len(study.tables)].model_copy(update={"id": f"t{k}"}) for k in range(count))
    return study.model_copy(update={"tables": tuple(tables)})


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--tables", type=int, default=200)
    asked = parser.parse_args()
    study = load_study(FILES / "study.json")
    raw, reading = load_table(FILES, study.source, "source")
    lookups = {name: load_table(FILES, s, name)[0] for name, s in study.lookups.items()}
    study = study.model_copy(update={"source": reading})

    def all_of(of: Study) -> tuple[float, int]:
        begun = time.perf_counter()
        found = list(Depending(of, given(of, raw, lookups).inputs, [t.id for t in of.tables]).each())
        return time.perf_counter() - begun, len(found)

    all_of(study)
    seconds, count = all_of(study)
    print(f"{count} decisions × {len(study.tables)} tables: {seconds:.2f} s (goal 3)")
    own = [of for of in decisions_of(study) if of.entry is None]
    ids = [table.id for table in study.tables]
    whole = 0.0
    for decision in own:
        pipeline = given(decision.change(study), raw, lookups)
        _ = pipeline.cases
        begun = time.perf_counter()
        try:
            _ = pipeline.weighted, pipeline.shared
            for at in range(len(study.tables)):
                pipeline.table(at)
        except StudyError:
            pass
        whole += time.perf_counter() - begun
    begun, taken = time.perf_counter(), 0.0
    for of in Depending(study, given(study, raw, lookups).inputs, ids).each():
        now = time.perf_counter()
        taken += now - begun if of.decision.entry is None else 0.0
        begun = now
    row("a decision of the weights or the design, over weighting and counting anew", taken / whole, "1.5")
    seconds, count = all_of(many(study, asked.tables))
    print(f"{count} decisions × {asked.tables} tables: {seconds:.1f} s (goal 60)")


if __name__ == "__main__":
    main()
