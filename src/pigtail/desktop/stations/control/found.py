"""What a search found for what is picked in the table: what wakes the module, mutes the output or shows the line, each with its catch."""

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
    from pigtail.advice.found import Contest, Controlled
    from pigtail.job.document import Job

COLUMNS = ("way", "from the line", "while off", "lost", "parts", "cost")


class ControlsBoard(OptionsBoard):
    """Asks for a search, a line a step, and shows what came of it; its buttons are laid out by the station."""

    last_columns = (4, 5)
    step_of = "lines"
    no_contest = "There are no two methods that fit here."

    def __init__(self) -> None:
        super().__init__(
            COLUMNS,
            (None, 92, 76, 66, 46, 46),
            140,
            table=("controls_table", "Ways that fit, the best first"),
            seek=button(
                "Find ways", "find_controls", "Search every line and switch for what is picked in the table"
            ),
            ways=button(
                "Methods…", "control_ways", "What modders disagree on about this, each method solved"
            ),
            take="Control it in the chosen way",
        )
        self._job: Job | None = None
        self._of = ""

    def show_subject(self, job: Job | None, of: str) -> None:
        """Another job or thing is on view: what was found for the last one goes."""
        if job is not self._job or of != self._of:
            self._job, self._of = job, of
            self.forget()
        self.seek.setEnabled(bool(of))
        self.ways.setEnabled(bool(of))

    def _search(self, goes_on: Callable[[], bool], ask: Callable[[Answer], None]) -> bool:
        job, of = self._job, self._of
        if job is None or not of:
            return False
        by_steps(
            ask,
            lambda told: answer(services.control_lines, told, job, of),
            lambda told, line, before: answer(services.control_step, told, job, of, line, before),
            self.show_search,
            goes_on,
        )
        return True

    def _contests(self, show: Callable[[tuple[Contest, ...]], None]) -> Answer | None:
        job, of = self._job, self._of
        return answer(services.control_contests, show, job, of) if job is not None and of else None

    def _row(self, option: Controlled) -> tuple[Cell, ...]:
        o = option
        words = f"{o.words} · {o.line}"
        return (
            Cell(f"{'● ' if o.pareto else ''}{words}", mark=o.severity.value, tip=words),
            Cell(
                format_quantity(o.stolen_a, "A", 2), tip="the most that it takes from the line that works it"
            ),
            Cell(format_quantity(o.drain_a, "A", 2), use="dim", tip="what the rail gives while it is off"),
            Cell(
                format_quantity(o.lost_v, "V", 2) if o.lost_v else "–",
                use="dim",
                tip="volts lost in it while it is on",
            ),
            Cell(str(o.parts), use="dim"),
            Cell(f"{o.cost:.1f}", use="dim", tip="roughly, in any money: a resistor is 0.1"),
        )

    def _take(self, option: Controlled) -> None:
        words = f"{option.words[:1].lower()}{option.words[1:]}"
        self.edited.emit(Change(f"{words}, by {option.line}", option.edit))
