"""Build: the loom and the parts, lengths and gauges edited in place, and what leaves for paper."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, QSize
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout

from pigtail.desktop import theme
from pigtail.desktop.stations.base import Align, Painting, Station, say
from pigtail.desktop.tables import Cell, RowsModel, make_table, set_widths
from pigtail.desktop.wants import Paper
from pigtail.edits.change import Change
from pigtail.edits.links import set_conductor
from pigtail.job.document import Job
from pigtail.studies.loom.found import LoomFound
from pigtail.units import Basis, Known, UnreadableError, parse_quantity

if TYPE_CHECKING:
    from pigtail.studies.found import Studies
    from pigtail.studies.loom.found import LoomWire

#: How the wire colours of the trade look; another word is painted grey.
PAINT = {
    "black": "#23211d", "red": "#c62828", "orange": "#e07b1a", "white": "#f4f1ea", "green": "#2e7d4f",
    "yellow": "#e3b505", "blue": "#2a5caa", "brown": "#6d4326", "violet": "#7246a3", "grey": "#8a8a86",
}  # fmt: skip
FULL_M = 1.0


class LoomPicture(Painting):
    """The wires side by side at a common scale of length, each in its colour."""

    def __init__(self) -> None:
        super().__init__("loom_picture", QSize(300, 150))
        self.wires: tuple[LoomWire, ...] = ()

    def show_wires(self, wires: tuple[LoomWire, ...]) -> None:
        """Show the wires of a loom."""
        self.wires = wires
        self.describe(f"Loom of {len(wires)} wires at a common scale of length")

    def paint(self, painter: QPainter, box: QRectF) -> None:
        t = theme.current()
        say(
            painter,
            QRectF(box.left(), box.top(), box.width(), 16),
            "The loom, lengths to scale",
            bold=True,
            px=12,
        )
        if not self.wires:
            say(painter, box, "Nothing is planned yet.", use="dim", px=13, align=Align.AlignCenter)
            return
        longest = max((w.length or 0.0 for w in self.wires), default=0.0) or FULL_M
        area = box.adjusted(0, 22, 0, -14)
        pitch = area.height() / len(self.wires)
        left = area.left() + min(170.0, area.width() * 0.5)
        full = area.right() - left - 60
        for k, wire in enumerate(self.wires):
            y = area.top() + pitch * (k + 0.5)
            label = QRectF(area.left(), y - 8, left - area.left() - 8, 16)
            say(
                painter,
                label,
                f"{k + 1}  {wire.function}",
                px=11 if pitch >= 13 else 9,
                align=Align.AlignRight | Align.AlignVCenter,
            )
            if wire.length is None:
                say(painter, QRectF(left, y - 8, 120, 16), "length not known", use="unknown", px=11)
                continue
            width = max(full * wire.length / longest, 4.0)
            thick = min(2.0 + (32 - wire.gauge) * 0.45, max(pitch - 3, 2.0))
            painter.setPen(QPen(t.color("dim"), thick + 1.5))
            painter.drawLine(QPointF(left, y), QPointF(left + width, y))
            painter.setPen(QPen(QColor.fromString(PAINT.get(wire.colour, "#8a8a86")), thick))
            painter.drawLine(QPointF(left, y), QPointF(left + width, y))
            text = "on the part" if wire.length == 0 else f"{100 * wire.length:.0f} cm"
            say(
                painter, QRectF(left + width + 8, y - 8, 80, 16), text, px=11 if pitch >= 13 else 9, use="dim"
            )


class BuildStation(Station):
    """The Build station. It wants the sheet on paper."""

    key = "build"

    def __init__(self) -> None:
        super().__init__()
        self.picture = LoomPicture()
        self.wires = RowsModel(("no.", "from", "to", "carries", "colour", "AWG", "length"))
        self.table = make_table(self.wires, "loom_table", "Loom: colour, gauge and length can be edited", 2)
        set_widths(self.table, (30, None, None, 112))
        self.parts = RowsModel(("part", "value", "where", "note"))
        self.parts_table = make_table(self.parts, "parts_table", "Parts list", 3)
        set_widths(self.parts_table, (118, 60, 124))
        self.sheet = QPushButton("Write the sheet…")
        self.sheet.setObjectName("main")
        self.sheet.setAccessibleName("Write the build sheet, loom, parts and netlist into a folder")
        self.sheet.clicked.connect(lambda: self.wants.emit(Paper(printed=False)))
        self.print = QPushButton("Print…")
        self.print.setObjectName("print")
        self.print.setAccessibleName("Print the build sheet")
        self.print.clicked.connect(lambda: self.wants.emit(Paper(printed=True)))
        self.words = QLabel()
        self.words.setWordWrap(True)
        row = QHBoxLayout()
        row.addWidget(self.words, 1)
        row.addWidget(self.print)
        row.addWidget(self.sheet)
        upper = QHBoxLayout()
        upper.setSpacing(8)
        upper.addWidget(self.picture, 3)
        upper.addWidget(self.parts_table, 4)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        layout.addLayout(row)
        layout.addLayout(upper, 4)
        layout.addWidget(self.table, 5)

    def show_job(self, job: Job, studies: Studies) -> None:
        build = studies.of(LoomFound)
        self.picture.show_wires(build.wires)
        self.wires.show_rows([self._wire_row(k, w) for k, w in enumerate(build.wires, start=1)])
        self.parts.show_rows(
            [
                (Cell(p.words), Cell(p.value), Cell(p.reference, use="dim"), Cell(p.note, use="dim"))
                for p in build.parts
            ]
        )
        waits = build.findings[0].sentence if build.verdict.value in ("stop", "fix", "unknown") else ""
        self.words.setText(
            f"{waits} The sheet lists the open questions."
            if waits
            else "Ready to build. Take the readings on the sheet in their order; stop where one is out of range."
        )

    def _wire_row(self, number: int, wire: LoomWire) -> tuple[Cell, ...]:
        length = "?" if wire.length is None else f"{100 * wire.length:.0f} cm"
        gauge = f"{wire.gauge}" + (", screened" if wire.screened else "")
        return (
            Cell(str(number), use="dim"),
            Cell(wire.start),
            Cell(wire.end),
            Cell(wire.function, use="dim"),
            Cell(wire.colour, edit=partial(self._colour, wire)),
            Cell(gauge, edit=partial(self._gauge, wire)),
            Cell(length, edit=partial(self._length, wire), tip="length to cut, a tenth of slack included"),
        )

    def _colour(self, wire: LoomWire, text: str) -> None:
        edit = partial(set_conductor, link_id=wire.link, port=wire.port, colour=text.strip().lower())
        self.edited.emit(Change(f"{wire.function} {text.strip().lower()}", edit))

    def _gauge(self, wire: LoomWire, text: str) -> None:
        digits = text.split(",", maxsplit=1)[0].strip().upper().removeprefix("AWG").strip()
        if not digits.isdigit():
            self.refused.emit(f"“{text[:40]}” is no gauge; write a whole number such as 24")
            return
        screened = "screen" in text.lower()
        edit = partial(set_conductor, link_id=wire.link, port=wire.port, gauge=int(digits), screened=screened)
        self.edited.emit(Change(f"{wire.function} in AWG {digits}", edit))

    def _length(self, wire: LoomWire, text: str) -> None:
        from pigtail.studies.loom.study import SLACK

        try:
            metres = parse_quantity(text, "m") / (1 + SLACK)
        except UnreadableError as error:
            self.refused.emit(str(error))
            return
        if metres < 0:
            self.refused.emit("a wire cannot be shorter than nothing; write a length such as 30 cm")
            return
        known = Known.of(metres, "m", Basis.MEASURED, tolerance=0.1, source="typed")
        edit = partial(set_conductor, link_id=wire.link, port=wire.port, length=known)
        self.edited.emit(Change(f"{wire.function} {text}", edit))


STATION = BuildStation
