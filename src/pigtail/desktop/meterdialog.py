"""Choosing the meter: by hand, at a network address, on a serial line, or a stand-in host to try things on."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialogButtonBox,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from pigtail.desktop import ask
from pigtail.desktop.tips import Dialog
from pigtail.job.meters import meters
from pigtail.language import tr

if TYPE_CHECKING:
    from pigtail.bench.address import Address

#: What stands behind the name of a stand-in in which some fault is hidden.
HIDDEN = "+?"
HAND, NETWORK, SERIAL, VISA, STAND_IN = "hand", "network", "serial", "visa", "stand-in"
#: What is remembered of the meter between sessions, under this key of the settings.
REMEMBERED = "meter"


class MeterDialog(Dialog):
    """Asks which meter is used. After it was accepted: `kind` of meter for accuracy, `road`, `address`, `truth`."""

    def __init__(self, kind: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("meter_dialog")
        self.setWindowTitle(tr("The meter"))
        self.resize(560, 300)
        self.address: Address | None = None
        self.truth = ""
        self.kinds, self.roads, self.serial, self.stand_ins = (
            QComboBox(),
            QComboBox(),
            QComboBox(),
            QComboBox(),
        )
        self.network, self.visa = QLineEdit("127.0.0.1:5025"), QLineEdit()
        self.visa.setPlaceholderText("TCPIP::host::INSTR")
        self.ending = QComboBox()
        self.trouble = QLabel()
        self.trouble.setObjectName("wrong")
        self.trouble.setWordWrap(True)
        for key, meter in meters().items():
            self.kinds.addItem(meter.name, key)
        self.kinds.setCurrentIndex(max(self.kinds.findData(kind), 0))
        for words, road in (
            (tr("read it and type"), HAND),
            (tr("over the network (SCPI)"), NETWORK),
            (tr("on a serial line (SCPI)"), SERIAL),
            (tr("at a VISA address of any kind"), VISA),
            (tr("a stand-in host to try on"), STAND_IN),
        ):
            self.roads.addItem(words, road)
        for widget, name, accessible in (
            (self.kinds, "meter_kind", tr("Kind of meter, for its accuracy and load")),
            (self.roads, "meter_road", tr("How readings come in")),
            (self.network, "meter_network", tr("Network address of the meter")),
            (self.serial, "meter_serial", tr("Serial device of the meter")),
            (self.visa, "meter_visa", tr("VISA address of the meter")),
            (self.ending, "meter_ending", tr("What ends a line to and from the meter")),
            (self.stand_ins, "meter_stand_in", tr("Stand-in host")),
        ):
            widget.setObjectName(name)
            widget.setAccessibleName(accessible)
        self.serial.setEditable(True)
        self._fill()
        self._lay_out()
        self._recall()
        self.roads.currentIndexChanged.connect(lambda _k: self._road_chosen())
        self._road_chosen()

    def _fill(self) -> None:
        from pigtail.bench.address import Ending
        from pigtail.bench.meters import serial_devices
        from pigtail.bench.truth import load, shipped
        from pigtail.catalogue.kinds import host_kinds

        self.serial.addItems(serial_devices() or ("/dev/ttyUSB0",))
        for ending in Ending:
            self.ending.addItem(ending.value, ending.name)
        for path in shipped().values():
            self.stand_ins.addItem(load(path).title, path.stem)
        for kind in host_kinds():
            self.stand_ins.addItem(tr("{kind}, as the catalogue has it", kind=kind.name), kind.key)

    def _recall(self) -> None:
        """Fill in what was used the last time."""
        settings = QSettings("pigtail", "pigtail")

        def last(name: str) -> str:
            return str(settings.value(f"{REMEMBERED}/{name}", ""))

        self.network.setText(last(NETWORK) or self.network.text())
        self.visa.setText(last(VISA))
        if last(SERIAL):
            self.serial.setEditText(last(SERIAL))
        self.ending.setCurrentIndex(max(self.ending.findData(last("ending")), 0))
        self.roads.setCurrentIndex(max(self.roads.findData(last("road")), 0))

    def _remember(self) -> None:
        settings = QSettings("pigtail", "pigtail")
        for name, text in (
            ("road", self.road),
            (NETWORK, self.network.text()),
            (SERIAL, self.serial.currentText()),
            (VISA, self.visa.text()),
            ("ending", str(self.ending.currentData())),
        ):
            settings.setValue(f"{REMEMBERED}/{name}", text)

    def _lay_out(self) -> None:
        form = QFormLayout()
        form.setSpacing(10)
        form.addRow(tr("Kind of meter"), self.kinds)
        form.addRow(tr("Readings"), self.roads)
        self.rows = {
            NETWORK: QLabel(tr("Address")),
            SERIAL: QLabel(tr("Device")),
            VISA: QLabel(tr("Address")),
            STAND_IN: QLabel(tr("Host")),
        }
        form.addRow(self.rows[NETWORK], self.network)
        form.addRow(self.rows[SERIAL], self.serial)
        form.addRow(self.rows[VISA], self.visa)
        self.ends = QLabel(tr("Lines end with"))
        form.addRow(self.ends, self.ending)
        row = QHBoxLayout()
        row.addWidget(self.stand_ins, 1)
        self.browse = QPushButton(tr("Other file…"))
        self.browse.clicked.connect(self._browse)
        row.addWidget(self.browse)
        form.addRow(self.rows[STAND_IN], row)
        self.papers = QCheckBox(tr("open what its papers say as a new job"))
        self.papers.setObjectName("meter_papers")
        self.papers.setChecked(True)
        form.addRow("", self.papers)
        self.hidden = QCheckBox(tr("hide a fault in it, to be found by what is asked"))
        self.hidden.setObjectName("meter_hidden")
        form.addRow("", self.hidden)
        self.hint = QLabel()
        self.hint.setObjectName("dim")
        self.hint.setWordWrap(True)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        use = buttons.addButton(tr("Use this meter"), QDialogButtonBox.ButtonRole.AcceptRole)
        assert use is not None
        use.setObjectName("main")
        self.use = use
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        layout = QVBoxLayout(self)
        layout.addLayout(form)
        layout.addWidget(self.hint)
        layout.addWidget(self.trouble)
        layout.addStretch(1)
        layout.addWidget(buttons)

    @property
    def kind(self) -> str:
        """Key of the kind of meter."""
        return str(self.kinds.currentData())

    @property
    def road(self) -> str:
        """How readings come in."""
        return str(self.roads.currentData())

    def _road_chosen(self) -> None:
        for road, label in self.rows.items():
            shown = road == self.road
            label.setVisible(shown)
            for widget in {
                NETWORK: (self.network,),
                SERIAL: (self.serial,),
                VISA: (self.visa,),
                STAND_IN: (self.stand_ins, self.browse, self.papers, self.hidden),
            }[road]:
                widget.setVisible(shown)
        for widget in (self.ends, self.ending):
            widget.setVisible(self.road in (NETWORK, SERIAL, VISA))
        self.hint.setText(
            {
                HAND: tr(
                    "You read the meter and type; its kind tells its accuracy and how it loads a point."
                ),
                NETWORK: tr(
                    "A meter that speaks SCPI over a socket. You move the probes; a press of F9 reads it."
                ),
                SERIAL: tr(
                    "A meter that speaks SCPI over a serial line; a speed goes behind an @: "
                    "/dev/ttyUSB0@115200."
                ),
                VISA: tr(
                    "A meter under any name that VISA gives it: TCPIP::host::INSTR, "
                    "TCPIP::host::hislip0::INSTR, USB::0x1234::0x5678::serial::INSTR, GPIB::9::INSTR, "
                    "ASRL/dev/ttyUSB0::INSTR."
                ),
                STAND_IN: tr(
                    "A host that is not there, solved as it would behave, with its papers. Its probes move "
                    "by themselves."
                ),
            }[self.road]
        )

    def _browse(self) -> None:
        path = ask.stand_in_path(self, str(Path.home()))
        if path is not None:
            self.stand_ins.addItem(path.stem, str(path))
            self.stand_ins.setCurrentIndex(self.stand_ins.count() - 1)

    def accept(self) -> None:
        """Check the address before the dialog closes."""
        from pigtail.bench.address import Ending, MeterError, parse_address

        typed = {
            NETWORK: self.network.text(),
            SERIAL: self.serial.currentText(),
            VISA: self.visa.text(),
        }.get(self.road)
        try:
            if typed is not None:
                self.address = parse_address(typed, Ending[str(self.ending.currentData())])
        except MeterError as error:
            self.trouble.setText(str(error))
            return
        if self.road == STAND_IN:
            self.truth = f"{self.stand_ins.currentData()}{HIDDEN if self.hidden.isChecked() else ''}"
        self._remember()
        super().accept()
