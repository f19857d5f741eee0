"""Releases made, kept, downloaded and compared."""

import json
from dataclasses import dataclass
from typing import Any

from sqlalchemy.orm import Session

from even_ballot import __version__
from even_ballot.core.faults import StudyError, fault
from even_ballot.core.progress import Progress, quiet, stretch
from even_ballot.core.release.changes import NamedThing, ReleaseChanges, released_changes
from even_ballot.core.release.plan import Format, ReleasePlan
from even_ballot.core.study.results import Results
from even_ballot.formats.documents.compose import Section, parts_of, said_date, sections_of
from even_ballot.formats.documents.sections.changes import changes_blocks
from even_ballot.formats.documents.sections.depends import depends_blocks
from even_ballot.formats.images.charting import chart_svg
from even_ballot.formats.printed.blocks import Block, Document, Heading, Paragraph, Picture, PrintedTable
from even_ballot.formats.writers.containers import archive
from even_ballot.services.dependence.asked import appendix_of
from even_ballot.services.releases.checking import check
from even_ballot.services.releases.files import Files, ReleaseFiles
from even_ballot.services.releases.folder import MANIFEST
from even_ballot.services.releases.hashes import kept_hashes
from even_ballot.services.releases.views import (
    BlockView,
    Compared,
    MadeRelease,
    PictureView,
    Releases,
    ReleaseView,
    SectionView,
)
from even_ballot.services.states.study_states import Pipelines
from even_ballot.services.workers.helper_processes import HELPERS
from even_ballot.services.workers.jobs import Jobs, JobView
from even_ballot.store.releases import (
    NewRelease,
    find_release,
    find_template,
    keep_template,
    released_file,
    released_files,
    releases_of,
)
from even_ballot.store.studies import StaleState, StudyState, dump_study, read_study

_RESULTS = "results.json"
_A_BLOCK = 400_000
"""Bytes that a block of a document counts for, where the time and memory of its writing are bounded."""


def _written(session: Session, study_id: str, number: int) -> dict[str, Any]:
    """The results of a release, as they were written down."""
    document: dict[str, Any] = json.loads(released_file(session, study_id, number, _RESULTS))
    return document


def _as_written(results: Results) -> dict[str, Any]:
    document: dict[str, Any] = json.loads(json.dumps(results.document()))
    return document


def _since(session: Session, state: StudyState, results: Results, plan: ReleasePlan) -> tuple[Block, ...]:
    """What changed since the last release, where the plan wants it said and there is one."""
    earlier = releases_of(session, state.record.id)
    if not plan.changes or not earlier:
        return ()
    changes = released_changes(_written(session, state.record.id, earlier[0].number), _as_written(results))
    return tuple(changes_blocks(changes, f"release {earlier[0].number}", plan.style))


def in_helper(kind: Format, document: Document, template: bytes | None) -> bytes:
    """Writes a document in a process of its own, so that others are not kept waiting."""
    size = _A_BLOCK * len(document.blocks) * (20 if kind == "pdf" else 1)
    made: bytes = HELPERS.run("document", kind, document, template, size=size, where=kind)
    return made


def template_of(session: Session, state: StudyState) -> bytes | None:
    """The house template that the study's release takes its styles from; None without one."""
    name = (state.study.release or ReleasePlan()).style.template
    if name is None:
        return None
    found = find_template(session, state.record.id, name)
    if found is None:
        raise fault(
            f"There is no template {name!r}.",
            "release.style.template",
            "Upload it again, or leave the template out.",
        )
    return found


def _files(
    session: Session, pipelines: Pipelines, state: StudyState, progress: Progress = quiet
) -> ReleaseFiles:
    """What makes the files of a release of a study as it stands."""
    results = pipelines.results(session, state)
    plan = state.study.release or ReleasePlan()
    if state.files.sampled and plan.depends:
        mend = "Leave it out of the release."
        raise fault("What figures depend on is not worked out on all records.", "release.depends", mend)
    files = ReleaseFiles(
        state.study, results, plan.formats, hashes=kept_hashes(session, state), progress=progress
    )
    if state.files.sampled:
        files.written = {}
    files.changes = _since(session, state, results, plan)
    if plan.depends:
        found = appendix_of(session, pipelines, state, plan.depends)
        files.appendix = tuple(depends_blocks(found, results, plan.style))
    files.template = template_of(session, state)
    files.writer = in_helper
    return files


def _chosen(files: ReleaseFiles) -> Files:
    """The files that the plan wants."""
    found = files.all()
    if "records" not in files.plan.with_it:
        for name in ("microdata.csv", "replicates.json"):
            found.pop(name, None)
    return found


def make(jobs: Jobs, pipelines: Pipelines, study_id: str, edition: int, title: str) -> JobView:
    """A job that makes a release of an edition and keeps it; its result is the release's number."""

    def work(session: Session, progress: Progress) -> str:
        state = read_study(session, study_id)
        if state.record.edition != edition:
            raise fault(
                "The study changed before its release was made.",
                "",
                "Review the release, then make it again.",
            )
        progress("Working out the figures", 0.02)
        files = _files(session, pipelines, state, stretch(progress, 0.1, 0.2))
        # Laid out once, before the first format that shows it.
        _ = files.document
        wanted = _chosen(files)
        # Made before anything is written, so that nobody waits for a lock.
        plan = state.study.release or ReleasePlan()
        document = json.dumps(json.loads(dump_study(state.study)), ensure_ascii=False, indent=1) + "\n"
        wanted["study.json"] = iter((document.encode(),))
        made: dict[str, list[bytes]] = {}
        for k, (name, content) in enumerate(wanted.items()):
            progress(f"Making {name}", 0.2 + 0.7 * k / len(wanted))
            made[name] = list(content)
        release = NewRelease(
            session, study_id, plan.title or state.study.title, edition, document, __version__
        )
        for k, (name, pieces) in enumerate(made.items()):
            progress(f"Keeping {name}", 0.9 + 0.1 * k / len(made))
            release.keep(name, pieces)
        return str(release.number)

    return jobs.start("release", title, work)


