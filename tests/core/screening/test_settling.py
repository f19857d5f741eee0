"""The step that a finding carries, carried out: it concerns exactly the cases that the finding lists."""

import random

import numpy as np
from builders import coded, raw
from hypothesis import given, settings
from hypothesis import strategies as st

from even_ballot.core.data.codebook import Codebook
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.data.interpretation import interpret
from even_ballot.core.ledger import run_ledger
from even_ballot.core.screening import Screening, behind, sweep

BOOK = Codebook.model_validate({
    "scales": {"s": {"codes": [{"code": c, "label": f"L{c}"} for c in (1, 2, 3)], "ordered": True,
                     "missing": [{"code": 9, "label": "Refused"}]}},
    "variables": [{"name": f"q{k}", "kind": "coded", "scale": "s"} for k in range(5)] + [
        {"name": "who", "kind": "text", "role": "id"}, {"name": "status", "kind": "text", "role": "status"},
        {"name": "t", "kind": "number", "role": "seconds"}, {"name": "x", "kind": "number"}, {"name": "y", "kind": "text"},
    ],
})  # fmt: skip


def entries(seed: int) -> Dataset:
    """Entries with refusals, blanks, entries that are no code, repeats and times in fractions of a second."""
    rng = random.Random(seed)
    n = rng.randint(4, 60)
    few = rng.random() < 0.5
    answer = lambda: rng.choice(["1", "2", "3", "9", "", "oh"] if few else ["1", "2", "3", "3", "3", "9", ""])  # noqa: E731
    cases = [[answer() for _ in range(5)] for _ in range(n)]
    for _ in range(rng.randint(0, 6)):
        cases[rng.randrange(n)] = list(rng.choice(cases))
    columns = {f"q{k}": [case[k] for case in cases] for k in range(5)}
    columns |= {
        "who": [rng.choice(["", f"p{rng.randint(1, n)}"]) for _ in range(n)],
        "status": [rng.choice(["done", "staff test", "it's a test preview" + chr(34)]) for _ in range(n)],
        "t": [rng.choice(["", repr(rng.choice([rng.uniform(0, 900), 100.4, 100.6]))]) for _ in range(n)],
        "x": coded([rng.choice([None, 1, 2]) for _ in range(n)]), "y": [rng.choice(["", "a", "b"]) for _ in range(n)],
    }  # fmt: skip
    return interpret(raw(columns), BOOK)


@settings(max_examples=150)
@given(
    st.integers(0, 10**6), st.sampled_from([0.3, 0.5, 0.6, 0.77, 1.0]), st.sampled_from([None, 100.5, 300.0])
)
def test_a_findings_step_concerns_exactly_its_cases(seed: int, share: float, fast: float | None) -> None:
    data = entries(seed)
    screening = Screening(answered=share, fast=fast)
    for finding in sweep(data, BOOK, screening):
        if finding.step is None:
            continue
        listed = data.rows[behind(data, finding, BOOK, screening).cases]
        assert len(listed) == finding.cases
        ((after, _),) = run_ledger(data, [finding.step], {})
        gone = np.setdiff1d(data.rows, after.rows)
        if finding.step.duplicates is None:
            assert gone.tolist() == listed.tolist(), finding
        else:
            # Of each set of cases alike one is kept; of the others none is touched.
            assert set(gone) < set(listed)
            again = [f for f in sweep(after, BOOK, screening) if f.kind == finding.kind]
            assert again == [] or finding.kind == "duplicate_entry"


def test_every_check_of_whole_entries_carries_its_step() -> None:
    kinds = set()
    for seed in range(60):
        kinds |= {finding.kind for finding in sweep(entries(seed), BOOK) if finding.step is not None}
    assert kinds == {
        "staff_test",
        "duplicate_identifier",
        "duplicate_entry",
        "too_fast",
        "too_little",
        "straight_line",
    }
