"""Files of a run in a folder: all or none, and never over others."""

import hashlib
import json
from collections.abc import Iterator
from pathlib import Path

import pytest
from typer.testing import CliRunner

from even_ballot.cli import app
from even_ballot.core.faults import StudyError
from even_ballot.services.releases.folder import MANIFEST, checked_folder, write_folder

ABOUT = {"study": "Ferries"}


def held(folder: Path) -> dict[str, bytes]:
    return {path.name: path.read_bytes() for path in folder.iterdir()}


def test_a_manifest_lists_what_was_written(tmp_path: Path) -> None:
    out = tmp_path / "out"
    write_folder({"a.csv": [b"1,", b"2"], "b.txt": [b""]}, out, ABOUT)
    said = json.loads((out / MANIFEST).read_text())
    assert said["study"] == "Ferries"
    assert said["files"] == [
        {"name": "a.csv", "bytes": 3, "sha256": hashlib.sha256(b"1,2").hexdigest()},
        {"name": "b.txt", "bytes": 0, "sha256": hashlib.sha256(b"").hexdigest()},
    ]


def test_a_folder_that_holds_files_is_refused_and_replaced_whole_when_asked(tmp_path: Path) -> None:
    out = tmp_path / "out"
    write_folder({"a.csv": [b"1"], "gone.csv": [b"1"]}, out, ABOUT)
    before = held(out)
    with pytest.raises(StudyError, match="contains files"):
        write_folder({"a.csv": [b"2"]}, out, ABOUT)
    assert held(out) == before
    write_folder({"a.csv": [b"2"]}, out, ABOUT, replace=True)
    assert set(held(out)) == {"a.csv", MANIFEST} and held(out)["a.csv"] == b"2"
    assert [path.name for path in tmp_path.iterdir()] == ["out"]


def test_what_no_run_wrote_is_never_replaced(tmp_path: Path) -> None:
    out = tmp_path / "out"
    write_folder({"a.csv": [b"1"]}, out, ABOUT)
    (out / "thesis.txt").write_text("years of work")
    with pytest.raises(StudyError, match=r"thesis\.txt, which no run wrote"):
        write_folder({"a.csv": [b"2"]}, out, ABOUT, replace=True)
    (out / "thesis.txt").unlink()
    (out / MANIFEST).write_text('{"files": "none"}')
    with pytest.raises(StudyError, match=r"a\.csv"):
        checked_folder(out, replace=True)
    with pytest.raises(StudyError, match="is not a folder"):
        checked_folder(out / "a.csv", replace=True)


def full_disk() -> Iterator[bytes]:
    yield b"half of "
    raise OSError(28, "No space left on device")


@pytest.mark.parametrize("replace", [False, True])
def test_a_full_disk_in_the_middle_leaves_everything_as_it_was(tmp_path: Path, replace: bool) -> None:
    out = tmp_path / "out"
    if replace:
        write_folder({"a.csv": [b"1"]}, out, ABOUT)
    before = held(out) if replace else {}
    with pytest.raises(StudyError, match="No space left on device"):
        write_folder({"a.csv": [b"2"], "b.csv": full_disk()}, out, ABOUT, replace=replace)
    assert (held(out) if out.exists() else {}) == before
    assert [path.name for path in tmp_path.iterdir()] == ["out"]


def test_the_command_refuses_before_it_works_and_says_what_mends_it(tmp_path: Path) -> None:
    (tmp_path / "answers.csv").write_text("isle\n1\n2\n")
    study = tmp_path / "study.json"
    study.write_text(json.dumps({"source": {"path": "answers.csv"}, "release": {"formats": ["html"]}}))
    out = tmp_path / "out"
    runner = CliRunner()

    def run(*more: str) -> tuple[int, str]:
        result = runner.invoke(app, ["run", str(study), "--out", str(out), *more])
        return result.exit_code, result.output

    assert run()[0] == 0
    assert set(held(out)) == {"results.json", "microdata.csv", "release.html", MANIFEST}
    code, said = run()
    assert code == 2 and "--replace" in said
    assert run("--replace", "--formats", "docx,csv")[0] == 0
    assert "release.docx" in held(out) and "release.html" not in held(out)
    code, said = run("--replace", "--formats", "doc")
    assert code == 2 and "'doc' is not a format" in said
