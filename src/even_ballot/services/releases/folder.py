"""Files written into a folder, all or none; a folder that holds files is replaced whole, or left alone."""

import contextlib
import hashlib
import json
import os
import shutil
import tempfile
from collections.abc import Iterable, Iterator, Mapping
from pathlib import Path

from even_ballot.core.faults import Fault, StudyError, fault

MANIFEST = "manifest.json"


def write_outputs(files: Mapping[str, Iterable[bytes]], out: Path, mode: int = 0o644) -> list[Path]:
    """Writes files, each in pieces, into a folder: first under passing names, then all put in place, so that
    none is ever half-written."""
    with _said(out):
        out.mkdir(parents=True, exist_ok=True)
        staged = []
        try:
            for name, content in files.items():
                handle, temporary = tempfile.mkstemp(prefix=f".{name}.", dir=out)
                staged.append((Path(temporary), out / name))
                with os.fdopen(handle, "wb") as file:
                    file.writelines(content)
                    file.flush()
                    os.fsync(file.fileno())
                os.chmod(temporary, mode)
            for held, final in staged:
                held.replace(final)
        finally:
            for held, _ in staged:
                held.unlink(missing_ok=True)
    return [out / name for name in files]


@contextlib.contextmanager
def _said(out: Path) -> Iterator[None]:
    """What the system says, as a fault in words."""
    try:
        yield
    except OSError as error:
        raise StudyError(
            Fault(f"The results cannot be written: {error.strerror}.", str(out), "Choose another folder.")
        ) from None


def _held(out: Path) -> list[str]:
    """Names in a folder; none where it is not there."""
    try:
        return sorted(os.listdir(out))
    except FileNotFoundError:
        return []


def _ours(out: Path) -> set[str]:
    """What a manifest says was written into a folder."""
    try:
        said = json.loads((out / MANIFEST).read_bytes())
        return {MANIFEST, *(str(of["name"]) for of in said["files"])}
    except (OSError, ValueError, KeyError, TypeError):
        return set()


def checked_folder(out: Path, replace: bool) -> None:
    """Refuses a folder that holds files, or, where it is to be replaced, files that no run wrote there."""
    with _said(out):
        if out.exists() and not out.is_dir():
            raise fault(f"{out} is not a folder.", "--out", "Choose another folder.")
        held = _held(out)
        if not held:
            return
        if not replace:
            raise fault(
                f"{out} contains files ({held[0]}{' and more' if len(held) > 1 else ''}).",
                "--out",
                "Choose an empty folder, or say --replace, and it is replaced whole.",
            )
        strange = sorted(set(held) - _ours(out))
        if strange:
            raise fault(
                f"{out} contains {strange[0]}, which no run wrote; it would be lost.",
                "--out",
                "Move it away, or choose another folder.",
            )


class _Noted:
    """Files on their way into a folder, and the manifest of them."""

    def __init__(self, files: Mapping[str, Iterable[bytes]], about: Mapping[str, str]) -> None:
        self._files, self._about = files, about
        self._lines: list[dict[str, str | int]] = []

    def _passing(self, name: str, pieces: Iterable[bytes]) -> Iterator[bytes]:
        digest, size = hashlib.sha256(), 0
        for piece in pieces:
            digest.update(piece)
            size += len(piece)
            yield piece
        self._lines.append({"name": name, "bytes": size, "sha256": digest.hexdigest()})

    def _manifest(self) -> Iterator[bytes]:
        said: dict[str, object] = {
            **self._about,
            "files": sorted(self._lines, key=lambda line: str(line["name"])),
        }
        yield f"{json.dumps(said, ensure_ascii=False, indent=1)}\n".encode(errors="replace")

    def all(self) -> dict[str, Iterator[bytes]]:
        """The files, and after them what lists them."""
        passing = {name: self._passing(name, pieces) for name, pieces in self._files.items()}
        return {**passing, MANIFEST: self._manifest()}


def write_folder(
    files: Mapping[str, Iterable[bytes]], out: Path, about: Mapping[str, str], replace: bool = False
) -> list[Path]:
    """Writes files and a manifest of them (names, sizes, SHA-256) into a folder. One that holds files is
    refused, or replaced: whole, or not at all. Raises StudyError."""
    checked_folder(out, replace)
    noted = _Noted(files, about).all()
    if not _held(out):
        return write_outputs(noted, out)
    out = out.resolve()
    with _said(out):
        beside = Path(tempfile.mkdtemp(prefix=f".{out.name}.", dir=out.parent))
    try:
        write_outputs(noted, beside)
        old = beside.with_name(f"{beside.name}.old")
        with _said(out):
            os.chmod(beside, out.stat().st_mode & 0o7777)
            out.rename(old)
            try:
                beside.rename(out)
            except OSError:
                old.rename(out)
                raise
        shutil.rmtree(old, ignore_errors=True)
    finally:
        shutil.rmtree(beside, ignore_errors=True)
    return [out / name for name in noted]
