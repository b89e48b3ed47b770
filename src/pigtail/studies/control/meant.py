"""What is meant of things in a host state: whether a module is to be fed, what the person wants. Free of numerical packages."""

from __future__ import annotations

from typing import NamedTuple

from pigtail.catalogue.topologies import Does, does
from pigtail.job.control import OFF, UNPLUGGED, WantedOf
from pigtail.job.document import Job, Mode, Module, Rail, SupplyIn, alive
from pigtail.job.wiring import addresses_of, return_links, supply_links


class StateMoment(NamedTuple):
    """A host state, and of one module (empty for none) what it does in it."""

    state: str
    module: str
    doing: str

    @property
    def off(self) -> bool:
        """Whether nothing is fed in it, as far as is meant: what is left is then judged against a module that hardly draws."""
        return self.doing in (OFF, UNPLUGGED)


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
