"""The recovery file: every edit is on disk within half a second, and stays there until it is saved.

Each open job has one file in the state folder and holds a lock on its twin; a file whose lock is free was left by a program that was
killed. Pictures and recordings of a job that has no file yet lie in a folder beside its recovery file. A recovery file is given up only
when what it holds is known to be on disk elsewhere, or its person says so.
"""

from __future__ import annotations

import contextlib
import os
import shutil
import uuid
from pathlib import Path

import msgspec
import platformdirs

from pigtail.job.disk import (
    Seen,
    is_held,
    lock_file,
    read_whole,
    remove_if_free,
    sweep_parts,
    write_atomically,
)
from pigtail.job.errors import FileError, JobError
from pigtail.job.file import MAX_BYTES, Document, decode, encode
from pigtail.language import tr
from pigtail.units.storable import storable

#: So many leftovers are looked at, the newest first.
MOST_LEFTOVERS = 50
#: How the folder for files of a job without a file ends, how one that is being removed, and one whose files found no other place.
FILES, GONE, STAYED = ".files", ".gone", ".left"


class _Kept(msgspec.Struct, frozen=True):
    saved_as: str
    number: int
    job: msgspec.Raw
    seen: Seen | None = None


class Leftover(msgspec.Struct, frozen=True):
    """A job that a killed program left: its recovery file, the file it was opened from, and the document."""

    file: Path
    saved_as: str
    number: int
    document: Document


class Left(msgspec.Struct, frozen=True):
    """What killed programs left: jobs, the newest first, and files that cannot be read, each with the reason."""

    jobs: tuple[Leftover, ...] = ()
    unreadable: tuple[tuple[Path, str], ...] = ()


def recovery_folder() -> Path:
    """Where recovery files are kept, by the XDG base directory rules."""
    return Path(platformdirs.user_state_dir("pigtail", appauthor=False)) / "recovery"


class Keeper:
    """Keeps the latest document of one open job in the recovery folder. Raises OSError where it cannot be made."""

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder or recovery_folder()
        self.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        while True:
            stem = uuid.uuid4().hex
            self.file = self.folder / f"{stem}.json"
            self.files = self.file.with_suffix(FILES)
            self._lock_file = self.folder / f"{stem}.lock"
            lock = lock_file(self._lock_file)
            if lock is not None:
                self._lock = lock
                return

    def keep(self, document: Document, number: int, saved_as: str = "") -> None:
        """Write the document; when this returns, the edit of that number survives a kill. Raises FileError."""
        kept = _Kept(
            saved_as=saved_as
            if storable(saved_as) == saved_as
            else "",  # a name that no text can hold is asked for anew
            number=number,
            job=msgspec.Raw(encode(document)),
            seen=document.seen,
        )
        write_atomically(self.file, msgspec.json.encode(kept))

    def drop(self) -> None:
        """Forget the kept document: it is saved or given up. The next `keep` starts again."""
        self.file.unlink(missing_ok=True)

    def part_with_files(self, *, stay: bool = False) -> Path | None:
        """Put aside what lay beside a job without a file, so that the next job finds the room empty; returns where it is now, None if there
        was nothing. What does not stay is to be removed."""
        to = self.files.with_suffix(f".{uuid.uuid4().hex[:8]}{STAYED if stay else GONE}")
        try:
            self.files.rename(to)
        except OSError:
            return None
        return to

    def adopt(self, leftover: Path) -> None:
        """Take the files beside another recovery file too; they stay there until it is discarded."""
        with contextlib.suppress(FileNotFoundError):
            shutil.copytree(
                leftover.with_suffix(FILES), self.files, copy_function=_linked, dirs_exist_ok=True
            )

    def close(self) -> None:
        """Drop the document and give up the lock."""
        shutil.rmtree(self.files, ignore_errors=True)
        with contextlib.suppress(OSError):
            self.drop()
            self._lock_file.unlink(missing_ok=True)
        with contextlib.suppress(OSError):
            os.close(self._lock)


def _linked(source: str, target: str) -> None:
    """The same file under a second name, or a copy where the disk has no such thing."""
    try:
        os.link(source, target)
    except FileExistsError:
        return
    except OSError:
        shutil.copyfile(source, target)


def leftovers(folder: Path | None = None) -> Left:
    """What killed programs left; what cannot be read is told and left where it is. Never raises for what lies in the folder."""
    folder = folder or recovery_folder()
    sweep_parts(folder)
    for gone in folder.glob(f"*{GONE}"):
        shutil.rmtree(gone, ignore_errors=True)
    try:
        names = sorted((e for e in os.scandir(folder) if e.name.endswith(".json")), key=_age)
        locks = {Path(e).stem: Path(e) for e in os.scandir(folder) if e.name.endswith(".lock")}
    except OSError:
        return Left()
    jobs: list[Leftover] = []
    unreadable: list[tuple[Path, str]] = []
    for entry in names[:MOST_LEFTOVERS]:
        file = Path(entry.path)
        lock = locks.pop(file.stem, None)
        if lock is not None and is_held(lock):
            continue
        try:
            kept = msgspec.json.decode(read_whole(file, 2 * MAX_BYTES, tr("recovery file")), type=_Kept)
            document = decode(bytes(kept.job))
        except (JobError, msgspec.DecodeError, UnicodeDecodeError) as error:
            unreadable.append((file, str(error)))
        except (RecursionError, MemoryError):
            unreadable.append(
                (file, tr("{file}: it is nested too deeply, or too large, to be a job", file=file))
            )
        else:
            document = msgspec.structs.replace(document, seen=kept.seen)
            jobs.append(Leftover(file, kept.saved_as, kept.number, document))
    for stem, lock in locks.items():
        if not (folder / f"{stem}.json").exists():
            remove_if_free(lock)
    return Left(tuple(jobs), tuple(unreadable))


def _age(entry: os.DirEntry[str]) -> float:
    try:
        return -entry.stat(follow_symlinks=False).st_mtime
    except OSError:
        return 0.0


def discard(file: Path) -> None:
    """Remove a recovery file for good, after it was taken over or given up by the person. Raises OSError."""
    file.unlink(missing_ok=True)
    shutil.rmtree(file.with_suffix(FILES), ignore_errors=True)
    file.with_suffix(".lock").unlink(missing_ok=True)


__all__ = ["FileError", "Keeper", "Left", "Leftover", "discard", "leftovers", "recovery_folder"]
