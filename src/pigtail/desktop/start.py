"""Starting the window: the frame is painted first, then the rest is loaded behind it."""

from __future__ import annotations

import os
import sys
from argparse import Namespace
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # small matrices: more threads only cost start-up time

from PyQt6.QtCore import QObject, QSettings, QTimer, pyqtSignal
from PyQt6.QtWidgets import QApplication

from pigtail.desktop import theme
from pigtail.desktop.window import MainWindow

if TYPE_CHECKING:
    from pigtail.desktop.assemble import Assembly
    from pigtail.job.file import Document
    from pigtail.job.recovery import Leftover

DEMO_TITLES = {"larkmoor": "Larkmoor Forty", "tidewell": "Tidewell Minor"}
#: Seconds a thread may hold the interpreter before another gets its turn; short, so that the window stays alive
#: while studies run beside it.
TURN_S = 0.0001


class Loader(QObject):
    """Loads the program and the first job behind the painted frame, then assembles the window."""

    assembled = pyqtSignal(object)

    def __init__(self, window: MainWindow, first: Callable[[], tuple[Document, Path | None] | None]) -> None:
        super().__init__(window)
        self.window, self.first = window, first
        self.assembly: Assembly | None = None
        window.face.painted.connect(lambda: QTimer.singleShot(0, self.begin))

    def begin(self) -> None:
        """Import what is heavy in the background."""
        from pigtail.desktop.work import Lane

        self.lane = Lane("load", self)
        self.lane.submit("load", self._load, self._loaded, self._not_loaded)

    def _load(self) -> tuple[tuple[Document, Path | None] | None, list[Leftover]]:
        import pigtail.desktop.assemble  # noqa: F401  the heavy imports happen here, off the main thread
        from pigtail.job.recovery import leftovers

        return self.first(), leftovers()

    def _loaded(self, found: tuple[tuple[Document, Path | None] | None, list[Leftover]]) -> None:
        from pigtail.desktop.assemble import Assembly

        opened, left = found
        self.assembly = Assembly(self.window)
        self.assembled.emit(self.assembly)
        QTimer.singleShot(0, lambda: self._show(opened, left))

    def _show(self, opened: tuple[Document, Path | None] | None, left: list[Leftover]) -> None:
        assert self.assembly is not None
        if opened is not None:
            self.assembly.start(*opened)
        else:
            self.assembly.show_empty()
        self.assembly.offer_leftovers(left)

    def _not_loaded(self, error: BaseException) -> None:
        self.window.message.tell(f"The job could not be opened: {error}")

    def close(self) -> None:
        """End all background work."""
        if hasattr(self, "lane"):
            self.lane.close()
        if self.assembly is not None:
            self.assembly.close()


def make_application(arguments: list[str]) -> QApplication:
    """The application with our fonts and the remembered theme."""
    application = QApplication.instance() or QApplication(arguments)
    assert isinstance(application, QApplication)
    application.setApplicationName("pigtail")
    application.setDesktopFileName("pigtail")
    application.setStyle("Fusion")
    theme.load_fonts()
    chosen = QSettings("pigtail", "pigtail").value("theme", "light")
    theme.apply(application, theme.DARK if chosen == "dark" else theme.LIGHT)
    return application


def run_window(options: Namespace) -> int:
    """Run `demo`, `open` or `shots`; exit 2 with one sentence when the file cannot be used."""
    if options.command == "shots":
        from pigtail.desktop.shots import run_shots

        return run_shots(options.folder)
    opening, first = "", None
    if options.command == "demo":
        if options.name not in DEMO_TITLES:
            print(
                f"pigtail: there is no demo “{options.name}”; choose {' or '.join(DEMO_TITLES)}",
                file=sys.stderr,
            )
            return 2
        opening, first = DEMO_TITLES[options.name], _demo(options.name)
    elif options.file is not None:
        opened = _opened(options.file)
        if opened is None:
            return 2
        opening, first = options.file.name, lambda: opened
    application = make_application([sys.argv[0]])
    sys.setswitchinterval(TURN_S)
    window = MainWindow(opening)
    loader = Loader(window, first or (lambda: None))
    window.show()
    code = application.exec()
    loader.close()
    return code


def _demo(name: str) -> Callable[[], tuple[Document, Path | None]]:
    def load() -> tuple[Document, Path | None]:
        from pigtail.catalogue.demo import demo

        return demo(name), None

    return load


def _opened(path: Path) -> tuple[Document, Path] | None:
    from pigtail.job.errors import JobError
    from pigtail.job.file import load

    try:
        return load(path), path
    except JobError as error:
        print(f"pigtail: {error}", file=sys.stderr)
        return None
