"""Workers of a Dask cluster, our own or one that runs, that hold the parts of a study."""

import contextlib
import logging
import time
from collections.abc import Generator
from typing import Any

import distributed
from distributed import Client

from even_ballot.core.faults import StudyError, fault
from even_ballot.core.numerics.meeting import shares
from even_ballot.core.study.nodes import Telling
from even_ballot.core.study.results import Results
from even_ballot.services.scale.holder import Holder
from even_ballot.services.scale.leading import Lost, Refused, led
from even_ballot.services.scale.work import Job, versions

_TRIES, _WAIT, _HERE = 3, 30.0, "127.0.0.1"
_untyped: Any = distributed


@contextlib.contextmanager
def workers_of(count: int | None, scheduler: str | None) -> Generator[Client, None, None]:
    """A client of a cluster on this machine with so many workers of one thread each, which ends with it; or
    of one that runs. Raises StudyError where there is none."""
    # What goes wrong is said by us, once.
    logging.getLogger("distributed").setLevel(logging.CRITICAL)
    if scheduler is not None:
        try:
            client = _untyped.Client(scheduler, timeout=_WAIT)
        except (OSError, TimeoutError, ValueError) as error:
            said = f"No scheduler answers at {scheduler} ({type(error).__name__})."
            raise fault(said, "--scheduler", "Start one with `dask scheduler`, or say --workers.") from None
        with client:
            yield client
        return
    # Nobody else on this machine has the certificates that its processes talk by.
    quietly: dict[str, Any] = {"dashboard_address": None, "silence_logs": logging.CRITICAL, "security": True}
    cluster = _untyped.LocalCluster(n_workers=count, threads_per_worker=1, host=_HERE, **quietly)
    with cluster, _untyped.Client(cluster) as client:
        yield client


def _check_versions(client: Client) -> None:
    """Every worker runs what we run. Raises StudyError with both where one does not."""
    ours = versions()
    try:
        theirs = client.run(versions)
    except Exception:
        what = f"Workers do not have Even Ballot {ours[0]} installed."
        raise fault(what, "--scheduler", "Install the same version on every worker.") from None
    for at, (version, python) in sorted(theirs.items()):
        if (version, python.rpartition(".")[0]) != (ours[0], ours[1].rpartition(".")[0]):
            here = f"here it is {ours[0]} on {ours[1]}"
            what = f"The worker {at} runs Even Ballot {version} on Python {python}; {here}."
            raise fault(what, "--scheduler", "Install the same version on every worker.")


def _there(client: Client, count: int | None) -> list[str]:
    """The addresses of the workers that are there. After one was lost another may come in its place."""
    until = time.monotonic() + _WAIT
    while True:
        found = sorted(client.scheduler_info(n_workers=-1)["workers"])
        if len(found) >= (count or 1) or (found and time.monotonic() > until):
            return found
        if time.monotonic() > until:
            raise fault("The scheduler has no worker.", "--scheduler", "Start workers with `dask worker`.")
        time.sleep(0.1)


def _once(client: Client, job: Job, count: int | None, telling: Telling) -> tuple[Results, list[str]]:
    there = _there(client, count)[:count]
    dealt = shares(len(job.names), len(there))
    try:
        made = [
            client.submit(Holder, job, share, actor=True, workers=[at], allow_other_workers=False, pure=False)
            for share, at in zip(dealt, there, strict=False)
        ]
        holders: list[Any] = [future.result(_WAIT) for future in made]
    except StudyError:
        raise
    except Exception as error:
        raise Lost from error
    return led(job, [holder.go_on for holder in holders], telling)


def run_on(client: Client, job: Job, count: int | None, telling: Telling) -> tuple[Results, list[str]]:
    """The results of a study by the workers of a cluster, and the files of records that they wrote. Where a
    worker is lost the others, or who comes in its place, begin anew: the figures are the same, whoever holds
    which parts. Raises StudyError."""
    _check_versions(client)
    for _ in range(_TRIES):
        try:
            return _once(client, job, count, telling)
        except Lost:
            continue
        except Refused as error:
            what = f"A worker failed: {error.said}."
            raise fault(what, "", "This is a fault of the program's own; please report it.") from None
    raise fault(
        f"Workers were lost {_TRIES} times, perhaps for want of memory.",
        "",
        "Use more workers, or smaller parts.",
    )
