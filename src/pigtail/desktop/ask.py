"""The questions that need a dialog, one function each."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import (
    QDialogButtonBox,
    QFileDialog,
    QFormLayout,
    QInputDialog,
    QLabel,
    QLineEdit,
    QMessageBox,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from pigtail.desktop.tips import Dialog
from pigtail.job.logbook import FileKind
from pigtail.job.recovery import FILES
from pigtail.job.saving import Obstacle
from pigtail.language import tr

FILTER = tr("Pigtail jobs (*.pigtail);;All files (*)")
OPEN_FILTER = tr("Pigtail jobs and packs (*.pigtail *.pigtail.zip);;All files (*)")


def _visible(folder: str) -> str:
    """Where a choice of files begins: not in the hidden folder of a job that has no file yet."""
    return str(Path.home()) if folder.endswith(FILES) else folder


def open_path(parent: QWidget, folder: str) -> Path | None:
    """Which job file to open."""
    chosen, _ = QFileDialog.getOpenFileName(parent, tr("Open a job or a pack"), folder, OPEN_FILTER)
    return Path(chosen) if chosen else None


def stand_in_path(parent: QWidget, folder: str) -> Path | None:
    """Which truth file to serve."""
    chosen, _ = QFileDialog.getOpenFileName(
        parent, tr("Open a stand-in"), folder, tr("Stand-ins (*.standin);;All files (*)")
    )
    return Path(chosen) if chosen else None


def picture_paths(parent: QWidget, folder: str) -> list[Path]:
    """Which photos or pages to add."""
    chosen, _ = QFileDialog.getOpenFileNames(
        parent,
        tr("Add photos or papers"),
        _visible(folder),
        tr("Pictures and papers (*.png *.jpg *.jpeg *.webp *.pdf);;All files (*)"),
    )
    return [Path(c) for c in chosen]


def pages(parent: QWidget, name: str, count: int) -> str:
    """Which pages of a paper to add: `all`, or some as `2, 5-7`; empty for none."""
    words = tr("{name} has {count} pages. Which of them? (all, or some as 2, 5-7)", name=name, count=count)
    text, done = QInputDialog.getText(parent, tr("Pages of a paper"), words, text="1")
    return text if done else ""


def record_paths(parent: QWidget, folder: str, what: str) -> list[Path]:
    """Which photos, or which recording of an original sound, to file."""
    sound = what == FileKind.SOUND.value
    words, kinds = (
        (tr("File a recording"), tr("Recordings (*.wav)"))
        if sound
        else (tr("File photos"), tr("Pictures (*.png *.jpg *.jpeg *.webp)"))
    )
    chosen, _ = QFileDialog.getOpenFileNames(
        parent, words, _visible(folder), tr("{kinds};;All files (*)", kinds=kinds)
    )
    return [Path(c) for c in chosen]


def pack_path(parent: QWidget, suggested: str) -> Path | None:
    """Where a pack is written to."""
    chosen, _ = QFileDialog.getSaveFileName(
        parent, tr("Write a pack"), suggested, tr("Packs (*.pigtail.zip);;All files (*)")
    )
    if not chosen:
        return None
    return Path(chosen) if chosen.endswith(".zip") else Path(f"{chosen}.pigtail.zip")


def readings_path(parent: QWidget, folder: str) -> Path | None:
    """Which file of readings to take in."""
    chosen, _ = QFileDialog.getOpenFileName(
        parent, tr("Import readings"), folder, tr("Tables (*.csv *.tsv *.txt);;All files (*)")
    )
    return Path(chosen) if chosen else None


def line(parent: QWidget, title: str, words: str, text: str = "") -> str | None:
    """One line of text."""
    found, fine = QInputDialog.getText(parent, title, words, text=text)
    return found.strip() if fine and found.strip() else None


def number(parent: QWidget, title: str, words: str, value: int, low: int, high: int) -> int | None:
    """A whole number."""
    found, fine = QInputDialog.getInt(parent, title, words, value, low, high)
    return found if fine else None


def save_path(parent: QWidget, suggestion: str) -> Path | None:
    """Where to save the job; `.pigtail` is added when no ending was typed."""
    chosen, _ = QFileDialog.getSaveFileName(parent, tr("Save the job as"), suggestion, FILTER)
    if not chosen:
        return None
    path = Path(chosen)
    return path if path.suffix else path.with_suffix(".pigtail")


DEVICES = tr("Modules and hosts (*.pigtail-device);;All files (*)")


def device_target(parent: QWidget, name: str) -> Path | None:
    """Where a module or host is written to."""
    start = Path.home() / f"{file_name(name)}.pigtail-device"
    chosen, _ = QFileDialog.getSaveFileName(parent, tr("Write it to a file"), str(start), DEVICES)
    if not chosen:
        return None
    path = Path(chosen)
    return path if path.suffix else path.with_suffix(".pigtail-device")


def device_source(parent: QWidget) -> Path | None:
    """Which file of a module or host to read."""
    chosen, _ = QFileDialog.getOpenFileName(
        parent, tr("Read a module or host from a file"), str(Path.home()), DEVICES
    )
    return Path(chosen) if chosen else None


def file_name(name: str) -> str:
    """A name for a file, made of what something is called."""
    kept = "".join(c if c.isalnum() else "-" for c in name.lower()).strip("-")
    return kept[:60] or "job"


def folder(parent: QWidget, start: str) -> Path | None:
    """Which folder the sheet goes into."""
    chosen = QFileDialog.getExistingDirectory(parent, tr("Folder for the sheet"), start)
    return Path(chosen) if chosen else None


def save_before_leaving(parent: QWidget, name: str) -> str:
    """What to do with unsaved work: "save", "leave" or "stay"."""
    buttons = QMessageBox.StandardButton
    box = QMessageBox(parent)
    box.setWindowTitle("Pigtail")
    box.setText(tr("“{name}” is not saved.", name=name))
    box.setInformativeText(tr("Save it before leaving?"))
    box.setStandardButtons(buttons.Save | buttons.Discard | buttons.Cancel)
    box.setDefaultButton(buttons.Save)
    answer = box.exec()
    return {buttons.Save.value: "save", buttons.Discard.value: "leave"}.get(answer, "stay")


def throw_away(parent: QWidget, what: str, lost: str) -> bool:
    """Whether something that was typed may be lost."""
    box = QMessageBox(parent)
    box.setWindowTitle("Pigtail")
    box.setText(tr("{what} is not made yet.", what=what))
    box.setInformativeText(tr("Leave, and lose {lost}?", lost=lost))
    leave = box.addButton(tr("Leave"), QMessageBox.ButtonRole.DestructiveRole)
    stay = box.addButton(tr("Stay"), QMessageBox.ButtonRole.RejectRole)
    box.setDefaultButton(stay)
    box.setEscapeButton(stay)
    box.exec()
    return box.clickedButton() is leave


#: What can be done about what stands in the way of a save, by the answer.
SAVING = {
    "over": tr("Save over it"),
    "copy": tr("Keep mine as a copy"),
    "difference": tr("Look at the difference…"),
    "reload": tr("Reload it, mine is kept as a copy"),
}


def about_obstacle(parent: QWidget, name: str, obstacle: Obstacle) -> str:
    """What to do about what stands in the way of a save: one of SAVING, or "stay"."""
    box = QMessageBox(parent)
    box.setWindowTitle("Pigtail")
    box.setText(f"{name} {tr(obstacle.value)}.")
    box.setInformativeText(tr("Nothing is saved yet."))
    changed = obstacle in (Obstacle.CHANGED, Obstacle.STRANGE)
    offered = SAVING if changed else {"over": tr("Save it all the same"), "copy": SAVING["copy"]}
    buttons = {}
    for answer, words in offered.items():
        role = (
            QMessageBox.ButtonRole.DestructiveRole if answer == "over" else QMessageBox.ButtonRole.ActionRole
        )
        buttons[answer] = box.addButton(words, role)
    stay = box.addButton(tr("Leave it"), QMessageBox.ButtonRole.RejectRole)
    box.setDefaultButton(buttons["copy"])
    box.setEscapeButton(stay)
    box.exec()
    return next((a for a, b in buttons.items() if b is box.clickedButton()), "stay")


def tell_lines(parent: QWidget, title: str, lines: tuple[str, ...]) -> None:
    """Lines in a box of their own, to be read through."""
    dialog = Dialog(parent)
    dialog.setWindowTitle(title)
    text = QPlainTextEdit("\n".join(lines))
    text.setReadOnly(True)
    text.setAccessibleName(title)
    buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
    buttons.rejected.connect(dialog.reject)
    layout = QVBoxLayout(dialog)
    layout.addWidget(QLabel(title))
    layout.addWidget(text)
    layout.addWidget(buttons)
    dialog.resize(640, 360)
    dialog.exec()


def brief(parent: QWidget, name: str, wanted: str, notes: str) -> tuple[str, str, str] | None:
    """What the job is called and what is wanted."""
    dialog = Dialog(parent)
    dialog.setWindowTitle(tr("Name and brief"))
    entries = QLineEdit(name), QPlainTextEdit(wanted), QPlainTextEdit(notes)
    form = QFormLayout(dialog)
    form.setRowWrapPolicy(QFormLayout.RowWrapPolicy.WrapAllRows)
    for words, entry in zip((tr("&Name"), tr("&What is wanted"), tr("N&otes")), entries, strict=True):
        entry.setAccessibleName(words.replace("&", ""))
        entry.setToolTip(
            {tr("&Name"): tr("What the job is called"), tr("N&otes"): tr("Anything to be remembered")}.get(
                words, tr("In your own words")
            )
        )
        if isinstance(entry, QPlainTextEdit):
            entry.setTabChangesFocus(True)
        form.addRow(words, entry)
    buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
    buttons.accepted.connect(dialog.accept)
    buttons.rejected.connect(dialog.reject)
    form.addRow(buttons)
    if not dialog.exec():
        return None
    return entries[0].text(), entries[1].toPlainText(), entries[2].toPlainText()


def tell(parent: QWidget, title: str, text: str) -> None:
    """A short text in a box of its own."""
    QMessageBox.about(parent, title, text)


def about(parent: QWidget, version: str) -> None:
    """What the program is."""
    tell(
        parent,
        tr("About Pigtail"),
        tr(
            "Pigtail {version}: plans, checks and records the retrofit of modules into audio "
            "gear.<br>Free software under the GNU General Public License, version 3 or later.",
            version=version,
        ),
    )
