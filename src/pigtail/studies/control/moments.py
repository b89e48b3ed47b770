"""The moments that are judged: every host state, with all that a module does while it is fed in it, its plug pulled, and asleep."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import NamedTuple

from pigtail.job.control import OFF, PLAYING
from pigtail.job.document import Control, Job, Module, SupplyIn
from pigtail.job.quantities import DOINGS
from pigtail.job.wiring import addresses_of, supply_links
from pigtail.model.model import Model
from pigtail.model.netlist import Netlist
from pigtail.model.terminals import node_name

#: The part of what a module draws while it plays that is left while it is held half-way: a chip that only leaks. Typical, no source.
LEFT_ASLEEP = 0.01
#: What is told of a module whose supply lead is off its pin.
UNPLUGGED = "unplugged"


class Moment(NamedTuple):
    """A host state, and of one module (empty for none) what it does in it."""

    state: str
    module: str
    doing: str

    @property
    def off(self) -> bool:
        """Whether nothing is fed in it, as far as is meant: what is left is then judged against a module that hardly draws."""
        return self.doing in (OFF, UNPLUGGED)


def moments(model: Model) -> tuple[Moment, ...]:
    """All moments of a job, in the order of its states."""
    return tuple(_moments(model))


def _moments(model: Model) -> Iterator[Moment]:
    job = model.job
    working = job.working_state()
    for state in model.states:
        fed = [m for m in job.modules if _fed(model, state, m)]
        if not fed:
            yield Moment(state, "", OFF)
            continue
        for module in fed:
            for doing in lives_of(module):
                yield Moment(state, module.id, doing)
            if state == working and _pluggable(job, module):
                yield Moment(state, module.id, UNPLUGGED)


def _pins(job: Job, module: Module) -> list[str]:
    return [p for p in addresses_of(job, SupplyIn, module.id) if supply_links(job, p)]


def _fed(model: Model, state: str, module: Module) -> bool:
    pins = _pins(model.job, module)
    return bool(pins) and any(model.powered(state, p) for p in pins)


def _pluggable(job: Job, module: Module) -> bool:
    """Whether it matters that its plug may be off: it drives or listens to something."""
    return any(isinstance(t, Control) for t in module.terminals) and bool(_pins(job, module))


def lives_of(module: Module) -> tuple[str, ...]:
    """What a module is told to do while it is fed: what it shows and what it draws apart; playing where nothing is told."""
    told = {d.does for d in module.doings}
    told |= {
        d for d in DOINGS for t in module.terminals if isinstance(t, SupplyIn) and getattr(t, d) is not None
    }
    told |= {PLAYING} if not told & {PLAYING, "linked", "transmitting"} else set()
    order = ("searching", "linked", PLAYING, "transmitting", "charging", "fault")
    return tuple(d for d in order if d in told)


def case_of(net: Netlist, job: Job, moment: Moment) -> Mapping[str, float]:
    """The switches of a moment: the host state, what each module does, and how much it draws."""
    found: dict[str, float] = dict(net.switches.get(moment.state, {}))
    found |= {"bursting": float(not moment.off), "asleep": 1.0 - LEFT_ASLEEP if moment.off else 0.0}
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
                found[f"{node_name(job, f'{module.id}.{terminal.id}')}_active"] = float(
                    active(module, terminal.id, doing)
                )
    if moment.doing == UNPLUGGED:
        for pin in addresses_of(job, SupplyIn, moment.module):
            for link in supply_links(job, pin):
                found[f"{link.id}_pulled"] = 1.0
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
