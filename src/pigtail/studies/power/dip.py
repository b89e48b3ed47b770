"""What a rail does when a module's empty capacitors are put onto it while the host runs: the crest of the current, how far the rail dips.

The rail is its volts behind its resistance with the capacitance that stands on it; the module hangs on it through the resistance of the
link. Both voltages follow two linear equations, solved by their exponentials. A converter in between takes what its capacitors behind it
take in no faster than it can give, and is not judged.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from pigtail.job.document import HOST, Rail, SupplyIn
from pigtail.language import tr
from pigtail.model import subjects
from pigtail.model.estimate import Wanted
from pigtail.model.model import Model
from pigtail.model.spread import Samples, estimate, split
from pigtail.model.terminals import beside_inputs
from pigtail.studies.findings import Finding
from pigtail.studies.judging import judge
from pigtail.studies.power.supply import DirectSupply
from pigtail.units import Basis, Known

Array = NDArray[np.float64]
#: A rail of which nobody has told what the host needs is held to this part of its volts (common practice: a tenth may go) [1].
KEPT = 0.9
#: The least resistance and capacitance that are one [Ω, F].
LEAST_OHM, LEAST_F = 1e-3, 1e-9


def dip_of(volts: Array, source: Array, store: Array, way: Array, empty: Array) -> tuple[Array, Array]:
    """The lowest that a rail gets [V] and the crest of the current [A] when an empty capacitor is put onto it: arrays [S] each.

    volts: before [V]; source: resistance of the rail [Ω]; store: capacitance on it [F]; way: resistance to the capacitor [Ω]; empty: the
    capacitor [F]. With x and y the volts on store and capacitor: x' = ((V − x)/R − (x − y)/r)/C, y' = (x − y)/(r·c).
    """
    r_in, r_on = np.maximum(source, LEAST_OHM), np.maximum(way, LEAST_OHM)
    c_in, c_on = np.maximum(store, LEAST_F), np.maximum(empty, LEAST_F)
    # how far x and y lie below V goes by u' = A·u, from (0, V)
    a, b = -(1 / r_in + 1 / r_on) / c_in, 1 / (r_on * c_in)
    c, d = 1 / (r_on * c_on), -1 / (r_on * c_on)
    middle, spread = (a + d) / 2, np.sqrt(((a - d) / 2) ** 2 + b * c)
    slow, fast = middle + spread, middle - spread
    # x lies below V by volts·b·(e^(slow·t) − e^(fast·t))/(slow − fast), the most where its rate is nought
    at = np.log(fast / slow) / (slow - fast)
    below = volts * b * (np.exp(slow * at) - np.exp(fast * at)) / (slow - fast)
    return volts - below, volts / r_on


def dip_findings(model: Model, supply: DirectSupply) -> Iterator[Finding]:
    """The finding about a rail of the host that a module's capacitors are put onto, where it is told how large they are."""
    job, pin = model.job, model.job.terminal(supply.pin)
    rail = job.terminal(supply.rail)
    if (
        not isinstance(rail, Rail)
        or not isinstance(pin, SupplyIn)
        or pin.capacitance is None
        or supply.converter is not None
        or not supply.rail.startswith(f"{HOST}.")
    ):
        return
    net, at_rail, at_pin = supply.netlist, subjects.terminal(supply.rail), subjects.terminal(supply.pin)
    least = rail.least
    if least is None and rail.voltage is not None:
        kept = KEPT * abs(rail.voltage.nominal)
        least = Known.of(kept, "V", Basis.TYPICAL, source="nine tenths of its volts")
    own = [
        replace(i, known=least) if i.field == "least" else i
        for i in (
            *beside_inputs(job, supply.rail, "store", "least"),
            *beside_inputs(job, supply.pin, "capacitance"),
        )
    ]

    def solve(samples: Samples) -> dict[str, Array]:
        solved = net.whole(
            net.cases(samples, {"bursting": 0.0, "asleep": 0.0}, {"bursting": 0.0, "asleep": 1.0})
        )
        volts = [np.abs(v) for v in split(solved.v(net.node(supply.rail), net.reference(supply.rail)), 2)]
        at_module = np.abs(split(solved.v(net.node(supply.pin), net.reference(supply.pin)), 2)[0])
        drawn = np.abs(split(net.terminal_current(solved, supply.pin), 2)[0])
        way = (volts[0] - at_module) / np.maximum(drawn, 1e-6)
        dips, crest = dip_of(
            volts[1], samples[at_rail.parameter("resistance")], samples[at_rail.parameter("store")], way,
            samples[at_pin.parameter("capacitance")],
        )  # fmt: skip
        return {
            "dip_v": dips,
            "dip_room_v": dips - samples[at_rail.parameter("least")],
            "plugged_a": crest,
        }

    numbers = estimate([*supply.inputs, *own], solve, {
        "dip_v": Wanted("V", tr("the lowest that the rail gets when the module is put onto it")),
        "dip_room_v": Wanted("V", tr("the room above what the host needs when the module is put onto its rail")),
        "plugged_a": Wanted("A", tr("the crest of the current when the module is put onto its rail")),
    })  # fmt: skip
    words = {
        "name": job.label(supply.rail),
        "dips": numbers["dip_v"].short(),
        "crest": numbers["plugged_a"].short(),
    }
    yield judge("power.dip", numbers, supply.rail, words, owner=supply.link.id)
