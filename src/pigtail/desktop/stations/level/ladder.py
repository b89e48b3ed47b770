"""The pictures of the Level station: the ladder of levels along a feed, and its response over frequency."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise
from math import log10
from typing import TYPE_CHECKING

from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from pigtail.desktop import theme
from pigtail.desktop.stations.base import Align, Painting, say, say_over
from pigtail.language import tr
from pigtail.studies.level.aim import PROGRAMME_DB
from pigtail.units import format_quantity

if TYPE_CHECKING:
    from pigtail.model.estimate import Estimate
    from pigtail.studies.level.found import FeedDetail

#: 0 dBu is 0.775 V, the volts that make 1 mW in 600 Ω; 0 dBV is 1 V.
DBU_DB = 2.218
#: A difference that is seen in the picture of the response [dB].
SEEN_DB = 0.01
UNITS = ("dBV", "dBu", "volts")
#: A line so close to the middle of a number runs through it [px].
TIGHT = 9
LEFT, RIGHT, ABOVE, BELOW = 40, 96, 34, 34
Scale = Callable[[float], float]


class Ladder(Painting):
    """Level at each rung, full scale and programme, with its spread; what is wanted, what overloads, the noise.

    An option that the search found is drawn over it while it is chosen.
    """

    def __init__(self) -> None:
        super().__init__("ladder", QSize(300, 176))
        self.feed: FeedDetail | None = None
        self.unit = "dBV"
        self.option: tuple[tuple[str, float], ...] = ()

    def show_feed(self, feed: FeedDetail | None) -> None:
        """Show the ladder of a feed."""
        self.feed = feed
        self._describe()

    def show_unit(self, unit: str) -> None:
        """Write levels in dBV, dBu or volts."""
        self.unit = unit
        self._describe()

    def show_option(self, ladder: tuple[tuple[str, float], ...]) -> None:
        """Draw what a network that was found would make of it; empty for none."""
        if ladder != self.option:
            self.option = ladder
            self._describe()

    def _describe(self) -> None:
        rungs = (
            "; ".join(f"{r.words} {self.text(r.level)}" for r in self.feed.rungs)
            if self.feed
            else tr("no feed")
        )
        tried = tr("; if the chosen network is used: ") + ", ".join(
            f"{w} {self.text_of(v)}" for w, v in self.option
        )
        self.describe(tr("Level ladder: {rungs}{more}", rungs=rungs, more=tried if self.option else ""))

    def text_of(self, dbv: float, digits: int = 1) -> str:
        """A level [dBV] in the unit of the scale, without the unit for decibels."""
        if self.unit == "volts":
            return format_quantity(10 ** (dbv / 20), "V", 3)
        shown = dbv + (DBU_DB if self.unit == "dBu" else 0.0)
        return f"{shown:.{digits}f}".replace("-", "−")

    def text(self, level: Estimate) -> str:
        """A level in the unit of the scale."""
        if level.value is None:
            return "?"
        return self.text_of(level.value) + ("" if self.unit == "volts" else f" {self.unit}")

    def paint(self, painter: QPainter, box: QRectF) -> None:
        if self.feed is None:
            say(painter, box, tr("No feed is planned yet."), use="dim", px=13, align=Align.AlignCenter)
            return
        title = tr(
            "Level along the pigtail, {unit}: full scale, and programme {programme_db:.0f} dB under it",
            unit=self.unit,
            programme_db=PROGRAMME_DB,
        )
        say(painter, QRectF(box.left(), box.top(), box.width(), 16), title, bold=True, px=12)
        feed = self.feed
        plot = box.adjusted(LEFT, ABOVE, -RIGHT, -BELOW)
        span = self._span(feed)
        if span is None:
            say(painter, plot, tr("The levels are not known yet."), use="dim", align=Align.AlignCenter)
            return
        low, high = span

        def y(level: float) -> float:
            return plot.bottom() - plot.height() * (min(max(level, low), high) - low) / (high - low)

        self._axis(painter, plot, low, high, y)
        marks = [(feed.overload, tr("overload"), "stop"), (feed.wanted, tr("wanted"), "accent")]
        if feed.noise is not None and feed.noise.value is not None:
            marks.append(
                (feed.noise, tr("noise") if feed.noise.value > low else tr("noise, far below"), "dim")
            )
        for level, _, use in marks:
            self._band(painter, plot, level, use, y)
        self._names(painter, plot, marks, y)
        step = plot.width() / len(feed.rungs)
        points = [
            (plot.left() + step * (k + 0.5), r.level.value)
            for k, r in enumerate(feed.rungs)
            if r.level.value is not None
        ]
        self._run(painter, [(x, v - PROGRAMME_DB) for x, v in points], y, "copper", 1.2, dashed=True)
        self._run(painter, points, y, "copper", 2.5)
        option = self._option_points(plot, y)
        self._option(painter, plot, option)
        limits = [y(e.value) for e in (feed.overload, feed.wanted) if e.value is not None]
        for k, rung in enumerate(feed.rungs):
            x = plot.left() + step * (k + 0.5)
            column = QRectF(x - step / 2, plot.top(), step, plot.height())
            if rung.ceiling is not None and _below(rung.ceiling, feed.overload):
                self._ceiling(painter, column, rung.ceiling, y)
            self._rung(painter, column, rung.level, y, [*limits, *_heights(option, x)])
            words = QRectF(x - step / 2 + 2, plot.bottom() + 4, step - 4, 30)
            align = Align.AlignHCenter | Align.AlignTop
            say(painter, words, rung.words, use="dim", px=10, align=align, wrap=True)

    def _span(self, feed: FeedDetail) -> tuple[float, float] | None:
        """From where to where the scale goes [dBV]: programme is always on it, noise down to 60 dB under the wanted level."""
        levels = [r.level for r in feed.rungs]
        ceilings = [r.ceiling for r in feed.rungs if r.ceiling is not None]
        known = [e for e in (*levels, *ceilings, feed.wanted, feed.overload) if e.value is not None]
        shown = [e for e in levels if e.value is not None]
        if not known:
            return None
        low = min([min(e.low for e in known), *(e.low - PROGRAMME_DB for e in shown)])
        high = max([*(e.high for e in known), *(v for _, v in self.option)])
        return 5 * ((low - 3) // 5), 5 * ((high + 6) // 5)

    def _axis(self, painter: QPainter, plot: QRectF, low: float, high: float, y: Scale) -> None:
        t = theme.current()
        shift = DBU_DB if self.unit == "dBu" else 0.0
        step = next(s for s in (5, 10, 20, 40) if (high - low) / s * 22 <= plot.height() or s == 40)
        level = step * ((low + shift) // step)
        while level - shift <= high:
            if level - shift >= low:
                at = y(level - shift)
                painter.setPen(QPen(t.color("line"), 0.7))
                painter.drawLine(QLineF(plot.left(), at, plot.right(), at))
                text = (
                    format_quantity(10 ** (level / 20), "V", 2)
                    if self.unit == "volts"
                    else f"{level:.0f}".replace("-", "−")
                )
                rect = QRectF(plot.left() - LEFT - 8, at - 8, LEFT + 2, 16)
                say(painter, rect, text, use="dim", px=10, align=Align.AlignRight | Align.AlignVCenter)
            level += step

    def _band(self, painter: QPainter, plot: QRectF, level: Estimate, use: str, y: Scale) -> None:
        """A limit across the plot, its spread as a band."""
        t = theme.current()
        if level.value is None or y(level.value) >= plot.bottom():
            return
        band = t.color(use)
        band.setAlpha(45)
        painter.fillRect(
            QRectF(plot.left(), y(level.high), plot.width(), max(y(level.low) - y(level.high), 1)), band
        )
        painter.setPen(QPen(t.color(use), 1.5, Qt.PenStyle.DashLine))
        painter.drawLine(QLineF(plot.left(), y(level.value), plot.right(), y(level.value)))

    def _names(
        self, painter: QPainter, plot: QRectF, marks: list[tuple[Estimate, str, str]], y: Scale
    ) -> None:
        """The limits by name at the right, moved apart where they would lie on each other."""
        t = theme.current()
        known = sorted(
            ((y(e.value), e, w, u) for e, w, u in marks if e.value is not None), key=lambda m: m[0]
        )
        bottom = plot.top() - 16
        for k, (at, level, words, use) in enumerate(known):
            top = max(at - 15, bottom)
            top = min(top, plot.bottom() + 8 - 30 * (len(known) - k))
            rect = QRectF(plot.right() + 5, top, RIGHT - 6, 15)
            say(painter, rect, words, px=11, bold=True, color=t.color(use))
            say(painter, rect.translated(0, 14), self.text(level), px=11, color=t.color(use))
            bottom = top + 29

    def _run(
        self,
        painter: QPainter,
        points: list[tuple[float, float]],
        y: Scale,
        use: str,
        width: float,
        *,
        dashed: bool = False,
    ) -> None:
        style = Qt.PenStyle.DotLine if dashed else Qt.PenStyle.SolidLine
        painter.setPen(QPen(theme.current().color(use), width, style))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(QPointF(x, y(level)) for x, level in points))

    def _option_points(self, plot: QRectF, y: Scale) -> list[QPointF]:
        """Where the levels of the network chosen in the search lie, from the output pin to the input."""
        assert self.feed is not None
        step = plot.width() / len(self.feed.rungs)
        first, last = plot.left() + step * 1.5, plot.right() - step / 2
        count = max(len(self.option) - 1, 1)
        return [QPointF(first + (last - first) * k / count, y(v)) for k, (_, v) in enumerate(self.option)]

    def _option(self, painter: QPainter, plot: QRectF, points: list[QPointF]) -> None:
        """What the network chosen in the search would make of it."""
        if not points:
            return
        t = theme.current()
        painter.setPen(QPen(t.color("accent"), 2.0, Qt.PenStyle.DotLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(points))
        painter.setPen(QPen(t.color("accent"), 2))
        painter.setBrush(t.color("panel"))
        for point in points:
            painter.drawEllipse(point, 4.0, 4.0)
        end = points[-1]
        rect = QRectF(end.x() + 8, end.y() - 8, max(plot.right() - end.x() - 8, 0), 16)
        color, align = t.color("accent"), Align.AlignLeft | Align.AlignVCenter
        say_over(painter, rect, self.text_of(self.option[-1][1]), px=11, color=color, align=align)

    def _ceiling(self, painter: QPainter, column: QRectF, level: Estimate, y: Scale) -> None:
        """Where a stage on the way clips."""
        if level.value is None:
            return
        t = theme.current()
        at = y(level.value)
        painter.setPen(QPen(t.color("stop"), 2))
        painter.drawLine(QPointF(column.left() + 8, at), QPointF(column.right() - 8, at))
        words = QRectF(column.left() + 8, at + 1, column.width() / 2 - 24, 13)
        say(
            painter,
            words,
            tr("clips {text_of}", text_of=self.text_of(level.value)),
            px=10,
            color=t.color("stop"),
        )

    def _rung(self, painter: QPainter, column: QRectF, level: Estimate, y: Scale, lines: list[float]) -> None:
        """One level with its spread; its number above it, or below where other lines run less through it."""
        t, x = theme.current(), column.center().x()
        if level.value is None:
            say(painter, column, "?", use="unknown", px=16, bold=True, align=Align.AlignCenter)
            return
        painter.setPen(QPen(t.color("ink"), 1.5))
        painter.drawLine(QPointF(x, y(level.high)), QPointF(x, y(level.low)))
        for end in (level.high, level.low):
            painter.drawLine(QPointF(x - 5, y(end)), QPointF(x + 5, y(end)))
        painter.setBrush(t.color("copper"))
        painter.drawRect(QRectF(x - 5, y(level.value) - 4, 10, 8))
        painter.setPen(QPen(t.color("copper"), 1))
        programme = y(level.value - PROGRAMME_DB)
        painter.drawLine(QPointF(x - 6, programme), QPointF(x + 6, programme))
        places = (y(level.high) - 11, y(level.low) + 12)
        middle = min(places, key=lambda place: sum(abs(line - place) < TIGHT for line in lines))
        text = QRectF(column.left(), middle - 8, column.width(), 16)
        say_over(painter, text, self.text_of(level.value), px=12)


def _heights(points: list[QPointF], x: float) -> list[float]:
    """The height of a polyline at a place along it, at its end points too; nothing beside it."""
    return [
        a.y() + (b.y() - a.y()) * (x - a.x()) / max(b.x() - a.x(), 1.0)
        for a, b in pairwise(points)
        if a.x() - 1 <= x <= b.x() + 1
    ][:1]


def _below(ceiling: Estimate, overload: Estimate) -> bool:
    """Whether a stage clips before the input overloads; at the input the two are one where it does not."""
    if ceiling.value is None:
        return False
    return overload.value is None or ceiling.value < overload.value - SEEN_DB


class Response(Painting):
    """The response re 1 kHz over frequency, with its two corners."""

    def __init__(self) -> None:
        super().__init__("response", QSize(150, 176))
        self.feed: FeedDetail | None = None

    def show_feed(self, feed: FeedDetail | None) -> None:
        """Show the response of a feed."""
        before, self.feed = self.feed, feed
        words = tr("Response: 3 dB down {corners}", corners=self._corners()) if feed else tr("No response")
        if before is None or feed is None or words != self.accessibleName() or _differ(before, feed):
            self.describe(words)

    def _corners(self) -> str:
        """Where the response is 3 dB down, as far as anyone can hear or measure."""
        assert self.feed is not None
        low, high = (self.feed.numbers.get(k) for k in ("low_cut_hz", "high_cut_hz"))
        if low is None or high is None:
            return "…"
        if low.value is None or high.value is None:
            return tr("not known")
        first, last = self.feed.curve_hz[0], self.feed.curve_hz[-1]
        below = f"< {first:.0f} Hz" if low.value < first else low.short()
        return f"{below}, {'> 200 kHz' if high.value > last else high.short()}"

    def paint(self, painter: QPainter, box: QRectF) -> None:
        say(painter, QRectF(box.left(), box.top(), box.width(), 16), tr("Response, dB"), bold=True, px=12)
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
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(at(f, db) for f, db in zip(hertz, level, strict=True) if db > floor))
        foot = QRectF(box.left(), plot.bottom() + 17, box.width(), 16)
        say(painter, foot, f"−3 dB: {self._corners()}", px=11, align=Align.AlignCenter)


def _differ(a: FeedDetail, b: FeedDetail) -> bool:
    """Whether two responses would look different: by more than a tenth of a pixel, or taken at other frequencies."""
    return a.curve_hz != b.curve_hz or any(
        abs(x - y) > SEEN_DB for x, y in zip(a.curve_db, b.curve_db, strict=True)
    )
