"""The columns of the table of states that a job has: modules, lines, inputs, outputs, lights, rails."""

from __future__ import annotations

from collections.abc import Iterator

from pigtail.catalogue.topologies import Does
from pigtail.job.document import HOST, AudioIn, AudioOut, Control, ControlIn, Purpose, Rail, SupplyIn
from pigtail.job.wiring import addresses_of, supply_links
from pigtail.model.cascade import networks
from pigtail.studies.control.asked import Asked, Scene
from pigtail.studies.control.fed import ModuleColumn, RailColumn
from pigtail.studies.control.lines import InputColumn, LineColumn
from pigtail.studies.control.outputs import LightColumn, OutputColumn, PathColumn


def columns(scene: Scene) -> list[Asked]:
    """All columns of a job: modules, lines, inputs, outputs, lights, rails."""
    return list(_columns(scene))


def _columns(scene: Scene) -> Iterator[Asked]:
    job, net = scene.job, scene.net
    joined = {j.terminal for x in job.links for j in x.joins}
    for module in job.modules:
        pin = next((p for p in addresses_of(job, SupplyIn, module.id) if supply_links(job, p)), "")
        if pin:
            yield ModuleColumn(scene, module, pin)
    steering = {
        j.terminal for x in job.links for j in x.joins if x.purpose is Purpose.CONTROL or j.port == "ctl"
    }
    for address in net.terminals:
        line = job.terminal(address)
        if isinstance(line, Control) and address in steering:
            yield LineColumn(scene, address, line)
    gates: dict[str, list[str]] = {}
    for address in net.terminals:
        pin_in = job.terminal(address)
        if not isinstance(pin_in, ControlIn):
            continue
        if address in joined or not address.startswith(f"{HOST}."):
            yield InputColumn(scene, address, pin_in)
        for gated in pin_in.gates:
            gates.setdefault(f"{address.partition('.')[0]}.{gated}", []).append(address)
    for output, through in gates.items():
        untouched = output.startswith(f"{HOST}.") and not any(g in joined for g in through)
        yield OutputColumn(scene, output, through, untouched=untouched)
    yield from _paths(scene)
    yield from _lights(scene)
    rails = [
        a
        for a in net.terminals
        if isinstance(job.terminal(a), Rail) and a.startswith(f"{HOST}.") and a in joined
    ]
    yield from (RailColumn(scene, a) for a in rails)


def _paths(scene: Scene) -> Iterator[PathColumn]:
    """Signals that a network mutes, and outputs that reach a speaker or input past contacts of switches."""
    job = scene.job
    ends = {f"{HOST}.{e}" for s in job.host.switches for e in (s.common, *s.ways)}
    told: set[str] = set()
    for link in job.links:
        mute = next((n for n in networks(link) if Does.MUTES in n.shape.does), None)
        source = next((a for a in link.starts if isinstance(job.terminal(a), AudioOut)), "")
        end = next(iter(link.at("out")), "")
        if mute is not None and source and isinstance(job.terminal(end), AudioIn) and end not in told:
            told.add(end)
            yield PathColumn(scene, source, end, (link.id, *link.at("ctl"), source, end), mute)
        elif source and end in ends:
            for far in job.links:
                to = next(
                    (a for a in (*far.at("out"), *far.starts) if isinstance(job.terminal(a), AudioIn)), ""
                )
                if far is not link and to and to not in told and {*far.at("out"), *far.starts} & ends:
                    told.add(to)
                    yield PathColumn(scene, source, to, (link.id, far.id, source, to))


def _lights(scene: Scene) -> Iterator[LightColumn]:
    """A column for each colour of each indicator."""
    for link in scene.job.links:
        for network in networks(link):
            if Does.SHOWS in network.shape.does:
                first = "light_current" if "light_current" in network.shape.probes else "line_current"
                for probe in (first, *(p for p in network.shape.probes if p == "second_current")):
                    yield LightColumn(scene, link, network, probe)
