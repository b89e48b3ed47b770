"""Where things sit and what holds them; the person's own colours."""

from __future__ import annotations

from functools import partial
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QFormLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from pigtail.desktop.fields import fill_combo
from pigtail.desktop.stations.loom.parts import YES_NO, MmField, choice, of_enum, show_choice
from pigtail.desktop.tables import Cell, RowsModel, make_table, set_widths
from pigtail.desktop.wrapping import row_of
from pigtail.edits.build import set_colour, set_mounting, set_shakes
from pigtail.edits.change import Change
from pigtail.job.build import BOARD, CELL, Fixing, Metal, Mounting
from pigtail.job.document import Job
from pigtail.language import tr
from pigtail.studies.loom.found import LoomFound

#: Sizes of a mounting: field, words.
_SIZES = (
    ("width", tr("Width")),
    ("depth", tr("Depth")),
    ("height", tr("Height of its tallest part")),
    ("room", tr("Room there, floor to lid")),
)
_LOOK = tr("not looked yet")


class HoldPage(QWidget):
    """How modules, board and cell are held; colours by what they mean."""

    edited = pyqtSignal(object)
    refused = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.what = QComboBox()
        self.what.setObjectName("mounted_what")
        self.what.setAccessibleName(tr("What is mounted"))
        self.what.activated.connect(lambda _k: self._fill())
        self.sizes = {
            f: MmField(f"mount_{f}", words, partial(self._set, f), self.refused.emit) for f, words in _SIZES
        }
        yes_no = ((_LOOK, None), *YES_NO[1:])
        self.fixing = choice("mount_fixing", tr("Held by"), of_enum(Fixing), partial(self._set, "fixing"))
        self.antenna = choice(
            "mount_antenna", tr("Round its antenna"), of_enum(Metal), partial(self._set, "antenna")
        )
        self.sharp = choice(
            "mount_sharp", tr("Sharp leads or edges under it"), yes_no, partial(self._set, "sharp")
        )
        self.moving = choice(
            "mount_moving", tr("Something moves over it"), yes_no, partial(self._set, "moving")
        )
        self.shakes = choice(
            "build_shakes",
            tr("A speaker shakes it"),
            ((tr("as usual for this kind of host"), None), *YES_NO[1:]),
            self._shakes_chosen,
        )
        form = QFormLayout()
        for field, words in _SIZES:
            form.addRow(words, self.sizes[field])
        for words, combo in (
            (tr("Held by"), self.fixing), (tr("Round its antenna"), self.antenna), (tr("Sharp leads under it"), self.sharp),
            (tr("Something moves over it"), self.moving), (tr("A speaker shakes the box"), self.shakes),
        ):  # fmt: skip
            form.addRow(words, combo)
        self.colours = RowsModel((tr("what a wire carries"), tr("colour"), tr("usual")))
        self.table = make_table(
            self.colours, "colour_table", tr("Colours by what they mean; type your own"), 0
        )
        set_widths(self.table, (None, 72, 66))
        left = QVBoxLayout()
        left.addLayout(row_of(tr("what sits there"), self.what))
        left.addLayout(form)
        left.addStretch(1)
        right = QVBoxLayout()
        told = QLabel(tr("Your colours: type over one, empty for the usual. One colour, one meaning."))
        told.setObjectName("dim")
        told.setWordWrap(True)
        right.addWidget(told)
        right.addWidget(self.table, 1)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(14)
        row.addLayout(left, 1)
        row.addLayout(right, 1)
        self._job: Job | None = None

    def show_job(self, job: Job, build: LoomFound) -> None:
        """Show how a job's things are held."""
        self._job = job
        things = [(m.name, m.id) for m in job.modules]
        fill_combo(self.what, [*things, (tr("the board of the networks"), BOARD), ("a cell", CELL)])
        self._fill()
        own = {r.carries: r.colour for r in job.build.colours}
        used = list(dict.fromkeys([*(w.function for w in build.wires), *own]))
        usual = dict(build.usual)
        self.colours.show_rows(
            [
                (
                    Cell(c),
                    Cell(own.get(c) or usual.get(c, ""), edit=partial(self._colour, c)),
                    Cell(usual.get(c, ""), use="dim"),
                )
                for c in used
            ]
        )

    @property
    def _mounting(self) -> Mounting:
        of = self.what.currentData() or BOARD
        found = self._job.build.mounting(of) if self._job is not None else None
        return found or Mounting(of=of)

    def _fill(self) -> None:
        m = self._mounting
        for field, widget in self.sizes.items():
            widget.set_value(getattr(m, field))
        for combo, value in (
            (self.fixing, m.fixing),
            (self.antenna, m.antenna),
            (self.sharp, m.sharp),
            (self.moving, m.moving),
        ):
            show_choice(combo, value)
        self.antenna.setEnabled(m.of not in (BOARD, CELL))
        if self._job is not None:
            show_choice(self.shakes, self._job.build.shakes)

    def _set(self, field: str, value: Any) -> None:
        m = self._mounting
        changes: dict[str, Any] = {field: value}
        words = getattr(value, "value", value)
        self.edited.emit(
            Change(f"{self.what.currentText()}, {field}: {words}", partial(set_mounting, of=m.of, **changes))
        )

    def _shakes_chosen(self, value: bool | None) -> None:
        self.edited.emit(Change(tr("whether a speaker shakes it"), partial(set_shakes, shakes=value)))

    def _colour(self, carries: str, text: str) -> None:
        self.edited.emit(
            Change(
                f"{carries}: {text.strip() or tr('the usual colour')}",
                partial(set_colour, carries=carries, colour=text),
            )
        )
