"""A meter's own log taken in: which column is the value, shown on its first rows, where the probes were; remembered for the next."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QComboBox, QFormLayout, QLabel, QVBoxLayout, QWidget

from pigtail.desktop.tables import Cell, RowsModel, make_table
from pigtail.desktop.tips import Dialog
from pigtail.job.errors import JobError
from pigtail.job.meter_log import Columns, LogSum, guessed, read_log
from pigtail.job.reading_import import text_of
from pigtail.language import tr

if TYPE_CHECKING:
    from PyQt6.QtCore import QSettings

    from pigtail.job.ask import Ask
    from pigtail.job.document import Job

SHOWN, REMEMBERED = 8, "meter_log_columns"


class LogDialog(Dialog):
    """Shows a log and asks for its columns; `found` is what it came to when it was accepted."""

    def __init__(
        self,
        job: Job,
        setup: Ask,
        name: str,
        rows: list[list[str]],
        settings: QSettings,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.setObjectName("log_dialog")
        self.setWindowTitle(tr("A meter's log: {name}", name=name))
        self.resize(620, 420)
        self._rows, self._function, self._settings = rows, setup.function, settings
        self.found: LogSum | None = None
        place = job.label(setup.point) + (
            tr(" against {against}", against=job.label(setup.against)) if setup.against else ""
        )
        state = job.state(setup.state)
        say = QLabel(
            tr(
                "It becomes one reading: the middle of its values, as {function} of {place}{more}. If "
                "that is not where the probes were, set the bench strip first.",
                function=tr(setup.function.value),
                place=place,
                more=tr(" while “{state}”", state=state.name) if state else "",
            )
        )
        say.setWordWrap(True)
        width = max(len(r) for r in rows)
        self.model = RowsModel(tuple(tr("column {value}", value=k + 1) for k in range(width)))
        self.model.show_rows([[Cell(c) for c in (*r, *[""] * (width - len(r)))] for r in rows[:SHOWN]])
        table = make_table(self.model, "log_rows", tr("The first rows of the log"), width - 1)
        self.value, self.unit = QComboBox(), QComboBox()
        for combo, accessible, objectname in (
            (self.value, tr("Column of the values"), "log_value"),
            (self.unit, tr("Column of their units"), "log_unit"),
        ):
            combo.setAccessibleName(accessible)
            combo.setObjectName(objectname)
            for k in range(width):
                combo.addItem(tr("column {value}", value=k + 1), k)
        self.unit.insertItem(0, tr("none: in the function's own unit"), -1)
        form = QFormLayout()
        form.addRow(tr("&Values"), self.value)
        form.addRow(tr("&Units"), self.unit)
        self.outcome = QLabel()
        self.outcome.setObjectName("log_outcome")
        self.outcome.setWordWrap(True)
        buttons, self.go = self.answers(tr("Log it"))
        layout = QVBoxLayout(self)
        for part in (say, table):
            layout.addWidget(part)
        layout.addLayout(form)
        layout.addWidget(self.outcome)
        layout.addWidget(buttons)
        self._begin(width)
        for combo in (self.value, self.unit):
            combo.currentIndexChanged.connect(lambda _k: self._judge())
        self._judge()

    def _begin(self, width: int) -> None:
        """The columns of the last log of the same width, else as they seem to be."""
        seems = guessed(self._rows) or Columns(width - 1)
        value, unit = seems.value, seems.unit
        told = str(self._settings.value(f"{REMEMBERED}_{width}", "")).split(",")
        if len(told) == 2 and all(t.lstrip("-").isdigit() for t in told):
            value, unit = min(int(told[0]), width - 1), min(int(told[1]), width - 1)
        self._head = seems.head
        self.value.setCurrentIndex(max(self.value.findData(value), 0))
        self.unit.setCurrentIndex(max(self.unit.findData(unit), 0))

    def _judge(self) -> None:
        columns = Columns(self.value.currentData(), self.unit.currentData(), self._head)
        try:
            self.found = read_log(self._rows, columns, self._function)
        except JobError as error:
            self.found = None
            self.outcome.setText(str(error))
        else:
            middle = text_of(self._function, self.found.middle)
            self.outcome.setText(f"{middle}: {self.found.note(self._function, 'it')}")
        self.go.setEnabled(self.found is not None)

    def accept(self) -> None:
        """Remember the columns."""
        width = len(self.model.columns)
        self._settings.setValue(
            f"{REMEMBERED}_{width}", f"{self.value.currentData()},{self.unit.currentData()}"
        )
        super().accept()
