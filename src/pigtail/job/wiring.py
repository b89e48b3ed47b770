"""Which terminal belongs to which: returns, supplies, the points of a plan and how they are probed."""

from __future__ import annotations

from pigtail.job.document import (
    HOST,
    AudioIn,
    AudioOut,
    Channel,
    Function,
    Job,
    Link,
    Path,
    Purpose,
    Rail,
    Return,
    SupplyIn,
    WindingEnd,
)
from pigtail.job.log import log_of


def addresses_of(job: Job, kind: type, device_id: str = "") -> tuple[str, ...]:
    """Addresses of all terminals of a kind, such as SupplyIn, of one device or of all."""
    prefix = f"{device_id}." if device_id else ""
    return tuple(a for a in job.addresses() if a.startswith(prefix) and isinstance(job.terminal(a), kind))


def star_address(job: Job, device_id: str = HOST) -> str:
    """Address of the return of the host that is node 0, or of a module's own star; empty when it has no return."""
    device = job.device(device_id)
    returns = [t for t in device.terminals if isinstance(t, Return)] if device is not None else []
    chosen = next((t for t in returns if t.star), returns[0] if returns else None)
    return f"{device_id}.{chosen.id}" if chosen else ""


def return_address(job: Job, address: str) -> str:
    """Address of the return of a terminal: its own, else its device's star, else its device's first."""
    device_id = address.partition(".")[0]
    terminal, device = job.terminal(address), job.device(device_id)
    if terminal is None or device is None:
        return ""
    if isinstance(terminal, Return):
        return address
    returns = [t for t in device.terminals if isinstance(t, Return)]
    named = terminal.return_to or next((t.id for t in returns if t.star), returns[0].id if returns else "")
    return f"{device_id}.{named}" if named else ""


def supply_links(job: Job, supply_address: str) -> tuple[Link, ...]:
    """The supply links that end at a supply pin."""
    return tuple(
        x
        for x in job.links
        if x.purpose is Purpose.SUPPLY and any(j.terminal == supply_address for j in x.joins)
    )


def pin_of(job: Job, link: Link) -> str:
    """The supply pin that a link ends at; empty for none."""
    return next((a for a in link.at("out") if isinstance(job.terminal(a), SupplyIn)), "")


def rail_of(job: Job, link: Link) -> str:
    """The rail that a supply link comes from: at its start, or at the other foot of its input, where plus is the host's ground; empty
    for none."""
    ends = (*link.starts, *link.at("back"), *(a for s in link.starts for a in behind_contacts(job, s)))
    return next((a for a in ends if isinstance(job.terminal(a), Rail)), "")


def behind_contacts(job: Job, address: str) -> tuple[str, ...]:
    """What a point of a switch of the host reaches through its contacts, and through wires of control to the next: addresses, the nearest
    first."""
    groups = [{f"{HOST}.{e}" for e in (s.common, *s.ways)} for s in job.host.switches]
    groups += [
        {j.terminal for j in x.joins}
        for x in job.links
        if x.purpose is Purpose.CONTROL and len(x.joins) == len(x.starts) + 1
    ]
    if not any(address in g for g in groups[: len(job.host.switches)]):
        return ()
    found, edge = [address], {address}
    while edge:
        near = {a for g in groups if g & edge for a in g} - set(found)
        found += sorted(near)
        edge = {a for a in near if not isinstance(job.terminal(a), Rail)}
    return tuple(found[1:])


def rails_of(job: Job, link: Link) -> tuple[str, ...]:
    """All rails that a supply link starts at: two, where it takes the higher of them; else the one behind a contact."""
    found = tuple(dict.fromkeys(a for a in link.starts if isinstance(job.terminal(a), Rail)))
    return (
        found
        or tuple(
            a for s in link.starts for a in behind_contacts(job, s) if isinstance(job.terminal(a), Rail)
        )[:1]
    )


def return_links(job: Job, module_id: str) -> list[Link]:
    """The return links of a module."""
    prefix = f"{module_id}."
    return [
        x
        for x in job.links
        if x.purpose is Purpose.RETURN and any(j.terminal.startswith(prefix) for j in x.joins)
    ]


def used_points(job: Job) -> tuple[str, ...]:
    """Host points that the plan joins something to, in the order of the host."""
    used = {j.terminal for link in job.links for j in link.joins if j.terminal.startswith(f"{HOST}.")}
    return tuple(a for a in job.addresses() if a in used)


def confirmed(job: Job, address: str) -> bool:
    """Whether a point has been read: itself against something, or something against it; what carries a signal or a supply in the state in
    which the retrofit plays, whatever it was read at in another."""
    readings = log_of(job).touching(address)
    if isinstance(job.terminal(address), Return):
        return bool(readings)
    return any(r.state == job.working_state() for r in readings)


def first_function(job: Job, address: str) -> Function:
    """What to read first at a point."""
    terminal = job.terminal(address)
    if isinstance(terminal, WindingEnd):
        return Function.AC_VOLTS
    return Function.RESISTANCE if isinstance(terminal, Return) else Function.DC_VOLTS


def probe_against(job: Job, address: str) -> str:
    """Where to put the black probe for a point: on its own return, for a return the far end of a path, for an end of a winding the other
    one."""
    owner, _, name = address.partition(".")
    for winding in job.host.windings if owner == HOST else ():
        if name in winding.ends:
            return f"{HOST}.{winding.second if name != winding.second else winding.first}"
    if not isinstance(job.terminal(address), Return):
        return return_address(job, address)
    device_id, _, name = address.partition(".")
    device = job.device(device_id)
    assert device is not None
    for path in device.paths:
        if name in (path.a, path.b):
            return f"{device_id}.{path.b if path.a == name else path.a}"
    others = [t.id for t in device.terminals if isinstance(t, Return) and t.id != name]
    return f"{device_id}.{others[0]}" if others else ""


def twin(job: Job, address: str) -> str:
    """The point that carries the other channel of a pair, on the same stage if the chain tells; empty for none."""
    terminal = job.terminal(address)
    if not isinstance(terminal, AudioIn | AudioOut) or terminal.channel is Channel.MONO:
        return ""
    alike = [
        t
        for t in job.host.terminals
        if isinstance(t, AudioIn | AudioOut)
        and type(t) is type(terminal)
        and t.channel not in (terminal.channel, Channel.MONO)
        and t.return_to == terminal.return_to
        and getattr(t, "way", None) is getattr(terminal, "way", None)
        and bool(t.rings_to) is bool(terminal.rings_to)
    ]
    stage = next((s for s in job.host.stages if terminal.id in s.points), None)
    near = [t for t in alike if stage is not None and t.id in stage.points]
    order = [t.id for t in job.host.terminals]
    here = order.index(terminal.id) if terminal.id in order else 0
    found = min(near or alike, key=lambda t: abs(order.index(t.id) - here), default=None)
    return f"{HOST}.{found.id}" if found is not None else ""


def path_between(job: Job, a: str, b: str) -> Path | None:
    """The path of a device between two of its returns, whichever way round; None where it has none."""
    device_id, _, first = a.partition(".")
    device = job.device(device_id)
    ends = {first, b.removeprefix(f"{device_id}.")}
    return next((x for x in device.paths if {x.a, x.b} == ends), None) if device is not None else None
