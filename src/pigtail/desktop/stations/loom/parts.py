"""What the pages of Build share: fields of millimetres, choices with "not said"."""

from __future__ import annotations

import enum
from collections.abc import Callable, Sequence
from typing import Any

from PyQt6.QtWidgets import QComboBox, QLineEdit

from pigtail.language import tr
from pigtail.units import UnreadableError, parse_quantity

#: What is answered by yes, no, or not at all.
YES_NO: tuple[tuple[str, Any], ...] = ((tr("not said"), None), (tr("yes"), True), (tr("no"), False))


def read_mm(text: str) -> float:
    """Millimetres from typed text; a number alone is millimetres, nothing is 0. Raises UnreadableError.

    >>> read_mm("6.5"), read_mm("6,5 mm"), read_mm("4 cm"), read_mm("")
    (6.5, 6.5, 40.0, 0.0)
    """
    text = text.strip()
    if not text:
        return 0.0
    millimetres = round(1e3 * parse_quantity(f"{text} mm" if text[-1].isdigit() else text, "m"), 4)
    if not 0 <= millimetres <= 5_000:
        raise UnreadableError(text, "m")
    return millimetres


def mm_text(value: float) -> str:
    """Millimetres as they are shown: nothing where nobody told."""
    return f"{value:g} mm" if value else ""


class MmField(QLineEdit):
    """A field of millimetres: `told` is called with a new value, `refused` with why a text is none."""

    def __init__(
        self, name: str, accessible: str, told: Callable[[float], None], refused: Callable[[str], None]
    ) -> None:
        super().__init__()
        self.setObjectName(name)
        self.setAccessibleName(accessible)
        self.setMaximumWidth(88)
        self._value = 0.0
        self._told, self._refused = told, refused
        self.editingFinished.connect(self._read)

    def set_value(self, value: float) -> None:
        """Show a value; a text being typed is left alone."""
        self._value = value
        if not (self.hasFocus() and self.isModified()):
            self.setText(mm_text(value))
            self.setModified(False)

    def _read(self) -> None:
        if not self.isModified():
            return
        try:
            value = read_mm(self.text())
        except UnreadableError as error:
            self._refused(str(error))
            return
        self.setModified(False)
        if value != self._value:
            self._told(value)


def choice(
    name: str, accessible: str, items: Sequence[tuple[str, Any]], told: Callable[[Any], None]
) -> QComboBox:
    """A choice that tells what the person chooses."""
    combo = QComboBox()
    combo.setObjectName(name)
    combo.setAccessibleName(accessible)
    for words, value in items:
        combo.addItem(words, value)
    combo.activated.connect(lambda k: told(combo.itemData(k)))
    return combo


def of_enum(kind: type[enum.Enum]) -> list[tuple[str, Any]]:
    """The members of an enumeration by their words."""
    return [(member.value, member) for member in kind]


def show_choice(combo: QComboBox, value: Any) -> None:
    """Show what is chosen."""
    combo.setCurrentIndex(max(next((k for k in range(combo.count()) if combo.itemData(k) == value), 0), 0))
