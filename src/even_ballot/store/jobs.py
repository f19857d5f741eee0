"""Jobs: work that outlasts a request, each with a row that says how it stands."""

import json
from collections.abc import Sequence
from dataclasses import asdict

from sqlalchemy import Engine, select, update
from sqlalchemy.orm import Session

from even_ballot.core.faults import Fault, fault
from even_ballot.store.files import new_id
from even_ballot.store.models import JobRecord, now

LOST = Fault("The server stopped before this was done; nothing of it was kept.", "", "Import the file again.")


def begin_job(engine: Engine, kind: str, about: str) -> str:
    """A running job, written down before anything is done."""
    with Session(engine) as session, session.begin():
        job = JobRecord(id=new_id(), kind=kind, about=about[:255])
        session.add(job)
        return job.id


def note_progress(engine: Engine, job_id: str, says: str, share: float | None) -> None:
    """Writes down how far a job has got."""
    with engine.begin() as connection:
        connection.execute(
            update(JobRecord).where(JobRecord.id == job_id).values(says=says[:255], share=share)
        )


def end_job(
    engine: Engine, job_id: str, state: str, result: str | None = None, faults: Sequence[Fault] = ()
) -> None:
    """Writes down how a job ended."""
    values = {
        "state": state,
        "result": result,
        "faults": json.dumps([asdict(f) for f in faults]),
        "ended": now(),
    }
    with engine.begin() as connection:
        connection.execute(update(JobRecord).where(JobRecord.id == job_id).values(**values))


def find_job(session: Session, job_id: str) -> JobRecord:
    """A job's record."""
    job = session.get(JobRecord, job_id)
    if job is None:
        raise fault("There is no such job.", "job", "Begin it again.")
    return job


def faults_of(job: JobRecord) -> tuple[Fault, ...]:
    """Why a job failed."""
    return tuple(Fault(**item) for item in json.loads(job.faults))


def fail_lost_jobs(engine: Engine) -> int:
    """Marks jobs that a server left behind as failed, with the reason; how many there were."""
    with Session(engine) as session, session.begin():
        lost = list(session.scalars(select(JobRecord).where(JobRecord.state == "running")))
        for job in lost:
            job.state, job.faults, job.ended = "failed", json.dumps([asdict(LOST)]), now()
        return len(lost)
