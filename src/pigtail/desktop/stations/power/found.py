"""What a search found for the supply of a module: every source through every converter that fits, ranked, each with its catch."""

from __future__ import annotations

from typing import TYPE_CHECKING

from pigtail.desktop.stations.options import SubjectBoard, button
from pigtail.desktop.tables import Cell
from pigtail.edits.change import Change
from pigtail.language import tr
from pigtail.service import services
from pigtail.units import format_quantity

if TYPE_CHECKING:
    from pigtail.advice.found import Supplied

COLUMNS = (tr("supply"), tr("in a burst"), tr("heat"), tr("ripple"), tr("buzz"), tr("parts"), tr("cost"))


class SupplyFound(SubjectBoard):
    """Asks for a search, a source or a rectifier behind it a step, and shows what came of it; its buttons are laid out by the station."""

    last_columns = (3, 5, 6)
    asks = (services.supply_sources, services.supply_step, services.supply_contests)
    step_of = tr("sources and rectifiers")
    no_contest = tr("There is no other method to compare: the module is not supplied yet.")

    def __init__(self) -> None:
        super().__init__(
            COLUMNS,
            (None, 74, 66, 66, 70, 46, 46),
            140,
            table=("supplies_table", tr("Supplies that fit, the best first")),
            seek=button(
                tr("Find supplies"),
                "find_supplies",
                tr("Search every rail, winding and adapter for a supply of this module"),
            ),
            ways=button(
                tr("Methods…"),
                "supply_ways",
                tr("What modders disagree on about this supply, each method solved"),
            ),
            take=tr("Supply the module in the chosen way"),
        )

    def _row(self, option: Supplied) -> tuple[Cell, ...]:
        return _row(option)

    def _take(self, option: Supplied) -> None:
        self.edited.emit(
            Change(
                tr("supply from {source}: {option}", source=option.source, option=option.words), option.edit
            )
        )


def _row(o: Supplied) -> tuple[Cell, ...]:
    words = f"{o.words} · {o.source}"
    buzz = "–" if o.buzz is None or o.buzz.value is None else f"{o.buzz.value:.0f} dB".replace("-", "−")
    return (
        Cell(f"{'● ' if o.pareto else ''}{words[:1].upper()}{words[1:]}", mark=o.severity.value, tip=words),
        Cell(o.volts.short()),
        Cell(format_quantity(o.heat_w, "W", 2), tip=tr("in all that converts, while it plays")),
        Cell(
            format_quantity(o.ripple_v, "V", 2) if o.ripple_v else "–", use="dim", tip=tr("on the reservoir")
        ),
        Cell(buzz, use="dim", tip=tr("what the module's bursts leave at the input, against the programme")),
        Cell(str(o.parts), use="dim"),
        Cell(f"{o.cost:.1f}", use="dim", tip=tr("roughly, in any money: a resistor is 0.1")),
    )
