"""The network of a link drawn along its wire, each part with a field for its value and what else is settled of it."""

from __future__ import annotations

import math
from functools import partial
from typing import NamedTuple

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QPainter, QPen, QResizeEvent
from PyQt6.QtWidgets import QMenu, QToolButton

from pigtail.catalogue.topologies import PartRule, Topology, topology
from pigtail.desktop import theme
from pigtail.desktop.fields import ValueField
from pigtail.desktop.stations.base import Align, Picture, say
from pigtail.job.edits import lock_part, set_capacitor, set_part
from pigtail.job.model import Job, Link, Part, Plus
from pigtail.units import Basis, Known, format_quantity

END, SLOT_LEAST, FIELD_HEIGHT, MORE_HEIGHT, LINE = 92, 70, 24, 18, 54
HEIGHT = LINE + 40 + FIELD_HEIGHT + MORE_HEIGHT + 6
#: How far under the wire the second of two outputs comes in.
LOWER = 20
#: Figures of a network that stand in the row beside its parts: what is chosen or turned, not what is bought.
CHOSEN = ("turn", "supply", "ratio", "gain")
TURN_STEP = 0.05
RATINGS = (6.3, 10.0, 16.0, 25.0, 35.0, 50.0, 63.0, 100.0)
SHORT = {Plus.UNSAID: "plus?", Plus.SOURCE: "+ source", Plus.INPUT: "+ input", Plus.FILM: "film"}


class _Slot(NamedTuple):
    """One part in the row: its network's place in the link, its topology, its rule, and the place of its title."""

    section: int
    shape: Topology
    rule: PartRule
    first: bool


