"""Saving a job over what is there: only over what was read or saved last, else it is asked."""

from __future__ import annotations

import enum
import os
import stat
from pathlib import Path

from pigtail.job.disk import Seen, same, seen_now, write_atomically, write_in_place
from pigtail.job.errors import FileError
from pigtail.job.file import Document, encode
from pigtail.job.held import saving
from pigtail.language import tr


class Obstacle(enum.Enum):
    """Why a save asks first, in words that follow the file's name."""

    CHANGED = "was changed by another program since it was opened here"
    STRANGE = "is there already and was not opened here"
    GONE = "is no longer there: it was moved or deleted since it was opened here"
    PROTECTED = "is protected against writing"
    LINKED = "has several names (hard links); saved anew, the others would keep the old contents"


class ObstacleError(FileError):
    """A save that needs a word first; `obstacle` says why."""

    def __init__(self, path: Path, obstacle: Obstacle) -> None:
        super().__init__(path, tr("the file {obstacle}; say what to do", obstacle=tr(obstacle.value)))
        self.obstacle = obstacle


def save_over(
    document: Document,
    path: Path,
    seen: Seen | None,
    allowed: frozenset[Obstacle] = frozenset(),
    folder: Path | None = None,
) -> Seen:
    """Save to a file that was last seen so, and see it then. Args: seen None where it should not be there; allowed: what was asked and
    agreed to; folder: of the locks. Raises ObstacleError for what was not agreed to, FileError where it cannot be written."""
    data = encode(document)
    target = Path(os.path.realpath(path))
    with saving(target, folder):
        for obstacle in _obstacles(target, path, seen):
            if obstacle not in allowed:
                raise ObstacleError(path, obstacle)
        try:
            several = target.stat().st_nlink > 1
        except OSError:
            several = False
        return write_in_place(target, data) if several else write_atomically(target, data)


def _obstacles(target: Path, path: Path, seen: Seen | None) -> list[Obstacle]:
    found = []
    try:
        now = seen_now(target)
        if not same(now, seen):
            found.append(Obstacle.GONE if now is None else Obstacle.CHANGED if seen else Obstacle.STRANGE)
        if now is not None:
            status = target.stat()
            if not status.st_mode & (stat.S_IWUSR | stat.S_IWGRP | stat.S_IWOTH):
                found.append(Obstacle.PROTECTED)
            if status.st_nlink > 1:
                found.append(Obstacle.LINKED)
    except OSError as error:
        raise FileError(
            path,
            tr(
                "what is there cannot be read ({value}); save under another name",
                value=error.strerror or error,
            ),
        ) from error
    return found


def free_name(path: Path) -> Path:
    """A name beside a file that nothing has yet: `deck.pigtail` → `deck (2).pigtail`."""
    number = 2
    while (found := path.with_name(f"{path.stem} ({number}){path.suffix}")).exists():
        number += 1
    return found
