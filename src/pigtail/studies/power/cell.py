"""A module with a cell and a charger of its own: whether the charge suits the cell, how hot the charger gets with the cell empty, whether
the cell is filled while it plays, how long it plays alone, and whether it carries a burst to its end."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from pigtail.catalogue.topologies import Does
from pigtail.language import tr
from pigtail.model import subjects
from pigtail.model.cascade import Network
from pigtail.model.estimate import Estimate, Wanted
from pigtail.model.model import Model
from pigtail.model.spread import Samples, estimate
from pigtail.studies.findings import Finding
from pigtail.studies.judging import judge
from pigtail.studies.power.alternating import WindingSupply
from pigtail.studies.power.battery import CHARGED, EMPTY_CELL_V, FALLING, HAD, hours_told
from pigtail.studies.power.found import BatteryDetail, Lasting
from pigtail.studies.power.supply import DirectSupply, lasting_draws
from pigtail.units import Basis, format_quantity

Array = NDArray[np.float64]
#: The common charger's current is this over the resistor that sets it [V]: its reference times its mirror (from memory).
SETS_V = 1200.0
#: A charger whose rail is above this is fed [V].
FED_V = 1.0


def cell_of(model: Model, supply: DirectSupply) -> tuple[BatteryDetail | None, list[Finding]]:
    """How long the cell that stands in a supply lasts where nothing charges it, and what is said of it; nothing of a supply without."""
    cell = supply.converter
    if cell is None or Does.STORES not in cell.shape.does:
        return None, []
    numbers = _numbers(supply, cell)
    full, empty = (cell.shape.values(cell.section)[n].nominal for n in ("vout", "empty"))
    falling = tuple((part, full - down * (full - empty)) for part, down in FALLING)
    nothing = Estimate(None, np.nan, np.nan, "h", Basis.UNKNOWN, tr("hours before: there was no cell"))
    lasting = tuple(
        Lasting(s.id, s.name, True, numbers["alone_h"], nothing)
        for s in model.job.host.states
        if model.powered(s.id, supply.pin) and not _charged(model, supply, s.id)
    )
    detail = BatteryDetail(
        tr("the cell of {link}", link=supply.link.name), tr("lithium ion"), lasting, None, falling, numbers
    )
    return detail, list(_judged(supply, cell, numbers))


def _charged(model: Model, supply: DirectSupply, state: str) -> bool:
    """Whether the charger is fed in a state."""
    return abs(model.volts(state, supply.rail)) > FED_V


def _numbers(supply: DirectSupply, cell: Network) -> dict[str, Estimate]:
    net, part, pin = supply.netlist, cell.parameter, subjects.terminal(supply.pin).parameter

    def solve(samples: Samples) -> dict[str, Array]:
        solved = net.each(samples, {"bursting": 0.0, "asleep": 0.0})
        v_in = np.asarray(net.probe(solved, cell, "in_v"))
        if isinstance(supply, WindingSupply) and supply.known:
            v_in = np.maximum(v_in, supply.figure(samples, "warm_v"))
        charge, taken = SETS_V / samples[part("rprog")], np.asarray(net.probe(solved, cell, "out_current"))
        capacity = samples[part("capacity")]
        most = lasting_draws(supply.job)
        drawn = np.maximum(samples[pin("average")], most.get(pin("average"), 0.0))
        burst = np.maximum(np.maximum(drawn, samples[pin("burst")]), most.get(pin("burst"), 0.0))
        heat = np.maximum(v_in - EMPTY_CELL_V, 0.0) * charge
        end = samples[part("empty")] - samples[part("rcell")] * burst
        return {
            "rate": charge / capacity,
            "full_h": CHARGED * capacity / charge,
            "full_playing_h": CHARGED * capacity / np.maximum(taken - drawn, 1e-6),
            "charger_c": samples["ambient"] + heat * samples[part("theta")],
            "left_a": taken - drawn,
            "alone_h": HAD * capacity / np.maximum(drawn, 1e-6),
            "end_v": end,
            "end_margin_v": end - samples[pin("minimum")],
        }

    return estimate(supply.inputs, solve, {
        "rate": Wanted("", tr("the charging current over the capacity")), "full_h": Wanted("h", tr("hours of a charge")),
        "full_playing_h": Wanted("h", tr("hours of a charge while it plays")),
        "charger_c": Wanted("°C", tr("the chip of the charger, the cell empty")),
        "left_a": Wanted("A", tr("what of the charging current is left to the cell while it plays")),
        "alone_h": Wanted("h", tr("hours that the cell lasts alone")), "end_v": Wanted("V", tr("what an empty cell leaves in a burst")),
        "end_margin_v": Wanted("V", tr("the room above the module's lowest supply, the cell empty")),
    })  # fmt: skip


def _judged(supply: DirectSupply, cell: Network, numbers: dict[str, Estimate]) -> Iterator[Finding]:
    link = supply.link
    least = getattr(supply.job.terminal(supply.pin), "minimum", None)
    charge = SETS_V / cell.shape.values(cell.section)["rprog"].nominal
    words = {
        "battery": tr("the cell of {link}", link=link.name),
        "charge": format_quantity(charge, "A"),
        "full": hours_told(numbers["full_h"], "h"),
        "playing": hours_told(numbers["full_playing_h"], "h"),
        "alone": hours_told(numbers["alone_h"], "h"),
        "end": numbers["end_v"].short(),
        "lowest": format_quantity(least.nominal, "V") if least is not None else "?",
        "drawn": numbers["left_a"].short(),
    }
    for code in ("power.charge_rate", "power.charger_hot", "power.charges_playing", "power.battery_end"):
        yield judge(code, numbers, link.id, words)
