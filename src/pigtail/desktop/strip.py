"""The bench strip: two probes, state, function, the reading; log it; what to measure next."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QFrame, QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout

from pigtail.desktop import theme
from pigtail.desktop.fields import fill_combo
from pigtail.job.edits import log_reading
from pigtail.job.model import FUNCTION_UNITS, Function, Job
from pigtail.job.wiring import probe_against
from pigtail.units import UnreadableError, format_quantity, parse_quantity

if TYPE_CHECKING:
    from pigtail.studies.findings import Measure

HINTS = {
    Function.DC_VOLTS: "1.65 V",
    Function.AC_VOLTS: "250m or -10 dBV",
    Function.RESISTANCE: "0.06 or 4k7",
    Function.CURRENT: "45 mA",
}


class BenchStrip(QFrame):
    """Where readings come in. `logged` carries (words, edit); `refused` one sentence."""

    logged = pyqtSignal(str, object)
    refused = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("panel")
        self._job: Job | None = None
        self._next: Measure | None = None
        self.point = self._combo("probe_point", "Red probe: point")
        self.against = self._combo("probe_against", "Black probe: against")
        self.state = self._combo("probe_state", "Host state")
        self.function = self._combo("probe_function", "What is read")
        for function in Function:
            self.function.addItem(function.value, function)
        self.reading = QLineEdit()
        self.reading.setObjectName("reading")
        self.reading.setAccessibleName("Reading, as engineering text")
        self.reading.setFixedWidth(126)
        self.button = QPushButton("Log it")
        self.button.setObjectName("main")
        self.button.setAccessibleName("Log the reading")
        self.next_words = QLabel("")
        self.next_words.setObjectName("dim")
        self.take = QPushButton("Set the probes")
        self.take.setObjectName("take_next")
        self.take.setAccessibleName("Set the probes to what is to be measured next")
        self._lay_out()
        self.function.currentIndexChanged.connect(self._hint)
        self.reading.returnPressed.connect(self.log)
        self.button.clicked.connect(self.log)
        self.point.activated.connect(self._follow)
        self.take.clicked.connect(self._take_next)
        self.take.hide()
        self._hint()

    def _combo(self, name: str, accessible: str) -> QComboBox:
        combo = QComboBox()
        combo.setObjectName(name)
        combo.setAccessibleName(accessible)
        combo.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        combo.setMinimumContentsLength(9)
        return combo

    def _lay_out(self) -> None:
        row = QHBoxLayout()
        row.setSpacing(6)
        for words, widget, stretch in (
            ("red on", self.point, 3), ("black on", self.against, 3), ("while", self.state, 2),
            ("read", self.function, 1), ("=", self.reading, 0),
        ):  # fmt: skip
            label = QLabel(words)
            label.setObjectName("dim")
            row.addWidget(label)
            row.addWidget(widget, stretch)
        row.addWidget(self.button)
        below = QHBoxLayout()
        title = QLabel("Next on the bench")
        title.setFont(theme.font(12, bold=True))
        below.addWidget(title)
        below.addWidget(self.next_words, 1)
        below.addWidget(self.take)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 7, 10, 7)
        layout.setSpacing(5)
        layout.addLayout(row)
        layout.addLayout(below)

    def show_job(self, job: Job) -> None:
        """Offer the terminals and states of a job; what is chosen stays chosen."""
        self._job = job
        addresses = job.addresses()
        fill_combo(self.point, [(job.label(a), a) for a in addresses])
        fill_combo(self.against, [(job.label(a), a) for a in addresses])
        fill_combo(self.state, [(s.name, s.id) for s in job.host.states])
        if self.point.currentData() == self.against.currentData():
            self._follow()
            self.state.setCurrentIndex(max(self.state.findData(job.working_state()), 0))

    def _follow(self) -> None:
        """Put the black probe where it belongs for the point chosen."""
        if self._job is not None:
            self.against.setCurrentIndex(
                max(self.against.findData(probe_against(self._job, self.point.currentData())), 0)
            )

    def show_next(self, measures: Sequence[Measure], mend: Sequence[str] = ()) -> None:
        """Show what is to be measured next; `mend` names the stations that need mending first."""
        self._next = measures[0] if measures else None
        self.take.setVisible(bool(measures))
        if self._next is None or self._job is None:
            words = (
                f"no reading is asked for; mend {' and '.join(mend)} first, with the remedies at the right."
            )
            ready = "nothing is open that a meter would settle: build, and read as the sheet says."
            self.next_words.setText(words if mend else ready)
            return
        m, more = self._next, len(measures) - 1
        against = f" against {self._job.label(m.against)}" if m.against else ""
        tail = f"  ({more} more after it)" if more else ""
        self.next_words.setText(
            f"{m.function.value} at {self._job.label(m.point)}{against}: {m.reason}{tail}"
        )

    def _take_next(self) -> None:
        if self._next is None:
            return
        for combo, value in (
            (self.point, self._next.point), (self.against, self._next.against), (self.state, self._next.state),
            (self.function, self._next.function),
        ):  # fmt: skip
            combo.setCurrentIndex(max(combo.findData(value), 0))
        self.reading.setFocus()

    def _hint(self) -> None:
        function = self.function.currentData()
        if isinstance(function, Function):
            self.reading.setPlaceholderText(HINTS[function])

    def log(self) -> None:
        """Log the reading as typed, or tell why it cannot be."""
        function = self.function.currentData()
        if self._job is None or not isinstance(function, Function):
            return
        unit = FUNCTION_UNITS[function]
        try:
            value = parse_quantity(self.reading.text(), unit)
        except UnreadableError as error:
            self.refused.emit(str(error))
            self.reading.selectAll()
            return
        point = self.point.currentData()
        words = f"log {format_quantity(value, unit, 4)} at {self._job.label(point)}"
        edit = partial(
            log_reading, point=point, against=self.against.currentData(), state=self.state.currentData(),
            function=function, value=value, when=datetime.now().astimezone().replace(tzinfo=None), instrument="handheld meter",
        )  # fmt: skip
        self.logged.emit(words, edit)
        self.reading.clear()
