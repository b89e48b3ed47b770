"""What makes a cell so: the links that reach what it is about, drawn from where they start to where they end, with the volts of the row."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen

from pigtail.catalogue.topologies import Does, topology
from pigtail.desktop import glyphs, theme
from pigtail.desktop.stations.base import Align, Painting, say, wire
from pigtail.desktop.stations.control.table import row_words, short
from pigtail.job.document import Job, Link, Purpose
from pigtail.language import tr

if TYPE_CHECKING:
    from pigtail.studies.control.found import Column, ControlFound, Row, StateCell

#: The most links that are drawn below each other.
MOST = 3
END_PX, BOX_PX = 150.0, 40.0
#: From this height on the links are drawn too [px].
WHOLE_PX = 110


class Stop(NamedTuple):
    """A place on the drawing: its name, what stands there in this row, and whether that is something."""

    name: str
    tells: str
    on: bool | None


class Paths(Painting):
    """The drawing beside the table."""

    def __init__(self) -> None:
        super().__init__("control_paths", QSize(300, 66))
        self.job: Job | None = None
        self.links: tuple[Link, ...] = ()
        self.stops: dict[str, Stop] = {}
        self.title = ""
        self.cell: StateCell | None = None

    def show_cell(self, job: Job, found: ControlFound, here: tuple[Row, Column, StateCell] | None) -> None:
        """Show what makes the cell picked so."""
        self.job = job
        self.links, self.stops, self.title, self.cell = (), {}, "", None
        if here is None:
            self.describe(tr("Nothing is switched, muted or shown yet"))
            return
        row, column, cell = here
        self.cell = cell
        links = [job.link(x) for x in cell.lit]
        own = [x for x in links if x is not None]
        # of a module all that works its switch, of anything else all that hangs on it
        self.links = tuple(sorted(own, key=lambda x: x.purpose is Purpose.RETURN))[:MOST]
        values = {c.subject: (k, c) for k, c in enumerate(found.columns)}
        for address in dict.fromkeys(j.terminal for x in self.links for j in x.joins):
            subject = address if address in values else address.partition(".")[0]
            tells, on = "", None
            if subject in values and (subject == address or _is_pin(job, address)):
                other = row.cells[values[subject][0]]
                tells, on = " ".join(x for x in (other.word, other.text) if x), other.yes
            self.stops[address] = Stop(job.label(address), tells, on)
        name = short(column.words)
        self.title = f"{name[:1].upper()}{name[1:]}, {row_words(row, job)}"
        words = "; ".join(
            f"{x.name}: {' to '.join(job.label(j.terminal) for j in x.joins)}" for x in self.links
        )
        self.describe(f"{self.title}: {cell.word} {cell.text}. {cell.why} {words}")

    def paint(self, painter: QPainter, box: QRectF) -> None:
        if self.cell is None or self.job is None:
            say(
                painter,
                box,
                tr("Pick a cell to see what makes it so."),
                use="dim",
                px=13,
                align=Align.AlignCenter,
            )
            return
        if self.cell.severity is not None:
            glyphs.paint(painter, QRectF(box.left(), box.top() + 1, 14, 14), self.cell.severity.value)
        say(painter, QRectF(box.left() + 20, box.top(), box.width() - 20, 16), self.title, bold=True, px=12)
        if not self.links:
            self._why(painter, box)
            return
        self._why(painter, box)
        if self.height() < WHOLE_PX:
            return
        area = box.adjusted(0, 54, 0, 0)
        high = area.height() / len(self.links)
        for k, link in enumerate(self.links):
            self._link(painter, link, QRectF(area.left(), area.top() + k * high, area.width(), high))

    def _why(self, painter: QPainter, box: QRectF) -> None:
        assert self.cell is not None
        why = QRectF(box.left() + 20, box.top() + 18, box.width() - 20, 32)
        say(painter, why, self.cell.why, px=11, use="dim", align=Align.AlignLeft | Align.AlignTop, wrap=True)

    def _link(self, painter: QPainter, link: Link, rect: QRectF) -> None:
        """One link: where it starts at the left, its networks in the middle, where it ends at the right, what works it below."""
        t = theme.current()
        end = min(END_PX, rect.width() * 0.3)
        y = rect.top() + min(34.0, rect.height() * 0.4)
        starts, ends = link.starts[:1], link.at("out")
        worked = (*link.at("ctl"), *link.at("sup"))
        left, right = rect.left() + 8, rect.right() - 8
        middle = QRectF(rect.left() + end, y - BOX_PX / 2, rect.width() - 2 * end, BOX_PX)
        on = next((self.stops[a].on for a in starts if self.stops[a].on is not None), None)
        through = next((self.stops[a].on for a in ends if self.stops[a].on is not None), None)
        self._wire(painter, QPointF(left, y), QPointF(middle.left(), y), on)
        self._wire(painter, QPointF(middle.right(), y), QPointF(right, y), through)
        painter.setPen(QPen(t.color("accent" if on and through else "dim"), 1.5))
        painter.setBrush(t.color("field"))
        painter.drawRoundedRect(middle, 5, 5)
        shapes = [
            topology(s.topology) for s in link.sections if Does.CONDUCTS not in topology(s.topology).does
        ]
        words = " → ".join(s.short for s in shapes) or "wire"
        say(
            painter,
            middle.adjusted(6, 0, -6, -BOX_PX / 2 + 2),
            link.name,
            px=11,
            use="dim",
            align=Align.AlignCenter,
        )
        say(
            painter,
            middle.adjusted(6, BOX_PX / 2 - 6, -6, 0),
            words,
            bold=True,
            px=12,
            align=Align.AlignCenter,
        )
        for address, side in (*((a, "left") for a in starts), *((a, "right") for a in ends)):
            self._end(
                painter,
                address,
                y,
                QRectF(rect.left(), y, end - 8, 32)
                if side == "left"
                else QRectF(rect.right() - end + 8, y, end - 8, 32),
                side,
            )
        for k, address in enumerate(worked[:1]):
            foot = min(rect.bottom() - 18, middle.bottom() + 16)
            stop = self.stops[address]
            x = middle.center().x()
            self._wire(painter, QPointF(x, middle.bottom()), QPointF(x, foot), stop.on)
            line = QRectF(rect.left(), foot + 16.0 * k, rect.width(), 16)
            say(
                painter,
                line,
                f"{short(stop.name)}  {stop.tells}".strip(),
                px=11,
                bold=True,
                align=Align.AlignCenter,
            )

    def _wire(self, painter: QPainter, a: QPointF, b: QPointF, on: bool | None) -> None:
        wire(
            painter,
            [a, b],
            use="copper" if on else "line" if on is False else "ivory",
            width=4.0 if on else 2.5,
        )

    def _end(self, painter: QPainter, address: str, y: float, rect: QRectF, side: str) -> None:
        stop, t = self.stops[address], theme.current()
        at = QPointF(rect.left() + 8 if side == "left" else rect.right() - 8, y)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(t.color("copper" if stop.on else "dim"))
        painter.drawEllipse(at, 5, 5)
        align = (Align.AlignLeft if side == "left" else Align.AlignRight) | Align.AlignVCenter
        say(painter, QRectF(rect.left(), y - 24, rect.width(), 16), short(stop.name), px=11, align=align)
        say(painter, QRectF(rect.left(), y + 8, rect.width(), 16), stop.tells, px=11, bold=True, align=align)


def _is_pin(job: Job, address: str) -> bool:
    """Whether a terminal is a module's supply pin, which its column tells of."""
    from pigtail.job.document import SupplyIn

    return isinstance(job.terminal(address), SupplyIn)
