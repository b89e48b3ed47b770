"""The record: what is kept where, readings against what was expected, cost, notes, files, all that was done. Entries are struck, not
changed."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from pigtail.desktop.probing import now
from pigtail.desktop.stations.loom.parts import choice, of_enum
from pigtail.desktop.tables import Cell, RowsModel, make_table
from pigtail.desktop.wants import Answer
from pigtail.desktop.wrapping import Wrapping, add_choices
from pigtail.edits.change import Change
from pigtail.edits.record import note, spend, strike_entry
from pigtail.job.document import Job
from pigtail.job.logbook import Fate
from pigtail.language import tr
from pigtail.service import services

TYPE_CHECKING = False
if TYPE_CHECKING:
    from pigtail.studies.prove.record import RecordLine, RecordTables

#: The tables: words, the field of the answer, its columns, and which of them takes the room.
TABLES: tuple[tuple[str, str, tuple[str, ...], int], ...] = (
    (tr("Kept"), "kept", (tr("what"), tr("kept where"), tr("how it went"), tr("now")), 0),
    (
        tr("Readings"),
        "readings",
        (tr("hold point"), tr("reading"), tr("expected"), tr("range"), tr("what it says")),
        0,
    ),
    (tr("Cost"), "cost", (tr("what"), tr("price"), tr("became")), 0),
    (tr("Notes"), "notes", (tr("when"), tr("note")), 1),
    (tr("Files"), "files", (tr("what"), tr("file")), 1),
    (tr("All that was done"), "done", (tr("when"), tr("step"), tr("how"), tr("took"), tr("note")), 1),
)
COST_TABLE, NOTES_TABLE = 2, 3


def read_money(text: str) -> float | None:
    """An amount as it is typed, nothing for one that nobody knows. Raises ValueError. In the [currency of the job].

    >>> read_money("12,50"), read_money(" 8 "), read_money("")
    (12.5, 8.0, None)
    """
    clean = text.strip().replace("\N{NO-BREAK SPACE}", "").replace(" ", "").replace(",", ".")
    if not clean:
        return None
    value = float(clean)
    if not 0 <= value <= 1e9:
        raise ValueError(text)
    return value


class RecordPage(QWidget):
    """The tables of the record."""

    edited = pyqtSignal(object)
    refused = pyqtSignal(str)
    wants = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self._job: Job | None = None
        self._tables: RecordTables | None = None
        self._lines: tuple[RecordLine, ...] = ()
        self.chooser = QButtonGroup(self)
        choose = Wrapping()
        named = ((words, f"record_{key}", tr("Table: {words}", words=words)) for words, key, _, _ in TABLES)
        add_choices(choose, self.chooser, named)
        self.chooser.idClicked.connect(self.turn_to)
        self.models = [RowsModel(columns) for _, _, columns, _ in TABLES]
        self.views = [
            make_table(m, f"record_table_{field}", tr("Record: {words}", words=words), stretch)
            for m, (words, field, _, stretch) in zip(self.models, TABLES, strict=True)
        ]
        self.empty = QLabel()
        self.empty.setObjectName("dim")
        self.what, self.price = QLineEdit(), QLineEdit()
        self.text = QLineEdit()
        for field, name, hint in (
            (self.what, "spent_what", tr("what was paid for")), (self.price, "spent_price", tr("price, empty: not known")),
            (self.text, "note_text", tr("a note; what to do otherwise next time")),
        ):  # fmt: skip
            field.setObjectName(name)
            field.setAccessibleName(hint)
            field.setPlaceholderText(hint)
        self.fate = choice("spent_fate", tr("What became of it"), of_enum(Fate), lambda _v: None)
        self.add_cost = self._button(tr("Add to the cost"), "add_cost", self._add_cost)
        self.add_note = self._button(tr("Note it"), "add_note", partial(self._add_note, otherwise=False))
        self.add_otherwise = self._button(
            tr("For next time"), "add_otherwise", partial(self._add_note, otherwise=True)
        )
        self.strike = self._button(tr("Strike the entry"), "strike_entry", self._strike)
        self._lay_out(choose)
        self.turn_to(0)

    def _button(self, words: str, name: str, does: object) -> QPushButton:
        button = QPushButton(words)
        button.setObjectName(name)
        button.setAccessibleName(words)
        button.clicked.connect(lambda _c: does())  # type: ignore[operator]
        return button

    def _lay_out(self, choose: Wrapping) -> None:
        cost, notes, foot = QHBoxLayout(), QHBoxLayout(), QHBoxLayout()
        cost.addWidget(self.what, 3)
        cost.addWidget(self.price, 2)
        cost.addWidget(self.fate)
        cost.addWidget(self.add_cost)
        foot.addWidget(self.empty, 1)
        foot.addWidget(self.strike)
        for item in (self.text, self.add_note, self.add_otherwise):
            notes.addWidget(item, 1 if item is self.text else 0)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(choose)
        for view in self.views:
            layout.addWidget(view, 1)
        for inputs in (cost, notes, foot):
            layout.addLayout(inputs)

    def turn_to(self, number: int) -> None:
        """Show a table by its number."""
        button = self.chooser.button(number)
        assert button is not None
        button.setChecked(True)
        for k, view in enumerate(self.views):
            view.setVisible(k == number)
        field = TABLES[number][1]
        for widget in (self.what, self.price, self.fate, self.add_cost):
            widget.setVisible(field == "cost")
        for widget in (self.text, self.add_note, self.add_otherwise):
            widget.setVisible(field == "notes")
        self._fill()

    def show_job(self, job: Job) -> None:
        """Ask for the tables of a job's record."""
        self._job = job
        self.wants.emit(Answer(services.record_tables, (job,), partial(self._have, job), quick=True))

    def _have(self, job: Job, tables: RecordTables) -> None:
        if job is self._job:
            self._tables = tables
            self._fill()

    def _fill(self) -> None:
        number = self.chooser.checkedId()
        words, field, _, _ = TABLES[number]
        self._lines = getattr(self._tables, field) if self._tables is not None else ()
        self.models[number].show_rows([
            [Cell((tr("struck: ") if line.struck and k == 0 else "") + c, use="dim" if line.struck or not line.entry else "ink")
             for k, c in enumerate(line.cells)] for line in self._lines
        ])  # fmt: skip
        self.empty.setText(tr("{words}: nothing is on the record yet.", words=words) if not self._lines else
                           tr("Entries are struck, not changed: choose one and strike it."))  # fmt: skip

    def _add_cost(self) -> None:
        try:
            price = read_money(self.price.text())
        except ValueError:
            self.refused.emit(
                tr(
                    "“{text}” is no price; type a number such as 12.50, or nothing while it is not known",
                    text=self.price.text(),
                )
            )
            return
        if not self.what.text().strip():
            self.refused.emit(tr("name what was paid for"))
            return
        edit = partial(spend, what=self.what.text(), amount=price, when=now(), fate=self.fate.currentData())
        self.edited.emit(Change(tr("cost of {strip}", strip=self.what.text().strip()), edit))
        self.what.clear()
        self.price.clear()
        self.turn_to(COST_TABLE)

    def _add_note(self, *, otherwise: bool) -> None:
        if not self.text.text().strip():
            self.refused.emit(tr("write the note first"))
            return
        self.edited.emit(
            Change("a note", partial(note, text=self.text.text(), when=now(), otherwise=otherwise))
        )
        self.text.clear()
        self.turn_to(NOTES_TABLE)

    def _strike(self) -> None:
        row = self.views[self.chooser.checkedId()].currentIndex().row()
        line = self._lines[row] if 0 <= row < len(self._lines) else None
        if line is None or not line.entry or line.struck:
            self.refused.emit(tr("choose an entry that stands first"))
            return
        self.edited.emit(
            Change(tr("strike {cells}", cells=line.cells[0]), partial(strike_entry, entry_id=line.entry))
        )
