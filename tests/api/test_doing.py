"""What the sweep has got to is said while it goes on."""

from typing import Any

from even_ballot.core.progress import Progress
from even_ballot.core.screening import sweep
from even_ballot.services.states import study_states
from even_ballot.services.states.elsewhere import in_a_helper


def test_the_sweep_says_each_check_and_how_far_it_is(
    api: Any, demo: dict[str, Any], monkeypatch: Any
) -> None:
    seen: list[dict[str, Any]] = []

    def watched(task: Any, *args: Any, tell: Progress | None = None) -> Any:
        def told(says: str, share: float | None) -> None:
            assert tell
            tell(says, share)
            seen.append(api("GET", f"/studies/{demo['id']}/doing"))

        return in_a_helper(task, *args, tell=told if task is sweep else tell)

    monkeypatch.setattr(study_states, "in_a_helper", watched)
    book = demo["document"]["codebook"]
    api.change(demo, codebook={**book, "rules": [{"name": "grown up", "must": "age > 17"}]})
    shares = [doing["share"] for doing in seen]
    assert len(seen) == 14
    assert shares == sorted(shares)
    assert shares[0] == 0
    assert 0.9 < shares[-1] < 1
    assert seen[0]["says"] == "Screening: rule"
    assert "Screening: straight line" in [doing["says"] for doing in seen]
    # Once it is over there is nothing more to say.
    assert api("GET", f"/studies/{demo['id']}/doing") is None
