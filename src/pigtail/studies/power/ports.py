"""What may stand on which port of a link: a supply on a signal pin, a rail where a return belongs, a port that nothing is joined to.

Rules of what is joined alone, before anything is solved: they hold for every link, whatever its networks do.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import product

from pigtail.catalogue.topologies import Does, does, topology
from pigtail.job.document import (
    HOST,
    AnyTerminal,
    AudioIn,
    AudioOut,
    Control,
    Digital,
    Job,
    Link,
    Pin,
    Purpose,
    Rail,
    Return,
    SupplyIn,
    Video,
    WindingEnd,
)
from pigtail.job.wiring import rail_of
from pigtail.language import tr
from pigtail.studies.findings import Finding
from pigtail.studies.wording import tell

SUPPLIES = (Rail, SupplyIn)
SIGNALS = (AudioOut, AudioIn, Digital, Video, Control)
#: Ports at which a network stands on a return, and what they are called.
FEET = {"com": tr("the common"), "back": tr("the source's return")}


def port_findings(job: Job) -> list[Finding]:
    """The findings about ports of all links, the worst first for each link."""
    rules = (_mistaken, _not_known, _no_supply, _open)
    return [f for link in job.links for rule in rules for f in rule(job, link)]


def _mistaken(job: Job, link: Link) -> Iterator[Finding]:
    """A supply where a signal or a return belongs, an output on a return: at most one of each kind is told of a link."""
    placed = {j.port: job.terminal(j.terminal) for j in link.joins}
    names = {j.port: job.label(j.terminal) for j in link.joins}
    if link.purpose is Purpose.SUPPLY and isinstance(placed.get("com"), SUPPLIES):
        return  # plus and minus swapped, which is told of the pin
    path = _path(link, placed)
    for one, other in product(path, path):
        if isinstance(path[one], (*SUPPLIES, WindingEnd)) and isinstance(path[other], SIGNALS):
            yield _told("power.on_signal", link, names[one], names[other])
            return
    for one, other in product(path, path):
        if isinstance(path[one], SupplyIn) and isinstance(path[other], Return) and not _turned(job, link):
            yield _told("power.pin_on_return", link, names[one], names[other])
            return
        if isinstance(path[one], Rail) and isinstance(path[other], Return) and not _turned(job, link):
            yield _told("power.rail_on_return", link, names[one], names[other])
            return
        apart = any(does(s, Does.EITHER) for s in link.sections)
        if isinstance(path[one], Rail) and isinstance(path[other], Rail) and one != other and not apart:
            yield _told("power.rails_joined", link, names[one], names[other])
            return
    for port, foot in FEET.items():
        if isinstance(placed.get(port), (*SUPPLIES, *SIGNALS)) and not (
            port == "back" and _turned(job, link)
        ):
            yield _told("power.foot_on_supply", link, names[port], foot, placed[port])
            return
    if link.purpose is Purpose.RETURN:
        for one, other in product(path, path):
            if isinstance(path[one], SIGNALS) and isinstance(path[other], Return):
                yield _told("power.signal_on_return", link, names[one], names[other])
                return


def _path(link: Link, placed: dict[str, AnyTerminal | None]) -> dict[str, AnyTerminal | None]:
    """What lies on the path of a link, by port: without its feet and what supplies or works it. Of a link of control that is more than a
    wire its supply pins alone: a resistor or an LED from a rail to a line is meant."""
    path = {p: t for p, t in placed.items() if p not in FEET and p not in ("sup", "ctl")}
    if link.purpose is Purpose.CONTROL and not all(does(s, Does.CONDUCTS) for s in link.sections):
        return {p: t for p, t in path.items() if isinstance(t, SupplyIn)}
    return path


def _turned(job: Job, link: Link) -> bool:
    """Whether a converter whose two sides are separate stands the other way round on its rail, as a host wants whose plus is its
    ground."""
    rail = rail_of(job, link)
    return rail in link.at("back") and any(does(s, Does.SEPARATES) for s in link.sections)


def _not_known(job: Job, link: Link) -> Iterator[Finding]:
    """A pin of which nobody knows what it does."""
    contacts = {f"{HOST}.{e}" for s in job.host.switches for e in (s.common, *s.ways)}
    for join in link.joins:
        if isinstance(job.terminal(join.terminal), Pin) and join.terminal not in contacts:
            yield tell("power.pin_unknown", link.id, {"link": link.name, "name": job.label(join.terminal)})
            return


def _no_supply(job: Job, link: Link) -> Iterator[Finding]:
    """A stage that would take its supply from what is none."""
    for address in link.at("sup"):
        if isinstance(job.terminal(address), (*SIGNALS, Return)):
            yield tell("power.stage_on_none", link.id, {"link": link.name, "name": job.label(address)})


def _open(job: Job, link: Link) -> Iterator[Finding]:
    """A foot of a network that is joined to nothing."""
    rectifies = any(does(s, Does.RECTIFIES) for s in link.sections)
    for section in link.sections:
        shape = topology(section.topology)
        for port, words in FEET.items():
            if port == "back" and rectifies:
                continue  # the rectifier's own minus: nothing else needs to be there
            if port in shape.sides and not link.at(port):
                yield tell(
                    f"{'level' if link.purpose is Purpose.FEED else 'power'}.open_foot",
                    link.id,
                    {"link": link.name, "network": shape.short, "foot": words},
                )
                return


def _told(code: str, link: Link, name: str, other: str, terminal: AnyTerminal | None = None) -> Finding:
    words = {"link": link.name, "name": name, "other": other}
    if code == "power.foot_on_supply":
        words["consequence"] = (
            tr("its volts go where 0 V belongs")
            if isinstance(terminal, SUPPLIES)
            else tr("it is shorted to that foot")
        )
    return tell(code, link.id, words)
