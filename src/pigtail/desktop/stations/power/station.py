"""Power: from the rail through the converter to the module, with volts, currents and heat; what each state powers."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, QSize
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QSizePolicy, QVBoxLayout

from pigtail.catalogue.topologies import Does, converters, topologies, topology
from pigtail.desktop import theme
from pigtail.desktop.fields import fill_combo
from pigtail.desktop.stations.base import Align, Painting, Station, board, gauge, say, wire
from pigtail.desktop.tables import Cell, RowsModel, make_table
from pigtail.edits.change import Change
from pigtail.edits.plan import set_converter, set_rail
from pigtail.edits.usual import rails
from pigtail.job.document import Conductor, Job, Link, Rail, SupplyIn
from pigtail.studies.power.found import PowerFound
from pigtail.units import Known, format_quantity

if TYPE_CHECKING:
    from pigtail.studies.found import Studies
    from pigtail.studies.power.found import SupplyDetail

TJ_SCALE_C = 220.0
NARROW = 180.0  # below this width a value stands under its words instead of beside them


class SupplyPicture(Painting):
    """Rail, converter and module along the supply wire."""

    def __init__(self) -> None:
        super().__init__("supply_picture", QSize(420, 220))
        self.job: Job | None = None
        self.supply: SupplyDetail | None = None

    def show_supply(self, job: Job, supply: SupplyDetail | None) -> None:
        """Show a supply."""
        self.job, self.supply = job, supply
        if supply is None:
            self.describe("No supply reaches a module yet")
            return
        n = supply.numbers
        self.describe(
            f"Supply: rail {n['rail_v'].short()}, {n['rail_current_a'].short()} average, "
            f"{n['rail_current_burst_a'].short()} in bursts; module {n['module_v'].short()}"
        )

    def paint(self, painter: QPainter, box: QRectF) -> None:
        if self.job is None or self.supply is None:
            say(painter, box, "No supply reaches a module yet.", use="dim", px=13, align=Align.AlignCenter)
            return
        link = self.job.link(self.supply.link)
        if link is None:
            return
        gap = 62.0 if box.width() > 600 else 48.0
        width = (box.width() - 2 * gap) / 3
        height = min(box.height(), 330.0)
        top = box.top() + (box.height() - height) / 2
        places = [QRectF(box.left() + k * (width + gap), top, width, height) for k in range(3)]
        middle = top + 26
        for a, b, port in ((places[0], places[1], "in"), (places[1], places[2], "out")):
            wire(painter, [QPointF(a.right(), middle), QPointF(b.left(), middle)])
            self._wire_words(painter, QRectF(a.right(), middle - 36, gap, 80), link, port)
        self._rail(painter, places[0])
        self._converter(painter, places[1], link)
        self._module(painter, places[2])

    def _wire_words(self, painter: QPainter, rect: QRectF, link: Link, port: str) -> None:
        conductor = next((j.conductor for j in link.joins if j.port == port), Conductor())
        length = conductor.length.nominal if isinstance(conductor.length, Known) else None
        say(
            painter,
            QRectF(rect.left(), rect.top() + 14, rect.width(), 16),
            f"AWG {conductor.gauge}",
            use="dim",
            px=10,
            align=Align.AlignCenter,
        )
        text = "? cm" if length is None else f"{100 * length:.0f} cm"
        say(
            painter,
            QRectF(rect.left(), rect.top() + 42, rect.width(), 16),
            text,
            use="dim",
            px=10,
            align=Align.AlignCenter,
        )

    def _lines(self, painter: QPainter, rect: QRectF, top: float, lines: list[tuple[str, str]]) -> float:
        """Rows of words and value below each other; returns where they end."""
        pitch = min(max((rect.height() - 110) / 4, 19.0), 46.0)
        for words, value in lines:
            row = QRectF(rect.left() + 8, top, rect.width() - 16, pitch)
            over = rect.width() < NARROW and pitch > 36
            say(painter, row.adjusted(0, 0, 0, -18) if over else row, words, use="dim")
            row = row.adjusted(0, 14, 0, 0) if over else row
            px = 14 if pitch > 26 else 12
            say(painter, row, value, bold=True, px=px, align=Align.AlignRight | Align.AlignVCenter)
            top += pitch
        return top + (pitch - 19)

    def _rail(self, painter: QPainter, rect: QRectF) -> None:
        assert self.job is not None
        assert self.supply is not None
        n = self.supply.numbers
        rail = self.job.terminal(self.supply.rail)
        name = self.job.label(self.supply.rail)
        board(painter, rect, name[:1].upper() + name[1:], rail.place.text() if rail else "")
        lines = [
            ("volts", n["rail_v"].short()),
            ("average", n["rail_current_a"].short()),
            ("in bursts", n["rail_current_burst_a"].short()),
        ]
        top = self._lines(painter, rect, rect.top() + 44, lines)
        used = rail.used.nominal if isinstance(rail, Rail) and rail.used else 0.0
        limit = rail.limit.nominal if isinstance(rail, Rail) and rail.limit else None
        burst = n["rail_current_burst_a"].value
        bar = QRectF(rect.left() + 8, top + 24, rect.width() - 16, 13)
        if burst is None or limit is None:
            say(painter, bar.adjusted(0, -6, 0, 6), "limit or use not known", use="unknown")
            return
        full = 1.15 * max(limit, burst)
        use = "fix" if burst > limit else "accent"
        gauge(painter, bar, [(used, "ivory"), (burst - used, use)], full, limit)
        _over(painter, bar, "already used + burst")
        limit_words = f"can give {format_quantity(limit, 'A')}"
        _under(painter, bar, limit_words)

    def _converter(self, painter: QPainter, rect: QRectF, link: Link) -> None:
        assert self.supply is not None
        n, shape = self.supply.numbers, topology(self.supply.converter)
        board(painter, rect, shape.title.partition(",")[0], shape.title.partition(", ")[2])
        if Does.CONVERTS not in shape.does:
            say(
                painter,
                rect.adjusted(10, 44, -10, -10),
                shape.catch,
                use="dim",
                wrap=True,
                align=Align.AlignTop,
            )
            return
        lines = [
            ("heat", n["regulator_w"].short()),
            ("above dropout", n["dropout_margin_v"].short()),
            ("can give yet", n["regulator_margin_a"].short()),
        ]
        top = self._lines(painter, rect, rect.top() + 44, lines)
        hot = n["regulator_tj_c"]
        bar = QRectF(rect.left() + 8, top + 24, rect.width() - 16, 13)
        _over(painter, bar, "junction temperature")
        if hot.value is None:
            say(painter, bar, "unknown", use="unknown")
            return
        limit = next((p.value.nominal for s in link.sections for p in s.parts if p.name == "tj_max"), 125.0)
        use = "fix" if hot.value > limit else "accent"
        gauge(painter, bar, [(hot.value, use)], TJ_SCALE_C, limit)
        _under(painter, bar, f"{hot.text()}")

    def _module(self, painter: QPainter, rect: QRectF) -> None:
        assert self.job is not None
        assert self.supply is not None
        n = self.supply.numbers
        device = self.job.device(self.supply.module)
        pin = self.job.terminal(self.supply.supply)
        board(painter, rect, device.name if device else "module", pin.place.text() if pin else "")
        lines = [
            ("at the pins", n["module_v"].short()),
            ("in a burst", n["module_v_burst"].short()),
            ("draws", f"{n['module_current_a'].short()} / {n['module_current_burst_a'].short()}"),
        ]
        top = self._lines(painter, rect, rect.top() + 44, lines)
        low = pin.minimum.nominal if isinstance(pin, SupplyIn) and pin.minimum else None
        high = pin.maximum.nominal if isinstance(pin, SupplyIn) and pin.maximum else None
        volts = n["module_v_burst"]
        bar = QRectF(rect.left() + 8, top + 24, rect.width() - 16, 13)
        _over(painter, bar, "within its range")
        if low is None or high is None or volts.value is None:
            say(painter, bar, "range not known", use="unknown")
            return
        span = high - low
        start, full = low - 0.5 * span, 2 * span
        inside = low <= volts.low and volts.high <= high
        gauge(
            painter,
            bar,
            [
                (volts.low - start, "ground"),
                (max(volts.high - volts.low, 0.02 * full), "accent" if inside else "fix"),
            ],
            full,
        )
        for limit in (low, high):
            x = bar.left() + bar.width() * (limit - start) / full
            painter.fillRect(QRectF(x - 1, bar.top() - 4, 2, bar.height() + 8), theme.current().color("ink"))
        _under(painter, bar, f"{low:g} … {high:g} V allowed")


def _over(painter: QPainter, bar: QRectF, words: str) -> None:
    """What a gauge shows, above it."""
    say(painter, QRectF(bar.left(), bar.top() - 20, bar.width(), 15), words, use="dim", px=10)


def _under(painter: QPainter, bar: QRectF, words: str) -> None:
    """What a gauge reads, below it."""
    say(painter, QRectF(bar.left(), bar.bottom() + 4, bar.width(), 15), words, px=11)


class PowerStation(Station):
    """The Power station."""

    key = "power"

    def __init__(self) -> None:
        super().__init__()
        self.picture = SupplyPicture()
        self.converter, self.rail, self.module = QComboBox(), QComboBox(), QComboBox()
        for combo in (self.converter, self.rail, self.module):
            combo.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.rail.setSizePolicy(
            QSizePolicy.Policy.Minimum, QSizePolicy.Policy.Fixed
        )  # the longer of the two gives way
        for combo, name, accessible in (
            (self.module, "supplied", "Module whose supply is on view"),
            (self.converter, "converter", "Converter between rail and module"),
            (self.rail, "rail", "Rail that the supply comes from"),
        ):
            combo.setObjectName(name)
            combo.setAccessibleName(accessible)
        self.converter.activated.connect(self._converter_chosen)
        self.rail.activated.connect(self._rail_chosen)
        self.states = RowsModel(("host state", "rail", "module"))
        self.table = make_table(self.states, "states_table", "What each host state powers", 0)
        self.table.setFixedHeight(120)
        self._job: Job | None = None
        self.module.activated.connect(lambda _k: self._show())
        self._supplies: tuple[SupplyDetail, ...] = ()
        self._supply: SupplyDetail | None = None
        row = QHBoxLayout()
        row.addWidget(self.module)
        for words, combo in (("from", self.rail), ("through", self.converter)):
            label = QLabel(words)
            label.setBuddy(combo)
            row.addWidget(label)
            row.addWidget(combo)
        row.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        layout.addLayout(row)
        layout.addWidget(self.picture, 1)
        layout.addWidget(self.table)

    def show_job(self, job: Job, studies: Studies) -> None:
        self._job = job
        power = studies.of(PowerFound)
        self._supplies = power.supplies
        chosen = self.module.currentData() if self.module.count() > 1 else None
        fill_combo(self.module, [(_name(job, s), s.link) for s in power.supplies])
        worst = chosen if chosen in {s.link for s in power.supplies} else _worst(power)
        self.module.setCurrentIndex(max(self.module.findData(worst), 0))
        self.module.setVisible(len(power.supplies) > 1)
        self._show()

    def _show(self) -> None:
        """Show the supply that is chosen."""
        if self._job is None:
            return
        self._supply = next((s for s in self._supplies if s.link == self.module.currentData()), None)
        self.picture.show_supply(self._job, self._supply)
        self._fill(self._job)
        self._fill_states(self._job)

    def _fill(self, job: Job) -> None:
        supply = self._supply
        for combo in (self.converter, self.rail):
            combo.setEnabled(supply is not None)
            combo.clear()
        if supply is None:
            return
        for key in (t.key for t in converters()):
            self.converter.addItem(topologies()[key].title, key)
        for address in rails(job, supply.supply):
            self.rail.addItem(job.label(address), address)
        self.converter.setCurrentIndex(self.converter.findData(supply.converter))
        self.rail.setCurrentIndex(self.rail.findData(supply.rail))

    def _fill_states(self, job: Job) -> None:
        if self._supply is None:
            rows = [(Cell(s.name), Cell("–"), Cell("–")) for s in job.host.states]
        else:
            rows = [
                (Cell(s.name), Cell("up" if s.rail else "off"), Cell("powered" if s.powered else "off"))
                for s in self._supply.states
            ]
        self.states.show_rows(rows)
        self.table.setFixedHeight(34 + 26 * max(len(rows), 2))

    def _converter_chosen(self, index: int) -> None:
        if self._supply is not None:
            key = self.converter.itemData(index)
            words = f"use a {topologies()[key].title.lower()}"
            self.edited.emit(Change(words, partial(set_converter, link_id=self._supply.link, key=key)))

    def _rail_chosen(self, index: int) -> None:
        if self._supply is not None:
            address = self.rail.itemData(index)
            words = f"take the supply from {self.rail.itemText(index)}"
            self.edited.emit(Change(words, partial(set_rail, link_id=self._supply.link, rail=address)))


def _name(job: Job, supply: SupplyDetail) -> str:
    """What a supply is for, as it is chosen."""
    device = job.device(supply.module)
    return device.name if device is not None else supply.module


def _worst(power: PowerFound) -> str:
    """The supply that the worst finding is about; findings come the worst first."""
    for finding in power.findings:
        for supply in power.supplies:
            if finding.subject in (supply.link, supply.supply):
                return supply.link
    return power.supplies[0].link if power.supplies else ""


STATION = PowerStation
