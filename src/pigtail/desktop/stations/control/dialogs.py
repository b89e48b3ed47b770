"""Dialogs of Control: a pin of a module or point of the host that lines start or end at, a join between two, a switch of the host."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import (
    QComboBox,
    QDialogButtonBox,
    QFormLayout,
    QLabel,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from pigtail.catalogue.topologies import Does, those, topology
from pigtail.desktop.tips import Dialog
from pigtail.edits.change import Change
from pigtail.edits.control import add_control, add_line, add_switch
from pigtail.edits.host import id_of
from pigtail.job.control import Acts, Pull, Stand, Switch, SwitchKind
from pigtail.job.document import HOST, AudioIn, AudioOut, Control, ControlIn, Job, Pin, Rail, Return
from pigtail.job.wiring import star_address
from pigtail.language import tr


class ControlDialog(Dialog):
    """A form with one sentence on top. After it was accepted `change` is what was asked for."""

    def __init__(self, name: str, title: str, says: str, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.setObjectName(name)
        self.setWindowTitle(title)
        self.change: Change | None = None
        words = QLabel(says)
        words.setWordWrap(True)
        self.form = QFormLayout()
        self.trouble = QLabel()
        self.trouble.setObjectName("wrong")
        self.trouble.setWordWrap(True)
        buttons = QDialogButtonBox(
            QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel
        )
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        layout = QVBoxLayout(self)
        layout.addWidget(words)
        layout.addLayout(self.form)
        layout.addWidget(self.trouble)
        layout.addWidget(buttons)
        self.resize(460, 200)

    def line(self, name: str, words: str, text: str = "") -> QLineEdit:
        """A line to be typed."""
        entry = QLineEdit(text)
        entry.setObjectName(name)
        entry.setAccessibleName(words)
        self.form.addRow(words, entry)
        return entry

    def combo(self, name: str, words: str, items: list[tuple[str, object]]) -> QComboBox:
        """A choice."""
        made = QComboBox()
        made.setObjectName(name)
        for text, value in items:
            made.addItem(text, value)
        made.setAccessibleName(words)
        self.form.addRow(words, made)
        return made


class PinDialog(ControlDialog):
    """Asks for a line or an input of a module or of the host."""

    def __init__(self, job: Job, parent: QWidget | None = None) -> None:
        says = tr(
            "A pin that tells something (a link output, a standby line) or that is told something "
            "(an enable, a mute, a trigger)."
        )
        super().__init__("pin_dialog", tr("A line or an input"), says, parent)
        self._job = job
        devices: list[tuple[str, object]] = [(job.host.name, HOST), *((m.name, m.id) for m in job.modules)]
        self.device = self.combo("pin_device", tr("of"), devices)
        self.device.setCurrentIndex(len(devices) - 1)
        kinds: list[tuple[str, object]] = [
            (tr("an output: it tells"), ""),
            *((tr("an input: {a}", a=a.value), a.value) for a in Acts),
        ]
        self.kind = self.combo("pin_kind", tr("is"), kinds)
        self.name = self.line("pin_name", tr("called"), tr("link pin"))
        self.gated = self.combo("pin_gates", tr("enables or mutes"), [(tr("nothing by itself"), "")])
        self.device.currentIndexChanged.connect(self._outputs)
        self._outputs()

    def _outputs(self, _k: int = 0) -> None:
        device = self._job.device(self.device.currentData())
        self.gated.clear()
        self.gated.addItem(tr("nothing by itself"), "")
        for terminal in device.terminals if device is not None else ():
            if isinstance(terminal, AudioOut | AudioIn):
                self.gated.addItem(terminal.name, terminal.id)

    def accept(self) -> None:
        device_id = str(self.device.currentData())
        device = self._job.device(device_id)
        name = self.name.text().strip()
        if device is None or not name:
            self.trouble.setText(tr("Give it a name, as it is printed on the board or called in the papers."))
            return
        made_id, acts = id_of(name, [t.id for t in device.terminals]), str(self.kind.currentData())
        gates = (str(self.gated.currentData()),) if self.gated.currentData() else ()
        terminal = (
            ControlIn(id=made_id, name=name, acts=Acts(acts), pulls=Pull.UNKNOWN, gates=gates)
            if acts
            else Control(id=made_id, name=name)
        )
        self.change = Change(
            tr("{name} of {device}", name=name, device=device.name),
            partial(add_line, device_id=device_id, terminal=terminal),
        )
        super().accept()


class JoinDialog(ControlDialog):
    """Asks what a network of control is joined between."""

    def __init__(self, job: Job, key: str, start: str = "", parent: QWidget | None = None) -> None:
        shape = topology(key)
        super().__init__("join_dialog", shape.title, f"{shape.good_for} {shape.catch}", parent)
        self._key = key
        shows = Does.SHOWS in shape.does
        lines = [a for a in job.addresses() if isinstance(job.terminal(a), Control | Rail)]
        ends = [
            a for a in job.addresses() if isinstance(job.terminal(a), ControlIn | Control | AudioIn | Pin)
        ]
        if shows:
            ends = [
                star_address(job),
                *(
                    a
                    for a in job.addresses()
                    if isinstance(job.terminal(a), Control | Return) and a != star_address(job)
                ),
            ]
        self.start = self.combo("join_start", tr("from"), [(job.label(a), a) for a in lines])
        self.start.setCurrentIndex(max(self.start.findData(start), 0))
        self.end = self.combo("join_end", tr("to"), [(job.label(a), a) for a in ends])
        self.called = self.line("join_name", tr("called"), tr("Light") if shows else shape.short.capitalize())
        self.supply: QComboBox | None = None
        if "sup" in shape.ports:
            rails = [a for a in job.addresses() if isinstance(job.terminal(a), Rail)]
            self.supply = self.combo("join_supply", tr("supplied from"), [(job.label(a), a) for a in rails])

    def accept(self) -> None:
        start, end, name = self.start.currentData(), self.end.currentData(), self.called.text().strip()
        if not start or not end or start == end or not name:
            self.trouble.setText(tr("Choose where it starts and where it ends, and what it is called."))
            return
        supply = str(self.supply.currentData() or "") if self.supply is not None else ""
        edit = partial(add_control, key=self._key, start=str(start), end=str(end), name=name, supply=supply)
        self.change = Change(tr("add {lower}", lower=topology(self._key).title.lower()), edit)
        super().accept()


class SwitchDialog(ControlDialog):
    """Asks for a switch of the host: its points, and on which way it stands in each state."""

    def __init__(self, job: Job, parent: QWidget | None = None) -> None:
        says = tr(
            "A selector's free pole, a jack contact, a button: its contacts are points of the host "
            "(Survey); say how it stands."
        )
        super().__init__("switch_dialog", tr("A switch of the host"), says, parent)
        self._job = job
        points: list[tuple[str, object]] = [(t.name, t.id) for t in job.host.terminals]
        self.kind = self.combo("switch_kind", tr("is a"), [(k.value, k.value) for k in SwitchKind])
        self.called = self.line("switch_name", tr("called"), tr("selector, free pole"))
        self.common = self.combo("switch_common", tr("common"), points)
        none: list[tuple[str, object]] = [("–", "")]
        self.ways = [
            self.combo(f"switch_way_{k}", tr("way {value}", value=k + 1), [*none, *points]) for k in range(4)
        ]
        self.stands = {
            s.id: self.combo(f"switch_in_{s.id}", tr("in “{s}” on", s=s.name), []) for s in job.host.states
        }
        for combo in self.ways:
            combo.currentIndexChanged.connect(self._offer)
        self._offer()

    def _offer(self, _k: int = 0) -> None:
        chosen = [(c.currentText(), c.currentData()) for c in self.ways if c.currentData()]
        for combo in self.stands.values():
            now = combo.currentData()
            combo.clear()
            for text, value in ((tr("not told"), None), (tr("none: open"), ""), *chosen):
                combo.addItem(text, value)
            combo.setCurrentIndex(max(combo.findData(now), 0))

    def accept(self) -> None:
        name, common = self.called.text().strip(), str(self.common.currentData() or "")
        ways = tuple(str(c.currentData()) for c in self.ways if c.currentData())
        if not name or not common or not ways or common in ways or len(set(ways)) != len(ways):
            self.trouble.setText(
                tr("Give it a name, its common point, and at least one way, each another point.")
            )
            return
        stands = tuple(
            Stand(state=s, way=str(c.currentData()))
            for s, c in self.stands.items()
            if c.currentData() is not None
        )
        made = Switch(
            id=id_of(name, [s.id for s in self._job.host.switches]), name=name, kind=SwitchKind(self.kind.currentData()), common=common,
            ways=ways, stands=stands,
        )  # fmt: skip
        self.change = Change(tr("switch {name}", name=name), partial(add_switch, switch=made))
        super().accept()


def control_shapes() -> list[tuple[str, str, str, str]]:
    """What can be added: menu title, key, title, what it is good for and costs."""
    return [(s.menu or tr("Join"), s.key, s.title, f"{s.good_for} {s.catch}") for s in those("control")]
