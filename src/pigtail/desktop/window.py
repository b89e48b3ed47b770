"""The window's frame: lead, tell-tales, the place of the station, Why, the bench strip and the line for messages.

It opens at once and knows nothing of jobs; `assemble` fills it when the rest of the program is loaded.
"""

from __future__ import annotations

import os

from PyQt6.QtCore import QSettings, Qt, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QPaintEvent
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from pigtail.desktop.lead import Lead
from pigtail.desktop.suffixes import TAKEN
from pigtail.desktop.telltales import TellTales
from pigtail.language import tr

WHY_WIDTH, STRIP_HEIGHT = 292, 82
USUAL_SIZE, LEAST_SIZE = (1280, 800), (1000, 620)
#: What a title bar and the window's edges take [px].
FRAME = (8, 40)

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable


class MessageLine(QFrame):
    """One sentence at a time, with at most two things to do about it."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.words = QLabel()
        self.words.setObjectName("message")
        self.words.setWordWrap(True)
        self.words.setTextFormat(Qt.TextFormat.PlainText)
        self.buttons = QHBoxLayout()
        self._made: list[QPushButton] = []
        self.away = QPushButton(tr("Close"))
        self.away.setObjectName("message_close")
        self.away.setAccessibleName(tr("Close the message"))
        self.away.clicked.connect(self.hide)
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 5, 6, 5)
        row.addWidget(self.words, 1)
        row.addLayout(self.buttons)
        row.addWidget(self.away)
        self.hide()

    def tell(self, sentence: str, actions: tuple[tuple[str, Callable[[], None]], ...] = ()) -> None:
        """Show a sentence and what can be done."""
        for button in self._made:
            button.setParent(None)
            button.deleteLater()
        self._made = []
        self.words.setText(sentence)
        self.words.setAccessibleName(sentence)
        for words, act in actions:
            button = QPushButton(words)
            button.setObjectName("message_action")
            button.clicked.connect(self.hide)
            button.clicked.connect(lambda _c, act=act: act())
            self.buttons.addWidget(button)
            self._made.append(button)
        self.show()


class _Face(QWidget):
    """The central widget; tells when it was painted for the first time."""

    painted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._seen = False

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        if not self._seen:
            self._seen = True
            self.painted.emit()


def _blank(name: str) -> QFrame:
    frame = QFrame()
    frame.setObjectName("panel")
    frame.setAccessibleName(name)
    return frame


class MainWindow(QMainWindow):
    """The frame. `ready` is emitted by the assembly when the first job is on view and studied."""

    ready = pyqtSignal()
    dropped = pyqtSignal(list)

    def __init__(self, opening: str = "") -> None:
        super().__init__()
        self.setObjectName("main_window")
        self.setWindowTitle("Pigtail")
        self.setAcceptDrops(True)
        self.resize(*USUAL_SIZE)
        self.setMinimumSize(*LEAST_SIZE)
        self._settings: QSettings | None = None
        self.may_close: Callable[[], bool] = lambda: True
        self.face = _Face()
        self.lead, self.telltales, self.message = Lead(), TellTales(), MessageLine()
        self.stations = QStackedWidget()
        self._waiting = QLabel()
        self._waiting.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._waiting.setObjectName("dim")
        self.stations.addWidget(self._waiting)
        self.show_words(tr("Opening {opening}…", opening=opening) if opening else tr("Opening…"))
        self.why: QFrame = _blank(tr("Why"))
        self.why.setFixedWidth(WHY_WIDTH)
        self.strip: QFrame = _blank(tr("Bench strip"))
        self.strip.setMinimumHeight(STRIP_HEIGHT)
        self._lay_out()

    def _lay_out(self) -> None:
        self.middle = QHBoxLayout()
        self.middle.setSpacing(8)
        centre = QVBoxLayout()
        centre.setSpacing(8)
        centre.addWidget(self.telltales)
        centre.addWidget(self.message)
        work = QHBoxLayout()
        work.setSpacing(8)
        work.addWidget(self.stations, 1)
        work.addWidget(self.why)
        centre.addLayout(work, 1)
        self._work = work
        self.middle.addWidget(self.lead)
        self.middle.addLayout(centre, 1)
        outer = QVBoxLayout(self.face)
        outer.setContentsMargins(8, 6, 10, 8)
        outer.setSpacing(8)
        outer.addLayout(self.middle, 1)
        outer.addWidget(self.strip)
        self._outer = outer
        self.setCentralWidget(self.face)

    def show_words(self, words: str) -> None:
        """Show words in the place of the station while there is no job."""
        self._waiting.setText(words)
        self.stations.setCurrentWidget(self._waiting)

    def put_why(self, why: QFrame) -> None:
        """Put the real Why in the place kept for it."""
        self._work.replaceWidget(self.why, why)
        self.why.setParent(None)
        self.why.deleteLater()
        self.why = why

    def put_strip(self, strip: QFrame) -> None:
        """Put the real bench strip in the place kept for it."""
        self._outer.replaceWidget(self.strip, strip)
        self.strip.setParent(None)
        self.strip.deleteLater()
        self.strip = strip

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event else None
        if event is not None and data is not None and _taken(data.urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event else None
        paths = _taken(data.urls()) if data is not None else []
        if event is not None and paths:
            event.acceptProposedAction()
            self.dropped.emit(paths)

    def place(self, settings: QSettings) -> None:
        """Put the window where it was left last time, else in the middle; in any case inside the screen."""
        self._settings = settings
        screen = self.screen()
        if screen is not None:
            free, (across, down) = screen.availableGeometry(), FRAME
            width, height = (
                min(USUAL_SIZE[0], free.width() - across),
                min(USUAL_SIZE[1], free.height() - down),
            )
            self.setMinimumSize(min(LEAST_SIZE[0], width), min(LEAST_SIZE[1], height))
            self.resize(width, height)
        kept = settings.value("geometry")
        if kept is not None:
            self.restoreGeometry(kept)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if event is None:
            return
        if self.may_close():
            if self._settings is not None:
                self._settings.setValue("geometry", self.saveGeometry())
            event.accept()
        else:
            event.ignore()


def _taken(urls: list) -> list[str]:  # type: ignore[type-arg]
    """Paths of the local files among dropped addresses that something can be done with."""
    return [u.toLocalFile() for u in urls if u.isLocalFile() and u.toLocalFile().lower().endswith(TAKEN)]


def icon_path() -> str:
    """Path of the program's icon."""
    return os.path.join(os.path.dirname(__file__), "data", "pigtail.svg")
