"""A stand-in of any host kind of the catalogue: papers as the catalogue has them, a truth that lies within them."""

from __future__ import annotations

import random

from msgspec.structs import replace

from pigtail.bench.truth import StandIn, check_stand_in
from pigtail.catalogue.kinds import make_host
from pigtail.job.document import AnyTerminal, Host, Job, Rail, SupplyClass
from pigtail.job.quantities import PATH_RESISTANCE, quantities
from pigtail.model.probed import Joint
from pigtail.units import Basis
from pigtail.units.known import Known

#: What is true where the catalogue tells nothing: by field, from which range [its unit].
USUAL: dict[str, tuple[float, float]] = {
    "limit": (0.6, 1.2), "used": (0.05, 0.2), "overload": (1.5, 3.0), "emf": (0.3, 2.0), "capacitance": (8e-11, 2e-10),
}  # fmt: skip
#: Volts of a rail whose papers tell none, by how the host is fed.
VOLTS = {SupplyClass.BATTERY: 5.5, SupplyClass.ADAPTER_DC: 5.1, SupplyClass.VALVE: 12.4}
OTHERWISE_V = 13.0
#: Within its papers a truth lies no nearer to their ends than this part of the way.
INSIDE = 0.2
PATH_OHM, RUNG_OHM = (0.05, 0.2), (0.1, 0.4)


def make_stand_in(kind: str, seed: int = 1, supply: SupplyClass | None = None) -> StandIn:
    """A stand-in of a host kind, without faults. A host whose supply nobody knows is what is given, else one with a transformer.
    Raises CatalogueError for a kind that is not there."""
    papers = make_host(kind)
    chance = random.Random(f"{kind} {seed}")  # noqa: S311  practice, no secret
    fed = supply or (SupplyClass.MAINS_ISOLATED if papers.supply is SupplyClass.UNKNOWN else papers.supply)
    truth = replace(
        papers,
        supply=fed,
        terminals=tuple(_true(papers, t, chance) for t in papers.terminals),
        paths=tuple(
            replace(p, resistance=_within(p.resistance, PATH_OHM, PATH_RESISTANCE.unit, chance))
            for p in papers.paths
        ),
    )
    joints = tuple(
        Joint(a=t.id, b=t.rings_to, ohm=chance.uniform(*RUNG_OHM)) for t in papers.terminals if t.rings_to
    )
    made = StandIn(
        title=f"{papers.name}, practice {seed}",
        papers=Job(name=f"{papers.name}, practice", host=papers),
        truth=truth,
        joints=joints,
        seed=seed,
    )
    check_stand_in(made)
    return made


def _within(known: Known | None, usual: tuple[float, float], unit: str, chance: random.Random) -> Known:
    """A true value that lies within what is known, else within what is usual [unit]."""
    low, high = (known.low, known.high) if known is not None else usual
    part = chance.uniform(INSIDE, 1 - INSIDE)
    value = low * (high / low) ** part if low > 0 else low + (high - low) * part
    return Known.of(value, unit, Basis.MEASURED)


def _true(host: Host, terminal: AnyTerminal, chance: random.Random) -> AnyTerminal:
    changes: dict[str, Known] = {}
    for item in quantities(terminal):
        known = getattr(terminal, item.field)
        usual = USUAL.get(item.field, item.plausible)
        if item.field == "voltage" and known is None:
            volts = VOLTS.get(host.supply, OTHERWISE_V)
            usual = (0.97 * volts, 1.03 * volts)
        if item.field in ("bias", "dc") and known is None:
            usual = (-0.003, 0.003)
        if item.field == "carries":
            continue
        changes[item.field] = _within(known, usual, item.unit, chance)
    found = replace(terminal, **changes)
    if isinstance(found, Rail) and found.limit is not None and found.used is not None:
        found = replace(
            found, used=Known.of(min(found.used.nominal, 0.3 * found.limit.nominal), "A", Basis.MEASURED)
        )
    return found
