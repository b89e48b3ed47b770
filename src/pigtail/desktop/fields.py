"""Fields for engineering values: typed text, arrow keys and wheel along the preferred series, Esc gives up."""

from __future__ import annotations

import math

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QWheelEvent
from PyQt6.QtWidgets import QComboBox, QLineEdit, QWidget

from pigtail.units import PLAIN, Sort, UnreadableError, format_quantity, parse_known, parse_quantity
from pigtail.units.known import Basis, Known
from pigtail.units.series import step


class ValueField(QLineEdit):
    """A value in SI units of one unit. `committed` tells a new value once it was typed or stepped;
    `refused` tells why a text is no value. A figure without a series is stepped by `by`, up to `most`."""

    committed = pyqtSignal(float)
    refused = pyqtSignal(str)

    def __init__(
        self,
        unit: str,
        series: str = "",
        parent: QWidget | None = None,
        *,
        by: float = 0.0,
        most: float = math.inf,
    ) -> None:
        super().__init__(parent)
        self.unit, self.series, self._by, self._most = unit, series, by, most
        self._value: float | None = None
        self.returnPressed.connect(self.commit)
        self.textEdited.connect(lambda _text: self._mark())

    @property
    def value(self) -> float | None:
        """The value shown, None for none."""
        return self._value

    def set_value(self, value: float | None) -> None:
        """Show a value; a text being typed is left alone."""
        self._value = value
        if not (self.hasFocus() and self.isModified()):
            self.setText("" if value is None else format_quantity(value, self.unit, 4))
            self.setModified(False)
            self._mark()

    def commit(self) -> None:
        """Read the text and tell its value, or why it is none."""
        if not self.isModified():
            return
        try:
            value = parse_quantity(self.text(), self.unit)
        except UnreadableError as error:
            self._mark(str(error))
            self.refused.emit(str(error))
            return
        self.setModified(False)
        self._tell(value)

    def _tell(self, value: float) -> None:
        self._mark()
        if value != self._value:
            self._value = value
            self.setText(format_quantity(value, self.unit, 4))
            self.committed.emit(value)

    def _mark(self, reason: str = "") -> None:
        mark_wrong(self, reason)

    def _step(self, by: int) -> None:
        if self._value is None or self.isReadOnly():
            return
        if self.series and self._value > 0:
            self.setModified(False)
            self._tell(step(self._value, self.series, by))
        elif self._by and 0 < (value := round(self._value + by * self._by, 6)) <= self._most:
            self.setModified(False)
            self._tell(value)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down) and (self.series or self._by):
            self._step(1 if event.key() == Qt.Key.Key_Up else -1)
        elif event.key() == Qt.Key.Key_Escape and self.isModified():
            self.setModified(False)
            self.set_value(self._value)
        else:
            super().keyPressEvent(event)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None and self.hasFocus() and event.angleDelta().y():
            self._step(1 if event.angleDelta().y() > 0 else -1)
            event.accept()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        self.commit()
        super().focusOutEvent(event)


def mark_wrong(entry: QLineEdit, reason: str) -> None:
    """Mark a field whose text is no value; its tip is the reason, and what it was before once there is none."""
    wrong = bool(reason)
    if bool(entry.property("wrong")) != wrong:
        if wrong:
            entry.setProperty("tip_before", entry.toolTip())
        else:
            entry.setToolTip(entry.property("tip_before") or "")
        entry.setProperty("wrong", wrong)
        style = entry.style()
        if style is not None:
            style.unpolish(entry)
            style.polish(entry)
    if wrong:
        entry.setToolTip(reason)


def read_known(text: str, unit: str, basis: Basis, source: str, sort: Sort = PLAIN) -> Known | None:
    """A Known from typed text, None for empty text and what stands for not known; raises UnreadableError."""
    return None if text.strip() in ("", "?", "—") else parse_known(text, unit, basis, source, sort)


def fill_combo(combo: QComboBox, items: list[tuple[str, str]]) -> None:
    """Offer items under the same choice as before where it is still there."""
    now = [(combo.itemText(k), combo.itemData(k)) for k in range(combo.count())]
    if now == items:
        return
    chosen = combo.currentData()
    combo.blockSignals(True)
    combo.clear()
    for words, value in items:
        combo.addItem(words, value)
    combo.setCurrentIndex(max(combo.findData(chosen), 0))
    combo.blockSignals(False)
