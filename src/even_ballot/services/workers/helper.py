"""What is done in a process of its own: files taken apart, pictures drawn. Whatever a file does to it ends
that process, not the server's."""

import ctypes
import errno
import importlib
import os
import pickle
import resource
import signal
import threading
import time
import traceback
from collections.abc import Callable
from dataclasses import astuple
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

import pyarrow as pa

from even_ballot.core.faults import Fault, StudyError

TASKS = {
    "read": ("even_ballot.formats.sources.source", "read_source"),
    "sheets": ("even_ballot.formats.sources.spreadsheet", "sheets_of"),
    "picture": ("even_ballot.formats.images.files", "picture_content"),
    "codebook": ("even_ballot.formats.exchange.codebooks", "read_codebook"),
    "plan": ("even_ballot.formats.exchange.plans", "read_plan"),
    "analyses": ("even_ballot.formats.exchange.plans", "read_analyses"),
    "targets": ("even_ballot.formats.exchange.target_lines", "target_lines"),
    "document": ("even_ballot.formats.writers.writing", "written"),
    "template": ("even_ballot.formats.writers.writing", "checked_template"),
    "decisions": ("even_ballot.services.dependence.lines", "decision_lines"),
    "paths": ("even_ballot.services.dependence.lines", "path_lines"),
    "appendix": ("even_ballot.services.dependence.lines", "appendix_figures"),
    "influence": ("even_ballot.services.dependence.lines", "influence_lines"),
    "columns": ("even_ballot.services.stations.judging", "columns_shown"),
    "draft": ("even_ballot.services.stations.judging", "draft_lines"),
    "line": ("even_ballot.services.stations.judging", "line_view"),
    "line as": ("even_ballot.services.stations.judging", "line_as"),
    "taken": ("even_ballot.core.draft.taking", "taken"),
    "added": ("even_ballot.core.draft.taking", "added"),
    "readings": ("even_ballot.formats.sources.letters.readings", "side_by_side"),
    "interpreted": ("even_ballot.core.data.interpretation", "new_of"),
    "step": ("even_ballot.core.ledger.step", "step_news"),
    "sweep": ("even_ballot.core.screening.sweep", "sweep"),
    "behind": ("even_ballot.core.screening.sweep", "behind"),
    "fit": ("even_ballot.core.ledger.scale_fit", "fits"),
    "drift": ("even_ballot.core.study.newer_file", "drift"),
    "draw": ("even_ballot.services.in_place.sampling", "draw"),
    "record": ("even_ballot.services.in_place.sampling", "record"),
    "whole": ("even_ballot.services.in_place.whole", "worked_out"),
    "unpack": ("even_ballot.formats.exchange.bundle", "unpacked"),
}
TELLS = {"read", "sweep", "draw", "whole"}
"""Tasks that say how far they have got."""
STREAMS = {"decisions", "paths", "influence", "appendix"}
"""Tasks that give one thing after the other, and leave the processor to whoever else wants it."""
_SPARE = 64 << 20
MEMORY, STOP = "memory", "stop"


def task(name: str) -> Callable[..., Any]:
    """What a task calls."""
    module, function = TASKS[name]
    found: Callable[..., Any] = getattr(importlib.import_module(module), function)
    return found


def name_of(function: Callable[..., Any]) -> str:
    """Which task a function is."""
    wanted = function.__module__, function.__name__
    return next(name for name, there in TASKS.items() if there == wanted)


def data_bytes() -> int:
    """Memory that this process may write to."""
    with open("/proc/self/status") as status:
        return next(int(line.split()[1]) * 1024 for line in status if line.startswith("VmData"))


def limit_memory(more: int) -> None:
    """Lets this process take so much more than it has, and no more."""
    _, hard = resource.getrlimit(resource.RLIMIT_DATA)
    resource.setrlimit(resource.RLIMIT_DATA, (data_bytes() + more + _SPARE, hard))


def die_with_parent() -> None:
    """Nothing goes on where nobody waits for it; for a child of a process of one thread."""
    ctypes.CDLL(None).prctl(1, signal.SIGKILL)


def send(connection: Connection, value: Any) -> None:
    """A value, its arrays not copied on the way."""
    buffers: list[pickle.PickleBuffer] = []
    head = pickle.dumps(value, protocol=5, buffer_callback=buffers.append)
    connection.send((head, [buffer.raw().nbytes for buffer in buffers]))
    for buffer in buffers:
        raw = buffer.raw()
        if raw.nbytes:
            connection.send_bytes(raw)


def receive(connection: Connection) -> Any:
    """A value that `send` sent."""
    head, sizes = connection.recv()
    buffers = []
    for size in sizes:
        buffer = bytearray(size)
        if size:
            connection.recv_bytes_into(buffer)
        buffers.append(buffer)
    return pickle.loads(head, buffers=buffers)


def carry_out(connection: Connection, name: str, args: tuple[Any, ...], memory: int) -> None:
    """One task; what came of it is sent: done, faults, or that memory did not suffice."""
    limit_memory(memory)
    # What a reader lets go is the next one's: no pool holds on to it.
    pa.set_memory_pool(pa.system_memory_pool())

    def progress(says: str, share: float | None) -> None:
        send(connection, ("says", (says, share)))

    try:
        if name in STREAMS:
            for part in task(name)(*args):
                send(connection, ("part", part))
                if connection.poll() and receive(connection) == STOP:
                    break
            send(connection, ("done", None))
            return
        value = task(name)(*args, *((progress,) if name in TELLS else ()))
        send(connection, ("done", value))
    except StudyError as error:
        send(connection, ("faults", [astuple(f) for f in error.faults]))
    except MemoryError:
        send(connection, (MEMORY, None))
    except Exception as error:
        if _lacks_memory(error):
            send(connection, (MEMORY, None))
        else:
            send(connection, ("failed", _place_of(error)))


def _lacks_memory(error: Exception) -> bool:
    """Whether an error is memory that a library, the system or a new thread's stack did not get."""
    no_stack = isinstance(error, RuntimeError) and "start new thread" in str(error)
    refused = isinstance(error, OSError) and error.errno == errno.ENOMEM
    return no_stack or refused or type(error).__name__ == "ArrowMemoryError"


def _place_of(error: Exception) -> str:
    """What failed and where; not what it says, which may quote what is in the file."""
    places = [f"{Path(f.filename).name}:{f.lineno}" for f in traceback.extract_tb(error.__traceback__)[-3:]]
    return f"{type(error).__name__} at {' < '.join(reversed(places))}"


def faults_from(sent: list[tuple[str, str, str]]) -> StudyError:
    """Faults as they were sent."""
    return StudyError([Fault(*item) for item in sent])


def _end_with(parent: int) -> None:
    """Ends this process, whatever it does, once whoever started it is gone. (The signal for that would
    come with the end of a thread.)"""
    while os.getppid() == parent:
        time.sleep(1)
    os._exit(1)


def work(connection: Connection, nice: int) -> None:
    """Works through the tasks that come in, one after the other. nice: how far this gives way to others."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    threading.Thread(target=_end_with, args=(os.getppid(),), daemon=True).start()
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    os.nice(nice)
    while True:
        try:
            asked = receive(connection)
        except EOFError:
            return
        if asked == STOP:
            continue  # What was to be stopped had ended.
        name, args, memory = asked
        carry_out(connection, name, args, memory)
