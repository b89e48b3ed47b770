"""The network of a link drawn along its wire, each part with a field for its value and what else is settled of it."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any, NamedTuple

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QHelpEvent, QPainter, QPen, QResizeEvent
from PyQt6.QtWidgets import QMenu, QToolButton, QToolTip

from pigtail.catalogue.ratings import ratings
from pigtail.catalogue.topologies import FILM_F, PartRule, Topology, topology
from pigtail.desktop import theme
from pigtail.desktop.fields import ValueField
from pigtail.desktop.stations import symbols
from pigtail.desktop.stations.base import Align, Painting, say
from pigtail.edits.change import FeedChange
from pigtail.edits.links import lock_part, set_capacitor, set_part, set_rating
from pigtail.job.document import Job, Link, Part, Plus
from pigtail.language import tr
from pigtail.units import Basis, Known, format_quantity

END, SLOT_LEAST, FIELD_HEIGHT, MORE_HEIGHT, LINE = 92, 70, 24, 18, 54
HEIGHT = LINE + 40 + FIELD_HEIGHT + MORE_HEIGHT + 6
#: Figures of a network that stand in the row beside its parts: what is chosen or turned, not what is bought.
CHOSEN = ("turn", "supply", "ratio", "gain")
TURN_STEP = 0.05
SHORT = {
    Plus.UNSAID: tr("plus?"),
    Plus.SOURCE: tr("+ source"),
    Plus.INPUT: tr("+ input"),
    Plus.FILM: tr("film"),
}


class _Slot(NamedTuple):
    """One part in the row: its network's place in the link, its topology, its rule, and the place of its title."""

    section: int
    shape: Topology
    rule: PartRule
    first: bool