def listed(session: Session, pipelines: Pipelines, state: StudyState) -> Releases:
    """Releases that were made, and what to look at before the next."""
    made = []
    for record in releases_of(session, state.record.id):
        files = released_files(session, state.record.id, record.number)
        when = record.made.isoformat(timespec="seconds") + "Z"
        made.append(
            MadeRelease(
                record.number, record.title, record.made_from, record.who, when, record.version,
                record.study_sha256, files,
            )
        )  # fmt: skip
    try:
        notices = check(state.study, pipelines.results(session, state), state.files.sampled)
    except StudyError:
        # What stops the study is said of the study; releases that were made are there all the same.
        notices = ()
    return Releases(tuple(made), notices)


_NAMES = {
    "foreword": "Foreword",
    "changes": "What changed",
    "methods": "How these figures were made",
    "depends": "What these figures depend on",
}


def _title_of(blocks: tuple[Block, ...], at: int | str) -> str:
    """What a part is called in the contents."""
    if isinstance(at, str):
        return _NAMES[at]
    for block in blocks:
        match block:
            case Heading():
                return block.text
            case PrintedTable() | Picture():
                return block.caption
            case Paragraph():
                return block.text[:80]
    return "Nothing"


def _block(block: Block) -> BlockView:
    match block:
        case Heading():
            return BlockView("heading", heading=block)
        case Paragraph():
            return BlockView("paragraph", paragraph=block)
        case Picture():
            svg = chart_svg(block.chart)
            return BlockView("picture", picture=PictureView(block.anchor, block.caption, block.says, svg))
    return BlockView("table", table=block)


def _section(section: Section) -> SectionView:
    blocks = tuple(_block(block) for block in section.blocks)
    return SectionView(str(section.at), _title_of(section.blocks, section.at), blocks)


def shown(session: Session, pipelines: Pipelines, state: StudyState) -> ReleaseView:
    """The release as it would be made now, part after part."""
    files = _files(session, pipelines, state)
    study, plan = files.study, files.plan
    sections = sections_of(
        study, files.results, plan, hashes=files.hashes, changes=files.changes, appendix=files.appendix
    )
    parts = parts_of(study, plan)
    there = {part.named for part in parts}
    absent = [
        NamedThing(part, of.id, of.name if hasattr(of, "name") else of.title or of.id)
        for part in ("tables", "models", "side_by_side", "reliability", "correlations")
        for of in getattr(study, part)
        if (part, of.id) not in there
    ]
    full = plan.model_copy(update={"parts": parts})
    title = plan.title or study.title
    return ReleaseView(full, title, said_date(plan), tuple(map(_section, sections)), tuple(absent))


def preview(session: Session, pipelines: Pipelines, state: StudyState) -> bytes:
    """The release as a page, as it would be made now."""
    files = _files(session, pipelines, state)
    return in_helper("html", files.document, None)


def file(session: Session, study_id: str, number: int, name: str) -> bytes:
    """A file of a release as it was."""
    find_release(session, study_id, number)
    return released_file(session, study_id, number, name)


def whole(session: Session, study_id: str, number: int) -> bytes:
    """All files of a release in one archive, with a manifest."""
    record = find_release(session, study_id, number)
    entries = released_files(session, study_id, number)
    about = {
        "study": record.title,
        "release": number,
        "made": record.made.isoformat(timespec="seconds") + "Z",
        "by": record.who,
        "version": record.version,
        "study_sha256": record.study_sha256,
        "files": [{"name": of.name, "bytes": of.size, "sha256": of.sha256} for of in entries],
    }
    manifest = json.dumps(about, ensure_ascii=False, indent=1) + "\n"
    files = {MANIFEST: manifest.encode()}
    files |= {of.name: released_file(session, study_id, number, of.name) for of in entries}
    return archive(files)


def compared(
    session: Session, pipelines: Pipelines, state: StudyState, before: int, after: int | None
) -> Compared:
    """What changed from one release to another, or to the study as it stands."""
    study_id = state.record.id
    find_release(session, study_id, before)
    was = _written(session, study_id, before)
    if after is None:
        now, name = _as_written(pipelines.results(session, state)), "now"
    else:
        find_release(session, study_id, after)
        now, name = _written(session, study_id, after), f"release {after}"
    changes: ReleaseChanges = released_changes(was, now)
    return Compared(f"release {before}", name, changes)


@dataclass(frozen=True)
class BroughtTemplate:
    """A template that is kept. left_out: what of it is not, in words."""

    name: str
    left_out: tuple[str, ...]


def bring_template(
    session: Session, study_id: str, edition: int, name: str, content: bytes
) -> BroughtTemplate:
    """Keeps of a template what it is for, once it is seen to be one."""
    state = read_study(session, study_id)
    if state.record.edition != edition:
        raise StaleState(state.did, state.record.edition)
    kept, left_out = HELPERS.run("template", content, size=len(content), where=name)
    keep_template(session, study_id, name, kept)
    return BroughtTemplate(name, left_out)
