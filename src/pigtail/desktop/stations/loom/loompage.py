"""The loom as a list that can be edited, and the parts."""

from __future__ import annotations

import re
from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QLabel, QLineEdit, QVBoxLayout, QWidget

from pigtail.desktop.stations.loom.parts import choice, of_enum, show_choice
from pigtail.desktop.tables import Cell, RowsModel, make_table, set_widths
from pigtail.desktop.wrapping import row_of
from pigtail.edits.build import set_copies, set_service
from pigtail.edits.change import Change
from pigtail.edits.links import set_conductor
from pigtail.job.build import Service
from pigtail.job.document import Job
from pigtail.language import tr
from pigtail.studies.loom.found import LoomFound, LoomWire
from pigtail.units import Basis, Known, UnreadableError, parse_gauge, parse_quantity
from pigtail.units.wire import nearest_gauge

_SCREENED = re.compile(r",?\s*screened\s*,?", re.IGNORECASE)


class LoomPage(QWidget):
    """Wires and parts."""

    edited = pyqtSignal(object)
    refused = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.wires = RowsModel(
            (tr("no."), tr("from"), tr("to"), tr("carries"), tr("colour"), "AWG", tr("cut to"), tr("route"))
        )
        self.table = make_table(
            self.wires, "loom_table", tr("Loom: colour, gauge, length and route can be edited"), 2
        )
        set_widths(self.table, (30, None, None, 112, 62, 92, 106, 84))
        self.parts = RowsModel((tr("part"), tr("value"), tr("on the board"), tr("where"), tr("note")))
        self.parts_table = make_table(self.parts, "parts_table", tr("Parts list"), 4)
        set_widths(self.parts_table, (150, 64, 96, 140))
        self.service = choice(
            "service",
            tr("What must stay possible with the wires joined"),
            of_enum(Service),
            self._service_chosen,
        )
        self.copies = QLineEdit()
        self.copies.setObjectName("copies")
        self.copies.setAccessibleName(tr("How many are built"))
        self.copies.setMaximumWidth(48)
        self.copies.editingFinished.connect(self._copies_typed)
        self.needs = QLabel()
        self.needs.setObjectName("dim")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(row_of(tr("slack so that"), self.service, tr("copies"), self.copies, self.needs))
        layout.addWidget(self.table, 5)
        layout.addWidget(self.parts_table, 4)
        self._job: Job | None = None

    def show_job(self, job: Job, build: LoomFound) -> None:
        """Show the wires and parts of a job."""
        self._job = job
        self.wires.show_rows([self._row(k, w) for k, w in enumerate(build.wires, start=1)])
        self.parts.show_rows(
            [
                (
                    Cell(p.words),
                    Cell(p.value),
                    Cell(p.name),
                    Cell(p.reference, use="dim"),
                    Cell(p.note, use="dim"),
                )
                for p in build.parts
            ]
        )
        show_choice(self.service, job.build.service)
        if not self.copies.hasFocus():
            self.copies.setText(str(job.build.copies))
        s = build.supplies
        self.needs.setText(
            tr(
                "{sleeves} sleeves, {ties} ties, {count} labels",
                sleeves=s.sleeves,
                ties=s.ties,
                count=len(s.labels),
            )
            if build.wires
            else ""
        )

    def _row(self, number: int, wire: LoomWire) -> tuple[Cell, ...]:
        gauge = f"{wire.gauge}" + (tr(", screened") if wire.screened else "")
        return (
            Cell(str(number), use="dim"),
            Cell(wire.start),
            Cell(wire.end),
            Cell(wire.function, use="dim"),
            Cell(wire.colour, edit=partial(self._colour, wire)),
            Cell(gauge, edit=partial(self._gauge, wire)),
            Cell(
                wire.cut, edit=partial(self._length, wire), tip=tr("length to cut, a tenth of slack included")
            ),
            Cell(
                wire.route,
                edit=partial(self._route, wire),
                tip=tr("where it runs; wires of one name run together"),
            ),
        )

    def _colour(self, wire: LoomWire, text: str) -> None:
        edit = partial(set_conductor, link_id=wire.link, port=wire.port, colour=text.strip().lower())
        self.edited.emit(Change(f"{wire.function} {text.strip().lower()}", edit))

    def _route(self, wire: LoomWire, text: str) -> None:
        edit = partial(set_conductor, link_id=wire.link, port=wire.port, route=text.strip())
        self.edited.emit(
            Change(
                tr("{function} along {value}", function=wire.function, value=text.strip() or tr("no route")),
                edit,
            )
        )

    def _gauge(self, wire: LoomWire, text: str) -> None:
        try:
            gauge = nearest_gauge(parse_gauge(_SCREENED.sub("", text)))
        except UnreadableError as error:
            self.refused.emit(str(error))
            return
        screened = "screen" in text.lower()
        edit = partial(set_conductor, link_id=wire.link, port=wire.port, gauge=gauge, screened=screened)
        self.edited.emit(Change(tr("{function} in AWG {gauge}", function=wire.function, gauge=gauge), edit))

    def _length(self, wire: LoomWire, text: str) -> None:
        from pigtail.studies.loom.wires import SLACK

        try:
            metres = parse_quantity(text, "m") / (1 + SLACK)
        except UnreadableError as error:
            self.refused.emit(str(error))
            return
        if metres < 0:
            self.refused.emit(tr("a wire cannot be shorter than nothing; write a length such as 30 cm"))
            return
        known = Known.of(metres, "m", Basis.MEASURED, tolerance=0.1, source="typed")
        edit = partial(set_conductor, link_id=wire.link, port=wire.port, length=known)
        self.edited.emit(Change(f"{wire.function} {text}", edit))

    def _service_chosen(self, service: Service) -> None:
        self.edited.emit(
            Change(tr("slack: {service}", service=service.value), partial(set_service, service=service))
        )

    def _copies_typed(self) -> None:
        text = self.copies.text().strip()
        if not text.isdigit() or not 1 <= int(text) <= 1000:
            self.refused.emit(
                tr("“{text}” is no number of copies; write a whole number from 1 to 1000", text=text[:20])
            )
            self.copies.setText(str(self._job.build.copies) if self._job else "1")
        elif self._job is not None and int(text) != self._job.build.copies:
            self.edited.emit(Change(tr("{text} copies", text=text), partial(set_copies, copies=int(text))))
