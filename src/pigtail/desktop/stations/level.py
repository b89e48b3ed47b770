"""Level: the ladder from the module's e.m.f. to the host's input, the response, and the network edited in place."""

from __future__ import annotations

import itertools
from functools import partial
from math import log10
from typing import TYPE_CHECKING

from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QMenu, QToolButton, QVBoxLayout

from pigtail.advice.networks import add_network, drop_network
from pigtail.catalogue.topologies import topologies, topology
from pigtail.desktop import theme
from pigtail.desktop.fields import fill_combo
from pigtail.desktop.stations.base import Align, Picture, Station, say
from pigtail.desktop.stations.level_found import Found
from pigtail.desktop.stations.network import NetworkStrip
from pigtail.job.model import Job

if TYPE_CHECKING:
    from pigtail.studies.estimate import Estimate
    from pigtail.studies.results import FeedDetail, Studies

ADDABLE = ("series", "pad", "coupling", "gain")


class Ladder(Picture):
    """Level at each rung in dBV, with its spread, the level wanted and the overload level."""

    def __init__(self) -> None:
        super().__init__("ladder", QSize(300, 190))
        self.feed: FeedDetail | None = None

    def show_feed(self, feed: FeedDetail | None) -> None:
        """Show the ladder of a feed."""
        self.feed = feed
        rungs = "; ".join(f"{r.words} {r.level.text()}" for r in feed.rungs) if feed else "no feed"
        self.describe(f"Level ladder: {rungs}")

    def paint(self, painter: QPainter, box: QRectF) -> None:
        if self.feed is None:
            say(painter, box, "No feed is planned yet.", use="dim", px=13, align=Align.AlignCenter)
            return
        say(
            painter,
            QRectF(box.left(), box.top(), box.width(), 16),
            "Level along the pigtail, dBV",
            bold=True,
            px=12,
        )
        feed = self.feed
        plot = box.adjusted(34, 26, -88, -34)
        known = [
            e for e in (*[r.level for r in feed.rungs], feed.wanted, feed.overload) if e.value is not None
        ]
        if not known:
            say(painter, plot, "The levels are not known yet.", use="dim", align=Align.AlignCenter)
            return
        low = 5 * ((min(e.low for e in known) - 3) // 5)
        high = 5 * ((max(e.high for e in known) + 6) // 5)

        def y(level: float) -> float:
            return plot.bottom() - plot.height() * (level - low) / (high - low)

        self._axis(painter, plot, low, high, y)
        self._mark(painter, plot, feed.overload, "overload", "stop", y)
        self._mark(painter, plot, feed.wanted, "wanted", "accent", y)
        count = len(feed.rungs)
        step = plot.width() / count
        points = [
            (plot.left() + step * (k + 0.5), r.level)
            for k, r in enumerate(feed.rungs)
            if r.level.value is not None
        ]
        t = theme.current()
        painter.setPen(QPen(t.color("copper"), 2.5))
        for (x1, a), (x2, b) in itertools.pairwise(points):
            painter.drawLine(QPointF(x1, y(a.value or 0)), QPointF(x2, y(b.value or 0)))
        for k, rung in enumerate(feed.rungs):
            x = plot.left() + step * (k + 0.5)
            self._rung(painter, QRectF(x - step / 2, plot.top(), step, plot.height()), rung.level, x, y)
            words = QRectF(x - step / 2 + 2, plot.bottom() + 3, step - 4, 30)
            say(
                painter,
                words,
                rung.words,
                use="dim",
                px=10,
                align=Align.AlignHCenter | Align.AlignTop,
                wrap=True,
            )

    def _axis(self, painter: QPainter, plot: QRectF, low: float, high: float, y) -> None:  # type: ignore[no-untyped-def]
        t = theme.current()
        step = 5 if high - low <= 40 else 10
        level = low
        while level <= high:
            painter.setPen(QPen(t.color("line"), 0.7))
            painter.drawLine(QLineF(plot.left(), y(level), plot.right(), y(level)))
            text = f"{level:.0f}".replace("-", "−")
            rect = QRectF(plot.left() - 36, y(level) - 8, 30, 16)
            say(painter, rect, text, use="dim", px=10, align=Align.AlignRight | Align.AlignVCenter)
            level += step

    def _mark(self, painter: QPainter, plot: QRectF, level: Estimate, words: str, use: str, y) -> None:  # type: ignore[no-untyped-def]
        """A limit across the plot with its spread as a band, its name at the right."""
        t = theme.current()
        if level.value is None:
            return
        band = t.color(use)
        band.setAlpha(45)
        painter.fillRect(
            QRectF(plot.left(), y(level.high), plot.width(), max(y(level.low) - y(level.high), 1)), band
        )
        painter.setPen(QPen(t.color(use), 1.5, Qt.PenStyle.DashLine))
        painter.drawLine(QLineF(plot.left(), y(level.value), plot.right(), y(level.value)))
        rect = QRectF(plot.right() + 5, y(level.value) - 15, 84, 15)
        say(painter, rect, words, px=11, bold=True, color=t.color(use))
        say(painter, rect.translated(0, 14), level.short(), px=11, color=t.color(use))

    def _rung(self, painter: QPainter, column: QRectF, level: Estimate, x: float, y) -> None:  # type: ignore[no-untyped-def]
        t = theme.current()
        if level.value is None:
            say(painter, column, "?", use="unknown", px=16, bold=True, align=Align.AlignCenter)
            return
        painter.setPen(QPen(t.color("ink"), 1.5))
        painter.drawLine(QPointF(x, y(level.high)), QPointF(x, y(level.low)))
        for end in (level.high, level.low):
            painter.drawLine(QPointF(x - 5, y(end)), QPointF(x + 5, y(end)))
        painter.setBrush(t.color("copper"))
        painter.drawRect(QRectF(x - 5, y(level.value) - 4, 10, 8))
        text = QRectF(column.left(), y(level.high) - 18, column.width(), 15)
        value = f"{level.value:.1f}".replace("-", "−")
        say(painter, text, value, px=12, bold=True, align=Align.AlignCenter)


class Response(Picture):
    """The response re 1 kHz over frequency, with its two corners."""

    def __init__(self) -> None:
        super().__init__("response", QSize(150, 190))
        self.feed: FeedDetail | None = None

    def show_feed(self, feed: FeedDetail | None) -> None:
        """Show the response of a feed."""
        self.feed = feed
        if feed:
            low, high = feed.numbers["low_cut_hz"].text(), feed.numbers["high_cut_hz"].text()
            self.describe(f"Response: 3 dB down at {low} and {high}")

    def paint(self, painter: QPainter, box: QRectF) -> None:
        say(painter, QRectF(box.left(), box.top(), box.width(), 16), "Response, dB", bold=True, px=12)
        if self.feed is None:
            return
        t = theme.current()
        plot = box.adjusted(26, 26, -6, -34)
        hertz, level = self.feed.curve_hz, self.feed.curve_db
        first, last, floor = log10(hertz[0]), log10(hertz[-1]), -12.0

        def at(f: float, db: float) -> QPointF:
            x = plot.left() + plot.width() * (log10(f) - first) / (last - first)
            return QPointF(x, plot.top() + plot.height() * (2.0 - max(db, floor)) / (2.0 - floor))

        for db in (0, -3, -6, -9, -12):
            painter.setPen(QPen(t.color("line"), 0.7))
            painter.drawLine(at(hertz[0], db), at(hertz[-1], db))
            rect = QRectF(plot.left() - 28, at(hertz[0], db).y() - 8, 24, 16)
            say(
                painter,
                rect,
                f"{db}".replace("-", "−"),
                use="dim",
                px=10,
                align=Align.AlignRight | Align.AlignVCenter,
            )
        for f, words in ((20, "20"), (1000, "1k"), (20000, "20k")):
            painter.setPen(QPen(t.color("line"), 0.7))
            painter.drawLine(at(f, 2.0), at(f, floor))
            say(
                painter,
                QRectF(at(f, floor).x() - 20, plot.bottom() + 1, 40, 14),
                words,
                use="dim",
                px=10,
                align=Align.AlignCenter,
            )
        painter.setPen(QPen(t.color("copper"), 2.5))
        points = [at(f, db) for f, db in zip(hertz, level, strict=True) if db > floor]
        for a, b in itertools.pairwise(points):
            painter.drawLine(a, b)
        low, high = self.feed.numbers["low_cut_hz"].short(), self.feed.numbers["high_cut_hz"].short()
        words = QRectF(box.left(), plot.bottom() + 17, box.width(), 16)
        say(painter, words, f"−3 dB: {low}, {high}", px=11, align=Align.AlignCenter)


class LevelStation(Station):
    """The Level station."""

    key = "level"

    def __init__(self) -> None:
        super().__init__()
        self.feed = QComboBox()
        self.feed.setObjectName("feed")
        self.feed.setAccessibleName("Feed on view")
        self.feed.currentIndexChanged.connect(lambda _k: self._show_feed())
        self.change = QToolButton()
        self.change.setObjectName("change_network")
        self.change.setText("Change the network")
        self.change.setAccessibleName("Change the network of this feed")
        self.change.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.change.setMenu(QMenu(self.change))
        self.facts = QLabel()
        self.facts.setWordWrap(True)
        self.ladder, self.response, self.network = Ladder(), Response(), NetworkStrip()
        self.found = Found()
        self.found.edited.connect(self.edited)
        self.network.edited.connect(self.edited)
        self.network.refused.connect(self.refused)
        self._job: Job | None = None
        self._details: tuple[FeedDetail, ...] = ()
        head = QHBoxLayout()
        head.addWidget(self.feed)
        head.addWidget(self.facts, 1)
        head.addWidget(self.change)
        pictures = QHBoxLayout()
        pictures.setSpacing(8)
        pictures.addWidget(self.ladder, 3)
        pictures.addWidget(self.response, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        layout.addLayout(head)
        layout.addLayout(pictures, 5)
        layout.addWidget(self.network)
        layout.addWidget(self.found)

    def show_job(self, job: Job, studies: Studies) -> None:
        self._job, self._details = job, studies.level.feeds
        names = [(job.link(d.link), d.link) for d in self._details]
        shown = [(link.name if link else key, key) for link, key in names]
        fill_combo(self.feed, shown)
        self.feed.setVisible(len(shown) > 1)
        self._show_feed()

    def _show_feed(self) -> None:
        detail = next((d for d in self._details if d.link == self.feed.currentData()), None)
        self.ladder.show_feed(detail)
        self.response.show_feed(detail)
        link = self._job.link(detail.link) if detail and self._job else None
        self.network.show_link(self._job, link)
        self.change.setEnabled(link is not None)
        self.found.show_feed(self._job, link.id if link else "")
        self.facts.setText(self._sentence(detail))
        if link is not None:
            self._fill_menu(link.id, [s.topology for s in link.sections])

    def _sentence(self, detail: FeedDetail | None) -> str:
        if detail is None:
            return "No feed is planned yet."
        n = detail.numbers
        one = f" · one side alone {n['one_channel_dbv'].short()}" if "one_channel_dbv" in n else ""
        return f"{n['delivered_dbv'].short()} arrives, {detail.wanted.short()} is wanted{one} · DC {n['offset_v'].short()}"

    def _fill_menu(self, link_id: str, keys: list[str]) -> None:
        menu = self.change.menu()
        if menu is None:
            return
        menu.clear()
        menu.setToolTipsVisible(True)
        for key in ADDABLE:
            title = topologies()[key].title
            action = menu.addAction(f"Add: {title.lower()}")
            if action is not None:
                edit = partial(add_network, link_id=link_id, key=key)
                action.setToolTip(f"{topologies()[key].good_for} {topologies()[key].catch}")
                words = f"add {title.lower()}"
                action.triggered.connect(lambda _c, w=words, e=edit: self.edited.emit(w, e))
        for index, key in enumerate(keys):
            if key == "wire" or len(topology(key).inputs) > 1:
                continue
            title = topologies()[key].title
            action = menu.addAction(f"Take out: {title.lower()}")
            if action is not None:
                edit = partial(drop_network, link_id=link_id, index=index)
                words = f"take out {title.lower()}"
                action.triggered.connect(lambda _c, w=words, e=edit: self.edited.emit(w, e))


STATION = LevelStation