class NetworkStrip(Painting):
    """The cascade of a link. `changed` carries a FeedChange; `refused` one sentence."""

    changed = pyqtSignal(object)
    refused = pyqtSignal(str)

    def __init__(self, name: str = "network") -> None:
        super().__init__(name, QSize(400, HEIGHT))
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
            along = tr("Up, down and wheel step along {value}.", value=slot.rule.series or tr("its range"))
            field.setToolTip(
                f"{slot.rule.words}: {slot.rule.rule}. {tr('It is locked.') if part.locked else along}"
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
        self.setAccessibleName(
            tr("Network of {link}: {value}", link=link.name, value=words or tr("plain wire"))
        )
        if drawn != self._drawn or shape != self._painted:
            self._drawn, self._painted = drawn, shape
            self.update()

    def _draws(self, shape: Topology) -> bool:
        """Whether a network of the link is drawn here."""
        return True

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
            if not self._draws(shape):
                continue
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
            more.setAccessibleName(
                tr("{shape}: {rule}, locked or free", shape=slot.shape.title, rule=_name(slot.rule))
            )
            more.setToolTip(more.accessibleName())
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
        words = tr("{name} to {value}", name=name, value=format_quantity(value, slot.rule.unit, 4))
        trouble = ""
        if slot.rule.name == "turn":
            trouble = (
                ""
                if 0 < value <= 1
                else tr("{name} goes from above 0 to 1; type a part of the full turn", name=name)
            )
        elif value <= 0:
            trouble = tr("{name} must be above zero; type a value such as 4k7", name=name)
        if trouble:
            self.refused.emit(trouble)
            self.show_link(self._job, self._link)
            return
        known = slot.rule.known(value, Basis.TYPICAL)
        change = partial(set_part, section=slot.section, name=slot.rule.name, value=known)
        turning = f"{self._link.id} {slot.section} {slot.rule.name}"  # several notches are one step back
        self.changed.emit(FeedChange(words, change, turning))

    def _fill_more(self, slot: _Slot, menu: QMenu) -> None:
        """What else is settled of a part: whether searches leave it, and how a capacitor is fitted."""
        menu.clear()
        if self._link is None:
            return
        part, name = self._part_of(slot), _name(slot.rule)
        place: dict[str, Any] = {"section": slot.section, "name": slot.rule.name}
        locked = menu.addAction(tr("Locked: searches and remedies leave it"))
        assert locked is not None
        locked.setCheckable(True)
        locked.setChecked(part.locked)
        words = f"{'free' if part.locked else 'lock'} {name}"
        locked.triggered.connect(
            lambda _c: self.changed.emit(
                FeedChange(words, partial(lock_part, locked=not part.locked, **place))
            )
        )
        if slot.rule.kind == "resistor":
            menu.addSection(tr("What heat it stands"))
            for watts in ratings().resistor.watts:
                rating = Known.of(watts, "W", Basis.DOCUMENTED)
                chosen = part.rating is not None and part.rating.nominal == watts
                self._choice(
                    menu, f"{watts:g} W", chosen, tr("{name} for {watts:g} W", name=name, watts=watts),
                    partial(set_rating, rating=None if chosen else rating, **place),
                )  # fmt: skip
        if slot.rule.kind != "capacitor":
            return
        menu.addSection(tr("How it is fitted"))
        for plus in Plus:
            self._choice(
                menu, tr("Plus {plus}", plus=plus.value) if plus is not Plus.FILM else tr("Film, not polarised"), part.plus is plus,
                f"{name}: {tr(plus.value)}", partial(set_capacitor, plus=plus, rating=part.rating, **place),
            )  # fmt: skip
        menu.addSection(tr("What it is rated for"))
        for volts in ratings().capacitor.volts:
            rating = Known.of(volts, "V", Basis.DOCUMENTED)
            chosen = part.rating is not None and part.rating.nominal == volts
            self._choice(
                menu, f"{volts:g} V", chosen, tr("{name} for {volts:g} V", name=name, volts=volts),
                partial(set_capacitor, plus=part.plus, rating=rating, **place),
            )  # fmt: skip

    def _choice(self, menu: QMenu, text: str, chosen: bool, words: str, change: Callable[..., Job]) -> None:
        action = menu.addAction(text)
        assert action is not None
        action.setCheckable(True)
        action.setChecked(chosen)
        action.triggered.connect(lambda _c: self.changed.emit(FeedChange(words, change)))

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

    def event(self, event: QEvent | None) -> bool:
        """Over a network: what it is good for, and its catch."""
        if isinstance(event, QHelpEvent):
            for k, slot in enumerate(self._slots):
                if self._slot_rect(k).contains(QPointF(event.pos())):
                    shape = slot.shape
                    QToolTip.showText(
                        event.globalPos(), f"{shape.title}\n{shape.good_for}\n{shape.catch}", self
                    )
                    return True
        return super().event(event)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._place()

    def paint(self, painter: QPainter, box: QRectF) -> None:
        if self._link is None or self._job is None:
            say(painter, box, tr("No network to show."), use="dim", align=Align.AlignCenter)
            return
        line = float(LINE)
        painter.setPen(QPen(theme.current().color("copper"), 3))
        painter.drawLine(QPointF(box.left(), line), QPointF(box.right(), line))
        if self._wide:
            self._ends(painter, box, line)
        if not self._slots:
            rect = QRectF(box.left(), line - 30, box.width(), 20)
            say(painter, rect, tr("a plain wire: nothing to choose"), use="dim", align=Align.AlignCenter)
        for k in range(len(self._slots)):
            self._slot(painter, k, line)

    def _ends(self, painter: QPainter, box: QRectF, line: float) -> None:
        """What the wire comes from and goes to."""
        assert self._link is not None
        assert self._job is not None
        starts = [self._job.label(a).rpartition(" · ")[2] for a in self._link.starts]
        lines, heights = starts, [line - 18, line + symbols.LOWER + 3]
        if len(starts) == 1:
            lines, heights = starts[0].split(", "), [line + 4, line + 19]
        for words, at in zip(lines, heights, strict=False):
            say(painter, QRectF(box.left(), at, END - 6, 15), self._short(words), px=11, middle=True)
        labels = [self._job.label(a) for a in self._link.at("out")]
        for k, words in enumerate(
            w for label in labels for part in label.split(" · ") for w in part.split(", ")
        ):
            rect = QRectF(box.right() - END + 6, line + 4 + 15 * k, END - 6, 15)
            say(painter, rect, words, px=11, align=Align.AlignRight | Align.AlignVCenter, middle=True)

    def _short(self, words: str) -> str:
        """A name, or what tells it from its like, where the whole has no room."""
        fits = QFontMetricsF(theme.font(11)).horizontalAdvance(words) <= END - 6
        return words if fits else words.rpartition(", ")[2]

    def _slot(self, painter: QPainter, k: int, line: float) -> None:
        """A part in its place: on the wire, hanging from it, beside another, or below."""
        slot, rect = self._slots[k], self._slot_rect(k)
        t = theme.current()
        if slot.first:
            count = sum(1 for s in self._slots if s.section == slot.section)
            title = QRectF(rect.left() + 4, line - 44, rect.width() * count - 8, 16)
            say(painter, title, slot.shape.title, use="dim", px=11)
            painter.setPen(QPen(t.color("line"), 1))
            painter.drawLine(QPointF(rect.left(), line - 44), QPointF(rect.left(), line + 40))
        where = self._where(slot)
        before = self._slot_rect(k - 1) if k else rect
        first = k == 0 or self._where(self._slots[k - 1]) != where
        last = k + 1 == len(self._slots) or self._where(self._slots[k + 1]) != where
        place = symbols.Spot(
            rect, before, line, first, last, 12.0 if self._wide else rect.left() - rect.width()
        )
        if slot.rule.name == "turn":
            symbols.knob(painter, rect.center().x(), line, self._part_of(slot).value.nominal)
        elif where in symbols.ELSEWHERE:
            symbols.ELSEWHERE[where](painter, place, slot.rule.kind == "capacitor")
        else:
            self._symbol(slot)(painter, rect.center().x(), line)
        name = symbols.name_rect(place, where)
        align = Align.AlignCenter if name.top() < line else Align.AlignLeft | Align.AlignVCenter
        say(painter, name, _name(slot.rule), bold=True, px=11, align=align)

    def _where(self, slot: _Slot) -> str:
        """Where a part lies, if it is not simply on the wire."""
        if len(slot.shape.inputs) > 1 and slot.rule.name == "r2":
            return "second"
        return slot.rule.drawn or ("hanging" if slot.rule.shunt else "")

    def _symbol(self, slot: _Slot) -> symbols.Draw:
        """How a part on the wire, or hanging from it, is drawn."""
        rule = slot.rule
        drives = slot.shape.amplifies and not any(p.feedback for p in slot.shape.parts)
        if rule.feedback:
            return symbols.amplifier_with_feedback
        if rule.name in ("supply", "gain"):
            chief = "gain" if any(p.name == "gain" for p in slot.shape.parts) else "supply"
            return symbols.amplifier if drives and rule.name == chief else symbols.rail
        if rule.name == "ratio":
            return symbols.transformer
        if rule.kind == "capacitor":
            return symbols.capacitor_down if rule.shunt else symbols.capacitor
        return symbols.resistor_down if rule.shunt else symbols.resistor


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
    words = [tr("locked")] if part.locked else []
    if part.value.unit == "F" and (
        part.value.nominal > FILM_F or part.plus is not Plus.UNSAID or part.rating
    ):
        words.append(SHORT[part.plus])
        words += [f"{part.rating.nominal:g} V"] if part.rating is not None else []
    return (" · ".join(words) or tr("free")) + " ▾"
