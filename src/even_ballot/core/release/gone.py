"""A plan of a release after something of the study has gone."""

from collections.abc import Mapping
from typing import Any

_KEYS = {
    "table": "tables",
    "model": "models",
    "reliability": "reliability",
    "correlations": "correlations",
    "side_by_side": "side_by_side",
}


def without_gone(document: Mapping[str, Any]) -> dict[str, Any]:
    """A study's document whose release shows only what is there.

    >>> parts = [{"table": "t1"}, {"table": "t2"}, {"heading": "All"}]
    >>> without_gone({"tables": [{"id": "t2"}], "release": {"parts": parts}})["release"]["parts"]
    [{'table': 't2'}, {'heading': 'All'}]
    """
    plan = document.get("release")
    if not isinstance(plan, Mapping):
        return dict(document)
    there = {key: {of.get("id") for of in document.get(part) or ()} for key, part in _KEYS.items()}
    kept = {
        name: [of for of in plan[name] if all(of.get(key) is None or of[key] in there[key] for key in _KEYS)]
        for name in ("parts", "depends")
        if plan.get(name)
    }
    return {**document, "release": {**plan, **kept}}
