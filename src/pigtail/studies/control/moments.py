"""The moments that are judged: every host state, with all that a module does while it is fed in it, its plug pulled, and asleep."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from pigtail.job.control import OFF, PLAYING, UNPLUGGED
from pigtail.job.document import Control, Job, Module, SupplyIn
from pigtail.job.quantities import DOINGS
from pigtail.job.wiring import addresses_of, supply_links
from pigtail.model import names
from pigtail.model.model import Model
from pigtail.model.netlist import Netlist
from pigtail.model.terminals import node_name
from pigtail.studies.control.meant import StateMoment, meant, pins_of


def moments(model: Model) -> tuple[StateMoment, ...]:
    """All moments of a job, in the order of its states."""
    return tuple(_moments(model))


def _moments(model: Model) -> Iterator[StateMoment]:
    job = model.job
    working = job.working_state()
    for state in model.states:
        live = [m for m in job.modules if lives(model, m, state)]
        if not live:
            yield StateMoment(state, "", OFF)
            continue
        for module in live:
            for doing in lives_of(module):
                yield StateMoment(state, module.id, doing)
            if state == working and _pluggable(job, module):
                yield StateMoment(state, module.id, UNPLUGGED)


def lives(model: Model, module: Module, state: str) -> bool:
    """Whether a module is meant to live in a state, or is fed in it and not meant to be off: it then draws what it wants."""
    pins = pins_of(model.job, module)
    wanted = meant(model.job, module, StateMoment(state, module.id, "")) if pins else False
    return wanted if wanted is not None else any(model.powered(state, p) for p in pins)


def idle(model: Model, moment: StateMoment) -> tuple[str, ...]:
    """The modules that hardly draw in a moment: unplugged, not fed, or meant to be off."""
    return tuple(
        m.id
        for m in model.job.modules
        if (moment.doing == UNPLUGGED and moment.module == m.id) or not lives(model, m, moment.state)
    )


def _pluggable(job: Job, module: Module) -> bool:
    """Whether it matters that its plug may be off: it drives or listens to something."""
    return any(isinstance(t, Control) for t in module.terminals) and bool(pins_of(job, module))


def lives_of(module: Module) -> tuple[str, ...]:
    """What a module is told to do while it is fed: what it shows and what it draws apart; playing where nothing is told."""
    told = {d.does for d in module.doings}
    told |= {
        d for d in DOINGS for t in module.terminals if isinstance(t, SupplyIn) and getattr(t, d) is not None
    }
    told |= {PLAYING} if not told & {PLAYING, "linked", "transmitting"} else set()
    order = ("searching", "linked", PLAYING, "transmitting", "charging", "fault")
    return tuple(d for d in order if d in told)


def case_of(net: Netlist, job: Job, moment: StateMoment) -> Mapping[str, float]:
    """The switches of a moment: the host state, what each module does, and how much it draws. Each 0 or 1 [1]."""
    found: dict[str, float] = dict(net.switches.get(moment.state, {}))
    found |= {"bursting": 1.0, "asleep": 0.0}
    for module in job.modules:
        doing = (
            moment.doing
            if module.id == moment.module
            else OFF
            if moment.off and not moment.module
            else PLAYING
        )
        for terminal in module.terminals:
            if isinstance(terminal, Control):
                found[f"{node_name(job, f'{module.id}.{terminal.id}')}__active"] = float(
                    active(module, terminal.id, doing)
                )
    if moment.doing == UNPLUGGED:
        for pin in addresses_of(job, SupplyIn, moment.module):
            for link in supply_links(job, pin):
                found[names.of_link(link.id, "out", "pulled")] = 1.0
    return found


def active(module: Module, line: str, doing: str) -> bool:
    """Whether a line of a module is active while the module does something; of one that nobody told of, while it is linked and more."""
    shown = module.shows(doing)
    if shown is not None:
        return line in shown.active or line in shown.blinking
    return doing not in (OFF, UNPLUGGED, "searching") and not module.doings


def blinks(module: Module, line: str, doing: str) -> bool:
    """Whether a line blinks meanwhile."""
    shown = module.shows(doing)
    return shown is not None and line in shown.blinking
