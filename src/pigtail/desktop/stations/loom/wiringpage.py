"""The wiring drawing, and the wire that is picked on it: its colour, gauge, length, screen, twist and relief edited under it."""

from __future__ import annotations

from functools import partial
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QLabel, QLineEdit, QVBoxLayout, QWidget

from pigtail.desktop.drawing import DrawingView
from pigtail.desktop.fields import fill_combo
from pigtail.desktop.stations.loom.parts import choice, of_enum, show_choice
from pigtail.desktop.wrapping import row_of
from pigtail.drawing.shapes import Drawing
from pigtail.edits.change import Change
from pigtail.edits.links import set_conductor
from pigtail.job.build import Relief, ScreenAt
from pigtail.language import tr
from pigtail.studies.loom.found import LoomFound, LoomWire

COLOURS = ("black", "red", "orange", "white", "green", "yellow", "blue", "brown", "violet", "grey")
GAUGES = (18, 20, 22, 24, 26, 28, 30, 32)


class WiringPage(QWidget):
    """The drawing and the row of the wire picked."""

    edited = pyqtSignal(object)
    refused = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.view = DrawingView(
            "wiring_drawing", tr("Nothing is planned yet: join something in Level or Power first.")
        )
        self.view.picked.connect(self.pick)
        self.wires: tuple[LoomWire, ...] = ()
        self.picked, self.marked = 0, False
        self.which = QComboBox()
        self.which.setObjectName("wire_picked")
        self.which.setAccessibleName(tr("Wire that is edited"))
        self.which.activated.connect(lambda k: self.pick(k + 1))
        self.colour = choice(
            "wire_colour", tr("Colour of the wire"), [(c, c) for c in COLOURS], partial(self._set, "colour")
        )
        self.gauge = choice(
            "wire_gauge",
            tr("Gauge of the wire"),
            [(f"AWG {g}", g) for g in GAUGES],
            partial(self._set, "gauge"),
        )
        self.screen_at = choice(
            "wire_screen",
            tr("Screen of the wire and where it is joined"),
            [(tr("no screen"), None), *of_enum(ScreenAt)[1:]],
            self._set_screen,
        )
        self.relief = choice(
            "wire_relief",
            tr("What relieves the joints of the wire"),
            of_enum(Relief),
            partial(self._set, "relief"),
        )
        self.twist = QLineEdit()
        self.twist.setObjectName("wire_twist")
        self.twist.setAccessibleName(tr("Name of the twist that the wire lies in"))
        self.twist.setPlaceholderText(tr("no twist"))
        self.twist.setFixedWidth(72)
        self.twist.editingFinished.connect(self._twisted)
        self.hint = QLabel(tr("Click a wire to change it. The number stands at both of its ends."))
        self.hint.setObjectName("dim")
        self.editor = QWidget()
        inner = QVBoxLayout(self.editor)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.addLayout(
            row_of(
                tr("wire"),
                self.which,
                self.colour,
                self.gauge,
                self.screen_at,
                tr("twist"),
                self.twist,
                tr("relief"),
                self.relief,
            )
        )
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(self.view, 1)
        layout.addWidget(self.editor)
        layout.addWidget(self.hint)
        self.which.setMinimumWidth(120)
        for combo, letters in ((self.screen_at, 9), (self.relief, 13)):
            combo.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            combo.setMinimumContentsLength(letters)
        self._show_picked()

    def show_build(self, build: LoomFound) -> None:
        """Show the wires that can be picked."""
        self.wires = build.wires
        fill_combo(self.which, [(f"{k} {w.function}", str(k)) for k, w in enumerate(self.wires, start=1)])
        self.picked = min(self.picked or 1, len(self.wires))
        self._show_picked()

    def show_drawing(self, drawing: Drawing) -> None:
        """Show the drawing, once it was made."""
        told = "; ".join(
            tr(
                "{k} {function} from {start} to {end}, {colour}",
                k=k,
                function=w.function,
                start=w.start,
                end=w.end,
                colour=w.colour,
            )
            for k, w in enumerate(self.wires, start=1)
        )
        self.view.show_drawings(
            (drawing,) if self.wires else (), tr("Wiring: {value}", value=told or tr("nothing yet"))
        )
        self.view.choose(self.picked if self.marked else 0)

    def pick(self, number: int) -> None:
        """Pick a wire by its number; it is marked from then on."""
        self.picked, self.marked = (number, True) if 0 < number <= len(self.wires) else (0, False)
        self._show_picked()

    def _show_picked(self) -> None:
        wire = self.wires[self.picked - 1] if self.picked else None
        self.view.choose(self.picked if self.marked else 0)
        self.editor.setVisible(wire is not None)
        self.hint.setVisible(not self.marked and bool(self.wires))
        if wire is None:
            return
        self.which.setCurrentIndex(self.picked - 1)
        if self.colour.findData(wire.colour) < 0:
            self.colour.addItem(wire.colour, wire.colour)
        show_choice(self.colour, wire.colour)
        if self.gauge.findData(wire.gauge) < 0:
            self.gauge.addItem(f"AWG {wire.gauge}", wire.gauge)
        show_choice(self.gauge, wire.gauge)
        show_choice(self.screen_at, wire.screen if wire.screened else None)
        show_choice(self.relief, wire.relief)
        if not self.twist.hasFocus():
            self.twist.setText(wire.twist)

    def _set(self, field: str, value: Any) -> None:
        words = value.value if isinstance(value, Relief) else f"AWG {value}" if field == "gauge" else value
        self._change(words, **{field: value})

    def _set_screen(self, value: ScreenAt | None) -> None:
        if value is None:
            self._change(tr("no screen"), screened=False)
        else:
            self._change(tr("screen {value}", value=value.value), screened=True, screen=value)

    def _change(self, words: str, **changes: Any) -> None:
        """Change the wire that is picked, told in the log by words."""
        wire = self.wires[self.picked - 1]
        told = tr(
            "wire {picked}, {function}: {words}", picked=self.picked, function=wire.function, words=words
        )
        edit = partial(set_conductor, link_id=wire.link, port=wire.port, **changes)
        self.edited.emit(Change(told, edit))

    def _twisted(self) -> None:
        text = self.twist.text().strip()
        if self.picked and text != self.wires[self.picked - 1].twist:
            self._set("twist", text)
