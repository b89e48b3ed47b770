"""Returns: the return network with the current in each branch and the voltage it leaves at the input;
every arrangement of the trade solved for this job, side by side."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout

from pigtail.desktop import theme
from pigtail.desktop.stations.base import Align, Painting, Station, board, say, wire
from pigtail.desktop.tables import Cell, RowsModel, make_table
from pigtail.desktop.wants import answer
from pigtail.edits.change import Change
from pigtail.job.document import HOST, Job
from pigtail.language import tr
from pigtail.model.estimate import as_told
from pigtail.service import services
from pigtail.studies.returns.found import ReturnsFound
from pigtail.units import format_quantity

if TYPE_CHECKING:
    from pigtail.advice.found import School
    from pigtail.studies.found import Studies
    from pigtail.studies.returns.found import Branch


def _shown(value: float, unit: str) -> str:
    """A current or a voltage as it is told: what only leaks is nought."""
    return format_quantity(as_told(value, unit), unit)


class LoopMap(Painting):
    """Module at the left, host at the right, each return between them as thick as its share of the burst."""

    def __init__(self) -> None:
        super().__init__("loop_map", QSize(420, 210))
        self.job: Job | None = None
        self.study: ReturnsFound | None = None

    def show_study(self, job: Job, study: ReturnsFound) -> None:
        """Show the return network of a job."""
        self.job, self.study = job, study
        if study.detail is None:
            self.describe(tr("No return network yet"))
            return
        branches = "; ".join(f"{b.words} {_shown(abs(b.current), 'A')}" for b in study.detail.branches)
        self.describe(
            tr(
                "Returns in a burst: {branches}; left at the input {short}",
                branches=branches,
                short=study.numbers["returns.buzz_dbv"].short(),
            )
        )

    def paint(self, painter: QPainter, box: QRectF) -> None:
        detail = self.study.detail if self.study else None
        if detail is None or self.job is None:
            say(
                painter,
                box,
                tr("No feed and returns are planned yet."),
                use="dim",
                px=13,
                align=Align.AlignCenter,
            )
            return
        words = tr("A burst of {shown} finds its way back", shown=_shown(detail.burst_a, "A"))
        say(painter, QRectF(box.left(), box.top(), box.width(), 16), words, bold=True, px=12)
        width = min(190.0, box.width() * 0.28)
        area = box.adjusted(0, 24, 0, 0)
        module = QRectF(area.left(), area.top(), width, area.height())
        host = QRectF(area.right() - width, area.top(), width, area.height())
        device = self.job.device(next((b.start for b in detail.branches if b.link), HOST).partition(".")[0])
        board(painter, module, device.name if device else "module")
        board(painter, host, self.job.host.name)
        ends = list(dict.fromkeys(e for b in detail.branches for e in (b.start, b.end)))
        nodes: dict[str, QPointF] = {}
        for side, rect, inner in ((False, module, module.right()), (True, host, host.left())):
            here = [e for e in ends if e.startswith(f"{HOST}.") == side]
            for k, end in enumerate(here):
                y = rect.top() + 44 + (rect.height() - 62) * (k + 0.5) / len(here)
                nodes[end] = QPointF(inner, y)
                self._terminal(painter, end, nodes[end], rect, side)
        greatest = max((abs(b.current) for b in detail.branches), default=1.0) or 1.0
        for branch in detail.branches:
            self._branch(painter, branch, nodes, width, greatest)
        self._victim(painter, host)

    def _terminal(self, painter: QPainter, end: str, point: QPointF, rect: QRectF, host_side: bool) -> None:
        assert self.job is not None
        terminal = self.job.terminal(end)
        t = theme.current()
        painter.setBrush(t.color("copper"))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.drawEllipse(point, 5, 5)
        words = QRectF(rect.left() + 30, point.y() - 8, rect.width() - 40, 16)
        align = Align.AlignLeft if host_side else Align.AlignRight
        if not host_side:
            words = QRectF(rect.left() + 10, point.y() - 8, rect.width() - 40, 16)
        say(painter, words, terminal.name if terminal else end, px=11, align=align | Align.AlignVCenter)

    def _branch(
        self, painter: QPainter, branch: Branch, nodes: dict[str, QPointF], width: float, greatest: float
    ) -> None:
        """A conductor: between the boards, or inside one of them."""
        a, b = nodes[branch.start], nodes[branch.end]
        share = abs(branch.current) / greatest
        thick = 2.0 + 7.0 * share
        inside = branch.start.partition(".")[0] == branch.end.partition(".")[0]
        numbers = (
            f"{_shown(abs(branch.current), 'A')} · {format_quantity(branch.resistance, 'Ω')}"
            f" · {_shown(abs(branch.drop), 'V')}"
        )
        if not inside:
            wire(painter, [a, b], width=thick)
            left, right = min(a.x(), b.x()), max(a.x(), b.x())
            middle = (a.y() + b.y()) / 2
            rect = QRectF(left + 8, middle - 25 - thick / 2, right - left - 16, 16)
            say(painter, rect, branch.words, bold=True, px=12, align=Align.AlignCenter)
            say(painter, rect.translated(0, 27 + thick), numbers, px=11, align=Align.AlignCenter)
            self._arrow(painter, a, b, branch.current)
            return
        side = 1.0 if branch.start.startswith(f"{HOST}.") else -1.0
        deep = QPointF(a.x() + side * 20, a.y())
        wire(painter, [a, deep, QPointF(deep.x(), b.y()), b], use="ivory", width=max(2.0, thick * 0.6))
        middle = (a.y() + b.y()) / 2
        room = width - 40
        rect = (
            QRectF(deep.x() + 6, middle - 16, room, 32)
            if side > 0
            else QRectF(deep.x() - 6 - room, middle - 16, room, 32)
        )
        drop = f"{format_quantity(branch.resistance, 'Ω')} · {_shown(abs(branch.drop), 'V')}"
        lines = f"{_shown(abs(branch.current), 'A')}\n{drop}"
        align = (Align.AlignLeft if side > 0 else Align.AlignRight) | Align.AlignVCenter
        say(painter, rect, lines, use="dim", px=10, align=align, wrap=True)

    def _arrow(self, painter: QPainter, a: QPointF, b: QPointF, current: float) -> None:
        """Which way the burst flows, as a small wedge in the middle of the wire."""
        t = theme.current()
        way = 1.0 if (b.x() - a.x()) * current > 0 else -1.0
        x, y = (a.x() + b.x()) / 2, (a.y() + b.y()) / 2
        painter.setBrush(t.color("ink"))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.drawPolygon(QPointF(x + 8 * way, y), QPointF(x - 5 * way, y - 6), QPointF(x - 5 * way, y + 6))

    def _victim(self, painter: QPainter, host: QRectF) -> None:
        assert self.study is not None
        finding = self.study.findings[0]
        t = theme.current()
        text = tr("at the input: {short}", short=self.study.numbers["returns.buzz_dbv"].short())
        rect = QRectF(host.left() + 8, host.top() + 21, host.width() - 14, 16)
        say(painter, rect, text, bold=True, px=11, color=t.severity(finding.severity.value))


class ReturnsStation(Station):
    """The Returns station. It wants the arrangements solved in the background."""

    key = "returns"

    def __init__(self) -> None:
        super().__init__()
        self.map = LoopMap()
        self.rows = RowsModel(
            (tr("arrangement of the returns"), tr("under music"), tr("spread"), tr("what it does"))
        )
        self.table = make_table(
            self.rows, "schools_table", tr("Arrangements of the returns, the quietest first"), 3
        )
        self.use = QPushButton(tr("Use this"))
        self.use.setObjectName("use_school")
        self.use.setAccessibleName(tr("Use the arrangement picked in the table"))
        self.use.clicked.connect(self._use)
        self.words = QLabel(tr("What practitioners do, each solved for this job:"))
        self._schools: tuple[School, ...] = ()
        self._job: Job | None = None
        selection = self.table.selectionModel()
        if selection is not None:
            selection.currentRowChanged.connect(lambda *_: self._enable())
        row = QHBoxLayout()
        row.addWidget(self.words, 1)
        row.addWidget(self.use)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        layout.addWidget(self.map, 5)
        layout.addLayout(row)
        layout.addWidget(self.table, 3)
        self._enable()

    def show_job(self, job: Job, studies: Studies) -> None:
        self.map.show_study(job, studies.of(ReturnsFound))
        if job is not self._job:
            self._job = job
            self.wants.emit(answer(services.schools, partial(self.show_schools, job), job))

    def show_schools(self, job: Job, schools: tuple[School, ...]) -> None:
        """Show the arrangements solved for a job, unless another job is on view by now."""
        if job is not self._job:
            return
        self._schools = schools
        rows = []
        for school in schools:
            bold = "accent" if school.edit is None else "ink"
            label = school.label[0].upper() + school.label[1:]
            spread = (
                ""
                if school.buzz.value is None
                else f"{school.buzz.low:.0f} … {school.buzz.high:.0f} dB".replace("-", "−")
            )
            buzz = Cell(school.buzz.short(), use=bold)
            rows.append((Cell(label, use=bold), buzz, Cell(spread, use="dim"), Cell(school.why, use="dim")))
        self.rows.show_rows(rows)
        self._enable()

    def _picked(self) -> School | None:
        row = self.table.currentIndex().row()
        return self._schools[row] if 0 <= row < len(self._schools) else None

    def _enable(self) -> None:
        school = self._picked()
        self.use.setEnabled(school is not None and school.edit is not None)

    def _use(self) -> None:
        school = self._picked()
        if school is not None and school.edit is not None:
            self.edited.emit(Change(school.label, partial(school.edit)))


STATION = ReturnsStation
