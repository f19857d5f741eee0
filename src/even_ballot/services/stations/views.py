"""What the interface is told: studies, files, codebook, ledger, tables. Plain dataclasses; the API sends
them as they are."""

from dataclasses import dataclass

from even_ballot.core.data.batteries import Battery, SeveralAnswers
from even_ballot.core.data.codebook import Kind, Level, Scale, Variable
from even_ballot.core.disclosure.tables import DisclosureControl
from even_ballot.core.draft.effect import DraftEffect
from even_ballot.core.draft.line import DraftLine
from even_ballot.core.estimation.comparisons import ColumnComparison
from even_ballot.core.faults import Fault
from even_ballot.core.ledger import AnyStep
from even_ballot.core.models.results import CorrelationsResult, ModelResult, ReliabilityResult
from even_ballot.core.sampling.planning import DeffParts, Plan, Wanted
from even_ballot.core.screening import Finding
from even_ballot.core.study.roles import DesignProposal
from even_ballot.core.study.study_file import Source, Study
from even_ballot.core.tables.results import BannerKey, StubKey, TableResult
from even_ballot.core.weighting.report import WeightingReport
from even_ballot.formats.tables.layout import Grid
from even_ballot.formats.tables.reading_in_words import Reading
from even_ballot.services.in_place.folders import SampleOf


@dataclass(frozen=True)
class StudyCard:
    """A study in the list. deleted, until: when it was deleted, and when it is removed for good."""

    id: str
    title: str
    source: str
    records: int
    changed: str
    deleted: str | None = None
    until: str | None = None


@dataclass(frozen=True)
class Answer:
    """A distinct answer and how many cells hold it."""

    text: str
    cases: int


@dataclass(frozen=True)
class ColumnPreview:
    """A column before it is imported."""

    name: str
    label: str
    kind: str
    blanks: int
    distinct: int
    answers: tuple[Answer, ...]


@dataclass(frozen=True)
class LineView:
    """A line of a draft with what it makes of the answers. titles: the questions' texts; unsure: whether it
    is one to look at first."""

    line: DraftLine
    titles: tuple[str, ...]
    unsure: bool
    effect: DraftEffect


@dataclass(frozen=True)
class EncodingReading:
    """An encoding the file may be in, and what becomes in it of the words that encodings read differently."""

    encoding: str
    words: tuple[str, ...]


@dataclass(frozen=True)
class FilePreview:
    """A file that was brought in: how it was read and what is in it; readings: the likeliest encodings side
    by side, where more than one may be right; sample: where it is one."""

    id: str
    name: str
    size: int
    records: int
    blank_records: int
    reading: Source
    columns: tuple[ColumnPreview, ...]
    sheets: tuple[str, ...] = ()
    readings: tuple[EncodingReading, ...] = ()
    sample: SampleOf | None = None


@dataclass(frozen=True)
class StudyCounts:
    """Where a study stands, in numbers."""

    received: int
    blank_records: int
    set_aside: int
    in_use: int
    effective: float | None
    weighted_to: float | None
    weight: str | None


@dataclass(frozen=True)
class Station:
    """A station's state in a word or two; ok, attention, empty or waiting."""

    name: str
    state: str
    says: str


@dataclass(frozen=True)
class StudyView:
    """A study as the interface holds it. edition: sent back with every change, so that nobody overwrites
    another's."""

    id: str
    title: str
    edition: int
    document: Study
    source: FilePreview
    lookups: dict[str, FilePreview]
    tally: StudyCounts
    stations: tuple[Station, ...]
    undo: str | None
    redo: str | None
    faults: tuple[Fault, ...]
    changed: str


@dataclass(frozen=True)
class ShownAnswer:
    """An answer of a variable. code is None for entries that could not be placed and for texts."""

    code: int | None
    label: str
    cases: int
    sort: str


@dataclass(frozen=True)
class NumberSummary:
    """A number at a glance (unweighted)."""

    low: float
    quarter: float
    median: float
    three_quarters: float
    high: float
    mean: float
    bars: tuple[int, ...]


@dataclass(frozen=True)
class VariableView:
    """A variable with its answers. arrived_as: its kind before the ledger, where it came with the file.
    made_by: the step that made it, where one did. level: as said or implied. sort of an answer: answer,
    missing, not_in_codebook, not_placed."""

    variable: Variable
    level: Level | None
    arrived_as: Kind | None
    made_by: int | None
    answered: int
    blank: int
    missing: int
    unplaced: int
    distinct: int
    answers: tuple[ShownAnswer, ...]
    number: NumberSummary | None


@dataclass(frozen=True)
class Use:
    """A variable that uses a scale, and how many of its cells hold an answer."""

    variable: str
    cells: int


@dataclass(frozen=True)
class CodebookView:
    """All variables, the scales with the variables that use them, and what looks as if it belonged
    together."""

    variables: tuple[VariableView, ...]
    scales: dict[str, Scale]
    used_by: dict[str, tuple[Use, ...]]
    batteries: tuple[Battery, ...]
    several: tuple[SeveralAnswers, ...]


