"""What a search found for what is picked in the table: what wakes the module, mutes the output or shows the line, each with its catch."""

from __future__ import annotations

from typing import TYPE_CHECKING

from pigtail.desktop.stations.options import SubjectBoard, button
from pigtail.desktop.tables import Cell
from pigtail.edits.change import Change
from pigtail.language import tr
from pigtail.service import services
from pigtail.units import format_quantity

if TYPE_CHECKING:
    from pigtail.advice.found import Controlled

COLUMNS = (tr("way"), tr("from the line"), tr("while off"), tr("lost"), tr("parts"), tr("cost"))


class ControlsBoard(SubjectBoard):
    """Asks for a search, a line a step, and shows what came of it; its buttons are laid out by the station."""

    last_columns = (4, 5)
    asks = (services.control_lines, services.control_step, services.control_contests)
    step_of = "lines"
    no_contest = tr("There are no two methods that fit here.")

    def __init__(self) -> None:
        super().__init__(
            COLUMNS,
            (None, 92, 76, 66, 46, 46),
            140,
            table=("controls_table", tr("Ways that fit, the best first")),
            seek=button(
                tr("Find ways"),
                "find_controls",
                tr("Search every line and switch for what is picked in the table"),
            ),
            ways=button(
                tr("Methods…"), "control_ways", tr("What modders disagree on about this, each method solved")
            ),
            take=tr("Control it in the chosen way"),
        )

    def _row(self, option: Controlled) -> tuple[Cell, ...]:
        o = option
        words = f"{o.words} · {o.line}"
        return (
            Cell(f"{'● ' if o.pareto else ''}{words}", mark=o.severity.value, tip=words),
            Cell(
                format_quantity(o.stolen_a, "A", 2),
                tip=tr("the most that it takes from the line that works it"),
            ),
            Cell(
                format_quantity(o.drain_a, "A", 2), use="dim", tip=tr("what the rail gives while it is off")
            ),
            Cell(
                format_quantity(o.lost_v, "V", 2) if o.lost_v else "–",
                use="dim",
                tip=tr("volts lost in it while it is on"),
            ),
            Cell(str(o.parts), use="dim"),
            Cell(f"{o.cost:.1f}", use="dim", tip=tr("roughly, in any money: a resistor is 0.1")),
        )

    def _take(self, option: Controlled) -> None:
        words = f"{option.words[:1].lower()}{option.words[1:]}"
        self.edited.emit(Change(tr("{words}, by {line}", words=words, line=option.line), option.edit))
