"""A typed value that can hardly be is asked back at once: one key takes what was probably meant, the same key again keeps it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QLineEdit

from pigtail.desktop.probing import slip_text
from pigtail.language import tr

if TYPE_CHECKING:
    from pigtail.job.ask import Ask
    from pigtail.job.document import Job


class Doubt(QObject):
    """Watches the field of a reading. `taken` tells that what was probably meant now stands in it."""

    taken = pyqtSignal()

    def __init__(self, field: QLineEdit) -> None:
        super().__init__(field)
        self._field = field
        self._doubted = self._meant = ""
        field.installEventFilter(self)

    def question(self, job: Job, ask: Ask) -> str:
        """What is asked back of the value in the field; empty where it may be, or is insisted on."""
        text = self._field.text().strip()
        if text and text == self._doubted:
            self._doubted = self._meant = ""
            return ""
        slip = slip_text(job, ask, text)
        self._doubted, self._meant = (text, slip[1]) if slip is not None else ("", "")
        return (
            tr("{slip}  Y takes {slip2}, Enter keeps {text}.", slip=slip[0], slip2=slip[1], text=text)
            if slip is not None
            else ""
        )

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Y takes what was probably meant while a question stands."""
        pressed = isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress
        stands = self._meant and self._field.text().strip() == self._doubted
        if pressed and stands and isinstance(event, QKeyEvent) and event.key() == Qt.Key.Key_Y:
            self._field.setText(self._meant)
            self._doubted = self._meant = ""
            self.taken.emit()
            return True
        return super().eventFilter(watched, event)
