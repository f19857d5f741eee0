"""Work in processes of its own: within memory and time, whatever ends it, and a warm one ready again."""

import errno
import os
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

from even_ballot.core.faults import StudyError
from even_ballot.core.progress import Stopped
from even_ballot.core.study.study_file import Source
from even_ballot.services.workers import helper
from even_ballot.services.workers import helper_processes as apart
from even_ballot.services.workers.helper_processes import Helpers, forked

CONTENT = b"id,q\n1,yes\n2,no\n"


@pytest.fixture
def helpers() -> Iterator[Helpers]:
    made = Helpers(1)
    yield made
    made.close()


def read(helpers: Helpers, content: bytes = CONTENT, **more: Any) -> Any:
    return helpers.run("read", content, Source(path="a.csv"), size=len(content), **more)[0]


def test_a_file_is_read_as_in_this_process(helpers: Helpers) -> None:
    for _ in range(3):
        assert read(helpers).names == ("id", "q")


@pytest.mark.parametrize("wide", [2, 60, 64, 65, 800])
def test_wide_files_of_megabytes_are_read_within_the_limit(wide: int) -> None:
    line = ",".join(f"answer {k}" for k in range(wide)).encode() + b"\n"
    head = ",".join(f"q{k}" for k in range(wide)).encode() + b"\n"
    content = head + line * (6_000_000 // len(line))
    table, _ = forked("read", content, Source(path="a.csv", header_rows=1), size=len(content))
    assert len(table.names) == wide and len(table.rows) == content.count(b"\n") - 1
    assert [column.words for column in table.columns] == [(f"answer {k}",) for k in range(wide)]


def test_faults_come_through_and_leave_the_process_ready(helpers: Helpers) -> None:
    read(helpers)
    first = helpers._free.queue[0].process.pid
    with pytest.raises(StudyError, match=r"a\.csv: The file contains headings and no records"):
        read(helpers, b"id,q\n", where="a.csv")
    read(helpers)
    assert helpers._free.queue[0].process.pid == first


def test_a_process_that_is_killed_is_a_fault_and_another_stands_ready(helpers: Helpers) -> None:
    read(helpers)
    (one,) = helpers._free.queue
    large = b"id,q\n" + b"".join(b"%d,answer %d\n" % (k, k) for k in range(400_000))
    with pytest.raises(StudyError, match="was killed, perhaps because the machine ran out of memory"):
        read(helpers, large, progress=lambda says, share: os.kill(one.pid, signal.SIGKILL))
    assert read(helpers).names == ("id", "q")


def test_too_much_memory_or_time_is_a_fault_with_its_limit(
    helpers: Helpers, monkeypatch: pytest.MonkeyPatch
) -> None:
    large = b"id,q\n" + b"".join(b"%d,answer %d\n" % (k, k) for k in range(2_000_000))
    monkeypatch.setattr(apart, "memory_for", lambda size: 10 << 20)
    with pytest.raises(StudyError, match="needs more memory than the limit of"):
        read(helpers, large)
    monkeypatch.undo()
    monkeypatch.setattr(apart, "seconds_for", lambda size: 0.01)
    with pytest.raises(StudyError, match="longer than the limit of"):
        read(helpers, large)
    monkeypatch.undo()
    assert read(helpers).names == ("id", "q")


@pytest.mark.parametrize(
    ("code", "what"),
    [
        (-signal.SIGABRT, "needs more memory than the limit of 1.0 GiB"),
        (-signal.SIGKILL, "was killed"),
        (-signal.SIGSEGV, "crashed"),
    ],
)
def test_what_ended_a_process_is_said_as_it_was(code: int, what: str) -> None:
    assert what in apart._ended("read", code, 1 << 30).faults[0].what


@pytest.mark.parametrize(
    "error", [RuntimeError("can't start new thread"), OSError(errno.ENOMEM, "no memory")]
)
def test_threads_and_maps_that_get_no_memory_lack_memory(error: Exception) -> None:
    assert helper._lacks_memory(error) and not helper._lacks_memory(RuntimeError("a fault of the program"))


def test_work_that_is_stopped_ends(helpers: Helpers) -> None:
    def stop(says: str, share: float | None) -> None:
        raise Stopped

    with pytest.raises(Stopped):
        read(helpers, progress=stop)
    assert read(helpers).names == ("id", "q")


def test_threads_that_end_take_no_process_with_them(helpers: Helpers) -> None:
    def in_a_thread(work: Callable[[], Any]) -> None:
        thread = threading.Thread(target=work)
        thread.start()
        thread.join()

    in_a_thread(lambda: read(helpers))
    time.sleep(0.3)
    assert helpers._free.queue[0].alive
    read(helpers)


def test_a_process_that_has_nothing_to_do_ends_and_another_is_there_when_asked(helpers: Helpers) -> None:
    read(helpers)
    (one,) = helpers._free.queue
    helpers.end_idle(60)
    assert one.alive
    helpers.end_idle(0)
    assert not one.alive
    assert not helpers._free.queue
    assert read(helpers).names == ("id", "q")
    assert not helpers.busy


def test_a_program_that_uses_helpers_is_not_run_again_by_them(tmp_path: Path) -> None:
    program = tmp_path / "program.py"
    program.write_text(
        "from even_ballot.core.study.study_file import Source\n"
        "from even_ballot.services.workers.helper_processes import Helpers\n"
        "helpers = Helpers(1)\n"
        "table, _ = helpers.run('read', b'id,q\\n1,2\\n', Source(path='a.csv'), size=9)\n"
        "print('read', table.names)\n"
        "helpers.close()\n"
    )
    done = subprocess.run(
        [sys.executable, str(program)], capture_output=True, text=True, timeout=60, check=False
    )
    assert done.stdout == "read ('id', 'q')\n", done.stderr


def test_a_process_shares_what_it_has_ready(helpers: Helpers) -> None:
    """What it holds by itself is a part of what it has: the rest is its parent's."""
    read(helpers)
    (one,) = helpers._free.queue
    lines = Path(f"/proc/{one.pid}/smaps_rollup").read_text().splitlines()
    sizes = {line.split()[0]: int(line.split()[1]) for line in lines if line.endswith("kB")}
    assert sizes["Rss:"] > 60_000
    assert sizes["Pss:"] < 0.7 * sizes["Rss:"]


def test_a_copy_of_this_process_works_within_the_same_limits(monkeypatch: pytest.MonkeyPatch) -> None:
    assert forked("read", CONTENT, Source(path="a.csv"), size=len(CONTENT))[0].names == ("id", "q")
    monkeypatch.setitem(helper.TASKS, "spin", ("time", "sleep"))
    monkeypatch.setattr(apart, "seconds_for", lambda size: 0.2)
    with pytest.raises(StudyError, match="longer than the limit of"):
        forked("spin", 5)
