"""What is told of what is picked in the table, typed in place: what a line needs, how a pin drives, when an input is high."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from pigtail.desktop.fields import mark_wrong, read_known
from pigtail.edits import set_value
from pigtail.edits.change import Change
from pigtail.edits.control import set_control, set_doing, set_line_level
from pigtail.job.control import Acts, Drive, Pull
from pigtail.job.document import HOST, AnyTerminal, Control, ControlIn, Job
from pigtail.job.quantities import QUANTITIES, Quantity, quantity
from pigtail.language import mark, tr
from pigtail.units import Basis, KnownError, UnreadableError, format_known
from pigtail.units.known import Known

if TYPE_CHECKING:
    from pigtail.studies.control.found import Column, Row

#: The level of a line, in whatever state.
LEVEL = next(q for q in QUANTITIES[Control] if q.field == "level")
#: Values of a line of the host, of a module's, of an input: field and short words.
HOST_LINE = (
    ("level", tr("while on")),
    ("impedance", tr("behind")),
    ("least", tr("host needs")),
    ("takes", tr("own load")),
)
MODULE_LINE = (
    ("level", tr("high")),
    ("impedance", tr("behind")),
    ("sources", tr("sources")),
    ("sinks", tr("sinks")),
    ("most", tr("stands")),
)
BLINKING_LINE = (*MODULE_LINE, ("blink", tr("blinks")), ("duty", tr("lit for")))
#: How a line of a module stands while it does something, and which of its levels makes it active.
AT_REST, ACTIVE, BLINKING = mark("at rest"), mark("active"), mark("blinking")
HIGH, LOW = mark("active high"), mark("active low")
#: So many fields stand in one row; with words to choose from, where it is narrower than this [px], so many.
IN_ONE, WIDE_PX, IN_NARROW = 8, 700, 4
INPUT = (("low", tr("low up to")), ("high", tr("high from")), ("most", tr("stands")), ("pull", "pull"))


class ControlFacts(QWidget):
    """A row of fields. `edited` carries a Change; `refused` one sentence."""

    edited = pyqtSignal(object)
    refused = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("control_facts")
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(3)
        self._rows = (QHBoxLayout(), QHBoxLayout(), QHBoxLayout())
        for each in self._rows:
            each.setSpacing(4)
            whole.addLayout(each)
        self._key: tuple[object, ...] = ()
        self.fields: dict[str, QLineEdit] = {}
        self.choices: dict[str, QComboBox] = {}
        self._job: Job | None = None
        self._address = ""

    def show_subject(self, job: Job, column: Column | None, row: Row | None) -> None:
        """Show what is told of a column's subject, in the state and doing of a row."""
        self._job = job
        address = column.subject if column is not None else ""
        terminal = job.terminal(address)
        key = (
            address,
            type(terminal),
            row.state if row else "",
            row.doing if row else "",
            getattr(terminal, "pulls", None),
            self._wide,
            _blinks(job, address),
        )
        self._address = address
        if key != self._key:
            self._key = key
            self._make(job, address, terminal, row)
        self._fill(job, address, terminal, row)
        self.setVisible(bool(self.fields or self.choices))

    # -- the fields -------------------------------------------------------------------------------------------

    def _make(self, job: Job, address: str, terminal: AnyTerminal | None, row: Row | None) -> None:
        for each in self._rows:
            while (item := each.takeAt(0)) is not None:
                if (old := item.widget()) is not None:
                    old.hide()
                    old.deleteLater()
        self.fields, self.choices = {}, {}
        host = address.startswith(f"{HOST}.")
        if isinstance(terminal, Control) and host:
            state = job.state(row.state) if row is not None else None
            if state is not None and row is not None and state.id != job.working_state():
                self._field(
                    "here", tr("in “{state}”", state=state.name), LEVEL, partial(self._level, row.state)
                )
            self._values(terminal, HOST_LINE)
        elif isinstance(terminal, Control):
            if row is not None and row.module == address.partition(".")[0]:
                shown = (AT_REST, ACTIVE, BLINKING)
                self._choice(
                    "shown",
                    tr("while {doing}", doing=row.doing),
                    shown,
                    partial(self._shown, row.module, row.doing),
                )
            self._choice("drive", "", tuple(d.value for d in Drive), self._drive)
            self._choice("inverted", "", (HIGH, LOW), self._inverted)
            self._values(terminal, BLINKING_LINE if _blinks(job, address) else MODULE_LINE)
        elif isinstance(terminal, ControlIn):
            self._choice("acts", "", tuple(a.value for a in Acts), self._acts)
            self._choice("active_low", "", (HIGH, LOW), self._active_low)
            self._choice("pulls", "", tuple(p.value for p in Pull), self._pulls)
            self._values(terminal, INPUT)
        for each in self._rows:
            each.addStretch(1)

    def _values(self, terminal: AnyTerminal, fields: tuple[tuple[str, str], ...]) -> None:
        for field, words in fields:
            item = quantity(terminal, field)
            if item is not None:
                self._field(field, words, item, partial(self._value, field, item.words))

    @property
    def _wide(self) -> bool:
        parent = self.parentWidget()
        return parent is not None and parent.width() >= WIDE_PX

    @property
    def _row(self) -> QHBoxLayout:
        """The row that has room for one more."""
        most = IN_NARROW if self.choices and not self._wide else IN_ONE
        return self._rows[min((len(self.fields) + len(self.choices)) // most, len(self._rows) - 1)]

    def _field(self, name: str, words: str, item: Quantity, run: Callable[[Known | None], None]) -> None:
        label, entry = QLabel(words), QLineEdit()
        label.setObjectName("dim")
        label.setBuddy(entry)
        entry.setObjectName(f"fact_{name}")
        entry.setAccessibleName(words)
        entry.setMinimumWidth(54)
        entry.setMaximumWidth(110)
        entry.editingFinished.connect(partial(self._typed, entry, words, item, run))
        row = self._row
        self.fields[name] = entry
        row.addWidget(label)
        row.addWidget(entry, 1)

    def _choice(self, name: str, words: str, items: tuple[str, ...], run: Callable[[str], None]) -> None:
        row = self._row
        if words:
            label = QLabel(words)
            label.setObjectName("dim")
            row.addWidget(label)
        combo = QComboBox()
        combo.setObjectName(f"fact_{name}")
        combo.setAccessibleName(words or name.replace("_", " "))
        for item in items:
            combo.addItem(tr(item), item)
        combo.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        combo.setMinimumContentsLength(7)
        combo.activated.connect(lambda k: run(str(combo.itemData(k))))
        self.choices[name] = combo
        row.addWidget(combo, 1)

    def _fill(self, job: Job, address: str, terminal: AnyTerminal | None, row: Row | None) -> None:
        for name, entry in self.fields.items():
            known = getattr(terminal, name, None)
            if name == "here" and isinstance(terminal, Control) and row is not None:
                known = terminal.told_in(row.state)
            if not (entry.hasFocus() and entry.isModified()):
                entry.setText(format_known(known) if known is not None else "")
                entry.setCursorPosition(0)  # its number is seen first where it does not fit
                entry.setModified(False)
                entry.setToolTip(
                    entry.text() or tr("not known: type a value, with ±5 % or least .. usual .. most")
                )
        said: dict[str, str] = {}
        if isinstance(terminal, Control):
            said = {
                "drive": terminal.drive.value,
                "inverted": LOW if terminal.inverted else HIGH,
            }
            module = next((m for m in job.modules if m.id == address.partition(".")[0]), None)
            shown = module.shows(row.doing) if module is not None and row is not None else None
            line = address.partition(".")[2]
            said["shown"] = (
                AT_REST
                if shown is None or line not in (*shown.active, *shown.blinking)
                else ACTIVE
                if line in shown.active
                else BLINKING
            )
        elif isinstance(terminal, ControlIn):
            said = {
                "acts": terminal.acts.value,
                "active_low": LOW if terminal.active_low else HIGH,
                "pulls": terminal.pulls.value,
            }
        for name, combo in self.choices.items():
            combo.setCurrentIndex(combo.findData(said.get(name, "")))
            combo.setToolTip(combo.currentText())

    # -- edits ------------------------------------------------------------------------------------------------

    def _typed(
        self, entry: QLineEdit, words: str, item: Quantity, run: Callable[[Known | None], None]
    ) -> None:
        if not entry.isModified():
            return
        try:
            known = read_known(entry.text(), item.unit, Basis.DOCUMENTED, "typed in Control", item.sort)
        except (UnreadableError, KnownError) as error:
            mark_wrong(entry, str(error))
            self.refused.emit(f"{words}: {error}")
            return
        mark_wrong(entry, "")
        entry.setModified(False)
        run(known)

    def _tell(self, words: str, edit: Callable[[Job], Job]) -> None:
        name = self._job.label(self._address) if self._job is not None else self._address
        self.edited.emit(Change(f"{name}: {words}", edit))

    def _value(self, field: str, words: str, known: Known | None) -> None:
        self._tell(words, partial(set_value, address=self._address, field=field, value=known))

    def _level(self, state: str, known: Known | None) -> None:
        self._tell(
            tr("level in a state"), partial(set_line_level, address=self._address, state=state, level=known)
        )

    def _drive(self, words: str) -> None:
        self._tell(tr(words), partial(set_control, address=self._address, drive=Drive(words)))

    def _inverted(self, words: str) -> None:
        self._tell(tr(words), partial(set_control, address=self._address, inverted=words == LOW))

    def _acts(self, words: str) -> None:
        self._tell(tr(words), partial(set_control, address=self._address, acts=Acts(words)))

    def _active_low(self, words: str) -> None:
        self._tell(tr(words), partial(set_control, address=self._address, active_low=words == LOW))

    def _pulls(self, words: str) -> None:
        self._tell(tr(words), partial(set_control, address=self._address, pulls=Pull(words)))

    def _shown(self, module: str, doing: str, words: str) -> None:
        line = self._address.partition(".")[2]
        shown = "" if words == AT_REST else words
        self._tell(
            tr("{words} while {doing}", words=tr(words), doing=doing),
            partial(set_doing, module_id=module, does=doing, line=line, shown=shown),
        )


def _blinks(job: Job, address: str) -> bool:
    """Whether a line blinks in anything that its module does."""
    device, _, line = address.partition(".")
    return any(line in d.blinking for m in job.modules if m.id == device for d in m.doings)
