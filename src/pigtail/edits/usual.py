"""Links as a plan draws them: wires of guessed lengths, supplies by a converter, rails to choose from."""

from __future__ import annotations

from pigtail.catalogue.topologies import Topology, plain, topology
from pigtail.job.document import HOST, Conductor, Job, Join, Link, Purpose, Rail, alive
from pigtail.job.energy import Earthed, Winding
from pigtail.job.wiring import return_address
from pigtail.units import Basis, Known

ROUTE_M = 0.4  # a guess, shown as one: measure the route
NEAR_M = 0.05


def length(metres: float) -> Known:
    """A wire length that is a guess until the route is measured. In [m]."""
    return Known.of(metres, "m", Basis.GUESSED, tolerance=0.5, source="guess: measure the route")


def join(port: str, terminal: str, metres: float, gauge: int = 26, *, screened: bool = False) -> Join:
    """A terminal on a port by a wire of a guessed length. Length in [m]."""
    return Join(
        port=port,
        terminal=terminal,
        conductor=Conductor(gauge=gauge, length=length(metres), screened=screened),
    )


def rails(job: Job, pin: str = "") -> list[str]:
    """Rails that are alive in the working state, the host's and those that other modules give, the likeliest for a small
    module first; not those of the module whose supply pin is to be fed."""
    state, own = job.working_state(), pin.partition(".")[0]
    found = [
        (f"{d}.{t.id}", t)
        for d, device in job.devices()
        for t in device.terminals
        if isinstance(t, Rail) and alive(t, state) and d != own
    ]
    return [a for a, t in sorted(found, key=lambda pair: _rail_rank(pair[1]))]


def _rail_rank(rail: Rail) -> float:
    return abs(rail.voltage.nominal) if rail.voltage else 1e9


def supply_link(job: Job, link_id: str, rail: str, pin: str, key: str) -> Link:
    """A supply link from a rail to a pin by a topology, the converter at the module."""
    shape = topology(key)
    joins = [join("in", rail, ROUTE_M), join("out", pin, NEAR_M)]
    if shape.common:
        joins.append(join("com", return_address(job, pin), NEAR_M))
    if shape.back:
        joins.append(join("back", return_address(job, rail), ROUTE_M))
    return Link(
        id=link_id, name="Supply", purpose=Purpose.SUPPLY, sections=(shape.section(),), joins=tuple(joins)
    )


def winding_ends(winding: Winding, shape: Topology) -> tuple[str, ...]:
    """The ends of a winding in the order of a rectifier's inputs: of one with a common leg the end that the host earths is the leg."""
    first, second = winding.first, winding.second
    if len(shape.inputs) == 3:
        return (first, second, winding.tap or second)
    if shape.legged and winding.earthed is Earthed.FIRST:
        return (second, first)
    return (first, second)


def winding_link(job: Job, link_id: str, winding: Winding, pin: str, *keys: str) -> Link:
    """A supply link from a winding to a pin by a rectifier and what follows it, all at the module.

    Where what follows holds its two sides apart, the rectifier's minus is joined to nothing but that.
    """
    shapes = [topology(k) for k in keys]
    ends = winding_ends(winding, shapes[0])
    joins = [join(p, f"{HOST}.{e}", ROUTE_M, 24) for p, e in zip(shapes[0].inputs, ends, strict=True)]
    joins.append(join("out", pin, NEAR_M))
    joins.append(join("com", return_address(job, pin), NEAR_M))
    return Link(
        id=link_id,
        name="Supply",
        purpose=Purpose.SUPPLY,
        sections=tuple(s.section() for s in shapes),
        joins=tuple(joins),
    )


def return_link(link_id: str, name: str, start: str, end: str, gauge: int) -> Link:
    """A return from one place to another by a plain wire of a gauge [AWG]."""
    return Link(
        id=link_id,
        name=name,
        purpose=Purpose.RETURN,
        sections=(plain(),),
        joins=(join("in", start, ROUTE_M, gauge), join("out", end, 0.0, gauge)),
    )
