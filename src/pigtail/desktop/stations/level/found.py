"""What the search found for a feed: the networks that fit, ranked, each with its catch, ready to be used."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QVBoxLayout

from pigtail.desktop.stations.options import SubjectBoard, button
from pigtail.desktop.tables import Cell
from pigtail.desktop.wrapping import row_of
from pigtail.edits.change import FeedChange
from pigtail.edits.plan import put_networks
from pigtail.job.document import Job
from pigtail.language import tr, trn
from pigtail.service import services
from pigtail.units import format_quantity

if TYPE_CHECKING:
    from pigtail.advice.found import Option
    from pigtail.model.estimate import Estimate

#: How parts are chosen: words, series, only what is in stock.
CHOICES = (
    (tr("usual values"), "", False),
    (tr("E12 resistors"), "E12", False),
    (tr("E24 resistors"), "E24", False),
    (tr("E96 resistors"), "E96", False),
    (tr("parts I have"), "", True),
)
COLUMNS = (
    tr("network"), tr("over what is wanted"), tr("headroom"), tr("noise"), tr("parts"), tr("cost"), tr("host joints"),
)  # fmt: skip


class Found(SubjectBoard):
    """Asks for a search, for two ways of doing it, for a match to another source, and shows what came of it.

    `changed` carries a FeedChange; `picked` the ladder of the network that is chosen, empty if none is.
    """

    changed = pyqtSignal(object)
    picked = pyqtSignal(object)
    match_wanted = pyqtSignal(object, str)
    stock_wanted = pyqtSignal()

    last_columns, narrow_px = (4, 5, 6), 820
    asks = (services.search_steps, services.search_step, services.contests)
    looked_at, step_of = tr("candidates solved"), tr("kinds of network")
    no_contest = tr("Modders do not disagree about this feed: no sum, no pad, no second return.")

    def __init__(self) -> None:
        super().__init__(
            COLUMNS,
            (None, 168, 74, 60, 44, 42, 78),
            128,
            table=("found_table", tr("Networks that fit, the best first")),
            seek=button(tr("Find networks"), "find_networks", tr("Search the networks that fit this feed")),
            ways=button(
                tr("Methods…"),
                "level_schools",
                tr("What modders disagree on, each method solved for this feed"),
            ),
            take=tr("Put the chosen network into the feed"),
        )
        self.parts = QComboBox()
        self.parts.setObjectName("part_values")
        self.parts.setAccessibleName(tr("Which part values a search takes"))
        for words, _, _ in CHOICES:
            self.parts.addItem(words)
        self.match = button(tr("As loud as…"), "match_source", tr("Make this source as loud as another"))
        self.stock = button(tr("My parts…"), "my_parts", tr("List the parts that you have"))
        self.match.clicked.connect(lambda: self.match_wanted.emit(self._job, self._of))
        self.stock.clicked.connect(self.stock_wanted)
        row = row_of(self.seek, self.parts, self.stock, self.ways, self.match)
        layout = self.layout()
        assert isinstance(layout, QVBoxLayout)
        layout.insertLayout(0, row)

    def show_subject(self, job: Job | None, of: str) -> None:
        """Another job or feed is on view: what was found for the last one goes."""
        super().show_subject(job, of)
        self.match.setEnabled(bool(of))

    def _choices(self) -> tuple[object, ...]:
        """The values that parts may have, and whether only those in stock."""
        _, series, stock = CHOICES[self.parts.currentIndex()]
        return series, stock

    def _row(self, option: Option) -> tuple[Cell, ...]:
        return _row(option)

    def _picked(self, option: Option | None) -> None:
        self.picked.emit(option.ladder if option is not None else ())

    def _take(self, option: Option) -> None:
        change = partial(put_networks, sections=option.link.sections)
        self.changed.emit(FeedChange(tr("use {option}", option=option.words), change))


def _spread(e: Estimate) -> str:
    """A value in decibels with its spread, in few letters."""
    if e.value is None:
        return tr("not known")
    value = f"{e.value:+.1f}" if abs(e.value) >= 0.05 else "0.0"
    return f"{value} ({e.low:+.1f} … {e.high:+.1f}) dB".replace("-", "−")


def _whole(o: Option) -> str:
    """All of an option: its network, then what the columns that a narrow table leaves out tell."""
    joints = trn("{count} joint in the host", "{count} joints in the host", o.host_joints)
    return tr(
        "{o}\n{parts} parts, cost about {cost:.1f} (a resistor is 0.1), {joints}",
        o=o.words,
        parts=o.parts,
        cost=o.cost,
        joints=joints,
    )


def _row(o: Option) -> tuple[Cell, ...]:
    return (
        Cell(f"{'● ' if o.pareto else ''}{o.words}", mark=o.severity.value, tip=_whole(o)),
        Cell(_spread(o.target)),
        Cell(o.headroom.short()),
        Cell(format_quantity(o.noise_v, "V", 2), use="dim"),
        Cell(str(o.parts), use="dim"),
        Cell(f"{o.cost:.1f}", use="dim", tip=tr("roughly, in any money: a resistor is 0.1")),
        Cell(str(o.host_joints), use="dim", tip=tr("what is to be undone in the host")),
    )
