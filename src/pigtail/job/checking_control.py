"""Whether what a document says of control makes sense: lines and inputs, switches, what modules do, what is wanted."""

from __future__ import annotations

from pigtail.job.checking import (
    LARGEST,
    check_known,
    check_quantity,
    check_state,
    check_unique,
    listed_ids,
    on_primary,
)
from pigtail.job.control import LIVES, UNPLUGGED
from pigtail.job.document import HOST, AudioIn, AudioOut, Control, ControlIn, Host, Job, Module
from pigtail.job.errors import JobError
from pigtail.job.primary import primary
from pigtail.job.quantities import SWITCH_QUANTITIES
from pigtail.language import tr


def check_control(job: Job) -> None:
    """Raise JobError for what is told of control and cannot be."""
    states = {s.id for s in job.host.states}
    _lines(job.host, "host", states)
    for at, module in enumerate(job.modules):
        _lines(module, f"modules[{at}]", states)
        _doings(module, f"modules[{at}].doings")
    for at, state in enumerate(job.host.states):
        for muted in state.mutes:
            if job.terminal(f"{HOST}.{muted}") is None:
                raise JobError(
                    tr("“{muted}” is not a point of the host", muted=muted), where=f"host.states[{at}].mutes"
                )
    _switches(job.host)
    _wants(job, states)


def _lines(device: Host | Module, where: str, states: set[str]) -> None:
    """Lines tell of states that there are, inputs gate outputs of their own device."""
    outputs = {t.id for t in device.terminals if isinstance(t, AudioOut | AudioIn)}
    for at, terminal in enumerate(device.terminals):
        place = f"{where}.terminals[{at}]"
        for entry in terminal.per_state if isinstance(terminal, Control) else ():
            check_state(entry.state, states, f"{place}.per_state")
            check_known(entry.level, "V", f"{place}.per_state", lowest=-LARGEST)
        for gated in terminal.gates if isinstance(terminal, ControlIn) else ():
            if gated not in outputs:
                raise JobError(
                    tr(
                        "“{gated}” is no output of this device; choose one of {listed_ids}",
                        gated=gated,
                        listed_ids=listed_ids(outputs),
                    ),
                    where=f"{place}.gates",
                )


def _doings(module: Module, where: str) -> None:
    """What a module does is one of its lives, told once; what it shows are control lines of its own."""
    lines = {t.id for t in module.terminals if isinstance(t, Control)}
    for at, doing in enumerate(module.doings):
        if doing.does not in LIVES:
            raise JobError(
                tr("“{does}” is none of {listed}", does=doing.does, listed=", ".join(LIVES)),
                where=f"{where}[{at}].does",
            )
        for line in (*doing.active, *doing.blinking):
            if line not in lines:
                raise JobError(
                    tr(
                        "“{line}” is no control line of this module; choose one of {listed_ids}",
                        line=line,
                        listed_ids=listed_ids(lines),
                    ),
                    where=f"{where}[{at}]",
                )
    if len({d.does for d in module.doings}) != len(module.doings):
        raise JobError(tr("something that the module does is told twice"), where=where)


def _wants(job: Job, states: set[str]) -> None:
    """What is wanted names what is there."""
    known = {*job.addresses(), *(m.id for m in job.modules), *(x.id for x in job.links)}
    for at, want in enumerate(job.wants):
        check_state(want.state, states, f"wants[{at}].state")
        if want.doing and want.doing not in (*LIVES, UNPLUGGED):
            raise JobError(
                tr("“{doing}” is none of {listed}", doing=want.doing, listed=", ".join((*LIVES, UNPLUGGED))),
                where=f"wants[{at}].doing",
            )
        if want.of not in known:
            raise JobError(
                tr("there is no module, point or link “{of}”", of=want.of), where=f"wants[{at}].of"
            )


def _switches(host: Host) -> None:
    """A switch lies between points of the host; a way on which it stands is one of its own."""
    check_unique("host.switches", (s.id for s in host.switches))
    points, states = {t.id for t in host.terminals}, {s.id for s in host.states}
    for at, switch in enumerate(host.switches):
        place = f"host.switches[{at}]"
        for end in (switch.common, *switch.ways):
            if end not in points:
                raise JobError(tr("“{end}” is not a point of the host", end=end), where=place, value=end)
        if len({switch.common, *switch.ways}) != 1 + len(switch.ways) or not switch.ways:
            raise JobError(
                tr("a switch goes from its common to one way or more, each another point"), where=place
            )
        if primary(switch.name, host.supply):
            raise on_primary(switch.name, f"{place}.name", switch.id)
        for stand in switch.stands:
            check_state(stand.state, states, f"{place}.stands")
            if stand.way and stand.way not in switch.ways:
                raise JobError(
                    tr(
                        "“{way}” is none of its ways; choose one of {listed_ids}",
                        way=stand.way,
                        listed_ids=listed_ids(switch.ways),
                    ),
                    where=f"{place}.stands",
                )
        for item in SWITCH_QUANTITIES:
            check_quantity(switch, item, place)
