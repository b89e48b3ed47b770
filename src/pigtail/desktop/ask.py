"""The questions that need a dialog, one function each."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QMessageBox, QWidget

FILTER = "Pigtail jobs (*.pigtail);;All files (*)"


def open_path(parent: QWidget, folder: str) -> Path | None:
    """Which job file to open."""
    chosen, _ = QFileDialog.getOpenFileName(parent, "Open a job", folder, FILTER)
    return Path(chosen) if chosen else None


def save_path(parent: QWidget, suggestion: str) -> Path | None:
    """Where to save the job; `.pigtail` is added when no ending was typed."""
    chosen, _ = QFileDialog.getSaveFileName(parent, "Save the job as", suggestion, FILTER)
    if not chosen:
        return None
    path = Path(chosen)
    return path if path.suffix else path.with_suffix(".pigtail")


def folder(parent: QWidget, start: str) -> Path | None:
    """Which folder the sheet goes into."""
    chosen = QFileDialog.getExistingDirectory(parent, "Folder for the sheet", start)
    return Path(chosen) if chosen else None


def save_before_leaving(parent: QWidget, name: str) -> str:
    """What to do with unsaved work: "save", "leave" or "stay"."""
    buttons = QMessageBox.StandardButton
    box = QMessageBox(parent)
    box.setWindowTitle("Pigtail")
    box.setText(f"“{name}” is not saved.")
    box.setInformativeText("Save it before leaving?")
    box.setStandardButtons(buttons.Save | buttons.Discard | buttons.Cancel)
    box.setDefaultButton(buttons.Save)
    answer = box.exec()
    return {buttons.Save.value: "save", buttons.Discard.value: "leave"}.get(answer, "stay")


def tell(parent: QWidget, title: str, text: str) -> None:
    """A short text in a box of its own."""
    QMessageBox.about(parent, title, text)
