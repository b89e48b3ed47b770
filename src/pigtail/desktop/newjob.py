"""New job: a host kind and a module from the catalogue, what is known of them, and the plan is proposed."""

from __future__ import annotations

from typing import NamedTuple

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QApplication,
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from pigtail import edits
from pigtail.advice.plan import propose
from pigtail.catalogue.glossary import tip_for
from pigtail.catalogue.kinds import ambient_in
from pigtail.catalogue.library import made_host, made_module, offered
from pigtail.desktop import ask, theme
from pigtail.desktop.fields import mark_wrong, read_known
from pigtail.desktop.tips import Dialog
from pigtail.job.document import HOST, Job, SupplyClass
from pigtail.job.errors import EditError, JobError, LiveChassisError
from pigtail.job.quantities import AMBIENT, PATH_RESISTANCE, Quantity, quantities
from pigtail.language import tr
from pigtail.units import Basis, Known, KnownError, UnreadableError, format_known

MODULE_ID = "module"
AMBIENT_ADDRESS = "ambient"
NAME, CHOOSE = tr("New retrofit"), tr("choose…")


class _ValueLine(NamedTuple):
    """A value that can be given: where it belongs, its unit, and its field in the dialog."""

    address: str
    field: str
    item: Quantity
    entry: QLineEdit
    before: str
    words: str


