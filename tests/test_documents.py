"""What the documents say of the code is so."""

import re
from importlib import import_module
from pathlib import Path

import pytest

PROJECT = Path(__file__).parents[1]
QUESTIONS = re.findall(r"^\| (.+?) \| `([^`]+)` \|$", (PROJECT / "CONTRIBUTING.md").read_text(), re.MULTILINE)
FILES = [(asked, path) for asked, path in QUESTIONS if "/" in path]
NAMED = sorted(set(re.findall(r"`(core/[\w/]+)\.py:(\w+)`", (PROJECT / "docs" / "methods.md").read_text())))


def test_twenty_questions_are_answered_with_a_file_each() -> None:
    assert len(FILES) >= 20
    assert len({asked for asked, _ in FILES}) == len(FILES)


@pytest.mark.parametrize(("asked", "path"), FILES)
def test_the_file_that_answers_a_question_is_there(asked: str, path: str) -> None:
    assert (PROJECT / path).is_file(), asked


def test_every_formula_names_its_function() -> None:
    assert len(NAMED) >= 15


@pytest.mark.parametrize(("module", "function"), NAMED)
def test_the_function_behind_a_formula_is_there(module: str, function: str) -> None:
    assert callable(getattr(import_module("even_ballot." + module.replace("/", ".")), function))
