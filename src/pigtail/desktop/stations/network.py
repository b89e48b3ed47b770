"""The network of a link drawn along its wire, each part with a field for its value."""

from __future__ import annotations

from functools import partial
from typing import NamedTuple

from PyQt6.QtCore import QPointF, QRectF, QSize, pyqtSignal
from PyQt6.QtGui import QPainter, QPen, QResizeEvent

from pigtail.catalogue.topologies import PartRule, topology
from pigtail.desktop import theme
from pigtail.desktop.fields import ValueField
from pigtail.desktop.stations.base import Align, Picture, say
from pigtail.job.edits import set_part
from pigtail.job.model import Job, Link
from pigtail.units import Basis, format_quantity

END, SLOT_LEAST, FIELD_HEIGHT, LINE = 96, 62, 26, 62


class _Slot(NamedTuple):
    """One part in the row: its network's place in the link, its rule, and the place of its title."""

    section: int
    rule: PartRule
    first: bool


class NetworkStrip(Picture):
    """The cascade of a link. `edited` carries (words, edit); `refused` one sentence."""

    edited = pyqtSignal(str, object)
    refused = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__("network", QSize(400, 142))
        self.setMaximumHeight(160)
        self._job: Job | None = None
        self._link: Link | None = None
        self._slots: tuple[_Slot, ...] = ()
        self._fields: list[ValueField] = []
        self._shape: tuple[str, ...] = ()

    def show_link(self, job: Job | None, link: Link | None) -> None:
        """Show a link; its fields are made anew only when its networks change."""
        self._job, self._link = job, link
        shape = (link.id, *(s.topology for s in link.sections)) if link else ()
        if shape != self._shape:
            self._shape = shape
            self._make_fields(link)
        if link is None:
            return
        for slot, field in zip(self._slots, self._fields, strict=True):
            section = link.sections[slot.section]
            field.set_value(topology(section.topology).values(section)[slot.rule.name].nominal)
            field.setToolTip(
                f"{slot.rule.words}: {slot.rule.rule}. Up, down and wheel step along {slot.rule.series}."
            )
        words = ", ".join(
            f"{s.rule.name.upper()} {f.text()}" for s, f in zip(self._slots, self._fields, strict=True)
        )
        self.describe(f"Network of {link.name}: {words or 'plain wire'}")

    def _make_fields(self, link: Link | None) -> None:
        for field in self._fields:
            field.hide()
            field.deleteLater()
        self._fields = []
        slots: list[_Slot] = []
        for index, section in enumerate(link.sections if link else ()):
            rules = topology(section.topology).bought()
            slots += [_Slot(index, rule, k == 0) for k, rule in enumerate(rules)]
        self._slots = tuple(slots)
        for slot in self._slots:
            field = ValueField(slot.rule.unit, slot.rule.series, self)
            field.setObjectName(f"part_{slot.section}_{slot.rule.name}")
            title = topology(link.sections[slot.section].topology).title if link else ""
            field.setAccessibleName(f"{title}: {slot.rule.name.upper()}, {slot.rule.words}")
            field.committed.connect(partial(self._commit, slot))
            field.refused.connect(self.refused)
            field.show()
            self._fields.append(field)
        self._place()

    def _commit(self, slot: _Slot, value: float) -> None:
        if self._link is None:
            return
        words = f"{slot.rule.name.upper()} to {format_quantity(value, slot.rule.unit, 4)}"
        known = slot.rule.known(value, Basis.TYPICAL) if value > 0 else None
        if known is None:
            self.refused.emit(f"{slot.rule.name.upper()} must be above nought; type a value such as 4k7")
            self.show_link(self._job, self._link)
            return
        self.edited.emit(
            words,
            partial(set_part, link_id=self._link.id, section=slot.section, name=slot.rule.name, value=known),
        )

    def _slot_rect(self, k: int) -> QRectF:
        room = self.width() - 24 - 2 * END
        width = max(room / max(len(self._slots), 1), SLOT_LEAST)
        left = (
            12 + END + k * width
            if room >= SLOT_LEAST * len(self._slots)
            else 12 + k * (self.width() - 24) / len(self._slots)
        )
        if room < SLOT_LEAST * len(self._slots):
            width = (self.width() - 24) / max(len(self._slots), 1)
        return QRectF(left, 0, width, self.height())

    def _place(self) -> None:
        bottom = LINE + 46
        for k, field in enumerate(self._fields):
            rect = self._slot_rect(k)
            width = min(rect.width() - 6, 92)
            field.setGeometry(int(rect.center().x() - width / 2), int(bottom), int(width), FIELD_HEIGHT)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._place()

    def paint(self, painter: QPainter, box: QRectF) -> None:
        if self._link is None or self._job is None:
            say(painter, box, "No network to show.", use="dim", align=Align.AlignCenter)
            return
        t = theme.current()
        line = float(LINE)
        ends = self.width() - 24 - 2 * END >= SLOT_LEAST * len(self._slots)
        painter.setPen(QPen(t.color("copper"), 3))
        painter.drawLine(QPointF(box.left(), line), QPointF(box.right(), line))
        if ends:
            starts = [self._job.label(a) for a in self._link.starts]
            out = [self._job.label(a) for a in self._link.at("out")]
            say(
                painter,
                QRectF(box.left(), line + 6, END - 6, 46),
                " + ".join(s.rpartition(" · ")[2] for s in starts),
                px=11,
                wrap=True,
            )
            rect = QRectF(box.right() - END + 6, line + 6, END - 6, 46)
            say(painter, rect, " + ".join(out), px=11, align=Align.AlignRight | Align.AlignTop, wrap=True)
        if not self._slots:
            say(
                painter,
                QRectF(box.left(), line - 30, box.width(), 20),
                "a plain wire: nothing to choose",
                use="dim",
                align=Align.AlignCenter,
            )
        for k, slot in enumerate(self._slots):
            self._part(painter, slot, self._slot_rect(k), line)

    def _amplifier(self, painter: QPainter, x: float, line: float) -> None:
        """An amplifier on the wire, the feedback from its output to its input below it."""
        t = theme.current()
        painter.setPen(QPen(t.color("copper"), 2))
        round_it = ((16, 0), (26, 0), (26, 25), (-24, 25), (-24, 7), (-16, 7))
        painter.drawPolyline([QPointF(x + dx, line + dy) for dx, dy in round_it])
        painter.setPen(QPen(t.color("ink"), 1.6))
        painter.drawPolygon([QPointF(x - 16, line - 14), QPointF(x - 16, line + 14), QPointF(x + 16, line)])

    def _part(self, painter: QPainter, slot: _Slot, rect: QRectF, line: float) -> None:
        """A part's symbol: on the wire, or hanging from it to the common."""
        assert self._link is not None
        t = theme.current()
        x = rect.center().x()
        if slot.first:
            count = sum(1 for s in self._slots if s.section == slot.section)
            title = topology(self._link.sections[slot.section].topology).title
            say(
                painter,
                QRectF(rect.left() + 2, line - 44, rect.width() * count - 6, 16),
                title,
                use="dim",
                px=11,
            )
            painter.setPen(QPen(t.color("line"), 1))
            painter.drawLine(QPointF(rect.left(), line - 44), QPointF(rect.left(), line + 44))
        body = QRectF(x - 15, line - 7, 30, 14)
        if slot.rule.shunt:
            painter.setPen(QPen(t.color("copper"), 2))
            painter.drawLine(QPointF(x, line), QPointF(x, line + 8))
            body = QRectF(x - 6, line + 8, 12, 22)
            painter.drawLine(QPointF(x, line + 30), QPointF(x, line + 37))
            painter.setPen(QPen(t.color("ink"), 2))
            painter.drawLine(QPointF(x - 7, line + 37), QPointF(x + 7, line + 37))
        painter.setPen(QPen(t.color("ink"), 1.6))
        painter.setBrush(t.color("field"))
        if slot.rule.feedback:
            self._amplifier(painter, x, line)
            body = QRectF(x - 13, line + 20, 26, 10)
        if slot.rule.kind == "capacitor":
            painter.fillRect(QRectF(x - 3, line - 4, 6, 8), t.color("panel"))
            for side in (-3, 3):
                painter.drawLine(QPointF(x + side, line - 10), QPointF(x + side, line + 10))
        else:
            painter.drawRect(body)
        name = QRectF(rect.left(), line - 28, rect.width(), 16)
        if slot.rule.shunt:
            name = QRectF(x + 11, line + 10, rect.width() / 2 - 8, 16)
        align = Align.AlignLeft | Align.AlignVCenter if slot.rule.shunt else Align.AlignCenter
        say(painter, name, slot.rule.name.upper(), bold=True, px=11, align=align)
