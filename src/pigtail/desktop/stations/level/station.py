"""Level: the ladder from the source's e.m.f. to the host's input, the response, and the network edited in place."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, Any

from msgspec.structs import replace
from PyQt6.QtCore import QRect, Qt
from PyQt6.QtGui import QAction, QResizeEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QMenu,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
)

from pigtail.catalogue.topologies import Does, those, topology
from pigtail.desktop import theme
from pigtail.desktop.fields import fill_combo
from pigtail.desktop.stations.base import Station
from pigtail.desktop.stations.level.asking import Asking
from pigtail.desktop.stations.level.found import Found
from pigtail.desktop.stations.level.ladder import UNITS, Ladder, Response
from pigtail.desktop.stations.network import NetworkStrip
from pigtail.desktop.stations.networkmenu import add_action, add_figures, ask_figures
from pigtail.edits.change import FeedChange
from pigtail.edits.plan import add_network, drop_network, put_head, set_stage_rail
from pigtail.job.document import Job, Link, Rail
from pigtail.language import tr
from pigtail.studies.level.found import LevelFound

if TYPE_CHECKING:
    from pigtail.model.estimate import Estimate
    from pigtail.studies.found import Studies
    from pigtail.studies.level.found import FeedDetail

#: What can be put into a feed, by what it is for.
#: What is said of a feed, as far as it is known of it: number, words before and behind it.
FACTS = (
    ("power_w", tr("power "), ""),
    ("most_w", tr("the supply allows "), ""),
    ("spl_db", "", tr(" SPL at full scale")),
    ("spl_max_db", "", tr(" SPL fully turned up")),
    ("flat_db", tr("the crossover sum strays "), ""),
    ("tilt_db", tr("the response strays "), ""),
    ("own_loss_db", tr("the host's own signal loses "), ""),
    ("one_channel_dbv", tr("one side alone "), ""),
    ("yield_percent", "", tr(" of builds fit")),
    ("offset_v", tr("DC "), ""),
    ("pop_v", tr("pop "), ""),
    ("thump_v", tr("thump "), ""),
    ("noise_db", tr("noise "), ""),
    ("output_ohm", tr("driven from "), ""),
    ("match_db", tr("left over right "), tr(" by the parts")),
    ("core_db", tr("the transformer has "), tr(" at 20 Hz")),
)
#: A narrower line of facts is left empty; a lower station makes room for the alternatives by putting the drawing away.
LEAST_PX, LOW_PX = 130, 640
#: Volts that nobody hears or sees [V].
NO_VOLTS = 1e-3


class Facts(QLabel):
    """What is known of a feed in two lines; what has no room there is in the tip."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("dim")
        self.setWordWrap(True)
        self.setFont(theme.font(theme.SMALL_PX))
        self.setFixedHeight(34)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self._facts: list[str] = []

    def show_facts(self, facts: list[str]) -> None:
        """Show facts, the first ones first."""
        self._facts = facts
        self.setToolTip("\n".join(facts))
        self.setAccessibleName(" · ".join(facts))
        self._fit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        """As many facts as two lines hold; none where there is no room for words."""
        for count in range(len(self._facts) if self.width() >= LEAST_PX else 0, 0, -1):
            text = " · ".join(self._facts[:count]) + (" …" if count < len(self._facts) else "")
            room = QRect(0, 0, max(self.width() - 4, 10), 1000)
            if (
                self.fontMetrics().boundingRect(room, int(Qt.TextFlag.TextWordWrap), text).height()
                <= self.height()
            ):
                break
        else:
            text = self._facts[0] if self._facts and self.width() >= LEAST_PX else ""
        self.setText(text)


