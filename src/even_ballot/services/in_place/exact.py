"""Figures of all records that were worked out, kept in files by what they are made of."""

import os
import pickle
import shutil
import threading
from collections.abc import Collection
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import pyarrow as pa

from even_ballot import __version__
from even_ballot.core.estimation.comparisons import ColumnComparison
from even_ballot.core.models.analysis import ANALYSES, AnalysisPart
from even_ballot.core.models.results import AnalysisResult
from even_ballot.core.study.nodes import key_of, said
from even_ballot.core.study.results import FaultyTable, Results
from even_ballot.core.study.study_file import Study
from even_ballot.core.study.uses import book_in_use
from even_ballot.core.tables.display import Display
from even_ballot.core.tables.results import TableResult
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.store.studies import Files

_MOST = 2 << 30
_UNSHOWN = {"display": Display(), "group": None, "beside": ()}
_UNNAMED = {"id": "", "title": ""}


def told(request: TableRequest) -> TableRequest:
    """A table with the comparisons that a reading in words is made of.

    >>> told(TableRequest(id="t", stub=("isle",))).tests
    ('columns',)
    """
    return request.model_copy(update={"tests": tuple(dict.fromkeys((*request.tests, "columns")))})


@dataclass(frozen=True)
class _Keys:
    """What figures of a study are kept by. files: which it reads."""

    study: Study
    files: Files

    @property
    def cases(self) -> str:
        """Of everything that is made before a table is: answers, ledger, weights, design, what is hidden."""
        study = self.study
        hidden: list[str] = []
        if study.suppression.below is not None:
            tables = (of.model_copy(update=_UNSHOWN | _UNNAMED) for of in study.tables)
            analyses = (of for part in ANALYSES for of in getattr(study, part))
            hidden = [said(study.suppression), *map(said, tables), *map(said, analyses)]
        return key_of(
            __version__,
            self.files.dump(),
            said(book_in_use(study)),
            study.source.decimal or ".",
            *map(said, study.ledger),
            "weightings",
            *map(said, study.weightings),
            said(study.design),
            study.where or "",
            *hidden,
        )

    @property
    def base(self) -> str:
        """Of all but tables and analyses."""
        return key_of("base", self.cases, said(self.study.codebook), said(self.study.screening))

    def table(self, at: int) -> str:
        """Of a table, whatever it is called."""
        counted = told(self.study.tables[at]).model_copy(update=_UNSHOWN | _UNNAMED)
        return key_of("table", self.cases, said(counted))

    def analysis(self, part: AnalysisPart, at: int) -> str:
        """Of an analysis."""
        counted = getattr(self.study, part)[at].model_copy(update={"group": None})
        return key_of("analysis", self.cases, part, said(counted))