class NetworkStrip(Picture):
    """The cascade of a link. `changed` carries (words, a change that takes a job and `link_id`); `refused` one sentence."""

    changed = pyqtSignal(str, object)
    refused = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__("network", QSize(400, HEIGHT))
        self.setMaximumHeight(HEIGHT)
        self._job: Job | None = None
        self._link: Link | None = None
        self._slots: tuple[_Slot, ...] = ()
        self._fields: list[ValueField] = []
        self._more: list[QToolButton] = []
        self._shape: tuple[str, ...] = ()
        self._painted: tuple[str, ...] = ()
        self._drawn: object = None

    def show_link(self, job: Job | None, link: Link | None) -> None:
        """Show a link; its fields are made anew only when its networks change."""
        self._job, self._link = job, link
        shape = (link.id, *(s.topology for s in link.sections)) if link else ()
        if shape != self._shape:
            self._shape = shape
            self._make_fields(link)
        if link is None:
            return
        for slot, field, more in zip(self._slots, self._fields, self._more, strict=True):
            part = self._part_of(slot)
            field.set_value(part.value.nominal)
            field.setReadOnly(part.locked)
            along = f"Up, down and wheel step along {slot.rule.series or 'its range'}."
            field.setToolTip(
                f"{slot.rule.words}: {slot.rule.rule}. {'It is locked.' if part.locked else along}"
            )
            more.setText(_settled(part))
        words = ", ".join(
            f"{_name(s.rule)} {f.text()}{' (locked)' if f.isReadOnly() else ''}"
            for s, f in zip(self._slots, self._fields, strict=True)
        )
        drawn = (
            job is not None and tuple(job.label(a) for j in link.joins for a in (j.terminal,)),
            self._turns(),
        )
        self.setAccessibleName(f"Network of {link.name}: {words or 'plain wire'}")
        if drawn != self._drawn or shape != self._painted:
            self._drawn, self._painted = drawn, shape
            self.update()

    def _turns(self) -> tuple[float, ...]:
        """How far the volume controls are turned, which is drawn; other values stand in their fields."""
        return tuple(self._part_of(s).value.nominal for s in self._slots if s.rule.name == "turn")

    def _part_of(self, slot: _Slot) -> Part:
        assert self._link is not None
        section = self._link.sections[slot.section]
        given = next((p for p in section.parts if p.name == slot.rule.name), None)
        return given or Part(name=slot.rule.name, value=slot.shape.values(section)[slot.rule.name])

    def _make_fields(self, link: Link | None) -> None:
        for widget in (*self._fields, *self._more):
            widget.hide()
            widget.deleteLater()
        self._fields, self._more = [], []
        slots: list[_Slot] = []
        for index, section in enumerate(link.sections if link else ()):
            shape = topology(section.topology)
            rules = [p for p in shape.parts if p.kind != "figure" or p.name in CHOSEN]
            slots += [_Slot(index, shape, rule, k == 0) for k, rule in enumerate(rules)]
        self._slots = tuple(slots)
        for slot in self._slots:
            field = ValueField(slot.rule.unit, slot.rule.series, self, **_steps(slot.rule))
            field.setObjectName(f"part_{slot.section}_{slot.rule.name}")
            field.setAccessibleName(f"{slot.shape.title}: {_name(slot.rule)}, {slot.rule.words}")
            field.committed.connect(partial(self._commit, slot))
            field.refused.connect(self.refused)
            field.show()
            self._fields.append(field)
            more = QToolButton(self)
            more.setObjectName("settled")
            more.setAccessibleName(f"{slot.shape.title}: {_name(slot.rule)}, locked or free")
            more.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
            menu = QMenu(more)
            menu.aboutToShow.connect(partial(self._fill_more, slot, menu))
            more.setMenu(menu)
            more.show()
            self._more.append(more)
        self._place()

    # -- edits ----------------------------------------------------------------------------------------------

    def _commit(self, slot: _Slot, value: float) -> None:
        if self._link is None:
            return
        name = _name(slot.rule)
        words = f"{name} to {format_quantity(value, slot.rule.unit, 4)}"
        trouble = ""
        if slot.rule.name == "turn":
            trouble = "" if 0 < value <= 1 else f"{name} goes from above 0 to 1; type a part of the full turn"
        elif value <= 0:
            trouble = f"{name} must be above nought; type a value such as 4k7"
        if trouble:
            self.refused.emit(trouble)
            self.show_link(self._job, self._link)
            return
        known = slot.rule.known(value, Basis.TYPICAL)
        self.changed.emit(words, partial(set_part, section=slot.section, name=slot.rule.name, value=known))

    def _fill_more(self, slot: _Slot, menu: QMenu) -> None:
        """What else is settled of a part: whether searches leave it, and how a capacitor is fitted."""
        menu.clear()
        if self._link is None:
            return
        part, name = self._part_of(slot), _name(slot.rule)
        place = {"section": slot.section, "name": slot.rule.name}
        locked = menu.addAction("Locked: searches and remedies leave it")
        assert locked is not None
        locked.setCheckable(True)
        locked.setChecked(part.locked)
        words = f"{'free' if part.locked else 'lock'} {name}"
        locked.triggered.connect(
            lambda _c: self.changed.emit(words, partial(lock_part, locked=not part.locked, **place))
        )
        if slot.rule.kind != "capacitor":
            return
        menu.addSection("How it is fitted")
        for plus in Plus:
            self._choice(
                menu, f"Plus {plus.value}" if plus is not Plus.FILM else "Film, not polarised", part.plus is plus,
                f"{name}: {plus.value}", partial(set_capacitor, plus=plus, rating=part.rating, **place),
            )  # fmt: skip
        menu.addSection("What it is rated for")
        for volts in RATINGS:
            rating = Known.of(volts, "V", Basis.DOCUMENTED)
            chosen = part.rating is not None and part.rating.nominal == volts
            self._choice(
                menu, f"{volts:g} V", chosen, f"{name} for {volts:g} V",
                partial(set_capacitor, plus=part.plus, rating=rating, **place),
            )  # fmt: skip

    def _choice(self, menu: QMenu, text: str, chosen: bool, words: str, change: object) -> None:
        action = menu.addAction(text)
        assert action is not None
        action.setCheckable(True)
        action.setChecked(chosen)
        action.triggered.connect(lambda _c: self.changed.emit(words, change))

    # -- geometry and painting ------------------------------------------------------------------------------

    @property
    def _wide(self) -> bool:
        """Whether there is room for the names of the two ends beside the parts."""
        return self.width() - 24 - 2 * END >= SLOT_LEAST * len(self._slots)

    def _slot_rect(self, k: int) -> QRectF:
        side = END if self._wide else 0
        width = (self.width() - 24 - 2 * side) / max(len(self._slots), 1)
        return QRectF(12 + side + k * width, 0, width, self.height())

    def _place(self) -> None:
        for k, (field, more) in enumerate(zip(self._fields, self._more, strict=True)):
            rect = self._slot_rect(k)
            width = min(rect.width() - 6, 92)
            left = int(rect.center().x() - width / 2)
            field.setGeometry(left, LINE + 40, int(width), FIELD_HEIGHT)
            more.setGeometry(left, LINE + 40 + FIELD_HEIGHT, int(width), MORE_HEIGHT)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._place()

    def paint(self, painter: QPainter, box: QRectF) -> None:
        if self._link is None or self._job is None:
            say(painter, box, "No network to show.", use="dim", align=Align.AlignCenter)
            return
        line = float(LINE)
        painter.setPen(QPen(theme.current().color("copper"), 3))
        painter.drawLine(QPointF(box.left(), line), QPointF(box.right(), line))
        if self._wide:
            self._ends(painter, box, line)
        if not self._slots:
            rect = QRectF(box.left(), line - 30, box.width(), 20)
            say(painter, rect, "a plain wire: nothing to choose", use="dim", align=Align.AlignCenter)
        for k, slot in enumerate(self._slots):
            self._slot(painter, slot, self._slot_rect(k), line)

    def _ends(self, painter: QPainter, box: QRectF, line: float) -> None:
        """What the wire comes from and goes to."""
        assert self._link is not None
        assert self._job is not None
        starts = [self._job.label(a).rpartition(" · ")[2] for a in self._link.starts]
        heights = [line + 4] if len(starts) < 2 else [line - 18, line + LOWER + 3]
        for words, at in zip(starts, heights, strict=False):
            say(painter, QRectF(box.left(), at, END - 6, 15), self._short(words), px=11, middle=True)
        for k, words in enumerate(w for a in self._link.at("out") for w in self._job.label(a).split(" · ")):
            rect = QRectF(box.right() - END + 6, line + 4 + 15 * k, END - 6, 15)
            say(painter, rect, words, px=11, align=Align.AlignRight | Align.AlignVCenter, middle=True)

    def _short(self, words: str) -> str:
        """A name, or what tells it from its like, where the whole has no room."""
        fits = QFontMetricsF(theme.font(11)).horizontalAdvance(words) <= END - 6
        return words if fits else words.rpartition(", ")[2]

    def _slot(self, painter: QPainter, slot: _Slot, rect: QRectF, line: float) -> None:
        """A part's symbol: on the wire, or hanging from it to the common."""
        t = theme.current()
        x = rect.center().x()
        if slot.first:
            count = sum(1 for s in self._slots if s.section == slot.section)
            title = QRectF(rect.left() + 4, line - 44, rect.width() * count - 8, 16)
            say(painter, title, slot.shape.title, use="dim", px=11)
            painter.setPen(QPen(t.color("line"), 1))
            painter.drawLine(QPointF(rect.left(), line - 44), QPointF(rect.left(), line + 40))
        aside = slot.rule.shunt
        if self._is_second(slot):
            aside = True
            self._branch(painter, rect, x, line)
        elif slot.rule.name == "turn":
            _knob(painter, x, line, self._part_of(slot).value.nominal)
        else:
            self._symbol(slot)(painter, x, line)
        name = QRectF(rect.left(), line - 28, rect.width(), 14)
        if aside:
            name = QRectF(x + 12, line + 10, rect.width() / 2 - 10, 16)
        if self._is_second(slot):
            name = QRectF(x + 12, line + LOWER + 6, rect.width() / 2 - 10, 13)
        align = Align.AlignLeft | Align.AlignVCenter if aside else Align.AlignCenter
        say(painter, name, _name(slot.rule), bold=True, px=11, align=align)

    def _is_second(self, slot: _Slot) -> bool:
        """Whether a part belongs to the second of two outputs that are joined."""
        return len(slot.shape.inputs) > 1 and slot.rule.name == "r2"

    def _branch(self, painter: QPainter, rect: QRectF, x: float, line: float) -> None:
        """The second of two outputs comes in below the first, through its own resistor, and meets it."""
        left = 12.0 if self._wide else rect.left() - rect.width()
        painter.setPen(QPen(theme.current().color("copper"), 3))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(
            [
                QPointF(left, line + LOWER),
                QPointF(rect.right() - 8, line + LOWER),
                QPointF(rect.right() - 8, line),
            ]
        )
        _resistor(painter, x, line + LOWER)

    def _symbol(self, slot: _Slot):  # type: ignore[no-untyped-def]
        """How a part is drawn."""
        rule = slot.rule
        drives = slot.shape.amplifier and not any(p.feedback for p in slot.shape.parts)
        if rule.feedback:
            return _amplifier_with_feedback
        if rule.name in ("supply", "gain"):
            chief = "gain" if any(p.name == "gain" for p in slot.shape.parts) else "supply"
            return _amplifier if drives and rule.name == chief else _rail
        if rule.name == "ratio":
            return _transformer
        if rule.kind == "capacitor":
            return _capacitor_down if rule.shunt else _capacitor
        return _resistor_down if rule.shunt else _resistor


