"""Letters: beside a figure, the columns that it is larger than by more than sampling would explain."""

from collections.abc import Sequence
from string import ascii_uppercase

from even_ballot.core.estimation.comparisons import ColumnComparison
from even_ballot.core.tables.results import ColumnPath


def column_letters(paths: Sequence[ColumnPath]) -> dict[ColumnPath, str]:
    """A letter for each column of a banner entry; in a nest they begin anew for each set of columns that
    are compared.

    >>> column_letters([(1,), (2,), (3,)])
    {(1,): 'A', (2,): 'B', (3,): 'C'}
    """
    letters: dict[ColumnPath, str] = {}
    counts: dict[ColumnPath, int] = {}
    for path in paths:
        at = counts.get(path[:-1], 0)
        counts[path[:-1]] = at + 1
        letters[path] = ascii_uppercase[at % 26] * (1 + at // 26)
    return letters


def letters_of(
    tests: Sequence[ColumnComparison], letters: dict[ColumnPath, str], levels: Sequence[float]
) -> dict[ColumnPath, str]:
    """By column, the letters of the columns it exceeds, of one stub row: capital at the first level, small
    at the second only.

    >>> test = ColumnComparison({"variable": "age"}, ("isle",), (1,), (2,), 5.0, 1.0, 5.0, 0.001, 0.001)
    >>> letters_of([test], {(1,): "A", (2,): "B"}, [0.05])
    {(1,): 'B'}
    """
    strict = levels[0]
    loose = levels[1] if len(levels) > 1 else 0.0
    found: dict[ColumnPath, list[str]] = {}
    for test in tests:
        larger, smaller = (test.a, test.b) if test.diff > 0 else (test.b, test.a)
        if test.p_adjusted < strict:
            found.setdefault(larger, []).append(letters[smaller])
        elif test.p_adjusted < loose:
            found.setdefault(larger, []).append(letters[smaller].lower())
    return {path: " ".join(sorted(of, key=str.upper)) for path, of in found.items()}
