"""Studies loaded from their folders as the command line loads them."""

from pathlib import Path
from typing import Any

from even_ballot.core.dependence.depends import Depending
from even_ballot.core.study.pipeline import given
from even_ballot.services.answers import load_table
from even_ballot.services.running import load_study


def loaded(folder: Path) -> tuple[Any, Any, dict[str, Any]]:
    """A study, its raw answers and the files it looks things up in."""
    study = load_study(folder / "study.json")
    raw, reading = load_table(folder, study.source, "source")
    lookups = {name: load_table(folder, s, name)[0] for name, s in study.lookups.items()}
    return study.model_copy(update={"source": reading}), raw, lookups


def depending(folder: Path, wanted: list[str] | None = None) -> Depending:
    """What a study's figures depend on."""
    study, raw, lookups = loaded(folder)
    return Depending(study, given(study, raw, lookups).inputs, wanted)
