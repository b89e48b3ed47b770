"""Before anything is touched: the cautions of the supply class, the reservoir and how it is brought down."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFormLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from pigtail.desktop import theme
from pigtail.desktop.fields import mark_wrong, read_known
from pigtail.edits.change import Change
from pigtail.edits.host import set_host_value
from pigtail.job.document import Job
from pigtail.job.quantities import HOST_QUANTITIES, Quantity
from pigtail.language import tr
from pigtail.units import Basis, KnownError, UnreadableError, format_known


class Hazard(QWidget):
    """Cautions and discharge. `edited` carries a Change; `refused` one sentence."""

    edited = pyqtSignal(object)
    refused = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.cautions = QLabel()
        self.cautions.setWordWrap(True)
        self.cautions.setFont(theme.font(14))
        self.answer = QLabel()
        self.answer.setObjectName("discharge")
        self.answer.setWordWrap(True)
        self.answer.setFont(theme.font(14, bold=True))
        self.fields: dict[str, QLineEdit] = {}
        form = QFormLayout()
        for item in HOST_QUANTITIES:
            field = QLineEdit()
            field.setObjectName(f"host_{item.field}")
            field.setAccessibleName(item.words)
            field.setMaximumWidth(240)
            field.setPlaceholderText(
                {"F": "4700u", "V": "38 V ±10 %", "Ω": tr("4k7; empty: none known")}[item.unit]
            )
            field.editingFinished.connect(partial(self._typed, item))
            self.fields[item.field] = field
            form.addRow(f"{item.words[:1].upper()}{item.words[1:]}", field)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        layout.addWidget(self.cautions)
        layout.addLayout(form)
        layout.addWidget(self.answer)
        layout.addStretch(1)
        self._job: Job | None = None

    def show_job(self, job: Job) -> None:
        """Show the hazards of a job's host."""
        from pigtail.catalogue.cautions import CAUTIONS, LOCAL_CODES
        from pigtail.studies.survey.discharge import study_discharge

        self._job = job
        self.cautions.setText("\n".join(f"• {c}" for c in (*CAUTIONS[job.host.supply], LOCAL_CODES)))
        for field, entry in self.fields.items():
            known = getattr(job.host, field)
            if not entry.isModified():
                entry.setText(format_known(known) if known else "")
        told = study_discharge(job.host)
        energy = tr(" It holds up to {joule:.2g} J.", joule=told.joule) if told.joule else ""
        self.answer.setText(told.sentence + energy)

    def _typed(self, item: Quantity) -> None:
        field, words = item.field, item.words
        entry = self.fields[field]
        if self._job is None or not entry.isModified():
            return
        try:
            known = read_known(entry.text(), item.unit, Basis.DOCUMENTED, "typed", item.sort)
        except (UnreadableError, KnownError) as error:
            mark_wrong(entry, str(error))
            self.refused.emit(str(error))
            return
        mark_wrong(entry, "")
        entry.setModified(False)
        self.edited.emit(Change(f"{words} {entry.text()}", partial(set_host_value, field=field, value=known)))
