"""Figures of all records that stay where they are, worked out in a process of its own."""

import os
from concurrent.futures import ThreadPoolExecutor
from contextlib import nullcontext
from functools import partial

from even_ballot.core.faults import fault
from even_ballot.core.numerics.meeting import shares
from even_ballot.core.progress import Progress, quiet
from even_ballot.core.study.results import Results
from even_ballot.services.scale.holder import Holder
from even_ballot.services.scale.leading import Refused, led
from even_ballot.services.scale.work import Job

_MOST = 4


def worked_out(job: Job, progress: Progress = quiet) -> Results:
    """The results of a study on its parts. Threads hold them: a processor has one each. Raises StudyError."""
    dealt = shares(len(job.names), min(os.cpu_count() or 1, _MOST))
    with ThreadPoolExecutor(len(dealt)) as pool:
        holders = [Holder(job, share) for share in dealt]
        going = [partial(pool.submit, holder.go_on) for holder in holders]
        try:
            return led(job, going, lambda _: nullcontext(progress))[0]
        except Refused as error:
            mend = "This is a fault of the program's own; please report it."
            raise fault(f"The work on the parts failed: {error.said}.", "", mend) from None
        finally:
            for holder in holders:
                holder.leave()
