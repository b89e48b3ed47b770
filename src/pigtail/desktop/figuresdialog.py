"""The figures of a network that are not bought as parts: what an amplifier swings, what a transformer's windings are."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QDialogButtonBox, QFormLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from pigtail.catalogue.topologies import topology
from pigtail.desktop.fields import read_known
from pigtail.desktop.tips import Dialog
from pigtail.edits.links import set_parts
from pigtail.job.document import Job, Section
from pigtail.language import tr
from pigtail.units import Basis, UnreadableError, format_known


class FiguresDialog(Dialog):
    """Asks for figures. After it was accepted `change` sets those that were typed anew, given a job, a link and a section;
    it is None where nothing was changed.
    """

    def __init__(self, section: Section, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        shape = topology(section.topology)
        self.setObjectName("figures_dialog")
        self.setWindowTitle(shape.title)
        self.change: partial[Job] | None = None
        self._rules = [p for p in shape.parts if p.kind == "figure"]
        values = shape.values(section)
        self._old = {p.name: format_known(values[p.name]) for p in self._rules}
        self.entries = {p.name: QLineEdit(self._old[p.name]) for p in self._rules}
        self.trouble = QLabel()
        self.trouble.setObjectName("wrong")
        self.trouble.setWordWrap(True)
        say = QLabel(
            tr(
                "{good_for} {catch}\nFrom the data sheet: a value alone, with “±5 %”, or least .. usual "
                ".. most.",
                good_for=shape.good_for,
                catch=shape.catch,
            )
        )
        say.setWordWrap(True)
        form = QFormLayout()
        for rule in self._rules:
            entry = self.entries[rule.name]
            entry.setObjectName(f"figure_{rule.name}")
            entry.setAccessibleName(rule.words)
            form.addRow(rule.words, entry)
        buttons = QDialogButtonBox(
            QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel
        )
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        layout = QVBoxLayout(self)
        layout.addWidget(say)
        layout.addLayout(form)
        layout.addWidget(self.trouble)
        layout.addWidget(buttons)
        self.resize(480, 190 + 34 * len(self._rules))

    def accept(self) -> None:
        values = []
        for rule in self._rules:
            text = self.entries[rule.name].text()
            if text == self._old[rule.name]:
                continue
            try:
                known = read_known(text, rule.unit, Basis.DOCUMENTED, "typed from the data sheet")
            except UnreadableError as error:
                self.trouble.setText(f"{rule.words}: {error}")
                return
            if known is None or known.low < 0:
                self.trouble.setText(
                    tr("{rule}: type a value such as {default}", rule=rule.words, default=rule.default)
                )
                return
            values.append((rule.name, known))
        if values:
            self.change = partial(set_parts, values=tuple(values))
        super().accept()