@dataclass(frozen=True)
class LedgerEntry:
    """An entry of the ledger: its sentence and effect, or the fault that stops it."""

    step: int
    do: str
    sentence: str
    why: str | None
    off: bool
    cases_before: int | None
    cases_after: int | None
    cells_changed: int | None
    unplaced: dict[str, dict[str, int]]
    fault: Fault | None
    reached: bool
    who: str | None = None
    when: str | None = None


@dataclass(frozen=True)
class FindingCases:
    """The cases behind a finding: record numbers, and for each the values of a few variables. mend: the
    step that would set these cases aside, with its sentence, where that is what mends it."""

    finding: Finding
    mend: AnyStep | None
    sentence: str | None
    columns: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]


@dataclass(frozen=True)
class WeightingsView:
    """The report of each weighting, None where it stops; and what is wrong."""

    reports: tuple[WeightingReport | None, ...]
    faults: tuple[Fault, ...]


@dataclass(frozen=True)
class HeavyCase:
    """A case of large weight: record, identifier where there is one, base and final weight, final over
    mean weight, and its categories of the variables that the weighting looks at."""

    row: int
    id: str | None
    base: float
    weight: float
    over_mean: float
    categories: dict[str, str]


@dataclass(frozen=True)
class TargetLines:
    """A file of targets as lines of text, to be matched and mended."""

    text: str


@dataclass(frozen=True)
class DesignView:
    """The design as it lies on the cases, or what is wrong with it."""

    strata: int | None
    psus: int | None
    degrees_of_freedom: int | None
    faults: tuple[Fault, ...]
    head: str = ""
    details: str = ""
    method: str = ""
    notices: tuple[Fault, ...] = ()
    proposal: DesignProposal | None = None


@dataclass(frozen=True)
class TableView:
    """A table: its result, laid out, its note, and what it says in words; or what is wrong with it.
    compared: its columns, each pair, whether or not the table asks for letters; of_sample: its figures are
    those of a sample of records that stay where they are; received: how many records they are of, before any
    was set aside."""

    id: str
    result: TableResult | None
    grid: Grid | None
    note: tuple[str, ...]
    faults: tuple[Fault, ...]
    words: tuple[Reading, ...] = ()
    compared: tuple[ColumnComparison, ...] = ()
    of_sample: bool = False
    received: int = 0


@dataclass(frozen=True)
class DisclosureView:
    """What of the tables is hidden when they are released together, and how many seconds it took to find. No
    release tells: small, protecting: groups that are hidden for having few cases, and to protect those;
    dominated: numbers whose figures are hidden."""

    control: DisclosureControl
    seconds: float
    small: int
    protecting: int
    dominated: tuple[str, ...]


@dataclass(frozen=True)
class WithheldView:
    """Models, scales and pairs of correlations that are not told; unjudged: how many of them because there
    was too much to judge."""

    withheld: int
    unjudged: int


@dataclass(frozen=True)
class ConditionView:
    """How many cases of the newest state a condition is true of, or what is wrong with it."""

    cases: int | None
    of: int
    faults: tuple[Fault, ...]


@dataclass(frozen=True)
class CutOffView:
    """A distribution from 0 to `high` in equal bars (the last holds what lies beyond), the cut-off and how
    many lie under it."""

    kind: str
    cut: float
    high: float
    bars: tuple[int, ...]
    under: int


@dataclass(frozen=True)
class AnalysisView:
    """A model, a scale of items or correlations: what it came to, and what that says in words; or what is
    wrong with it. titles: of the variables it names; of_sample, received: as of a table."""

    id: str
    model: ModelResult | None
    reliability: ReliabilityResult | None
    correlations: CorrelationsResult | None
    titles: dict[str, str]
    words: tuple[str, ...]
    note: tuple[str, ...]
    faults: tuple[Fault, ...]
    of_sample: bool = False
    received: int = 0


@dataclass(frozen=True)
class InPlaceView:
    """A study whose records stay where they are. lacking: how many of its tables and analyses show figures of
    the sample; fault: why figures of all records cannot be worked out."""

    sample: SampleOf
    lacking: int
    fault: Fault | None


@dataclass(frozen=True)
class RecordEntry:
    """A variable of a record: its entry as it came, None where there is none or the ledger makes the
    variable; and as it is after the ledger: written, with the label of its code, and its state (0 answered,
    1 blank, 2 no answer, 3 not placed)."""

    variable: str
    label: str
    came: str | None
    entry: str
    says: str | None
    state: int


@dataclass(frozen=True)
class RecordView:
    """A record by its number among all. aside: the ledger sets it aside, or stops at it; its entries are
    those before that."""

    number: int
    aside: bool
    entries: tuple[RecordEntry, ...]


@dataclass(frozen=True)
class PlanOf:
    """A figure of a table, and what another sample is to show of it."""

    stub: StubKey
    banner: tuple[BannerKey, ...]
    stat: str
    wanted: Wanted | None = None


@dataclass(frozen=True)
class Planned:
    """A design effect taken apart, and samples that would do."""

    parts: DeffParts
    plans: tuple[Plan, ...]
