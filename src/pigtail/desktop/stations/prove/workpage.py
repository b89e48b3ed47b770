"""What the work needs to be told: covers with their screws, parts taken out, cuts, jumpers, original sounds; budget and currency."""

from __future__ import annotations

from functools import partial
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QFormLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from pigtail.desktop.stations.loom.parts import YES_NO, choice, of_enum, show_choice
from pigtail.desktop.stations.prove.recordpage import read_money
from pigtail.desktop.tables import Cell, RowsModel, make_table, set_widths
from pigtail.desktop.wrapping import Wrapping, row_of
from pigtail.edits.change import Change
from pigtail.edits.record import free_work_id, put_alteration, put_cover, put_sound, remove_work, set_money
from pigtail.job.document import Job
from pigtail.job.errors import JobError
from pigtail.job.logbook import Alteration, Alters, Cover, Glue, Original
from pigtail.language import tr

Item = Cover | Alteration | Original
#: What can be added: words, the name of its button, what is made of an id.
NEW = (
    (tr("A cover"), "add_cover", "cover", lambda i: Cover(id=i, name=tr("a cover"))),
    (tr("A part out"), "add_lift", "part", lambda i: Alteration(id=i, kind=Alters.LIFT, what=tr("a part"))),
    (tr("A cut"), "add_cut", "cut", lambda i: Alteration(id=i, kind=Alters.CUT, what=tr("a track"))),
    (
        tr("A jumper"),
        "add_jumper",
        "jumper",
        lambda i: Alteration(id=i, kind=Alters.JUMPER, what=tr("a jumper"), back=True),
    ),
    (tr("A sound"), "add_sound", "sound", lambda i: Original(id=i, name=tr("a sound"))),
)
#: How the two texts of an item are called in its form.
TEXTS = {
    Cover: (tr("Name"), tr("Its screws")),
    Alteration: (tr("What"), tr("How it is set, or why")),
    Original: (tr("Name"), ""),
}
#: The sums: field of `Work`, words.
SUMS = (("budget", tr("Budget")), ("ready_made", tr("Ready made")))


