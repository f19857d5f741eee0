"""What a node of the pipeline is made of, and nothing else, is in its key."""

from builders import raw, study

from even_ballot.core.study.nodes import Given
from even_ballot.core.study.pipeline import Pipeline

SCALES = {"q": {"codes": [{"code": 1, "label": "Yes"}, {"code": 2, "label": "No"}]}}
KEPT = {"kept": {"codes": [{"code": 7, "label": "Seven"}]}}
VARIABLES = [{"name": "q", "kind": "coded", "scale": "q"}]


def key(**codebook: object) -> str:
    table = raw({"q": ["1", "2"]})
    return Pipeline(study(codebook={"variables": VARIABLES, **codebook}), Given(table, {})).cases.key


def test_a_scale_that_is_only_kept_changes_no_key_and_one_in_use_does() -> None:
    changed = {"q": {"codes": [{"code": 1, "label": "Yes"}, {"code": 2, "label": "Never"}]}}
    assert key(scales=SCALES) == key(scales=SCALES | KEPT)
    assert key(scales=SCALES) != key(scales=changed)