class Exact:
    """Keeps them in a folder, those of a sample's file in one below it; of more bytes than `most` what was
    used least recently goes. None: in none, and nothing is kept."""

    def __init__(self, folder: Path | None, most: int = _MOST) -> None:
        self._folder, self._most, self._lock = folder, most, threading.Lock()

    def keep(self, study: Study, files: Files, results: Results) -> None:
        """Keeps what a run of a study found; `told` tables."""
        if self._folder is None:
            return
        keys = _Keys(study, files)
        faulty = {(of.part, of.id): of for of in results.faulty}
        found: dict[str, Any] = {}
        of_tables = {of.id: of for of in results.tables}
        for at, request in enumerate(study.tables):
            found[keys.table(at)] = of_tables.get(request.id) or faulty[("tables", request.id)]
        for part in ANALYSES:
            done = {of.id: of for of in getattr(results, part)}
            for at, of in enumerate(getattr(study, part)):
                found[keys.analysis(part, at)] = done.get(of.id) or faulty[(part, of.id)]
        found[keys.base] = replace(results, tables=(), models=(), reliability=(), correlations=(), faulty=())
        folder = self._folder / files.source
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        for key, value in found.items():
            made = folder / f".{key}"
            made.write_bytes(pa.compress(pickle.dumps(value), codec="zstd", asbytes=True))
            made.replace(folder / key)
        self._tidy()

    def _tidy(self) -> None:
        assert self._folder is not None
        with self._lock:
            every = ((path.stat(), path) for path in self._folder.glob("*/*"))
            there = sorted((about.st_mtime, about.st_size, path) for about, path in every)
            taken = sum(size for _, size, _ in there)
            for _, size, path in there:
                if taken <= self._most:
                    return
                path.unlink(missing_ok=True)
                taken -= size

    def keep_only(self, sources: Collection[str]) -> None:
        """Lets go of the figures of samples that are there no longer; sources: those that are."""
        for folder in [] if self._folder is None else list(self._folder.glob("*")):
            if folder.name not in sources:
                shutil.rmtree(folder, ignore_errors=True)

    def _find(self, key: str, files: Files) -> Any:
        """What is kept under a key, or None. Nobody but we writes into the folder; what a power cut has left
        of a file is worked out again."""
        if self._folder is None:
            return None
        path = self._folder / files.source / key
        try:
            content = path.read_bytes()
            os.utime(path)
        except OSError:
            return None
        try:
            with pa.CompressedInputStream(pa.BufferReader(content), "zstd") as stream:
                return pickle.loads(stream.read())
        except (pa.ArrowException, OSError, EOFError, pickle.UnpicklingError):
            path.unlink(missing_ok=True)
            return None

    def base(self, study: Study, files: Files) -> Results | None:
        """What was found out besides tables and analyses."""
        found: Results | None = self._find(_Keys(study, files).base, files)
        return found

    def table(self, study: Study, files: Files, at: int) -> TableResult | FaultyTable | None:
        """A table with all its comparisons, or why it cannot be made."""
        found: TableResult | FaultyTable | None = self._find(_Keys(study, files).table(at), files)
        request = study.tables[at]
        return None if found is None else replace(found, id=request.id, title=request.title or request.id)

    def analysis(
        self, study: Study, files: Files, part: AnalysisPart, at: int
    ) -> AnalysisResult | FaultyTable | None:
        """An analysis, or why it cannot be made."""
        found: AnalysisResult | FaultyTable | None = self._find(_Keys(study, files).analysis(part, at), files)
        return found

    def lacking(self, study: Study, files: Files) -> int:
        """How many tables and analyses are not kept; 1 where nothing else is."""
        keys = _Keys(study, files)
        asked = [keys.table(at) for at in range(len(study.tables))]
        asked += [keys.analysis(part, at) for part in ANALYSES for at in range(len(getattr(study, part)))]
        there = set() if self._folder is None else {of.name for of in (self._folder / files.source).glob("*")}
        return sum(key not in there for key in asked) or int(keys.base not in there)

    def results(self, study: Study, files: Files) -> Results | None:
        """Everything, where everything is kept."""
        base = self.base(study, files)
        if base is None:
            return None
        faulty, tables = list[FaultyTable](), list[TableResult]()
        for at, request in enumerate(study.tables):
            table = self.table(study, files, at)
            if table is None:
                return None
            if isinstance(table, FaultyTable):
                faulty.append(table)
            else:
                tables.append(as_asked(table, request))
        analyses: dict[str, Any] = {}
        for part in ANALYSES:
            found = [self.analysis(study, files, part, at) for at in range(len(getattr(study, part)))]
            if any(of is None for of in found):
                return None
            faulty += [of for of in found if isinstance(of, FaultyTable)]
            analyses[part] = tuple(of for of in found if not isinstance(of, FaultyTable))
        return replace(base, tables=tuple(tables), faulty=tuple(faulty), **analyses)


def as_asked(table: TableResult, request: TableRequest) -> TableResult:
    """A table with the tests that it asks for alone."""
    if "columns" in request.tests:
        return table
    return replace(table, tests=tuple(test for test in table.tests if not isinstance(test, ColumnComparison)))


def as_told(study: Study) -> Study:
    """A study whose tables have all comparisons."""
    return study.model_copy(update={"tables": tuple(map(told, study.tables))})
