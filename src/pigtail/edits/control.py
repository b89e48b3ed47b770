"""Edits of control: switches put into supplies and worked by a line, links of control, what lines and modules tell, what is wanted."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from msgspec.structs import replace

from pigtail import edits
from pigtail.catalogue.topologies import Does, does, first, topology
from pigtail.edits.change import with_device
from pigtail.edits.plan import link_of, rejoined
from pigtail.edits.usual import NEAR_M, ROUTE_M, join
from pigtail.job.control import Behaviour, Doing, LineState, Stand, Switch, WantedOf
from pigtail.job.document import HOST, AnyTerminal, Control, ControlIn, Job, Link, Purpose, SupplyIn
from pigtail.job.errors import EditError
from pigtail.job.wiring import return_address, star_address, supply_links
from pigtail.language import tr
from pigtail.units.known import Known

#: What may be set of a line and of an input besides values.
OF_LINE = ("drive", "inverted", "states")
OF_INPUT = ("acts", "active_low", "pulls", "gates", "states")


def put_switch(job: Job, link_id: str, key: str, line: str, parts: Mapping[str, float] | None = None) -> Job:
    """Edit: switch a supply by a topology that a line works, in the place of the switch that it has, if any; parts at other values [SI].

    Raises EditError for what is no switch.
    """
    link, shape = link_of(job, link_id), topology(key)
    if Does.SWITCHES not in shape.does or link.purpose.value not in shape.purposes:
        raise EditError(tr("“{shape}” is no switch for {link}", shape=shape.title, link=link.name), value=key)
    kept = tuple(s for s in link.sections if not does(s, Does.CONDUCTS, Does.SWITCHES))
    made = rejoined(job, link, (shape.section(**(parts or {})), *kept))
    joins = tuple(j for j in made.joins if j.port != "ctl")
    if "back" in shape.ports and line:
        joins = tuple(
            replace(j, terminal=return_address(job, line)) if j.port == "back" else j for j in joins
        )
    return edits.replace_link(
        job, replace(made, joins=(*joins, *([join("ctl", line, ROUTE_M)] if line else [])))
    )


def drop_switch(job: Job, link_id: str) -> Job:
    """Edit: take the switch out of a supply or a return; where nothing is left it is joined straight."""
    link = link_of(job, link_id)
    kept = tuple(s for s in link.sections if not does(s, Does.SWITCHES))
    straight = first(link.purpose.value, Does.CONDUCTS).section()
    made = rejoined(job, link, kept or (straight,))
    return edits.replace_link(job, replace(made, joins=tuple(j for j in made.joins if j.port != "ctl")))


def steer(job: Job, link_id: str, line: str) -> Job:
    """Edit: let another line work what a link has a port for. Raises EditError for a link without one."""
    link = link_of(job, link_id)
    if not any("ctl" in topology(s.topology).ports for s in link.sections):
        raise EditError(tr("{link} has nothing that a line works", link=link.name), value=link_id)
    there = next((j for j in link.joins if j.port == "ctl"), None)
    made = replace(there, terminal=line) if there is not None else join("ctl", line, ROUTE_M)
    return edits.replace_link(job, replace(link, joins=(*(j for j in link.joins if j.port != "ctl"), made)))


def add_control(
    job: Job,
    key: str,
    start: str,
    end: str,
    name: str,
    supply: str = "",
    parts: Mapping[str, float] | None = None,
) -> Job:
    """Edit: join a line to what it works by a topology of control: where it starts and ends, its common at the return of the end, the rail
    of its supply if it has one; parts at other values [SI]. Raises EditError for what is none of control."""
    shape = topology(key)
    if "control" not in shape.purposes:
        raise EditError(tr("“{shape}” is nothing of control", shape=shape.title), value=key)
    joins = [join(shape.inputs[0], start, ROUTE_M)]
    joins += [join(p, start, ROUTE_M) for p in shape.inputs[1:]]
    joins.append(join("out", end, NEAR_M))
    home = return_address(job, end) or star_address(job)
    if "com" in shape.ports and home:
        joins.append(join("com", home, NEAR_M))
    if "back" in shape.ports:
        joins.append(join("back", return_address(job, start), ROUTE_M))
    if "sup" in shape.ports and supply:
        joins.append(join("sup", supply, ROUTE_M))
    section = shape.section(**(parts or {}))
    link = Link(
        id=edits.free_id(job, "control"),
        name=name,
        purpose=Purpose.CONTROL,
        sections=(section,),
        joins=tuple(joins),
    )
    return edits.add_link(job, link)


def drop_control(job: Job, link_id: str) -> Job:
    """Edit: take a link of control out, and what was wanted of its light."""
    job = replace(job, wants=tuple(w for w in job.wants if w.of != link_id))
    return edits.remove_link(job, link_id)


def set_want(job: Job, of: str, what: WantedOf, state: str, doing: str, yes: bool | None) -> Job:
    """Edit: what is wanted of a module, an output or a light in a state, while a module does something (empty: whatever it does); None
    for nothing in particular."""
    kept = tuple(w for w in job.wants if (w.of, w.what, w.state, w.doing) != (of, what, state, doing))
    made = () if yes is None else (Behaviour(of=of, what=what, state=state, doing=doing, yes=yes),)
    return edits.checked(replace(job, wants=(*kept, *made)))


def set_line_level(job: Job, address: str, state: str, level: Known | None) -> Job:
    """Edit: what the papers say a line of the host stands at in a state [V]; None for what it stands at while it is active, or nothing.
    Raises EditError for what is no line."""
    line = job.terminal(address)
    if not isinstance(line, Control):
        raise EditError(tr("{address} is no line", address=address), value=address)
    kept = tuple(s for s in line.per_state if s.state != state)
    made = () if level is None else (LineState(state=state, level=level),)
    return _with_terminal(job, address, replace(line, per_state=(*kept, *made)))


def set_control(job: Job, address: str, **changes: Any) -> Job:
    """Edit: how a line drives, or what an input does and what holds it. Raises EditError for a field that it has not."""
    terminal = job.terminal(address)
    allowed = (
        OF_LINE if isinstance(terminal, Control) else OF_INPUT if isinstance(terminal, ControlIn) else ()
    )
    stray = set(changes) - set(allowed)
    if terminal is None or stray:
        raise EditError(
            tr(
                "{address} has no {value}",
                address=address,
                value=", ".join(sorted(stray)) or tr("such point"),
            ),
            value=address,
        )
    return _with_terminal(job, address, replace(terminal, **changes))


def add_line(job: Job, device_id: str, terminal: AnyTerminal) -> Job:
    """Edit: add a line or an input of control to the host or to a module. Raises EditError for no device or no name."""
    device = job.device(device_id)
    if device is None:
        raise EditError(tr("there is no device {device_id}", device_id=device_id), value=device_id)
    if not terminal.name.strip():
        raise EditError(tr("a pin needs a name"), value=terminal.name)
    return with_device(job, device_id, terminals=(*device.terminals, terminal))


def set_doing(job: Job, module_id: str, does: str, line: str, shown: str) -> Job:
    """Edit: what a line of a module is while the module does something: `active`, `blinking`, or `` for at rest. Raises EditError."""
    module = next((m for m in job.modules if m.id == module_id), None)
    if module is None:
        raise EditError(tr("there is no module {module_id}", module_id=module_id), value=module_id)
    old = module.shows(does) or Doing(does=does)
    fresh = replace(
        old,
        active=(*(a for a in old.active if a != line), *((line,) if shown == "active" else ())),
        blinking=(*(b for b in old.blinking if b != line), *((line,) if shown == "blinking" else ())),
    )
    doings = tuple(fresh if d.does == does else d for d in module.doings)
    return with_device(job, module_id, doings=doings if module.shows(does) else (*doings, fresh))


def add_switch(job: Job, switch: Switch) -> Job:
    """Edit: a switch of the host between its points."""
    return edits.checked(replace(job, host=replace(job.host, switches=(*job.host.switches, switch))))


def drop_host_switch(job: Job, switch_id: str) -> Job:
    """Edit: forget a switch of the host."""
    kept = tuple(s for s in job.host.switches if s.id != switch_id)
    return edits.checked(replace(job, host=replace(job.host, switches=kept)))


def set_stand(job: Job, switch_id: str, state: str, way: str | None) -> Job:
    """Edit: on which way a switch of the host stands in a state; empty for open, None for not told. Raises EditError."""
    switch = next((s for s in job.host.switches if s.id == switch_id), None)
    if switch is None:
        raise EditError(tr("there is no switch {switch_id}", switch_id=switch_id), value=switch_id)
    kept = tuple(s for s in switch.stands if s.state != state)
    made = () if way is None else (Stand(state=state, way=way),)
    fresh = replace(switch, stands=(*kept, *made))
    switches = tuple(fresh if s is switch else s for s in job.host.switches)
    return edits.checked(replace(job, host=replace(job.host, switches=switches)))


def supply_of_module(job: Job, module_id: str) -> str:
    """Id of the link that supplies a module; empty where none does."""
    module = job.device(module_id)
    pins = (
        [f"{module_id}.{t.id}" for t in module.terminals if isinstance(t, SupplyIn)]
        if module is not None
        else []
    )
    return next((x.id for p in pins for x in supply_links(job, p)), "")


def _with_terminal(job: Job, address: str, fresh: AnyTerminal) -> Job:
    device_id, _, name = address.partition(".")
    device = job.device(device_id)
    if device is None:
        raise EditError(tr("there is no {address}", address=address), value=address)
    terminals = tuple(fresh if t.id == name else t for t in device.terminals)
    return with_device(job, device_id, terminals=terminals)


def own_points(job: Job, switch: Switch) -> tuple[str, ...]:
    """Addresses of all points of a switch."""
    return tuple(f"{HOST}.{e}" for e in (switch.common, *switch.ways))