class WorkPage(QWidget):
    """A table of covers, parts, cuts, jumpers and sounds, and a form for the one that is picked."""

    edited = pyqtSignal(object)
    refused = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._job: Job | None = None
        self._items: tuple[Item, ...] = ()
        self._picked = ""
        self.model = RowsModel(("", tr("what"), tr("told of it")))
        self.table = make_table(
            self.model, "work_table", tr("Covers, parts taken out, cuts, jumpers and original sounds"), 2
        )
        set_widths(self.table, (110, 200, None))
        selection = self.table.selectionModel()
        assert selection is not None
        selection.currentRowChanged.connect(lambda now, _before: self._pick(now.row()))
        self.name, self.told = (
            self._line(n, w)
            for n, w in (("work_name", tr("What it is called")), ("work_told", tr("What is told of it")))
        )
        self.glue = choice("work_glue", tr("What glues it"), of_enum(Glue), partial(self._set, "glue"))
        self.back = choice(
            "work_back", tr("Whether it can be put back as it was"), YES_NO, partial(self._set, "back")
        )
        self.opens, self.way = QCheckBox(tr("must open again")), QCheckBox(tr("has a way round"))
        for box, name, field in ((self.opens, "work_opens", "opens"), (self.way, "work_way", "way_round")):
            box.setObjectName(name)
            box.setAccessibleName(box.text())
            box.clicked.connect(lambda on, f=field: self._set(f, on))
        self.form = QFormLayout()
        rows: tuple[tuple[str, QWidget], ...] = (
            (tr("Name"), self.name), (tr("Its screws"), self.told), (tr("Glued by"), self.glue), (tr("Can be put back"), self.back),
            ("", self.opens), ("", self.way),
        )  # fmt: skip
        for words, widget in rows:
            self.form.addRow(words, widget)
        self.sums = {f: self._line(f"work_{f}", words) for f, words in SUMS}
        self.currency = self._line("work_currency", tr("Currency"))
        self.currency.setFixedWidth(60)
        self._lay_out()

    def _line(self, name: str, accessible: str) -> QLineEdit:
        field = QLineEdit()
        field.setObjectName(name)
        field.setAccessibleName(accessible)
        field.editingFinished.connect(lambda: self._typed(field))
        return field

    def _lay_out(self) -> None:
        buttons = Wrapping()
        for words, name, stem, make in NEW:
            button = QPushButton(words)
            button.setObjectName(name)
            button.setAccessibleName(tr("Add: {words}", words=words))
            button.clicked.connect(lambda _c, s=stem, m=make: self._add(s, m))
            buttons.addWidget(button)
        away = QPushButton(tr("Take out"))
        away.setObjectName("work_away")
        away.setAccessibleName(tr("Take the chosen one out"))
        away.clicked.connect(lambda _c: self._remove())
        buttons.addWidget(away)
        money: list[Any] = []
        for field, words in SUMS:
            self.sums[field].setFixedWidth(90)
            money += [words, self.sums[field]]
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        hint = QLabel(
            tr(
                "What comes off, what is done to the host, and which of its sounds would be gone: each "
                "becomes steps of the runbook."
            )
        )
        hint.setObjectName("dim")
        hint.setWordWrap(True)
        layout.addWidget(hint)
        layout.addLayout(buttons)
        layout.addWidget(self.table, 1)
        layout.addLayout(self.form)
        layout.addLayout(row_of(*money, tr("currency"), self.currency))

    def show_job(self, job: Job) -> None:
        """Show what is told of a job's work."""
        self._job, work = job, job.work
        self._items = (*work.covers, *work.alterations, *work.sounds)
        self.model.show_rows(
            [[Cell(_kind(i), use="dim"), Cell(_name(i)), Cell(_told(i))] for i in self._items]
        )
        for field, line in self.sums.items():
            value = getattr(work, field)
            _put(line, "" if value is None else f"{value:g}")
        _put(self.currency, work.currency)
        at = next((k for k, i in enumerate(self._items) if i.id == self._picked), 0)
        self.table.selectRow(at)
        self._pick(at)

    def _pick(self, row: int) -> None:
        item = self._items[row] if 0 <= row < len(self._items) else None
        self._picked = item.id if item is not None else ""
        first, second = TEXTS[type(item)] if item is not None else (tr("Name"), tr("Its screws"))
        for widget, words in ((self.name, first), (self.told, second)):
            label = self.form.labelForField(widget)
            if label is not None:
                label.setText(words)  # type: ignore[attr-defined]
        shown: tuple[tuple[QWidget, bool], ...] = (
            (self.name, item is not None), (self.told, item is not None and not isinstance(item, Original)),
            (self.glue, isinstance(item, Cover)), (self.opens, isinstance(item, Cover)), (self.back, isinstance(item, Alteration)),
            (self.way, isinstance(item, Alteration) and item.kind is Alters.LIFT),
        )  # fmt: skip
        for row_of_it, there in shown:
            self.form.setRowVisible(row_of_it, there)
        if item is None:
            return
        _put(self.name, _name(item))
        _put(
            self.told,
            item.screws if isinstance(item, Cover) else item.how if isinstance(item, Alteration) else "",
        )
        if isinstance(item, Cover):
            show_choice(self.glue, item.glue)
            self.opens.setChecked(item.opens)
        if isinstance(item, Alteration):
            show_choice(self.back, item.back)
            self.way.setChecked(item.way_round)

    # -- edits ----------------------------------------------------------------------------------------------

    def _add(self, stem: str, make: Any) -> None:
        if self._job is None:
            return
        item = make(free_work_id(self._job.work, stem))
        self._picked = item.id
        self._put_item(item, tr("add {item}", item=_name(item)))
        self.name.setFocus()
        self.name.selectAll()

    def _put_item(self, item: Item, words: str) -> None:
        if isinstance(item, Cover):
            self.edited.emit(Change(words, partial(put_cover, cover=item)))
        elif isinstance(item, Alteration):
            self.edited.emit(Change(words, partial(put_alteration, alteration=item)))
        else:
            self.edited.emit(Change(words, partial(put_sound, sound=item)))

    def _set(self, field: str, value: Any) -> None:
        from msgspec.structs import replace

        item = next((i for i in self._items if i.id == self._picked), None)
        if item is not None and hasattr(item, field) and getattr(item, field) != value:
            self._put_item(replace(item, **{field: value}), f"{_name(item)}: {field.replace('_', ' ')}")

    def _typed(self, line: QLineEdit) -> None:
        if not line.isModified() or self._job is None:
            return
        line.setModified(False)
        text = line.text().strip()
        if line is self.currency:
            self.edited.emit(Change(tr("the currency"), partial(set_money, currency=text)))
        elif line in self.sums.values():
            self._sum(line, text)
        elif line is self.name and text:
            item = next((i for i in self._items if i.id == self._picked), None)
            self._set("what" if isinstance(item, Alteration) else "name", text)
        elif line is self.told:
            item = next((i for i in self._items if i.id == self._picked), None)
            self._set("screws" if isinstance(item, Cover) else "how", text)

    def _sum(self, line: QLineEdit, text: str) -> None:
        field = next(f for f, x in self.sums.items() if x is line)
        try:
            value = read_money(text)
        except ValueError:
            self.refused.emit(tr("“{text}” is no sum; type a number such as 40, or nothing", text=text))
            return
        changes: dict[str, Any] = {field: value}
        self.edited.emit(Change(dict(SUMS)[field].lower(), partial(set_money, **changes)))

    def _remove(self) -> None:
        if self._picked and self._job is not None:
            try:
                self.edited.emit(
                    Change(tr("take out of the work"), partial(remove_work, item_id=self._picked))
                )
            except JobError as error:
                self.refused.emit(str(error))


def _put(line: QLineEdit, text: str) -> None:
    """Put a text into a field that nobody is typing in."""
    if not (line.hasFocus() and line.isModified()) and line.text() != text:
        line.setText(text)
        line.setModified(False)


def _kind(item: Item) -> str:
    return (
        tr(item.kind.value)
        if isinstance(item, Alteration)
        else tr("cover")
        if isinstance(item, Cover)
        else tr("original sound")
    )


def _name(item: Item) -> str:
    return item.what if isinstance(item, Alteration) else item.name


def _told(item: Item) -> str:
    """What is told of an item, in words."""
    if isinstance(item, Cover):
        told = [item.screws or tr("screws not told"), "" if item.glue is Glue.UNSAID else tr("glued by {glue}", glue=item.glue.value),
                "" if item.opens else tr("stays closed")]  # fmt: skip
    elif isinstance(item, Alteration):
        back = {
            True: tr("can be put back"),
            False: tr("cannot be put back"),
            None: tr("whether it can be put back is not said"),
        }[item.back]
        told = [item.how, back, tr("has a way round") if item.way_round else ""]
    else:
        told = [tr("to be recorded before the host is altered")]
    return "; ".join(t for t in told if t)
