"""Power: where the energy comes from and where it becomes heat, its course over a period of the mains or the life of a battery, what comes
near its limit, in which states the module lives; the network edited in place, and a search for others."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QBoxLayout,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QMenu,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
)

from pigtail.catalogue.topologies import Does, Topology, converters, does, first, those, topologies, topology
from pigtail.desktop.fields import fill_combo
from pigtail.desktop.stations.base import Station
from pigtail.desktop.stations.network import NetworkStrip
from pigtail.desktop.stations.networkmenu import add_action, add_figures, ask_figures
from pigtail.desktop.stations.power.bars import Bars
from pigtail.desktop.stations.power.found import SupplyFound
from pigtail.desktop.stations.power.river import River
from pigtail.desktop.stations.power.states import StateStrip
from pigtail.desktop.stations.power.waves import CoursePainting
from pigtail.desktop.wants import answer
from pigtail.edits.change import Change, FeedChange
from pigtail.edits.plan import (
    add_second_rail,
    add_to_supply,
    drop_from_supply,
    put_supply,
    set_converter,
    set_rail,
)
from pigtail.edits.usual import rails
from pigtail.job.document import Job, Link, Rail
from pigtail.job.windings import winding_at
from pigtail.language import tr
from pigtail.service import services
from pigtail.studies.power.found import PowerFound

if TYPE_CHECKING:
    from pigtail.studies.found import Studies
    from pigtail.studies.power.found import SupplyDetail

#: What is not put into a supply by itself: it has a choice of its own, or needs a second source.
NOT_ADDED = (Does.RECTIFIES, Does.CONVERTS, Does.CONDUCTS, Does.SWITCHES, Does.EITHER)
#: A lower station makes room for what was found by putting the drawing of the network away.
LOW_PX, NARROW_PX = 560, 700


class PowerStation(Station):
    """The Power station."""

    key = "power"

    def __init__(self) -> None:
        super().__init__()
        self.picture, self.course, self.bars, self.strip = River(), CoursePainting(), Bars(), StateStrip()
        self.network, self.found = NetworkStrip(), SupplyFound()
        self.rectifier, self.converter, self.rail, self.module = (QComboBox() for _ in range(4))
        for combo, name, accessible in (
            (self.module, "supplied", tr("Module whose supply is on view")),
            (self.rail, "rail", tr("Rail or winding that the supply comes from")),
            (self.rectifier, "rectifier", tr("Rectifier of the winding")),
            (self.converter, "converter", tr("Converter before the module")),
        ):
            combo.setObjectName(name)
            combo.setAccessibleName(accessible)
            combo.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            combo.setMinimumContentsLength(6)
            combo.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.figures = QToolButton()
        self.figures.setObjectName("supply_figures")
        self.figures.setText(tr("Change…"))
        self.figures.setAccessibleName(
            tr("Change this supply: add a fuse or filter, take one out, figures from papers")
        )
        self.figures.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.menu = QMenu(self.figures)
        self.menu.setToolTipsVisible(True)
        self.figures.setMenu(self.menu)
        self._job: Job | None = None
        self._supplies: tuple[SupplyDetail, ...] = ()
        self._supply: SupplyDetail | None = None
        self._newest: Job | None = None
        self._wire()
        self._lay_out()

    def _wire(self) -> None:
        self.converter.activated.connect(self._converter_chosen)
        self.rectifier.activated.connect(self._rectifier_chosen)
        self.rail.activated.connect(self._rail_chosen)
        self.module.activated.connect(lambda _k: self._show())
        self.menu.aboutToShow.connect(self._fill_menu)
        self.network.changed.connect(self._change)
        self.network.refused.connect(self.refused)
        self.found.edited.connect(self.edited)
        self.found.wants.connect(self.wants)
        self.found.refused.connect(self.refused)
        self.found.opened.connect(lambda _open: self._make_room())

    def _lay_out(self) -> None:
        self.labels: list[QLabel] = []
        row = QHBoxLayout()
        row.setSpacing(5)
        row.addWidget(self.module, 2)
        for words, combo, share in (
            (tr("from"), self.rail, 4),
            ("", self.rectifier, 5),
            (tr("through"), self.converter, 6),
        ):
            if words:
                label = QLabel(words)
                label.setBuddy(combo)
                self.labels.append(label)
                row.addWidget(label)
            row.addWidget(combo, share)
        buttons = QHBoxLayout()
        buttons.setSpacing(5)
        for button in (self.figures, self.found.seek, self.found.ways):
            buttons.addWidget(button)
        buttons.addStretch(0)
        self.head = QBoxLayout(QBoxLayout.Direction.LeftToRight)
        self.head.setSpacing(5)
        self.head.addLayout(row, 1)
        self.head.addLayout(buttons)
        self.pictures = QHBoxLayout()
        self.pictures.setSpacing(8)
        self.pictures.addWidget(self.course, 3)
        self.pictures.addWidget(self.bars, 2)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(self.head)
        layout.addWidget(self.picture)
        layout.addLayout(self.pictures, 1)
        layout.addWidget(self.network)
        layout.addWidget(self.found)
        layout.addWidget(self.strip)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._make_room()

    def _make_room(self) -> None:
        """What can be chosen of the network is drawn where there is any; on a low window all take less, and what was found its place."""
        link, low = self._link, self.height() < LOW_PX
        parts = link is not None and any(
            p.kind != "figure" for s in link.sections for p in topology(s.topology).parts
        )
        self.network.setVisible(parts and not (self.found.is_open and low))
        self.picture.take_less(low)
        self.strip.take_less(low)
        narrow = self.width() < NARROW_PX
        for label in self.labels:
            label.setVisible(self.rectifier.isHidden() or narrow)
        down, across = QBoxLayout.Direction.TopToBottom, QBoxLayout.Direction.LeftToRight
        self.head.setDirection(down if narrow else across)
        self.found.name_seek(tr("Find…") if narrow else tr("Find supplies"))
        self.pictures.setStretch(0, 1 if narrow else 3)
        self.pictures.setStretch(1, 1 if narrow else 2)

    @property
    def _link(self) -> Link | None:
        return (
            self._job.link(self._supply.link) if self._job is not None and self._supply is not None else None
        )

    # -- showing ----------------------------------------------------------------------------------------------

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
        self._paint(self._job, self._supply)
        self._fill(self._job)
        self.found.show_subject(
            self._job, self._supply.supply if self._supply is not None else self._first_pin(self._job)
        )
        self._make_room()

    def _first_pin(self, job: Job) -> str:
        """A supply pin that is not supplied yet."""
        from pigtail.job.document import SupplyIn
        from pigtail.job.wiring import addresses_of

        return next(iter(addresses_of(job, SupplyIn)), "")

    def _paint(self, job: Job, supply: SupplyDetail | None) -> None:
        for picture in (self.picture, self.course, self.bars):
            picture.show_supply(job, supply)
        self.strip.show_supply(job, supply)
        self.network.show_link(job, self._link)

    def glance(self, job: Job) -> bool:
        """A value is turned: show the supply's course at nominal values ahead of its studies."""
        supply = self._supply
        if supply is None or job.link(supply.link) is None or not self.network.isVisible():
            return False
        self._newest = job

        def show(seen: SupplyDetail | None) -> None:
            if seen is not None and job is self._newest and self._supply is not None:
                self.show_glance(job, seen)

        want = answer(services.glance_supply, show, job, supply.link)
        self.wants.emit(want._replace(quick=True, failed=lambda _e: None))
        return True

    def show_glance(self, job: Job, seen: SupplyDetail) -> None:
        """Show what a quick look saw of the supply on view; states and battery stay as they were."""
        from msgspec.structs import replace

        if self._supply is None or seen.link != self._supply.link:
            return
        self._job = job
        self._supply = replace(seen, states=self._supply.states, battery=self._supply.battery)
        self._paint(job, self._supply)

    def _fill(self, job: Job) -> None:
        """What can be chosen: sources, rectifiers, converters."""
        supply, link = self._supply, self._link
        for combo in (self.converter, self.rectifier, self.rail):
            combo.setEnabled(supply is not None)
            combo.clear()
        self.figures.setEnabled(supply is not None)
        winding = winding_at(job, supply.rail) if supply is not None else None
        self.rectifier.setVisible(winding is not None)
        if supply is None or link is None:
            return
        for shape in converters():
            self.converter.addItem(shape.title, shape.key)
        for address in rails(job, supply.supply):
            self.rail.addItem(job.label(address), address)
        for each in job.host.windings:
            self.rail.addItem(f"{each.name} (AC)", each.id)
        fitting = [
            s
            for s in those("supply", Does.RECTIFIES)
            if len(s.inputs) < 3 or (winding is not None and winding.tap)
        ]
        for shape in fitting:
            self.rectifier.addItem(_rectifier_title(shape), shape.key)
        straight = next(c.key for c in converters() if Does.CONDUCTS in c.does)
        key = next((s.topology for s in link.sections if does(s, Does.CONVERTS)), straight)
        self.converter.setCurrentIndex(self.converter.findData(key))
        self.rail.setCurrentIndex(self.rail.findData(winding.id if winding is not None else supply.rail))
        self.rectifier.setCurrentIndex(self.rectifier.findData(supply.rectifier))
        for combo in (self.converter, self.rectifier, self.rail):
            combo.setToolTip(combo.currentText())

    # -- edits ------------------------------------------------------------------------------------------------

    def _change(self, change: FeedChange) -> None:
        if self._supply is not None:
            self.edited.emit(change.on((self._supply.link,)))

    def _converter_chosen(self, index: int) -> None:
        if self._supply is not None:
            key = self.converter.itemData(index)
            words = tr("use a {lower}", lower=topologies()[key].title.lower())
            self.edited.emit(Change(words, partial(set_converter, link_id=self._supply.link, key=key)))

    def _rectifier_chosen(self, index: int) -> None:
        supply, link, job = self._supply, self._link, self._job
        winding = winding_at(job, supply.rail) if job is not None and supply is not None else None
        if supply is None or link is None or winding is None:
            return
        rest = tuple(s.topology for s in link.sections if not does(s, Does.RECTIFIES))
        keys = (self.rectifier.itemData(index), *rest)
        put = partial(put_supply, pin=supply.supply, source=winding.id, keys=keys)
        self.edited.emit(Change(tr("use a {lower}", lower=self.rectifier.itemText(index).lower()), put))

    def _rail_chosen(self, index: int) -> None:
        supply, link, job = self._supply, self._link, self._job
        if supply is None or link is None or job is None:
            return
        source = self.rail.itemData(index)
        words = tr("take the supply from {itemtext}", itemtext=self.rail.itemText(index))
        if isinstance(job.terminal(source), Rail) and winding_at(job, supply.rail) is None:
            self.edited.emit(Change(words, partial(set_rail, link_id=supply.link, rail=source)))
            return
        rest = tuple(s.topology for s in link.sections if not does(s, Does.RECTIFIES))
        if not isinstance(job.terminal(source), Rail):
            rectifiers = those("supply", Does.RECTIFIES)
            rest = (rectifiers[0].key, *(k for k in rest if Does.CONDUCTS not in topology(k).does))
        put = partial(put_supply, pin=supply.supply, source=source, keys=rest or (converters()[0].key,))
        self.edited.emit(Change(words, put))

    def _fill_menu(self) -> None:
        """What can be added to the supply on view, taken out of it, or read from papers."""
        self.menu.clear()
        link = self._link
        if link is None:
            return
        here = {s.topology for s in link.sections}
        self.menu.addSection(tr("Add"))
        for shape in those("supply", without=NOT_ADDED):
            if shape.key not in here:
                words = shape.title.lower()
                self._action(
                    shape.title,
                    tr("add {words}", words=words),
                    partial(add_to_supply, key=shape.key),
                    f"{shape.good_for} {shape.catch}",
                )
        self._fill_seconds(link)
        for index, section in enumerate(link.sections):
            shape = topology(section.topology)
            if shape.does & {Does.FILTERS, Does.FUSES, Does.LIMITS, Does.EITHER}:
                words = shape.title.lower()
                self._action(
                    tr("Take out: {words}", words=words),
                    tr("take out {words}", words=words),
                    partial(drop_from_supply, index=index),
                )
        self.menu.addSection(tr("Figures from papers"))
        add_figures(self.menu, link, self._ask_figures)

    def _fill_seconds(self, link: Link) -> None:
        """Another rail beside the one that feeds, the higher of the two taken."""
        job, supply = self._job, self._supply
        if job is None or supply is None or len(topology(link.sections[0].topology).inputs) > 1:
            return
        shape = first("supply", Does.EITHER)
        for address in rails(job, supply.supply):
            if address not in link.starts:
                name = job.label(address)
                self._action(
                    tr("Second rail by diodes: {name}", name=name),
                    tr("take the higher of two rails, {name} too", name=name),
                    partial(add_second_rail, rail=address),
                    f"{shape.good_for} {shape.catch}",
                )

    def _action(self, text: str, words: str, change: Callable[..., Job], tip: str = "") -> None:
        add_action(self.menu, text, words, change, self._change, tip)

    def _ask_figures(self, index: int) -> None:
        ask_figures(self._link, index, self, self._change)


def _rectifier_title(shape: Topology) -> str:
    """A rectifier in few words: half-wave, Schottky."""
    title = (
        shape.title.partition(tr(", with reservoir"))[0]
        .partition(tr(" with one end"))[0]
        .partition(tr(" on a tapped"))[0]
    )
    return title.replace(tr(" rectifier"), "")


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
