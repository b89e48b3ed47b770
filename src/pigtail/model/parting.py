"""What of a plan can be solved apart: feeds that share nothing with the rest of it but returns.

A loose feed goes from outputs to inputs through networks that nothing feeds or steers. What it does to the others it does through the
resistance of shared returns alone, and while it is silent that is nothing: in the netlist of another feed it is left out, so that what a
plan takes to be solved grows as the plan does. A plan with few of them is solved whole.
"""

from __future__ import annotations

from msgspec.structs import replace

from pigtail.catalogue.topologies import Does, topology
from pigtail.job.document import HOST, AudioIn, AudioOut, ControlIn, Host, Job, Link, Module, Purpose, Return
from pigtail.units.groups import Groups

#: Up to so many groups of loose feeds a plan is solved whole.
FEW = 4
#: What stands nearer to its return than this lets no diode of a chip conduct [V].
NOTHING_V = 0.2


def loose_groups(job: Job) -> tuple[frozenset[str], ...]:
    """The ids of loose feeds that share an output, an input or a way through, a set for each group; none where they are few."""
    kept = _steered(job)
    loose = {x.id: x for x in job.links if _is_loose(job, x, kept)}
    groups = Groups()
    for link in loose.values():
        for address in _signals(job, link):
            groups.join(address, f"/{link.id}")
    for module in job.modules:
        for through in module.throughs:
            groups.join(f"{module.id}.{through.start}", f"{module.id}.{through.end}")
    # what else ends at one of their points is of the rest, and so are they
    rest = {groups.of(a) for x in job.links if x.id not in loose for a in _signals(job, x)}
    found: dict[str, set[str]] = {}
    for link_id in loose:
        at = groups.of(f"/{link_id}")
        if at not in rest:
            found.setdefault(at, set()).add(link_id)
    return tuple(map(frozenset, found.values())) if len(found) > FEW else ()


def holds_nothing(job: Job, link: Link) -> bool:
    """Whether a loose feed brings no direct current from one end to the other: a capacitor blocks it, or no end is known to stand
    anywhere but at its return."""
    if any(Does.BLOCKS in topology(s.topology).does for s in link.sections):
        return True
    for address in _signals(job, link):
        terminal = job.terminal(address)
        own = (
            terminal.bias
            if isinstance(terminal, AudioOut)
            else terminal.dc
            if isinstance(terminal, AudioIn)
            else None
        )
        if own is None or max(abs(own.low), abs(own.high)) > NOTHING_V:
            return False
    return True


def without(job: Job, links: frozenset[str]) -> Job:
    """The job without some of its loose feeds, and without the outputs and inputs of modules that only these join."""
    kept = tuple(x for x in job.links if x.id not in links)
    still = {j.terminal for x in kept for j in x.joins} | _steered(job)
    dropped = {a for x in job.links if x.id in links for a in _signals(job, x)} - still

    def left(module: Module) -> Module:
        gone = {a.partition(".")[2] for a in dropped if a.startswith(f"{module.id}.")}
        if not gone:
            return module
        return replace(
            module,
            terminals=tuple(t for t in module.terminals if t.id not in gone),
            throughs=tuple(t for t in module.throughs if not {t.start, t.end} & gone),
        )

    return replace(job, links=kept, modules=tuple(map(left, job.modules)), readings=())


def _is_loose(job: Job, link: Link, kept: set[str]) -> bool:
    if link.purpose is not Purpose.FEED or any(j.port in ("sup", "ctl") for j in link.joins):
        return False
    ends = [job.terminal(j.terminal) for j in link.joins]
    if not all(isinstance(t, AudioOut | AudioIn | Return) for t in ends):
        return False
    if any(j.terminal in kept for j in link.joins):
        return False
    return all(set(topology(s.topology).sides) <= {"com", "back"} for s in link.sections)


def _signals(job: Job, link: Link) -> tuple[str, ...]:
    return tuple(j.terminal for j in link.joins if not isinstance(job.terminal(j.terminal), Return))


def _steered(job: Job) -> set[str]:
    """Addresses of what inputs mute or enable, and of what the host's switches join."""
    devices: list[tuple[str, Host | Module]] = list(job.devices())
    gated = {
        f"{d}.{g}"
        for d, device in devices
        for t in device.terminals
        if isinstance(t, ControlIn)
        for g in t.gates
    }
    return gated | {f"{HOST}.{e}" for s in job.host.switches for e in (s.common, *s.ways)}