def _name(rule: PartRule) -> str:
    """How a part is called in the drawing."""
    return rule.name.upper() if rule.kind != "figure" else rule.name


def _steps(rule: PartRule) -> dict[str, float]:
    """By how much a figure without a series is stepped, and up to what."""
    if rule.name == "turn":
        return {"by": TURN_STEP, "most": 1.0}
    return {"by": 1.0} if rule.name in ("supply", "gain") else {}


def _settled(part: Part) -> str:
    """What is settled of a part, in a word or two."""
    words = ["locked"] if part.locked else []
    if part.value.unit == "F":
        words.append(SHORT[part.plus])
        words += [f"{part.rating.nominal:g} V"] if part.rating is not None else []
    return (" · ".join(words) or "free") + " ▾"


def _pens(painter: QPainter, *, wire: bool = False) -> None:
    t = theme.current()
    painter.setPen(QPen(t.color("copper" if wire else "ink"), 2 if wire else 1.6))
    painter.setBrush(t.color("field"))


def _drop(painter: QPainter, x: float, line: float, above: float, below: float) -> None:
    """The wire down to a part that hangs, and from it to the common."""
    _pens(painter, wire=True)
    painter.drawLine(QPointF(x, line), QPointF(x, line + above))
    painter.drawLine(QPointF(x, line + below), QPointF(x, line + 35))
    _pens(painter)
    painter.drawLine(QPointF(x - 7, line + 35), QPointF(x + 7, line + 35))


