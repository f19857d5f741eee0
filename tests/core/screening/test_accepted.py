"""What was accepted stays accepted as long as it concerns no more cases."""

from builders import raw

from even_ballot.core.data.codebook import Accepted, Codebook, Variable
from even_ballot.core.data.interpretation import interpret
from even_ballot.core.screening import Screening, sweep


def found(cases: int, accepted: int) -> list[str | None]:
    scale = {"q": {"codes": [{"code": 1, "label": "A"}]}}
    book = Codebook.model_validate({
        "scales": scale, "variables": [Variable(name="q", kind="coded", scale="q")],
        "accepted": [Accepted(variable="q", kind="not_in_codebook", value="7", cases=accepted, why="an old form")],
    })  # fmt: skip
    data = interpret(raw({"q": ["7"] * cases + ["1"] * 9}), book)
    return [f.accepted for f in sweep(data, book, Screening()) if f.kind == "not_in_codebook"]


def test_a_finding_that_loses_cases_stays_accepted_and_one_that_gains_some_comes_back() -> None:
    assert found(cases=3, accepted=3) == ["an old form"]
    assert found(cases=2, accepted=3) == ["an old form"]
    assert found(cases=4, accepted=3) == [None]
