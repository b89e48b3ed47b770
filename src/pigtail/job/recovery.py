"""The recovery file: every edit is on disk within half a second, and stays there until it is saved.

Each open job has one file in the state folder and holds a lock on its twin; a file whose lock is free was left
by a program that was killed.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
import uuid
from pathlib import Path

import msgspec
import platformdirs

from pigtail.job.errors import FileError, JobError
from pigtail.job.file import Document, decode, encode, write_atomically


class _Kept(msgspec.Struct, frozen=True):
    saved_as: str
    number: int
    job: msgspec.Raw


class Leftover(msgspec.Struct, frozen=True):
    """A job that a killed program left: its recovery file, the file it was opened from, and the document."""

    file: Path
    saved_as: str
    number: int
    document: Document


def recovery_folder() -> Path:
    """Where recovery files are kept, by the XDG base directory rules."""
    return Path(platformdirs.user_state_dir("pigtail", appauthor=False)) / "recovery"


class Keeper:
    """Keeps the latest document of one open job in the recovery folder."""

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder or recovery_folder()
        self.folder.mkdir(parents=True, exist_ok=True)
        stem = uuid.uuid4().hex
        self.file = self.folder / f"{stem}.json"
        self._lock_file = self.folder / f"{stem}.lock"
        self._lock = os.open(self._lock_file, os.O_RDWR | os.O_CREAT, 0o600)
        fcntl.flock(self._lock, fcntl.LOCK_EX)

    def keep(self, document: Document, number: int, saved_as: str = "") -> None:
        """Write the document; when this returns, the edit of that number survives a kill. Raises FileError."""
        kept = _Kept(saved_as=saved_as, number=number, job=msgspec.Raw(encode(document)))
        write_atomically(self.file, msgspec.json.encode(kept))

    def drop(self) -> None:
        """Forget the kept document: it is saved or given up. The next `keep` starts again."""
        self.file.unlink(missing_ok=True)

    def close(self) -> None:
        """Drop the document and give up the lock."""
        self.drop()
        self._lock_file.unlink(missing_ok=True)
        with contextlib.suppress(OSError):
            os.close(self._lock)


def leftovers(folder: Path | None = None) -> list[Leftover]:
    """Documents of killed programs, the newest first. Unreadable ones are left where they are."""
    folder = folder or recovery_folder()
    found: list[tuple[float, Leftover]] = []
    for file in folder.glob("*.json"):
        if _locked(file.with_suffix(".lock")):
            continue
        with contextlib.suppress(JobError, OSError, msgspec.DecodeError, msgspec.ValidationError):
            kept = msgspec.json.decode(file.read_bytes(), type=_Kept)
            leftover = Leftover(file, kept.saved_as, kept.number, decode(bytes(kept.job)))
            found.append((file.stat().st_mtime, leftover))
    return [leftover for _, leftover in sorted(found, key=lambda pair: -pair[0])]


def _locked(lock_file: Path) -> bool:
    try:
        handle = os.open(lock_file, os.O_RDWR)
    except OSError:
        return False
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return True
    finally:
        os.close(handle)
    return False


def discard(leftover: Leftover) -> None:
    """Remove a leftover for good, after it was taken over or given up by the person."""
    leftover.file.unlink(missing_ok=True)
    leftover.file.with_suffix(".lock").unlink(missing_ok=True)


__all__ = ["FileError", "Keeper", "Leftover", "discard", "leftovers", "recovery_folder"]
