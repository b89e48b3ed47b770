"""What a search found for the supply of a module: every source through every converter that fits, ranked, each with its catch."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from pigtail.desktop.stations.options import OptionsBoard, button, by_steps
from pigtail.desktop.tables import Cell
from pigtail.desktop.wants import Answer, answer
from pigtail.edits.change import Change
from pigtail.service import services
from pigtail.units import format_quantity

if TYPE_CHECKING:
    from pigtail.advice.found import Contest, Supplied
    from pigtail.job.document import Job

COLUMNS = ("supply", "in a burst", "heat", "ripple", "buzz", "parts", "cost")


class SupplyFound(OptionsBoard):
    """Asks for a search, a source or a rectifier behind it a step, and shows what came of it; its buttons are laid out by the station."""

    last_columns = (3, 5, 6)
    step_of = "sources and rectifiers"
    no_contest = "There is no other method to compare: the module is not supplied yet."

    def __init__(self) -> None:
        super().__init__(
            COLUMNS,
            (None, 74, 66, 66, 70, 46, 46),
            140,
            table=("supplies_table", "Supplies that fit, the best first"),
            seek=button(
                "Find supplies",
                "find_supplies",
                "Search every rail, winding and adapter for a supply of this module",
            ),
            ways=button(
                "Methods…", "supply_ways", "What modders disagree on about this supply, each method solved"
            ),
            take="Supply the module in the chosen way",
        )
        self._job: Job | None = None
        self._pin = ""

    def show_pin(self, job: Job | None, pin: str) -> None:
        """Another job or supply is on view: what was found for the last one goes."""
        if job is not self._job or pin != self._pin:
            self._job, self._pin = job, pin
            self.forget()
        self.seek.setEnabled(bool(pin))
        self.ways.setEnabled(bool(pin))

    def _search(self, goes_on: Callable[[], bool], ask: Callable[[Answer], None]) -> bool:
        job, pin = self._job, self._pin
        if job is None or not pin:
            return False
        by_steps(
            ask,
            lambda told: answer(services.supply_sources, told, job, pin),
            lambda told, source, before: answer(services.supply_step, told, job, pin, source, before),
            self.show_search,
            goes_on,
        )
        return True

    def _contests(self, show: Callable[[tuple[Contest, ...]], None]) -> Answer | None:
        job, pin = self._job, self._pin
        return answer(services.supply_contests, show, job, pin) if job is not None and pin else None

    def _row(self, option: Supplied) -> tuple[Cell, ...]:
        return _row(option)

    def _take(self, option: Supplied) -> None:
        self.edited.emit(Change(f"supply from {option.source}: {option.words}", option.edit))


def _row(o: Supplied) -> tuple[Cell, ...]:
    words = f"{o.words} · {o.source}"
    buzz = "–" if o.buzz is None or o.buzz.value is None else f"{o.buzz.value:.0f} dB".replace("-", "−")
    return (
        Cell(f"{'● ' if o.pareto else ''}{words[:1].upper()}{words[1:]}", mark=o.severity.value, tip=words),
        Cell(o.volts.short()),
        Cell(format_quantity(o.heat_w, "W", 2), tip="in all that converts, while it plays"),
        Cell(format_quantity(o.ripple_v, "V", 2) if o.ripple_v else "–", use="dim", tip="on the reservoir"),
        Cell(buzz, use="dim", tip="what the module's bursts leave at the input, against the programme"),
        Cell(str(o.parts), use="dim"),
        Cell(f"{o.cost:.1f}", use="dim", tip="roughly, in any money: a resistor is 0.1"),
    )
