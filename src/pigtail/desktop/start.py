"""Starting the window: the frame is painted first, then the rest is loaded behind it."""

from __future__ import annotations

import os
import sys
from functools import partial

from pigtail.language import language, tr

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # small matrices: more threads only cost start-up time

from PyQt6.QtCore import QLibraryInfo, QObject, QSettings, QTimer, QTranslator, pyqtSignal
from PyQt6.QtWidgets import QApplication

from pigtail.desktop import theme
from pigtail.desktop.window import MainWindow

TYPE_CHECKING = False
if TYPE_CHECKING:
    from argparse import Namespace
    from pathlib import Path
    from types import TracebackType

    from pigtail.desktop.assemble import Assembly
    from pigtail.desktop.work import Lane
    from pigtail.job.file import Document
    from pigtail.job.recovery import Left
    from pigtail.service.client import Helper
    from pigtail.studies.found import Studies

DEMO_TITLES = {"larkmoor": "Larkmoor Forty", "tidewell": "Tidewell Minor"}


class Opening:
    """What the window opens with: its title while it loads, and how the first job comes: ready made, or asked of
    the studies' process so that it is read and studied while the window is still being assembled."""

    def __init__(
        self, title: str = "", document: Document | None = None, path: Path | None = None, demo: str = ""
    ) -> None:
        self.title, self.document, self.path, self.demo = title, document, path, demo

    def fetch(self, helper: Helper | None) -> tuple[Document | None, Studies | None]:
        """The first job and its studies; runs in the background."""
        if self.demo:
            from pigtail.desktop.stations import first_station, station_class
            from pigtail.service.client import Inside
            from pigtail.service.services import first_demo

            found = (helper or Inside()).call(first_demo, self.demo)
            station_class(first_station(found[1]))  # loaded here, so that the window need not wait for it
            return found
        return self.document, None


class Loader(QObject):
    """Loads the program and the first job behind the painted frame, then assembles the window."""

    assembled = pyqtSignal(object)

    def __init__(self, window: MainWindow, opening: Opening, helper: Helper | None = None) -> None:
        super().__init__(window)
        self.window, self.opening, self.helper = window, opening, helper
        self.assembly: Assembly | None = None
        self._whole = False
        self.lanes: list[Lane] = []
        self._first: tuple[Document | None, Studies | None] | None = None
        window.face.painted.connect(lambda: QTimer.singleShot(0, self.begin))

    def begin(self) -> None:
        """Load the program in one lane, have the first job read and studied in another."""
        from pigtail.desktop.work import Lane

        self.lanes = [Lane("load", self), Lane("fetch", self)]
        self.lanes[1].submit(
            "fetch", lambda: self.opening.fetch(self.helper), self._fetched, self._not_loaded
        )
        self.lanes[0].submit("load", _load, self._loaded, self._not_loaded)

    def _loaded(self, left: Left) -> None:
        from pigtail.desktop.assemble import Assembly

        self.left = left
        self.assembly = Assembly(self.window, helper=self.helper)
        self.assembled.emit(self.assembly)
        self._steps = list(self.assembly.steps())
        QTimer.singleShot(0, self._next_step)

    def _next_step(self) -> None:
        """One step of the assembly a turn, so that the window answers meanwhile."""
        if self._steps:
            self._steps.pop(0)()
            QTimer.singleShot(0, self._next_step)
        else:
            self._whole = True
            self._show()

    def _fetched(self, first: tuple[Document | None, Studies | None]) -> None:
        self._first = first
        self._show()

    def _show(self) -> None:
        """Put the first job on view once both it and the window are there."""
        if self.assembly is None or not self._whole or self._first is None:
            return
        document, studies = self._first
        if document is not None:
            self.assembly.files.start(document, self.opening.path, studies=studies)
        else:
            self.assembly.show_empty()
        self.assembly.files.offer_leftovers(self.left)
        if self.assembly.session.trouble:
            self.assembly.tell(self.assembly.session.trouble)

    def _not_loaded(self, error: BaseException) -> None:
        self.window.message.tell(tr("The job could not be opened: {error}", error=error))

    def close(self) -> None:
        """End all background work; none of it is waited for longer than a moment."""
        from pigtail.desktop.work import CLOSING_S

        if self.helper is not None:
            self.helper.close()
        for lane in self.lanes:
            lane.close(CLOSING_S)
        if self.assembly is not None:
            self.assembly.close()


