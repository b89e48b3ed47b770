"""A tip for every control: its own, else what it is called for those who hear the screen."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractScrollArea,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QLineEdit,
    QPushButton,
    QWidget,
)

#: What a person can take hold of.
CONTROLS = (QAbstractButton, QComboBox, QLineEdit, QAbstractScrollArea)


def tip_all(root: QWidget) -> None:
    """Give each control below a widget that has no tip yet the words by which it is known."""
    for kind in CONTROLS:
        for control in root.findChildren(kind):
            if control.focusPolicy() == Qt.FocusPolicy.NoFocus or control.toolTip():
                continue
            words = control.accessibleName() or (
                control.text() if isinstance(control, QAbstractButton) else ""
            )
            if words:
                control.setToolTip(words.replace("&", ""))


class Dialog(QDialog):
    """A dialog of the house: every control in it has a tip."""

    def answers(self, go: str) -> tuple[QDialogButtonBox, QPushButton]:
        """The buttons that end it: one that does what is asked, by its words, and Cancel."""
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        main = buttons.addButton(go, QDialogButtonBox.ButtonRole.AcceptRole)
        assert main is not None
        main.setObjectName("main")
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        return buttons, main

    def showEvent(self, event: QShowEvent | None) -> None:
        tip_all(self)
        super().showEvent(event)
