"""How much louder another source is than this one: by two recordings, by two readings at the input, or as typed."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QDialogButtonBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from pigtail.desktop.fields import ValueField
from pigtail.desktop.tips import Dialog
from pigtail.job.readings import difference_db
from pigtail.language import tr
from pigtail.units import format_quantity

if TYPE_CHECKING:
    from pigtail.job.document import Reading

FILTER = tr("Recordings (*.wav *.flac *.ogg *.aiff *.aif);;All files (*)")
HOW = tr(
    "Record a minute of each source with the same recorder at the same setting, the volume "
    "control untouched; or read the AC volts of the same tone at the input from each. Music "
    "of a kind compares best: speech against speech."
)


class MatchDialog(Dialog):
    """Asks how far two sources are apart. After it was accepted: `louder_db` [dB] and `source`, the words for where it is
    from. `measure_wanted` carries two recordings to be judged, this source's and the other's.
    """

    measure_wanted = pyqtSignal(object, object)

    def __init__(self, name: str, readings: tuple[Reading, ...], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("match_dialog")
        self.setWindowTitle(tr("As loud as another source"))
        self.resize(600, 360)
        self.louder_db: float | None = None
        self.source = ""
        self._files: list[Path | None] = [None, None]
        self._readings = readings
        say = QLabel(HOW)
        say.setWordWrap(True)
        self.names = (QLabel(tr("no recording yet")), QLabel(tr("no recording yet")))
        self.choose = (QPushButton(tr("Recording…")), QPushButton(tr("Recording…")))
        self.picks = (QComboBox(), QComboBox())
        self.typed = ValueField("dB")
        self.typed.setObjectName("match_typed")
        self.typed.setAccessibleName(tr("How much louder the other source is, in decibels"))
        self.typed.setPlaceholderText(tr("such as 8 dB, or −3 dB"))
        self.outcome = QLabel()
        self.outcome.setObjectName("match_result")
        self.outcome.setWordWrap(True)
        self.trouble = QLabel()
        self.trouble.setObjectName("wrong")
        self.trouble.setWordWrap(True)
        self.buttons = QDialogButtonBox()
        self.want = self.buttons.addButton(tr("Want it as loud"), QDialogButtonBox.ButtonRole.AcceptRole)
        self.buttons.addButton(QDialogButtonBox.StandardButton.Cancel)
        layout = QVBoxLayout(self)
        layout.addWidget(say)
        layout.addLayout(self._form(name))
        for widget in (self.outcome, self.trouble):
            layout.addWidget(widget)
        layout.addStretch(1)
        layout.addWidget(self.buttons)
        self._wire()
        self._show(None, "")

    def _form(self, name: str) -> QFormLayout:
        form = QFormLayout()
        for k, words in enumerate((tr("{name} now", name=name), tr("The other source"))):
            row = QHBoxLayout()
            row.addWidget(self.choose[k])
            row.addWidget(self.names[k], 1)
            form.addRow(words, row)
        for k, words in enumerate((tr("Reading of it now"), tr("Reading of the other"))):
            for reading in self._readings:
                volts = format_quantity(reading.value.nominal, "V")
                self.picks[k].addItem(f"{volts}  {reading.when.replace('T', ' ')}  {reading.note}".rstrip())
            self.picks[k].setObjectName(f"match_reading_{k}")
            self.picks[k].setAccessibleName(words)
            self.picks[k].activated.connect(lambda _k: self._compare_readings())
            if len(self._readings) > 1:
                form.addRow(words, self.picks[k])
        form.addRow(tr("Or the other is louder by"), self.typed)
        return form

    def _wire(self) -> None:
        for k, button in enumerate(self.choose):
            button.setObjectName(f"match_file_{k}")
            button.setAccessibleName(
                tr("Choose the recording of this source")
                if k == 0
                else tr("Choose the recording of the other source")
            )
            button.clicked.connect(lambda _c, k=k: self._choose(k))
        self.typed.committed.connect(lambda db: self._show(db, tr("{db:+.1f} dB by hand", db=db)))
        self.typed.refused.connect(self.trouble.setText)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)

    def _choose(self, k: int) -> None:
        folder = str(next((f.parent for f in self._files if f is not None), Path.home()))
        chosen, _ = QFileDialog.getOpenFileName(self, tr("Choose a recording"), folder, FILTER)
        if chosen:
            self.set_file(k, Path(chosen))

    def set_file(self, k: int, path: Path) -> None:
        """Take a recording of this source (0) or of the other (1)."""
        self._files[k] = path
        self.names[k].setText(path.name)
        now, other = self._files
        if now is not None and other is not None:
            self.outcome.setText(tr("judging the recordings …"))
            self.measure_wanted.emit(now, other)

    def show_louder(self, judged: tuple[float, str]) -> None:
        """The recordings were judged: the other is so much louder [LU], and why they cannot be compared as they are, if so."""
        louder_lu, unlike = judged
        other = self._files[1]
        self._show(
            louder_lu,
            tr(
                "as loud as {more}: {louder_lu:+.1f} LU",
                more=other.name if other else tr("the other"),
                louder_lu=louder_lu,
            ),
            "LU",
        )
        self.trouble.setText(f"{unlike}." if unlike else "")

    def show_trouble(self, sentence: str) -> None:
        """The recordings could not be judged."""
        self._show(None, "")
        self.trouble.setText(sentence)

    def _compare_readings(self) -> None:
        now, other = (self._readings[max(p.currentIndex(), 0)] for p in self.picks)
        louder = difference_db(now, other)
        self._show(louder, tr("by two readings: {louder:+.1f} dB", louder=louder))

    def _show(self, louder_db: float | None, source: str, unit: str = "dB") -> None:
        self.louder_db, self.source = louder_db, source
        self.trouble.setText("")
        if self.want is not None:
            self.want.setEnabled(louder_db is not None)
        if louder_db is None:
            self.outcome.setText("")
            return
        size = f"{abs(louder_db):.1f} {unit}"
        louder, quieter = tr("{size} louder", size=size), tr("{size} quieter", size=size)
        what = tr("as loud as this") if abs(louder_db) < 0.05 else louder if louder_db > 0 else quieter
        self.outcome.setText(
            tr(
                "<b>The other source is {what}.</b> The wanted level of the input is set so that "
                "full scale comes out as loud; “Find networks” then shows what makes it so.",
                what=what,
            )
        )
