"""The connector sweep: a row a pin, a column a state, volts typed or read straight in, and what each pin is."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QLabel, QPushButton, QVBoxLayout, QWidget

from pigtail.desktop import ask
from pigtail.desktop.fields import fill_combo
from pigtail.desktop.probing import now
from pigtail.desktop.tables import Cell, RowsModel, make_table, set_widths
from pigtail.desktop.wrapping import row_of
from pigtail.edits import host as host_edits
from pigtail.edits.change import Change
from pigtail.edits.readings import log_reading
from pigtail.job.document import Function, Job, Return
from pigtail.job.errors import JobError
from pigtail.job.reading_import import value_of
from pigtail.job.wiring import return_address, star_address
from pigtail.language import tr
from pigtail.units import UnreadableError, format_quantity

if TYPE_CHECKING:
    from pigtail.studies.survey.sweep import PinRow

USES = {
    "permanent supply": "watch",
    "switched supply": "good",
    "return": "ink",
    "signal at 0 V": "accent",
    "logic": "watch",
    "unknown": "unknown",
}


class SweepTable(QWidget):
    """The sweep of one connector. `edited` carries a Change; `refused` one sentence; `probe` an Ask."""

    edited = pyqtSignal(object)
    refused = pyqtSignal(str)
    probe = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.connector = QComboBox()
        self.connector.setObjectName("connector")
        self.connector.setAccessibleName(tr("Connector"))
        self.connector.currentIndexChanged.connect(lambda _k: self._fill())
        self.rows = RowsModel((tr("pin"),))
        self.table = make_table(
            self.rows, "sweep_table", tr("Volts of each pin in each state; type them in"), 0
        )
        self.hint = QLabel()
        self.hint.setObjectName("dim")
        self.hint.setWordWrap(True)
        self.add = QPushButton(tr("Add a connector…"))
        self.add.setObjectName("add_connector")
        self.accept = QPushButton(tr("Take the class as its role"))
        self.accept.setObjectName("accept_class")
        self.accept.setAccessibleName(tr("Make the chosen pin a point of the role that it was classed as"))
        self.settle = QPushButton(tr("Set the probes"))
        self.settle.setObjectName("sweep_probes")
        self.add.clicked.connect(self._add)
        self.accept.clicked.connect(self._accept)
        self.settle.clicked.connect(self._probe)
        self._job: Job | None = None
        self._rows: tuple = ()  # type: ignore[type-arg]
        self._states = 0
        top = row_of(tr("Connector"), self.connector, self.add, self.accept, self.settle)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addLayout(top)
        layout.addWidget(self.hint)
        layout.addWidget(self.table, 1)

    def show_job(self, job: Job) -> None:
        """Show the connectors of a job's host."""
        from pigtail.studies.survey.sweep import connectors

        self._job = job
        fill_combo(self.connector, [(name, name) for name in connectors(job)])
        self._fill()

    def _fill(self) -> None:
        from pigtail.studies.survey.sweep import sweep
        from pigtail.studies.taps.protocol import live_states

        job, name = self._job, self.connector.currentData()
        for button in (self.accept, self.settle):
            button.setEnabled(bool(name))
        if job is None or not name:
            self.hint.setText(
                tr("No connector yet: add one with its number of pins, then read every pin in every state.")
            )
            self.rows.show_rows([])
            return
        live = live_states(job)
        names = {s.id: s.name for s in job.host.states}
        self._rows = sweep(job, name)
        against = job.label(star_address(job)) if star_address(job) else "?"
        self.hint.setText(
            tr(
                "DC against {against}. Type a voltage into a cell, or set the probes and read the meter.",
                against=against,
            )
        )
        columns = (tr("pin"), *(names[s] for s in live), tr("is"), tr("because"), tr("would settle it"))
        if columns != self.rows.columns:
            self.rows.beginResetModel()
            self.rows.columns = columns
            self.rows.rows = ()
            self.rows.endResetModel()
            set_widths(self.table, (64, *(86 for _ in live), 120, None, 190))
        self.rows.show_rows([self._row(job, row, live) for row in self._rows])

    def _row(self, job: Job, row: PinRow, live: tuple[str, ...]) -> tuple[Cell, ...]:
        cells = [Cell(job.label(row.address))]
        for state in live:
            volts = row.volts.get(state)
            text = "?" if volts is None else format_quantity(volts if abs(volts) >= 5e-3 else 0.0, "V")
            cells.append(
                Cell(
                    text,
                    edit=partial(self._typed, row.address, state),
                    use="unknown" if volts is None else "ink",
                )
            )
        use = USES[row.kind.value]
        settle = ""
        if row.settle is not None:
            there = job.state(row.settle.state)
            loaded = tr(" under a load") if row.settle.load else ""
            settle = f"{tr(row.settle.function.value)}{loaded}, {there.name if there else '?'}"
        return (
            *cells,
            Cell(tr(row.kind.value), use=use),
            Cell(row.reason, use="dim"),
            Cell(settle, use="unknown"),
        )

    def _typed(self, address: str, state: str, text: str) -> None:
        assert self._job is not None
        try:
            value = value_of(Function.DC_VOLTS, text)
        except (UnreadableError, JobError) as error:
            self.refused.emit(str(error))
            return
        against = return_address(self._job, address)
        if not against or against == address:
            against = star_address(self._job)
        if against == address:
            self.refused.emit(tr("the other pins are read against this one; type into their cells"))
            return
        if not against:
            self.refused.emit(tr("the host has no return yet: make one pin or the shield a return first"))
            return
        edit = partial(
            log_reading,
            point=address,
            against=against,
            state=state,
            function=Function.DC_VOLTS,
            value=value,
            when=now(),
        )
        self.edited.emit(
            Change(tr("{address} reads {text}", address=self._job.label(address), text=text), edit)
        )

    def chosen(self) -> PinRow | None:
        """The row chosen, or None."""
        row = self.table.currentIndex().row()
        return self._rows[row] if 0 <= row < len(self._rows) else None

    def _add(self) -> None:
        name = ask.line(self, tr("Add a connector"), tr("What is it called (J4)?"))
        pins = (
            ask.number(self, tr("Add a connector"), tr("How many pins has it?"), 8, 1, host_edits.MOST_PINS)
            if name
            else None
        )
        if name and pins and self._job is not None:
            against = star_address(self._job).partition(".")[2]
            self.edited.emit(
                Change(
                    tr("add {name}", name=name),
                    partial(host_edits.add_connector, name=name, pins=pins, against=against),
                )
            )

    def _accept(self) -> None:
        from pigtail.studies.survey.sweep import ROLE_OF

        row = self.chosen()
        role = ROLE_OF.get(row.kind) if row is not None else None
        if row is None or role is None:
            self.refused.emit(tr("choose a pin that is classed; an unknown one has no role to take"))
            return
        if role == "return" and self._job is not None and isinstance(self._job.terminal(row.address), Return):
            self.refused.emit(tr("this pin is a return already; choose another"))
            return
        self.edited.emit(
            Change(
                tr("{partition} is {role}", partition=row.address.partition(".")[2], role=role),
                partial(host_edits.take_class, address=row.address, role=role, states=_alive(row)),
            ),
        )

    def _probe(self) -> None:
        row = self.chosen() or next((r for r in self._rows if r.settle is not None), None)
        if row is None or row.settle is None:
            self.refused.emit(tr("nothing is open at this pin; choose another"))
            return
        self.probe.emit(row.settle)


def _alive(row: PinRow) -> tuple[str, ...]:
    """The states in which a classed pin was alive; empty for all."""
    on = tuple(s for s, v in row.volts.items() if abs(v) > 1.0)
    return on if row.kind.value in ("switched supply", "permanent supply", "logic") else ()
