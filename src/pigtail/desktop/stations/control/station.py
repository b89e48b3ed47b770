"""Control: the table of states, what makes the cell picked so, its network edited in place, its course in time; a search for others."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLabel,
    QMenu,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from pigtail.catalogue.topologies import Does, does, those, topology
from pigtail.desktop.fields import fill_combo
from pigtail.desktop.labels import OneLine
from pigtail.desktop.stations.base import Station
from pigtail.desktop.stations.control.course import CourseView
from pigtail.desktop.stations.control.dialogs import (
    ControlDialog,
    JoinDialog,
    PinDialog,
    SwitchDialog,
    control_shapes,
)
from pigtail.desktop.stations.control.facts import ControlFacts
from pigtail.desktop.stations.control.found import ControlsBoard
from pigtail.desktop.stations.control.paths import Paths
from pigtail.desktop.stations.control.table import CellWish, StateTable, short
from pigtail.desktop.stations.networkmenu import add_action, add_figures, ask_figures
from pigtail.desktop.stations.sketch import PortAt, SketchStrip, sketched
from pigtail.desktop.wants import answer
from pigtail.edits.change import Change, FeedChange
from pigtail.edits.control import (
    drop_control,
    drop_host_switch,
    drop_switch,
    put_switch,
    set_want,
    steer,
    supply_of_module,
)
from pigtail.job.document import Control, Job, Link, Purpose, Rail
from pigtail.language import tr
from pigtail.service import services
from pigtail.studies.control.found import ColumnKind, ControlFound

if TYPE_CHECKING:
    from pigtail.studies.control.found import Column, Row, StateCell, Transition
    from pigtail.studies.found import Studies

#: A station lower than this is low; how high the words about a cell stand where its network is drawn below [px].
LOW_PX, SAID_PX = 560, 68
#: The part of the station's height that a long table has at least [1].
TABLE_PART = 0.42
#: The height of one row of facts [px].
ROW_PX = 26
HINT = tr("Type + or − into a cell for what is wanted there, Delete for nothing in particular.")


class ControlStation(Station):
    """The Control station."""

    key = "control"

    def __init__(self) -> None:
        super().__init__()
        self.table, self.paths, self.facts = StateTable(), Paths(), ControlFacts()
        self.network, self.course, self.found = SketchStrip(), CourseView(), ControlsBoard()
        self.hint = OneLine(HINT)
        self.hint.setObjectName("dim")
        self.hint.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.line = QComboBox()
        self.line.setObjectName("worked_by")
        self.line.setAccessibleName(tr("Line that works the switch on view"))
        self.line.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.by = QLabel(tr("worked by"))
        self.by.setBuddy(self.line)
        self.menu = QMenu(self)
        self.menu.setToolTipsVisible(True)
        self.more = QToolButton()
        self.more.setObjectName("control_more")
        self.more.setText(tr("Change…"))
        self.more.setAccessibleName(tr("Add a pin, a switch or a network of control, or take one out"))
        self.more.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.more.setMenu(self.menu)
        self._job: Job | None = None
        self._study: ControlFound | None = None
        self._newest: Job | None = None
        self._studied: Job | None = None
        self._wire()
        self._lay_out()

    def _wire(self) -> None:
        self.table.picked.connect(self._show_picked)
        self.table.wished.connect(self._wished)
        self.menu.aboutToShow.connect(self._fill_menu)
        self.line.activated.connect(self._steered)
        self.network.changed.connect(self._change)
        self.network.refused.connect(self.refused)
        self.facts.edited.connect(self.edited)
        self.facts.refused.connect(self.refused)
        self.found.edited.connect(self.edited)
        self.found.wants.connect(self.wants)
        self.found.refused.connect(self.refused)
        self.found.opened.connect(lambda _open: self._make_room())

    def _lay_out(self) -> None:
        row = QHBoxLayout()
        row.setSpacing(5)
        row.addWidget(self.hint, 3)
        row.addWidget(self.by)
        row.addWidget(self.line, 2)
        row.addWidget(self.more)
        row.addWidget(self.found.seek)
        row.addWidget(self.found.ways)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(row)
        layout.addWidget(self.table, 3)
        layout.addWidget(self.facts)
        layout.addWidget(self.paths, 2)
        self.drawings = QWidget()
        beside = QHBoxLayout(self.drawings)
        beside.setContentsMargins(0, 0, 0, 0)
        beside.setSpacing(6)
        beside.addWidget(self.network, 5)
        beside.addWidget(self.course, 2)
        layout.addWidget(self.drawings, 5)
        layout.addWidget(self.found)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._make_room()

    def _make_room(self) -> None:
        """On a low window what was found takes the place of the drawings."""
        low, drawn = self.height() < LOW_PX, sketched(self._link) is not None
        self.network.setVisible(drawn and not self.found.is_open)
        self.drawings.setVisible(not self.found.is_open)
        said = (drawn and not self.found.is_open) or (self.found.is_open and low)
        self.paths.setMaximumHeight(SAID_PX if said else 16_777_215)
        needed = self.table.needed()
        self.table.setMaximumHeight(needed)
        told = max(self.facts.sizeHint().height() - ROW_PX, 0) if not self.facts.isHidden() else 0
        self.table.setMinimumHeight(min(needed, int(TABLE_PART * self.height()) - told))

    # -- what is picked ---------------------------------------------------------------------------------------

    @property
    def _here(self) -> tuple[Row, Column, StateCell] | None:
        return self.table.here()

    @property
    def _link(self) -> Link | None:
        """The link that makes the picked cell so: the first that does something about it."""
        here, job = self._here, self._job
        if here is None or job is None:
            return None
        links = [x for x in (job.link(i) for i in here[2].lit) if x is not None]
        return next((x for x in links if sketched(x) is not None), None) or next(iter(links), None)

    @property
    def _subject(self) -> str:
        """What a search is for: the module, output or line of the cell picked."""
        here, job = self._here, self._job
        if here is None or job is None:
            return ""
        column = here[1]
        if column.kind in (ColumnKind.MODULE, ColumnKind.OUTPUT):
            return column.subject
        line = column.subject if column.kind is ColumnKind.LINE else ""
        return line if line and not line.startswith("host.") else ""

    # -- showing ----------------------------------------------------------------------------------------------

    def show_job(self, job: Job, studies: Studies) -> None:
        fresh = job is not self._studied
        self._show(job, studies.of(ControlFound))
        if fresh:
            self._studied = job
            want = answer(services.transitions, partial(self._show_transitions, job), job)
            self.wants.emit(want._replace(failed=lambda _e: None))

    def _show_transitions(self, job: Job, found: tuple[Transition, ...]) -> None:
        """Show what was run in time, unless another job is on view by now."""
        if job is self._studied:
            self.course.show_transitions(found)

    def _show(self, job: Job, study: ControlFound) -> None:
        self._job, self._study = job, study
        self.table.show_found(job, study)
        self._show_picked()

    def _show_picked(self) -> None:
        job, study, here = self._job, self._study, self._here
        if job is None or study is None:
            return
        self.paths.show_cell(job, study, here)
        self.facts.show_subject(job, here[1] if here else None, here[0] if here else None)
        stops = {a: PortAt(short(s.name), s.tells, s.on) for a, s in self.paths.stops.items()}
        self.network.show_sketch(job, self._link, stops)
        self.found.show_subject(job, self._subject)
        self._fill_lines(job)
        self._make_room()

    def _fill_lines(self, job: Job) -> None:
        link = self._link
        steered = link is not None and any("ctl" in topology(s.topology).ports for s in link.sections)
        self.line.setVisible(steered)
        self.by.setVisible(steered)
        self.hint.setVisible(not steered or self.width() > 760)
        if link is None or not steered:
            return
        lines = [a for a in job.addresses() if isinstance(job.terminal(a), Control | Rail)]
        fill_combo(self.line, [(tr("nothing yet"), ""), *((job.label(a), a) for a in lines)])
        self.line.setCurrentIndex(max(self.line.findData(next(iter(link.at("ctl")), "")), 0))

    def glance(self, job: Job) -> bool:
        """A value is turned: show the table at nominal values ahead of the studies."""
        link = self._link
        if link is None or job.link(link.id) is None or not self.network.isVisible():
            return False
        self._newest = job

        def show(seen: ControlFound) -> None:
            if job is self._newest:
                self._show(job, seen)

        want = answer(services.glance_control, show, job)
        self.wants.emit(want._replace(quick=True, failed=lambda _e: None))
        return True

    # -- edits ------------------------------------------------------------------------------------------------

    def _wished(self, wish: CellWish) -> None:
        words = {True: tr("wanted"), False: tr("not wanted"), None: tr("nothing wanted")}[wish.yes]
        edit = partial(set_want, of=wish.of, what=wish.what, state=wish.state, doing=wish.doing, yes=wish.yes)
        self.edited.emit(Change(f"{wish.what.value}: {words}", edit))

    def _change(self, change: FeedChange) -> None:
        link = self._link
        if link is not None:
            self.edited.emit(change.on((link.id,)))

    def _steered(self, index: int) -> None:
        link, line = self._link, self.line.itemData(index)
        if link is not None and line:
            self.edited.emit(
                Change(
                    tr("{link} worked by {itemtext}", link=link.name, itemtext=self.line.itemText(index)),
                    partial(steer, link_id=link.id, line=line),
                )
            )

    # -- the menu ---------------------------------------------------------------------------------------------

    def _fill_menu(self) -> None:
        """What can be added or taken out: switches of the supply picked, networks of control, pins, switches of the host."""
        self.menu.clear()
        job, here, link = self._job, self._here, self._link
        if job is None:
            return
        if here is not None and here[1].kind is ColumnKind.MODULE:
            self._fill_switches(job, here[1].subject)
        self.menu.addSection(tr("Add"))
        titles: dict[str, QMenu] = {}
        for title, key, words, tip in control_shapes():
            sub = titles.get(title)
            if sub is None:
                sub = self.menu.addMenu(title)
                assert sub is not None
                sub.setToolTipsVisible(True)
                titles[title] = sub
            self._ask_action(sub, f"{words}…", partial(JoinDialog, job, key, self._subject), tip)
        self._ask_action(
            self.menu, tr("A line or an input of a module or the host…"), partial(PinDialog, job)
        )
        self._ask_action(self.menu, tr("A switch of the host…"), partial(SwitchDialog, job))
        self.menu.addSection(tr("Take out"))
        if link is not None and link.purpose is Purpose.CONTROL:
            add_action(
                self.menu,
                tr("Take out: {link}", link=link.name),
                tr("take out {link}", link=link.name),
                drop_control,
                self._change,
            )
        for switch in job.host.switches:
            drop = self.menu.addAction(tr("Forget the switch: {switch}", switch=switch.name))
            assert drop is not None
            edit = partial(drop_host_switch, switch_id=switch.id)
            drop.triggered.connect(
                lambda _c, n=switch.name, e=edit: self.edited.emit(Change(tr("forget {n}", n=n), e))
            )
        if link is not None:
            self.menu.addSection(tr("Figures from papers"))
            add_figures(self.menu, link, lambda index: ask_figures(self._link, index, self, self._change))

    def _fill_switches(self, job: Job, module: str) -> None:
        """Every switch for the supply of a module, and taking the one out that it has."""
        link = job.link(supply_of_module(job, module))
        if link is None:
            return
        self.menu.addSection(tr("Switch its supply by"))
        line = next(iter(link.at("ctl")), "")
        for shape in those("supply", Does.SWITCHES):
            edit = partial(put_switch, key=shape.key, line=line)
            add_action(
                self.menu,
                shape.title,
                tr("use a {lower}", lower=shape.title.lower()),
                edit,
                self._change,
                f"{shape.good_for} {shape.catch}",
            )
        if any(does(s, Does.SWITCHES) for s in link.sections):
            add_action(
                self.menu,
                tr("Nothing: joined straight"),
                tr("take the switch out"),
                drop_switch,
                self._change,
            )

    def _ask_action(self, menu: QMenu, words: str, make: Callable[..., ControlDialog], tip: str = "") -> None:
        action = menu.addAction(words)
        assert action is not None
        action.setToolTip(tip)
        action.triggered.connect(lambda _c: self._ask(make))

    def _ask(self, make: Callable[..., ControlDialog]) -> None:
        dialog = make(parent=self)
        if dialog.exec() and dialog.change is not None:
            self.edited.emit(dialog.change)
        dialog.deleteLater()


STATION = ControlStation
