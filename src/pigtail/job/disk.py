"""Bytes on disk: files from outside read within limits, files written so that a kill or a full disk leaves the old or the new, whole.

A file is written under another name beside it, which its writer holds a lock on, and then put in its place; what a killed writer left of
such is swept up by the next.
"""

from __future__ import annotations

import contextlib
import errno
import fcntl
import hashlib
import os
import stat
import uuid
from pathlib import Path

import msgspec

from pigtail.job.errors import FileError
from pigtail.language import tr

#: What unfinished files begin and end with.
PART, PART_END = ".pigtail-", ".part"
#: What new files may not be, by the habit of the person's shell.
_MASK = os.umask(0o077)
os.umask(_MASK)


class Seen(msgspec.Struct, frozen=True):
    """How a file was when it was read or written: its size [bytes], the time of its last change [ns], its SHA-256."""

    size: int
    changed: int
    sha256: str


def read_whole(path: Path | str, most: int, what: str = "file") -> bytes:
    """All bytes of a plain file. Raises FileError with one sentence for what is not there, is a pipe or device, is longer than `most`
    [bytes], or cannot be read."""
    return read_seen(path, most, what)[0]


def read_seen(path: Path | str, most: int, what: str = "file") -> tuple[bytes, Seen]:
    """The same, and how the file was; the limit in [bytes]. Raises FileError."""
    try:
        # without blocking: opening a pipe that nobody writes to would wait for ever
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    except FileNotFoundError as error:
        raise FileError(path, tr("there is no such file")) from error
    except (OSError, ValueError) as error:
        raise FileError(path, tr("the {what} cannot be read ({why})", what=what, why=_why(error))) from error
    try:
        found = os.fstat(handle)
        if not stat.S_ISREG(found.st_mode):
            os.close(handle)
            raise FileError(path, tr("this is not a file; give a plain file, no folder, pipe or device"))
        with os.fdopen(handle, "rb") as file:
            if found.st_size > most:
                raise FileError(path, _too_large(what, most))
            data = file.read(most + 1)
    except OSError as error:
        raise FileError(path, tr("the {what} cannot be read ({why})", what=what, why=_why(error))) from error
    if len(data) > most:
        raise FileError(path, _too_large(what, most))
    return data, Seen(len(data), found.st_mtime_ns, sha256_of(data))


def _too_large(what: str, most: int) -> str:
    size = f"{most / 1e6:g} MB" if most >= 1_000_000 else tr("{most:,} bytes", most=most)
    return tr("the {what} is larger than {size}, more than one ever is; choose another", what=what, size=size)


def seen_now(path: Path) -> Seen | None:
    """How a file is now; None where there is none. Raises OSError."""
    try:
        with path.open("rb") as file:
            found = os.fstat(file.fileno())
            digest = hashlib.sha256()
            while block := file.read(1 << 20):
                digest.update(block)
    except FileNotFoundError:
        return None
    return Seen(found.st_size, found.st_mtime_ns, digest.hexdigest())


def same(now: Seen | None, before: Seen | None) -> bool:
    """Whether a file holds what it held; the time alone says nothing."""
    return (now and now.sha256) == (before and before.sha256)


def sha256_of(data: bytes) -> str:
    """The SHA-256 of some bytes, in hexadecimal digits."""
    return hashlib.sha256(data).hexdigest()


def write_atomically(path: Path, data: bytes) -> Seen:
    """Replace a file by new bytes, or make it; returns how it is then. A link is written through, mode, group and attributes are kept.

    Raises FileError; the old file is then still there, whole.
    """
    try:
        target = Path(os.path.realpath(path))
        old = _status(target)
        with _Unplaced(target) as part:
            part.write(data)
            part.take_after(target, old)
            os.replace(part.path, target)
            part.placed = True
            changed = os.fstat(part.handle).st_mtime_ns
        _sync_folder(target.parent)
    except (OSError, ValueError) as error:
        raise FileError(
            path,
            tr("the file cannot be written ({why}); free space or choose another folder", why=_why(error)),
        ) from error
    return Seen(len(data), changed, sha256_of(data))


def write_in_place(path: Path, data: bytes) -> Seen:
    """Write new bytes into a file itself, so that all names it has go on naming it. A kill meanwhile may leave it half written: only for
    what is kept elsewhere too. Raises FileError."""
    try:
        with path.open("r+b") as file:
            file.write(data)
            file.truncate()
            file.flush()
            os.fsync(file.fileno())
            changed = os.fstat(file.fileno()).st_mtime_ns
    except OSError as error:
        raise FileError(
            path,
            tr("the file cannot be written ({why}); free space or save under another name", why=_why(error)),
        ) from error
    return Seen(len(data), changed, sha256_of(data))


