"""Pictures and pages for the window: decoded by a process of their own within limits, beside the window's work, and kept for a while."""

from __future__ import annotations

import os
import subprocess
import sys
import threading
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject
from PyQt6.QtGui import QImage

from pigtail.desktop.decoder import ANSWERED, ASKED, LOOK, PAGES, PIXELS, REFUSED, SHOW
from pigtail.desktop.work import CLOSING_S, Lane
from pigtail.job.disk import read_whole
from pigtail.job.errors import FileError
from pigtail.language import tr

if TYPE_CHECKING:
    from collections.abc import Callable

#: The largest file that is decoded [bytes], and how long its decoding may take [s].
MOST_BYTES, SECONDS = 100_000_000, 6.0
#: How much of what was decoded is kept [bytes].
MOST_KEPT = 200_000_000


class Decoding:
    """Decodes one file after another; `stop` ends the one under way, from any thread."""

    def __init__(self) -> None:
        self._process: subprocess.Popen[bytes] | None = None
        self._lock = threading.Lock()
        self._stopped = False

    def pages(self, path: Path) -> int:
        """How many pages a PDF has; 0 for a picture. Raises FileError for what is neither."""
        return self._ask(path, LOOK, 0)[1]

    def image(self, path: Path, page: int = 0) -> QImage:
        """A picture, or a page of a PDF counted from 1. Raises FileError for what cannot be shown."""
        _, width, height, pixels = self._ask(path, SHOW, page)
        return QImage(pixels, width, height, 4 * width, QImage.Format.Format_RGB32).copy()

    def _ask(self, path: Path, asked: bytes, page: int) -> tuple[bytes, int, int, bytes]:
        data = read_whole(path, MOST_BYTES, "picture")
        with self._lock:
            if self._stopped:
                raise FileError(path, tr("the window closes"))
            self._process = subprocess.Popen(
                [sys.executable, "-m", "pigtail.desktop.decoder"],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL,
                env=os.environ | {"QT_QPA_PLATFORM": "offscreen"},
            )
        try:
            answer, _ = self._process.communicate(ASKED.pack(asked, page, len(data)) + data, timeout=SECONDS)
        except subprocess.TimeoutExpired as error:
            raise FileError(path, tr("the picture takes too long to decode; save it anew as PNG")) from error
        finally:
            self._process.kill()
            self._process.communicate()
        if len(answer) < ANSWERED.size:
            raise FileError(
                path, tr("the picture takes more time or memory than any does; save it anew as PNG")
            )
        word, first, second, size = ANSWERED.unpack(answer[: ANSWERED.size])
        body = answer[ANSWERED.size :]
        if word == REFUSED:
            raise FileError(
                path, tr("it {decode}; choose another file", decode=body.decode("utf-8", "replace"))
            )
        if (
            len(body) != size
            or word not in (PAGES, PIXELS)
            or (word == PIXELS and size != 4 * first * second)
        ):
            raise FileError(path, tr("the picture cannot be decoded; save it anew as PNG"))
        return word, first, second, body

    def stop(self) -> None:
        """End what is under way."""
        with self._lock:
            self._stopped = True
            if self._process is not None:
                self._process.kill()


class Images(QObject):
    """The pictures of the open job, fetched beside the window's work."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._lane: Lane | None = None
        self._decoding = Decoding()
        self._kept: dict[tuple[str, str, int], QImage] = {}
        self._asked: dict[tuple[str, str, int], list[Callable[[QImage], None]]] = {}

    def fetch(
        self, folder: Path | None, file: str, sha256: str, page: int, done: Callable[[QImage], None]
    ) -> None:
        """Give a picture beside a job to `done`: at once if it was decoded already, else once it is; a null image for what cannot be."""
        path = beside(folder, file)
        key = (str(path), sha256, page)
        if path is None:
            done(QImage())
        elif key in self._kept:
            image = self._kept[key] = self._kept.pop(key)
            done(image)
        elif key in self._asked:
            self._asked[key].append(done)
        else:
            self._asked[key] = [done]
            self._run(
                f"{key}",
                lambda: self._decoding.image(path, page),
                lambda image: self._have(key, image),
                lambda _: self._have(key, QImage()),
            )

    def look(self, path: Path, done: Callable[[int], None], failed: Callable[[BaseException], None]) -> None:
        """Tell how many pages a PDF has, 0 for a picture."""
        self._run(tr("look {path}", path=path), lambda: self._decoding.pages(path), done, failed)

    def _run(
        self,
        kind: str,
        task: Callable[[], object],
        done: Callable[..., None],
        failed: Callable[[BaseException], None],
    ) -> None:
        if self._lane is None:
            self._lane = Lane("pictures", self)
        self._lane.submit(kind, task, done, failed)

    def _have(self, key: tuple[str, str, int], image: QImage) -> None:
        self._kept[key] = image
        while sum(i.sizeInBytes() for i in self._kept.values()) > MOST_KEPT and len(self._kept) > 1:
            del self._kept[next(iter(self._kept))]
        for done in self._asked.pop(key, []):
            done(image)

    @property
    def idle(self) -> bool:
        """Whether no picture is being decoded."""
        return self._lane is None or self._lane.idle

    def close(self) -> None:
        """End what is being decoded."""
        self._decoding.stop()
        if self._lane is not None:
            self._lane.close(CLOSING_S)


def beside(folder: Path | None, file: str) -> Path | None:
    """The path of a file beside a job; None where it is not there, or leads out of the job's folder."""
    if folder is None:
        return None
    path = folder / file
    try:
        inside = path.resolve().is_relative_to(folder.resolve())
        return path if inside and path.is_file() else None
    except (OSError, ValueError, RuntimeError):
        return None
