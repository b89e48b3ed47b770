"""The moments that are judged: every host state, with all that a module does while it is fed in it, its plug pulled, and asleep."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import NamedTuple

from pigtail.catalogue.topologies import Does, does
from pigtail.job.control import OFF, PLAYING, WantedOf
from pigtail.job.document import Control, Job, Mode, Module, Rail, SupplyIn, alive
from pigtail.job.quantities import DOINGS
from pigtail.job.wiring import addresses_of, return_links, supply_links
from pigtail.model.model import Model
from pigtail.model.netlist import Netlist
from pigtail.model.terminals import node_name

#: The part of what a module draws while it plays that is left while it is held half-way: a chip that only leaks. Typical, no source.
LEFT_ASLEEP = 0.01
#: What is told of a module whose supply lead is off its pin.
UNPLUGGED = "unplugged"


class StateMoment(NamedTuple):
    """A host state, and of one module (empty for none) what it does in it."""

    state: str
    module: str
    doing: str

    @property
    def off(self) -> bool:
        """Whether nothing is fed in it, as far as is meant: what is left is then judged against a module that hardly draws."""
        return self.doing in (OFF, UNPLUGGED)


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


def meant(job: Job, module: Module, moment: StateMoment) -> bool | None:
    """Whether a module is to be fed: as the person says, else in the state it is to play in; not while all its rails are dead, nor while
    the host is off or waits, where anything but its rail decides that. None where nothing tells."""
    if moment.doing == UNPLUGGED and moment.module == module.id:
        return False
    said = wish(job, module.id, WantedOf.POWERED, moment)
    if said is not None:
        return said
    found = job.state(moment.state)
    kind = found.kind if found is not None else Mode.WORKING
    links = [x for p in pins_of(job, module) for x in supply_links(job, p)]
    ends = [job.terminal(a) for x in links for a in x.starts]
    rails = [t for t in ends if isinstance(t, Rail)]
    if rails and not any(alive(t, moment.state) for t in rails):
        return False
    if kind is Mode.WORKING:
        return True
    return False if steered(job, module) and kind in (Mode.OFF, Mode.STANDBY) else None


def steered(job: Job, module: Module) -> bool:
    """Whether anything but its rail decides when a module is fed: a switch in its plus or its minus, or a contact of the host."""
    links = [x for p in pins_of(job, module) for x in supply_links(job, p)]
    ends = {e for s in job.host.switches for e in (s.common, *s.ways)}
    by_contact = any(a.partition(".")[2] in ends for x in links for a in x.starts)
    return by_contact or any(
        does(s, Does.SWITCHES) for x in (*links, *return_links(job, module.id)) for s in x.sections
    )


def wish(job: Job, of: str, what: WantedOf, moment: StateMoment) -> bool | None:
    """What the person wants of something in a moment; None where nothing is said."""
    said = [w for w in job.wants if (w.of, w.what, w.state) == (of, what, moment.state)]
    exact = next((w.yes for w in said if w.doing == moment.doing), None)
    return exact if exact is not None else next((w.yes for w in said if not w.doing), None)


def pins_of(job: Job, module: Module) -> list[str]:
    """The supply pins of a module that the plan joins."""
    return [p for p in addresses_of(job, SupplyIn, module.id) if supply_links(job, p)]


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
