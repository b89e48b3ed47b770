"""Links as a plan draws them: wires of guessed lengths, supplies by a converter, rails to choose from."""

from __future__ import annotations

from pigtail.catalogue.topologies import topology
from pigtail.job.model import HOST, Conductor, Job, Join, Link, Purpose, Rail, alive
from pigtail.job.wiring import return_address
from pigtail.units import Basis, Known

ROUTE_M = 0.4  # a guess, shown as one: measure the route
NEAR_M = 0.05
SUPPLY_TOPOLOGIES = ("direct", "linear", "linear_large", "buck")


def length(metres: float) -> Known:
    """A wire length that is a guess until the route is measured."""
    return Known.of(metres, "m", Basis.GUESSED, tolerance=0.5, source="guess: measure the route")


def join(port: str, terminal: str, metres: float, gauge: int = 26, *, screened: bool = False) -> Join:
    """A terminal on a port by a wire of a guessed length."""
    return Join(
        port=port,
        terminal=terminal,
        conductor=Conductor(gauge=gauge, length=length(metres), screened=screened),
    )


def rails(job: Job) -> list[str]:
    """Rails of the host that are alive in the working state, the likeliest for a small module first."""
    state = job.working_state()
    found = [(f"{HOST}.{t.id}", t) for t in job.host.terminals if isinstance(t, Rail) and alive(t, state)]
    return [a for a, t in sorted(found, key=lambda pair: _rail_rank(pair[1]))]


def _rail_rank(rail: Rail) -> float:
    return abs(rail.voltage.nominal) if rail.voltage else 1e9


def supply_link(job: Job, link_id: str, rail: str, pin: str, key: str) -> Link:
    """A supply link from a rail to a pin by a topology, the converter at the module."""
    shape = topology(key)
    joins = [join("in", rail, ROUTE_M), join("out", pin, NEAR_M)]
    if shape.common:
        joins.append(join("com", return_address(job, pin), NEAR_M))
    return Link(
        id=link_id, name="Supply", purpose=Purpose.SUPPLY, sections=(shape.section(),), joins=tuple(joins)
    )