class _Unplaced:
    """A file that is being written beside its target, locked while it is; gone at the end unless it was put in its place."""

    def __init__(self, target: Path) -> None:
        mark = hashlib.sha256(target.name.encode("utf-8", "surrogateescape")).hexdigest()[:12]
        self.path = target.parent / f"{PART}{mark}-{uuid.uuid4().hex[:12]}{PART_END}"
        self.placed = False
        self.handle = -1

    def __enter__(self) -> _Unplaced:
        while True:
            self.handle = os.open(self.path, os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, 0o600)
            fcntl.flock(self.handle, fcntl.LOCK_EX)
            if os.fstat(self.handle).st_nlink:
                return self
            os.close(self.handle)  # swept up between being made and being locked: once more

    def write(self, data: bytes) -> None:
        view = memoryview(data)
        while view:
            view = view[os.write(self.handle, view) :]
        os.fsync(self.handle)

    def take_after(self, target: Path, old: os.stat_result | None) -> None:
        """Take mode, group and attributes of the file that is replaced; a new one has those that any new file has."""
        if old is None:
            with contextlib.suppress(OSError):
                os.fchmod(self.handle, 0o666 & ~_MASK)
            return
        with contextlib.suppress(OSError):
            if old.st_gid != os.fstat(self.handle).st_gid or old.st_uid != os.fstat(self.handle).st_uid:
                os.fchown(self.handle, old.st_uid if os.geteuid() == 0 else -1, old.st_gid)
        with contextlib.suppress(OSError):
            os.fchmod(self.handle, stat.S_IMODE(old.st_mode))
        with contextlib.suppress(OSError):
            for name in os.listxattr(target):
                with contextlib.suppress(OSError):
                    os.setxattr(self.handle, name, os.getxattr(target, name))

    def __exit__(self, *_: object) -> None:
        if self.handle >= 0:
            os.close(self.handle)
        if not self.placed:
            with contextlib.suppress(OSError):
                self.path.unlink()


def _status(path: Path) -> os.stat_result | None:
    try:
        found = path.stat()
    except FileNotFoundError:
        return None
    if not stat.S_ISREG(found.st_mode):
        raise OSError(errno.EINVAL, tr("it is no plain file"))
    return found


def _sync_folder(folder: Path) -> None:
    handle = os.open(folder, os.O_RDONLY | os.O_CLOEXEC)
    try:
        os.fsync(handle)
    except OSError as error:
        if error.errno not in (errno.EINVAL, errno.ENOTSUP, errno.EBADF):
            raise
    finally:
        os.close(handle)


def sweep_parts(folder: Path) -> int:
    """Remove the unfinished files in a folder whose writer is gone; how many there were. Never raises."""
    swept = 0
    try:
        names = [e.name for e in os.scandir(folder) if e.name.startswith(PART) and e.name.endswith(PART_END)]
    except OSError:
        return 0
    for name in names:
        swept += remove_if_free(folder / name)
    return swept


def remove_if_free(file: Path) -> bool:
    """Remove a file that nobody holds a lock on; whether it was removed. Never raises."""
    try:
        handle = _taken(file)
        if handle is None:
            return False
        try:
            file.unlink()
        finally:
            os.close(handle)
    except OSError:
        return False
    return True


def is_held(file: Path) -> bool:
    """Whether somebody holds a lock on a file; nobody does on one that is not there. Never raises."""
    try:
        handle = _taken(file)
    except OSError:
        return False
    if handle is not None:
        os.close(handle)
    return handle is None


def lock_file(file: Path) -> int | None:
    """Make a file if it is not there and lock it; its handle, None where another holds it. Raises OSError."""
    while (handle := _taken(file, os.O_CREAT)) is not None:
        with contextlib.suppress(OSError):
            if os.fstat(handle).st_ino == file.stat().st_ino:
                return handle
        os.close(handle)  # swept up between being made and being locked: once more
    return None


def _taken(file: Path, flags: int = 0) -> int | None:
    """A lock on a plain file: its handle, None where another holds it. Raises OSError for what cannot be opened, or is no file."""
    handle = os.open(file, os.O_RDWR | os.O_NONBLOCK | os.O_NOFOLLOW | os.O_CLOEXEC | flags, 0o600)
    try:
        if not stat.S_ISREG(os.fstat(handle).st_mode):
            raise OSError(errno.EINVAL, tr("it is no plain file"))
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        os.close(handle)
        return None
    except OSError:
        os.close(handle)
        raise
    return handle


def _why(error: Exception) -> str:
    return (error.strerror if isinstance(error, OSError) else "") or str(error)