class LevelStation(Station):
    """The Level station."""

    key = "level"

    def __init__(self) -> None:
        super().__init__()
        self.feed = QComboBox()
        self.feed.setObjectName("feed")
        self.feed.setAccessibleName(tr("Feed on view"))
        self.unit = QComboBox()
        self.unit.setObjectName("level_unit")
        self.unit.setAccessibleName(tr("Unit of the levels"))
        self.unit.addItems(UNITS)
        self.both = QCheckBox(tr("both channels"))
        self.both.setObjectName("both_channels")
        self.both.setAccessibleName(tr("Change the feed of the other channel alike"))
        self.both.setChecked(True)
        self.change = QToolButton()
        self.change.setObjectName("change_network")
        self.change.setText(tr("Change…"))
        self.change.setAccessibleName(tr("Change the network of this feed"))
        self.change.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.change.setMenu(QMenu(self.change))
        self.facts = Facts()
        self.ladder, self.response, self.network = Ladder(), Response(), NetworkStrip()
        self.found = Found()
        self.asking = Asking(self.found)
        self._job: Job | None = None
        self._details: tuple[FeedDetail, ...] = ()
        self._wire()
        self._lay_out()

    def _wire(self) -> None:
        self.feed.currentIndexChanged.connect(lambda _k: self._show_feed())
        self.unit.currentTextChanged.connect(self._show_unit)
        self.found.edited.connect(self.edited)
        self.found.wants.connect(self.wants)
        self.found.refused.connect(self.refused)
        self.asking.wants.connect(self.wants)
        self.asking.edited.connect(self.edited)
        self.asking.glanced.connect(self.show_glance)
        self.found.changed.connect(self._change)
        self.found.picked.connect(self.ladder.show_option)
        self.found.opened.connect(lambda _open: self._make_room())
        self.network.changed.connect(self._change)
        self.network.refused.connect(self.refused)
        menu = self.change.menu()
        assert menu is not None
        menu.setToolTipsVisible(True)
        menu.aboutToShow.connect(self._fill_menu)

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        for widget in (self.feed, self.unit, self.both):
            head.addWidget(widget)
        head.addWidget(self.facts, 1)
        head.addWidget(self.change)
        pictures = QHBoxLayout()
        pictures.setSpacing(8)
        pictures.addWidget(self.ladder, 3)
        pictures.addWidget(self.response, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(head)
        layout.addLayout(pictures, 5)
        layout.addWidget(self.network)
        layout.addWidget(self.found)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._make_room()

    def _make_room(self) -> None:
        """On a low window the drawing of the network and the alternatives take turns."""
        self.network.setVisible(not (self.found.is_open and self.height() < LOW_PX))

    # -- showing --------------------------------------------------------------------------------------------

    @property
    def feed_on_view(self) -> str:
        """The feed on view, empty if there is none."""
        return self.feed.currentData() or ""

    def show_job(self, job: Job, studies: Studies) -> None:
        self._job, self._details = job, studies.of(LevelFound).feeds
        names = [(job.link(d.link), d.link) for d in self._details]
        shown = [(link.name if link else key, key) for link, key in names]
        fill_combo(self.feed, shown)
        self.feed.setVisible(len(shown) > 1)
        self._show_feed()

    def glance(self, job: Job) -> bool:
        link = self.feed_on_view
        if not link or job.link(link) is None:
            return False
        self.asking.glance(job, link)
        return True

    def show_glance(self, job: Job, seen: FeedDetail) -> None:
        """Show the levels and the response of a feed that was just changed, ahead of all that is still being studied."""
        old = next((d for d in self._details if d.link == seen.link), None)
        if old is None or seen.link != self.feed_on_view:
            return
        self._job = job
        detail = replace(seen, twin=old.twin)
        self._details = tuple(detail if d.link == seen.link else d for d in self._details)
        self._paint(detail)

    def _show_feed(self) -> None:
        self._paint(next((d for d in self._details if d.link == self.feed.currentData()), None))

    def _paint(self, detail: FeedDetail | None) -> None:
        self.ladder.show_feed(detail)
        self.response.show_feed(detail)
        link = self._link
        self.network.show_link(self._job, link)
        self.change.setEnabled(link is not None)
        self.both.setVisible(detail is not None and bool(detail.twin))
        self.found.show_subject(self._job, link.id if link else "")
        told = self._told(detail)
        self.facts.show_facts(told)
        self.ladder.setToolTip("\n".join(told))

    def _show_unit(self, unit: str) -> None:
        self.ladder.show_unit(unit)
        self._show_feed()

    @property
    def _link(self) -> Link | None:
        return self._job.link(self.feed_on_view) if self._job is not None and self.feed_on_view else None

    def _told(self, detail: FeedDetail | None) -> list[str]:
        if detail is None:
            return [tr("No feed is planned yet.")]
        n = detail.numbers
        arrives = tr(
            "{n} arrives, {wanted} is wanted",
            n=self.ladder.text(n["delivered_dbv"]),
            wanted=self.ladder.text(detail.wanted),
        )
        told = [self._fact(n[key], before, behind) for key, before, behind in FACTS if key in n]
        return [arrives, *told] if "offset_v" in n else [arrives, tr("the rest is being studied …")]

    def _fact(self, number: Estimate, before: str, behind: str) -> str:
        if number.unit == "V" and number.value is not None and abs(number.value) < NO_VOLTS:
            return tr("no {strip}", strip=before.strip())
        value = self.ladder.text(number) if number.unit == "dBV" else number.short().replace(" %", " in 100")
        return f"{before}{value}{behind}"

    # -- edits ----------------------------------------------------------------------------------------------

    def _change(self, change: FeedChange) -> None:
        """Make a change to the feed on view, and to the other channel's if both are to be alike."""
        link = self._link
        if link is None:
            return
        detail = next((d for d in self._details if d.link == link.id), None)
        twin = detail.twin if detail is not None and self.both.isChecked() else ""
        self.edited.emit(change.on((link.id, twin) if twin else (link.id,)))

    def _fill_menu(self) -> None:
        menu, link, job = self.change.menu(), self._link, self._job
        if menu is None or link is None or job is None:
            return
        menu.clear()
        subs: dict[str, QMenu] = {}
        for shape in those("feed"):
            if not shape.menu:
                continue
            if shape.menu not in subs:
                made = menu.addMenu(shape.menu)
                assert made is not None
                made.setToolTipsVisible(True)
                subs[shape.menu] = made
            words = shape.title
            self._action(subs[shape.menu], words, tr("add {lower}", lower=words.lower()), partial(add_network, key=shape.key),
                         f"{shape.good_for} {shape.catch}")  # fmt: skip
        self._fill_heads(menu, link)
        for index, section in enumerate(link.sections):
            shape = topology(section.topology)
            if Does.CONDUCTS in shape.does or len(shape.inputs) > 1:
                continue
            words = shape.title.lower()
            self._action(
                menu,
                tr("Take out: {words}", words=words),
                tr("take out {words}", words=words),
                partial(drop_network, index=index),
            )
        add_figures(menu, link, self.ask_figures)
        if any(topology(s.topology).supplied for s in link.sections):
            self._fill_rails(menu, link, job)

    def _fill_heads(self, menu: QMenu, link: Link) -> None:
        """How two outputs are held apart."""
        head = link.sections[0].topology
        if len(topology(head).inputs) < 2:
            return
        for shape in those("feed", Does.SUMS):
            if shape.key != head:
                words = shape.title.lower()
                self._action(
                    menu,
                    tr("Hold the outputs apart by: {words}", words=words),
                    words,
                    partial(put_head, key=shape.key),
                )

    def _fill_rails(self, menu: QMenu, link: Link, job: Job) -> None:
        """What the stages are supplied from."""
        sub = menu.addMenu(tr("Supply of the stages"))
        assert sub is not None
        now = next(iter(link.at("sup")), "")
        rails = [(tr("a supply of its own, as typed"), "")]
        rails += [
            (job.label(address), address)
            for address in job.addresses()
            if isinstance(job.terminal(address), Rail)
        ]
        for words, address in rails:
            action = self._action(
                sub, words, tr("stages from {words}", words=words), partial(set_stage_rail, rail=address)
            )
            action.setCheckable(True)
            action.setChecked(address == now)

    def _action(self, menu: QMenu, text: str, words: str, change: Any, tip: str = "") -> QAction:
        return add_action(menu, text, words, change, self._change, tip)

    def ask_figures(self, index: int) -> None:
        """Ask for the figures of a network that are not bought as parts."""
        ask_figures(self._link, index, self, self._change)


STATION = LevelStation
