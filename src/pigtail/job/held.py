"""Job files that are open: who else has one open is told, and no two save one at the same time.

Locks lie in the state folder, named after the path, so that nothing is left beside the job; they hold among the programs of one person
on one machine. Against all others a file that has changed since it was read is not saved over without a word.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import socket
import time
from collections.abc import Iterator
from pathlib import Path

import msgspec
import platformdirs

from pigtail.job.disk import lock_file, remove_if_free
from pigtail.job.errors import FileError
from pigtail.language import tr

#: So long another save of the same file is waited for [s].
PATIENCE_S = 5.0
MOST_OWNER = 4096
#: So long another program is waited for when it is asked to show its window [s].
ASKING_S = 2.0


class Owner(msgspec.Struct, frozen=True):
    """Another program that has a file open: its process, and the socket on which its window can be asked to show itself."""

    pid: int
    socket: str = ""


def lock_folder() -> Path:
    """Where the locks of open files are, by the XDG base directory rules."""
    return Path(platformdirs.user_state_dir("pigtail", appauthor=False)) / "open"


def mark_of(path: Path) -> str:
    """A name for a path: of the file itself, whatever links lead to it."""
    return hashlib.sha256(os.fsencode(os.path.realpath(path))).hexdigest()[:24]


class OpenFile:
    """A job file held open. `owner` is the program that had it already, None where this one has it now."""

    def __init__(self, path: Path, folder: Path | None = None) -> None:
        self.path = path
        self.owner: Owner | None = None
        self._handle: int | None = None
        folder = folder or lock_folder()
        self._file = folder / f"{mark_of(path)}.lock"
        self.socket = folder / f"{mark_of(path)}.sock"
        with contextlib.suppress(OSError):  # where no lock can be kept, the check at saving remains
            folder.mkdir(parents=True, exist_ok=True, mode=0o700)
            self._handle = lock_file(self._file)
            if self._handle is None:
                self.owner = _owner_in(self._file)
            else:
                os.ftruncate(self._handle, 0)
                os.pwrite(self._handle, msgspec.json.encode(Owner(os.getpid(), str(self.socket))), 0)

    @property
    def mine(self) -> bool:
        """Whether this program holds the file."""
        return self._handle is not None

    def close(self) -> None:
        """Hold it no longer."""
        if self._handle is None:
            return
        with contextlib.suppress(OSError):
            self._file.unlink()
        with contextlib.suppress(OSError):
            os.close(self._handle)
        self._handle = None


def _owner_in(file: Path) -> Owner:
    try:
        with file.open("rb") as opened:
            return msgspec.json.decode(opened.read(MOST_OWNER), type=Owner)
    except (OSError, msgspec.DecodeError):
        return Owner(0)


@contextlib.contextmanager
def saving(path: Path, folder: Path | None = None) -> Iterator[None]:
    """Keep other programs from saving the same file meanwhile. Raises FileError where one does not come to an end."""
    folder = folder or lock_folder()
    handle: int | None = None
    file = folder / f"{mark_of(path)}.save"
    until = time.monotonic() + PATIENCE_S
    try:
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        while (handle := lock_file(file)) is None:
            if time.monotonic() > until:
                raise FileError(
                    path, tr("another program is just saving this file; wait a moment and save again")
                )
            time.sleep(0.01)
    except OSError:
        handle = None  # where no lock can be kept, what is there is compared all the same
    try:
        yield
    finally:
        if handle is not None:
            with contextlib.suppress(OSError):
                file.unlink()
            os.close(handle)


def sweep_locks(folder: Path | None = None) -> int:
    """Remove the locks of programs that are gone; how many there were. Never raises."""
    folder = folder or lock_folder()
    try:
        files = [folder / e.name for e in os.scandir(folder)]
    except OSError:
        return 0
    swept = sum(remove_if_free(f) for f in files if f.suffix in (".lock", ".save"))
    for file in files:
        if file.suffix == ".sock" and not file.with_suffix(".lock").exists():
            with contextlib.suppress(OSError):
                file.unlink()
    return swept


def show_owner(owner: Owner) -> bool:
    """Ask the program that has a file open to show its window; whether it took the message."""
    if not owner.socket:
        return False
    try:
        with socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as line:
            line.settimeout(ASKING_S)
            line.connect(owner.socket)
            line.sendall(b"show\n")
            return line.recv(8) == b"shown\n"
    except (OSError, ValueError):
        return False


def owner_of(path: Path, folder: Path | None = None) -> Owner | None:
    """Which living program has a file open; None where none has, or nobody can tell. Never raises."""
    file = (folder or lock_folder()) / f"{mark_of(path)}.lock"
    if not file.exists():
        return None
    held = OpenFile(path, folder)
    held.close()
    return held.owner
