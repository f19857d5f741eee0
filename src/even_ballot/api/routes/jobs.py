"""Jobs: how they stand, followed and stopped."""

import asyncio
import json
from collections.abc import AsyncIterator
from dataclasses import asdict

from fastapi import Response
from fastapi.responses import StreamingResponse

from even_ballot.api.context import Pool, Transaction, station
from even_ballot.services.workers.jobs import JobView

router = station("/jobs", "jobs")
_LOOK = 0.1


@router.get("/{job_id}")
def job(job_id: str, session: Transaction, jobs: Pool) -> JobView:
    """How a job stands."""
    return jobs.view(session, job_id)


@router.get("/{job_id}/events", response_class=Response)
def follow(job_id: str, session: Transaction, jobs: Pool) -> StreamingResponse:
    """A job as server-sent events, one whenever something changed, the last when it has ended."""
    first = jobs.view(session, job_id)

    async def events() -> AsyncIterator[str]:
        view, told = first, None
        while True:
            if view != told:
                told = view
                yield f"data: {json.dumps(asdict(view), ensure_ascii=False)}\n\n"
            if view.state != "running":
                return
            await asyncio.sleep(_LOOK)
            view = jobs.running(job_id) or view

    return StreamingResponse(events(), media_type="text/event-stream")


@router.delete("/{job_id}", status_code=204)
def stop(job_id: str, jobs: Pool) -> None:
    """Asks a job to stop."""
    jobs.stop(job_id)