def _load() -> Left:
    """Import what is heavy, off the main thread; sweeps up after killed programs and returns what they left."""
    import pigtail.desktop.assemble  # noqa: F401
    from pigtail.job.held import sweep_locks
    from pigtail.job.recovery import leftovers

    sweep_locks()
    return leftovers()


def make_application(arguments: list[str]) -> QApplication:
    """The application with our fonts, the remembered theme and size of text."""
    if QApplication.instance() is None and "QT_SCALE_FACTOR" not in os.environ:
        size = theme.text_size(QSettings("pigtail", "pigtail"))
        if size != 100:
            os.environ["QT_SCALE_FACTOR"] = f"{size / 100:g}"
    application = QApplication.instance() or QApplication(arguments)
    assert isinstance(application, QApplication)
    application.setApplicationName("pigtail")
    application.setDesktopFileName("pigtail")
    application.setStyle("Fusion")
    theme.load_fonts()
    _speak(application)
    settings = QSettings("pigtail", "pigtail")
    theme.apply(application, theme.named(str(settings.value("theme", "system")), application))
    if (hints := application.styleHints()) is not None:
        hints.colorSchemeChanged.connect(lambda _scheme: _follow(application))
    return application


def _speak(application: QApplication) -> None:
    """Let Qt's own words, on buttons and in file dialogs, be in the language of the window."""
    if language() == "en":
        return
    words = QTranslator(application)
    if words.load(f"qtbase_{language()}", QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath)):
        application.installTranslator(words)


def _follow(application: QApplication) -> None:
    """The system turned light or dark: so does the window, unless one of both was chosen."""
    if str(QSettings("pigtail", "pigtail").value("theme", "system")) == "system":
        theme.apply(application, theme.named("system", application))
        for window in application.topLevelWidgets():
            window.update()


def run_window(options: Namespace, helper: Helper) -> int:
    """Run `demo` or `open`; exit 2 with one sentence when the file cannot be used."""
    opening = Opening()
    if options.command == "demo":
        if options.name not in DEMO_TITLES:
            print(
                f"pigtail: there is no demo “{options.name}”; choose {' or '.join(DEMO_TITLES)}",
                file=sys.stderr,
            )
            return 2
        opening = Opening(DEMO_TITLES[options.name], demo=options.name)
    elif options.file is not None:
        if _shown_elsewhere(options.file):
            return 0
        found = _opened(options.file)
        if found is None:
            return 2
        opening = Opening(options.file.name, *found)
    if not any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")):
        print(
            "pigtail: there is no screen to open a window on; start it from a desktop, or set DISPLAY",
            file=sys.stderr,
        )
        return 2
    application = make_application([sys.argv[0]])
    window = MainWindow(opening.title)
    window.place(QSettings("pigtail", "pigtail"))
    sys.excepthook = partial(told, window)
    loader = Loader(window, opening, helper)
    window.show()
    code = application.exec()
    loader.close()
    return code


def told(
    window: MainWindow, kind: type[BaseException], error: BaseException, trace: TracebackType | None
) -> None:
    """Whatever goes wrong in the window is told in it; the job and its recovery file stay as they are."""
    from traceback import format_exception

    from pigtail.job.journal import note

    sys.__excepthook__(kind, error, trace)
    note("".join(format_exception(kind, error, trace)))
    window.message.tell(
        tr(
            "Something went wrong ({name}: {error}). Nothing is lost: undo the last edit, or save.",
            name=kind.__name__,
            error=error,
        )
    )


def _shown_elsewhere(path: Path) -> bool:
    """Whether a file is open in a window already, which then shows itself."""
    from pigtail.job.held import owner_of, show_owner

    owner = owner_of(path)
    if owner is None or not show_owner(owner):
        return False
    print(f"pigtail: {path.name} is open already; its window is shown", file=sys.stderr)
    return True


def _opened(path: Path) -> tuple[Document, Path] | None:
    """The document of a job file, or of a pack, which is unpacked beside it; with the path of its job file."""
    from pigtail.catalogue.opening import open_job
    from pigtail.job.errors import JobError

    try:
        if path.suffix == ".zip":
            from pigtail.job.pack import open_beside

            path = open_beside(path)
        return open_job(path), path
    except JobError as error:
        print(f"pigtail: {error}", file=sys.stderr)
        return None
