"""A study run by several that hold its parts: the figures of one, the same to the last digit whoever holds which
parts, and nothing merged that somebody does not merge too."""

import json
import random

import pytest
import random_studies
from builders import raw
from parting import MORE, Loaded, differing, loaded, refused, tolerated
from ranks import run_together
from reference_cases import CASES

from even_ballot.core.faults import StudyError
from even_ballot.core.numerics.meeting import Share, shares, whole
from even_ballot.core.numerics.parts import in_order
from even_ballot.core.study.pipeline import run
from even_ballot.core.study.study_file import parse_study
from even_ballot.demo import FILES
from even_ballot.services.scale import shelf
from even_ballot.services.scale.shelf import Shelf


@pytest.mark.parametrize("case", sorted(p.name for p in CASES.iterdir()))
def test_a_reference_case_run_by_several_has_the_figures_of_one(
    case: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """With three, every array and column goes through a file, however small."""
    monkeypatch.setattr(shelf, "_SMALL", -1)
    of = loaded(CASES / case / "study.json")
    together = [
        run_together(of, 7, 1, 1).document(),
        run_together(of, 7, 3, 1, lambda: Shelf(0).keep).document(),
    ]
    assert list(differing(together[0], run(*of).document(), rel=1e-9)) == []
    assert json.dumps(together[0]) == json.dumps(together[1])


def test_the_demo_run_by_several_hides_the_same_figures_and_shows_the_same() -> None:
    study, table, lookups = loaded(FILES / "study.json")
    hiding = study.suppression.model_copy(update={"below": 5})
    of = (study.model_copy(update={"suppression": hiding}), table, lookups)
    assert list(differing(run_together(of, 4, 2, 3).document(), run(*of).document(), rel=1e-9)) == []


@pytest.mark.parametrize("batch", range(2))
def test_a_random_study_run_by_several_has_the_figures_and_the_faults_of_one(batch: int) -> None:
    ran = 0
    for seed in range(7000 + batch * 1000, 7020 + batch * 1000):
        rng = random.Random(seed)
        columns = random_studies.answers(rng)
        document = random_studies.study(rng, columns)
        document["tables"][0]["show"] = [*document["tables"][0]["show"], *MORE]
        of: Loaded = parse_study(document), raw(columns), {}
        faults = refused(of)
        dealt = rng.randint(1, 9), rng.randint(1, 3), seed
        if faults:
            with pytest.raises(StudyError) as refusal:
                run_together(of, *dealt)
            assert refusal.value.faults == faults, seed
            continue
        found = run_together(of, *dealt).document()
        wrong = list(differing(found, run(*of).document(), rel=max(tolerated(document), 1e-9)))
        assert wrong == [], f"seed {seed}: {wrong[:5]}"
        ran += 1
    assert ran > 10


@pytest.mark.parametrize("of", [1, 2, 3, 7, 64, 65])
def test_shares_cover_every_part_and_the_tree_is_the_same_whoever_holds_them(of: int) -> None:
    seen = [f"{k}" for k in range(of)]

    def add(a: str, b: str) -> str:
        return f"({a} {b})"

    once = in_order(add, seen)
    for among in (1, 2, 3, 5, 100):
        nodes = [node for share in shares(of, among) for node in share.nodes()]
        found = {(first, last): in_order(add, seen[first:last]) for first, last in nodes}
        assert whole(add, found, of) == once
        assert sum(share.last - share.first for share in shares(of, among)) == of
    assert list(Share(0, of, of).nodes()) == [(0, of)]