def _resistor(painter: QPainter, x: float, line: float) -> None:
    _pens(painter)
    painter.drawRect(QRectF(x - 15, line - 7, 30, 14))


def _resistor_down(painter: QPainter, x: float, line: float) -> None:
    _drop(painter, x, line, 7, 29)
    painter.drawRect(QRectF(x - 6, line + 7, 12, 22))


def _plates(painter: QPainter, box: QRectF, *, lying: bool) -> None:
    painter.fillRect(box, theme.current().color("panel"))
    _pens(painter)
    if lying:
        for y in (box.top(), box.bottom()):
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
    else:
        for x in (box.left(), box.right()):
            painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))


def _capacitor(painter: QPainter, x: float, line: float) -> None:
    _plates(painter, QRectF(x - 3, line - 10, 6, 20), lying=False)


def _capacitor_down(painter: QPainter, x: float, line: float) -> None:
    _drop(painter, x, line, 15, 21)
    _plates(painter, QRectF(x - 10, line + 15, 20, 6), lying=True)


def _knob(painter: QPainter, x: float, line: float, turn: float) -> None:
    """A volume control from above, its pointer where it is turned to: three quarters of a round, the gap below."""
    _pens(painter)
    painter.drawEllipse(QPointF(x, line), 11, 11)
    angle = math.radians(225 - 270 * min(max(turn, 0.0), 1.0))
    tip = QPointF(x + 10 * math.cos(angle), line - 10 * math.sin(angle))
    painter.setPen(QPen(theme.current().color("ink"), 2.5))
    painter.drawLine(QPointF(x, line), tip)


def _amplifier(painter: QPainter, x: float, line: float) -> None:
    _pens(painter)
    painter.drawPolygon([QPointF(x - 16, line - 14), QPointF(x - 16, line + 14), QPointF(x + 16, line)])


def _amplifier_with_feedback(painter: QPainter, x: float, line: float) -> None:
    """An amplifier on the wire, the feedback from its output to its input below it."""
    _pens(painter, wire=True)
    round_it = ((16, 0), (26, 0), (26, 25), (-24, 25), (-24, 7), (-16, 7))
    painter.drawPolyline([QPointF(x + dx, line + dy) for dx, dy in round_it])
    _amplifier(painter, x, line)
    painter.drawRect(QRectF(x - 13, line + 20, 26, 10))


def _rail(painter: QPainter, x: float, line: float) -> None:
    """A supply: a short bar over the wire."""
    _pens(painter)
    painter.drawLine(QPointF(x, line - 3), QPointF(x, line - 11))
    painter.drawLine(QPointF(x - 9, line - 11), QPointF(x + 9, line - 11))


def _transformer(painter: QPainter, x: float, line: float) -> None:
    """Two windings with a core between them; nothing but the field joins them."""
    t = theme.current()
    painter.fillRect(QRectF(x - 14, line - 4, 28, 8), t.color("panel"))
    _pens(painter)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for side, start in ((-1, 270), (1, 90)):
        for k in range(3):
            painter.drawArc(QRectF(x + side * 11 - 5, line - 2 + 10 * k, 10, 10), start * 16, 180 * 16)
    for dx in (-2, 2):
        painter.drawLine(QPointF(x + dx, line - 2), QPointF(x + dx, line + 28))