class NewJob(Dialog):
    """Asks for a new job; `made` is the job when it was accepted."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("new_job")
        self.setWindowTitle(tr("New job"))
        self.resize(900, 660)
        self.made: Job | None = None
        self._lines: list[_ValueLine] = []
        self._typed: dict[str, str] = {}
        self.name = QLineEdit(NAME)
        self.host_name = QLineEdit()
        self.host_name.setPlaceholderText(tr("what you call it; empty: its kind"))
        self.host_kind, self.module_kind, self.supply = QComboBox(), QComboBox(), QComboBox()
        self.hosts, self.modules = offered("host"), offered("module")
        for widget, name, accessible in (
            (self.name, "job_name", tr("Name of the job")),
            (self.host_name, "host_name", tr("Name of the host")),
            (self.host_kind, "host_kind", tr("Kind of host")),
            (self.module_kind, "module_kind", tr("Module to be added")),
            (self.supply, "new_supply", tr("How the host is fed")),
        ):
            widget.setObjectName(name)
            widget.setAccessibleName(accessible)
        for combo, tip in (
            (self.host_kind, tr("The kind that comes nearest; “Something else” where none does")),
            (self.module_kind, tr("What is added; more can be added later, in Survey")),
            (self.supply, tip_for(tr("supply class, rating plate and live chassis"))),
        ):
            combo.setToolTip(tip)
        for kind in self.hosts:
            self.host_kind.addItem(kind.name, kind.key)
        for kind in self.modules:
            self.module_kind.addItem(kind.name, kind.key)
        self.supply.addItem(CHOOSE, None)
        for item in SupplyClass:
            self.supply.addItem(tr(item.value), item)
        self.summary = QLabel()
        self.summary.setObjectName("dim")
        self.summary.setWordWrap(True)
        self.trouble = QLabel()
        self.trouble.setObjectName("wrong")
        self.trouble.setWordWrap(True)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.buttons, self.go = self.answers(tr("Propose the plan"))
        self.go.setToolTip(tr("Ctrl+Enter does it from anywhere in the form"))
        for button in self.buttons.buttons():
            if isinstance(button, QPushButton):
                button.setAutoDefault(False)
                button.setDefault(False)
        self._lay_out()
        self.host_kind.currentIndexChanged.connect(lambda _k: self._host_chosen())
        self.module_kind.currentIndexChanged.connect(lambda _k: self._module_chosen())
        self._host_chosen()
        self._module_chosen()

    def _lay_out(self) -> None:
        left = QFormLayout()
        left.setRowWrapPolicy(QFormLayout.RowWrapPolicy.WrapAllRows)
        left.setSpacing(8)
        for words, widget in (
            (tr("&Job"), self.name), (tr("&Host"), self.host_kind), (tr("Its &name"), self.host_name), (tr("&Fed by"), self.supply),
            (tr("&Module"), self.module_kind),
        ):  # fmt: skip
            left.addRow(words, widget)
        left.addRow(self.summary)
        side = QWidget()
        side.setLayout(left)
        side.setFixedWidth(300)
        right = QVBoxLayout()
        title = QLabel(tr("What is known of the host"))
        title.setFont(theme.font(14, bold=True))
        hint = QLabel(
            tr(
                "Type what the papers say: 47k, 250m, -10 dBV, 24 V ±5 %. Leave empty what is not known: "
                "what to measure is told then. Values already there are usual for the kind. Rest the "
                "pointer on a line to see what its words mean; Enter goes to the next."
            )
        )
        hint.setObjectName("dim")
        hint.setWordWrap(True)
        right.addWidget(title)
        right.addWidget(hint)
        right.addWidget(self.area, 1)
        row = QHBoxLayout()
        row.addWidget(side)
        row.addLayout(right, 1)
        layout = QVBoxLayout(self)
        layout.addLayout(row, 1)
        layout.addWidget(self.trouble)
        layout.addWidget(self.buttons)

    def _module_chosen(self) -> None:
        kind = next(k for k in self.modules if k.key == self.module_kind.currentData())
        self.summary.setText(kind.summary)

    def _host_chosen(self) -> None:
        """Offer the values of the host kind, each with what is usual for it."""
        self._remember()
        try:
            host = made_host(self.host_kind.currentData())
        except (JobError, KeyError) as error:
            self.trouble.setText(str(error))
            return
        usual = (
            tr("usual for the kind: {supply}", supply=tr(host.supply.value))
            if host.supply is not SupplyClass.UNKNOWN
            else ""
        )
        self.supply.setToolTip(
            "\n".join(x for x in (usual, tip_for(tr("supply class, rating plate and live chassis"))) if x)
        )
        self._lines = []
        form = QFormLayout()
        form.setLabelAlignment(Qt.AlignmentFlag.AlignRight)
        form.setRowWrapPolicy(QFormLayout.RowWrapPolicy.WrapLongRows)
        for terminal in host.terminals:
            for item in quantities(terminal):
                self._line(
                    form,
                    f"{HOST}.{terminal.id}",
                    item.field,
                    f"{terminal.name}: {item.words}",
                    item,
                    item.of(terminal),
                )
        names = {t.id: t.name for t in host.terminals}
        for path in host.paths:
            words = tr("resistance {names} to {names2}", names=names[path.a], names2=names[path.b])
            self._line(form, path.id, "", words, PATH_RESISTANCE, path.resistance)
        self._line(form, AMBIENT_ADDRESS, "", tr("temperature inside the case"), AMBIENT, ambient_in(host))
        page = QWidget()
        page.setLayout(form)
        self.area.setWidget(page)
        self._order()

    def _order(self) -> None:
        """Tab goes from the choices through the values to the buttons."""
        before: QWidget = self.module_kind
        for widget in (*(x.entry for x in self._lines), *self.buttons.buttons()):
            self.setTabOrder(before, widget)
            before = widget

    def _line(
        self, form: QFormLayout, address: str, field: str, words: str, item: Quantity, value: Known | None
    ) -> None:
        before = "" if value is None else format_known(value)
        entry = QLineEdit(self._typed.get(words, before))
        entry.setToolTip(tip_for(words, item.words))
        entry.setMinimumWidth(210)
        entry.setPlaceholderText(tr("not known ({unit})", unit=item.unit))
        entry.setObjectName(f"{address}.{field}".replace(f"{HOST}.", "value_", 1))
        entry.setAccessibleName(words)
        label = QLabel(words[0].upper() + words[1:])
        label.setToolTip(entry.toolTip())
        label.setBuddy(entry)
        form.addRow(label, entry)
        self._lines.append(_ValueLine(address, field, item, entry, before, words))

    def _remember(self) -> None:
        """Keep what was typed, for lines of the same words under another kind."""
        self._typed |= {x.words: x.entry.text() for x in self._lines if x.entry.text() != x.before}

    @property
    def touched(self) -> bool:
        """Whether anything was typed or chosen that would be lost."""
        self._remember()
        named = self.name.text() != NAME or bool(self.host_name.text())
        return named or bool(self._typed) or self.supply.currentData() is not None

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter goes to the next field; with Ctrl it ends the form."""
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            here = QApplication.focusWidget()
            if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
                self.accept()
            elif isinstance(here, QPushButton):
                here.click()
            else:
                self.focusNextChild()
            return
        super().keyPressEvent(event)

    def reject(self) -> None:
        """Leave without a job; asks where something was typed."""
        if not self.touched or ask.throw_away(self, tr("The new job"), tr("what was typed")):
            super().reject()

    def accept(self) -> None:
        """Make the job and its plan, or say in one sentence what stands in the way."""
        try:
            self.made = self._make()
        except (UnreadableError, KnownError, JobError, KeyError) as error:
            self.trouble.setText(f"{str(error)[:1].upper()}{str(error)[1:]}.")
            return
        super().accept()

    def _make(self) -> Job:
        if self.supply.currentData() is None:
            self.supply.setFocus()
            raise EditError(
                tr("say how the host is fed: unplug it, and read its rating plate and where the cord goes in")
            )
        host = made_host(self.host_kind.currentData(), self.host_name.text().strip())
        job = edits.new_job(self.name.text().strip() or NAME, host)
        job = edits.set_ambient(edits.set_supply(job, self.supply.currentData()), ambient_in(host))
        for line in self._lines:
            if line.entry.text() == line.before:
                continue
            try:
                known = read_known(
                    line.entry.text(), line.item.unit, Basis.DOCUMENTED, "given at the start", line.item.sort
                )
            except (UnreadableError, KnownError) as error:
                mark_wrong(line.entry, str(error))
                line.entry.setFocus()
                line.entry.selectAll()
                self.area.ensureWidgetVisible(line.entry)
                raise
            mark_wrong(line.entry, "")
            if line.address == AMBIENT_ADDRESS:
                job = edits.set_ambient(job, known)
            elif line.field:
                job = edits.set_value(job, line.address, line.field, known)
            else:
                job = edits.set_path(job, HOST, line.address, known)
        job = edits.add_module(job, made_module(self.module_kind.currentData(), MODULE_ID))
        try:
            return propose(job, MODULE_ID)
        except LiveChassisError:
            return job
        except EditError as error:
            raise EditError(
                tr("no plan can be proposed: {error}; choose another module", error=error)
            ) from error
