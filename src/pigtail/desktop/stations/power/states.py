"""The states of the host side by side: in which the source is up, in which the module lives, how long a battery lasts in each."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF, QSize
from PyQt6.QtGui import QPainter, QPen

from pigtail.desktop import theme
from pigtail.desktop.stations.base import Align, Painting, say
from pigtail.job.document import Mode
from pigtail.language import tr
from pigtail.studies.power.found import IN_A_BURST
from pigtail.units import format_quantity

if TYPE_CHECKING:
    from pigtail.job.document import Job
    from pigtail.studies.power.found import SupplyDetail


class StateStrip(Painting):
    """A cell for each state of the host."""

    def __init__(self) -> None:
        super().__init__("states_strip", QSize(300, 48))
        self.setFixedHeight(58)
        self.cells: tuple[tuple[str, bool, bool, bool, str], ...] = ()

    def take_less(self, low: bool) -> None:
        """Take less height on a low window."""
        self.setFixedHeight(50 if low else 58)

    def show_supply(self, job: Job, supply: SupplyDetail | None) -> None:
        """Show a supply in all states."""
        kinds = {s.id: s.kind for s in job.host.states}
        lasting = (
            {x.state: x for x in supply.battery.lasting}
            if supply is not None and supply.battery is not None
            else {}
        )
        rows = supply.states if supply is not None else ()
        cells = []
        for row in rows:
            idle = kinds.get(row.state) in (Mode.OFF, Mode.STANDBY)
            last = lasting.get(row.state)
            hours = (
                f", {hours_of(last.hours.value)}" if last is not None and last.hours.value is not None else ""
            )
            got = _got(job, supply, row.state) if row.powered and supply is not None else ""
            cells.append((row.name, row.rail, row.powered, idle and row.powered, f"{got}{hours}"))
        self.cells = tuple(cells) or tuple((s.name, False, False, False, "") for s in job.host.states)
        words = (
            f"{n}: {tr('source up') if up else tr('source off')}, {tr('module on') if on else tr('module off')}{h}"
            for n, up, on, _, h in self.cells
        )
        doing = [
            f"{m.doing}: {m.volts.short()}, {m.amperes.short()}"
            for m in (supply.moments if supply is not None else ())
            if m.state == job.working_state()
        ]
        self.describe(tr("What each host state powers: ") + "; ".join((*words, *doing)))

    def paint(self, painter: QPainter, box: QRectF) -> None:
        if not self.cells:
            say(
                painter,
                box,
                tr("The host has no states yet: add them in Survey."),
                use="unknown",
                align=Align.AlignCenter,
            )
            return
        t, width = theme.current(), box.width() / len(self.cells)
        for k, (name, up, on, wrong, hours) in enumerate(self.cells):
            cell = QRectF(box.left() + k * width + 2, box.top() - 5, width - 4, box.height() + 10)
            painter.setPen(QPen(t.color("fix" if wrong else "copper" if on else "line"), 2.0 if on else 1.0))
            painter.setBrush(t.color("field" if on else "panel"))
            painter.drawRoundedRect(cell, 4, 4)
            source = (tr("source up") if up else tr("source off")) if cell.width() > 120 else ""
            painter.setFont(theme.font(10))
            taken = painter.fontMetrics().horizontalAdvance(source) + 6 if source else 0
            say(
                painter,
                QRectF(cell.left() + 8, cell.top() + 3, cell.width() - 16 - taken, 17),
                f"“{name}”",
                bold=True,
                px=12,
                use="ink" if on else "dim",
            )
            told = tr("module on{hours}", hours=hours) if on else tr("module off")
            if wrong:
                told = tr("stays on{hours}", hours=hours)
            say(
                painter,
                QRectF(cell.left() + 8, cell.top() + 20, cell.width() - 16, 15),
                told,
                px=11,
                use="fix" if wrong else "ink" if on else "dim",
            )
            if source:
                say(
                    painter,
                    QRectF(cell.left() + 8, cell.top() + 3, cell.width() - 16, 17),
                    source,
                    px=10,
                    use="dim",
                    align=Align.AlignRight | Align.AlignVCenter,
                )


def _got(job: Job, supply: SupplyDetail, state: str) -> str:
    """What the module gets and draws in a burst in a state, in words that follow others."""
    if state == job.working_state():
        volts, amperes = (supply.numbers.get(n) for n in ("module_v_burst", "module_current_burst_a"))
    else:
        moment = next((m for m in supply.moments if m.state == state and m.doing == IN_A_BURST), None)
        volts, amperes = (moment.volts, moment.amperes) if moment is not None else (None, None)
    if volts is None or amperes is None or volts.value is None:
        return ""
    return tr(", {volts} at {short}", volts=format_quantity(volts.value, "V"), short=amperes.short())


def hours_of(hours: float) -> str:
    """Hours in words: days where they are many."""
    if hours > 72:
        return tr("{value:,.0f} days", value=hours / 24)
    return f"{hours:.2g} h" if hours < 10 else f"{hours:.0f} h"
