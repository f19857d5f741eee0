"""The letters and arrows of a table: of its columns, and beside its figures."""

from collections.abc import Iterator, Sequence

from even_ballot.core.estimation.comparisons import ColumnComparison, PartComparison
from even_ballot.core.tables.results import NamedPath, StubKey, TableResult
from even_ballot.core.tables.signs.letters import column_letters, letters_of
from even_ballot.core.tables.statistics import statistic_of
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.formats.tables.notes import arrows


class Compared:
    """The letters of a table's columns, and of its figures."""

    def __init__(self, result: TableResult, request: TableRequest, keys: list[NamedPath]) -> None:
        self.levels, self.keys = request.levels, keys
        self.tests = [test for test in result.tests if isinstance(test, ColumnComparison)]
        self.parts = [test for test in result.tests if isinstance(test, PartComparison)]
        self.of_columns: dict[NamedPath, str] = {}
        self.arrows, self.left_out = arrows(request), 0
        if "columns" in request.tests:
            for banner in result.banners:
                inside = [key for key in keys if tuple(name for name, _ in key) == banner.variables]
                letters = column_letters([tuple(step for _, step in key) for key in inside])
                self.of_columns |= {key: letters[tuple(step for _, step in key)] for key in inside}

    def letters(self, stub: StubKey, stat: str, allowed: Sequence[bool]) -> tuple[str | None, ...] | None:
        """Beside the figures of one line; allowed: which of them may be held against others."""
        if not statistic_of(stat).compared or not (self.of_columns or self.arrows):
            return None
        said = {
            name: value for name in ("variable", "code", "net") if (value := getattr(stub, name)) is not None
        }
        mine = [test for test in self.tests if test.stub == said and test.of == statistic_of(stat).name]
        found: dict[NamedPath, str] = {}
        for banner in dict.fromkeys(test.banner for test in mine):
            letters = {
                tuple(c for _, c in k): v
                for k, v in self.of_columns.items()
                if tuple(n for n, _ in k) == banner
            }
            there = [
                test for test in mine if test.banner == banner and test.a in letters and test.b in letters
            ]
            weak = {key for key, may in zip(self.keys, allowed, strict=True) if not may}
            shown = [
                test
                for test in there
                if not any(tuple(zip(banner, path, strict=True)) in weak for path in (test.a, test.b))
            ]
            self.left_out += len(there) - len(shown)
            of = letters_of(shown, letters, self.levels)
            found |= {tuple(zip(banner, path, strict=True)): text for path, text in of.items()}
        for key, arrow in self._arrows(said, stat, allowed):
            found[key] = f"{found[key]} {arrow}" if key in found else arrow
        return tuple(found.get(key) for key in self.keys) if found else None

    def _arrows(
        self, stub: dict[str, object], stat: str, allowed: Sequence[bool]
    ) -> Iterator[tuple[NamedPath, str]]:
        """Which way the figures of one line differ from what they are held against."""
        may = {key for key, fits in zip(self.keys, allowed, strict=True) if fits}
        loosest = self.levels[-1]
        for test in self.parts:
            key = tuple(zip(test.banner, test.a, strict=True))
            if test.stub != stub or test.of != stat or key not in self.keys:
                continue
            if key not in may:
                self.left_out += 1
            elif test.p_adjusted < loosest:
                arrow = ("↑" if test.diff > 0 else "↓") + self.arrows[test.kind]
                yield key, arrow if test.p_adjusted < self.levels[0] else f"({arrow})"
