"""Lines of hazardous volts: only through rated resistors or an isolator; and whether those resistors stand what lies across them."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from pigtail.catalogue.ratings import stands_v
from pigtail.catalogue.topologies import Does
from pigtail.job.document import Control, Job, Link
from pigtail.job.safety import HAZARD_DC_V
from pigtail.model.cascade import networks
from pigtail.studies.control.asked import Scene
from pigtail.studies.findings import Finding
from pigtail.studies.wording import tell
from pigtail.units import format_quantity

#: What may stand on a line of hazardous volts.
ALLOWED = (Does.DIVIDES_HIGH, Does.APART, Does.PADS)
#: Volts across a part that are not worth a word.
SMALL_V = 50.0


def most_of(line: Control) -> float | None:
    """The most that a line stands at in any state [V]; None where nobody knows."""
    every = [k for k in (line.level, *(s.level for s in line.per_state)) if k is not None]
    return max((max(abs(k.low), abs(k.high)) for k in every), default=None)


def hazardous_lines(job: Job, link: Link) -> list[str]:
    """Addresses of the lines of hazardous volts that a link joins."""
    found = []
    for join in link.joins:
        line = job.terminal(join.terminal)
        if isinstance(line, Control) and (most_of(line) or 0.0) > HAZARD_DC_V:
            found.append(join.terminal)
    return found


def hazard_findings(scene: Scene) -> list[Finding]:
    """What is said of all lines of hazardous volts that the plan joins."""
    return [
        f
        for link in scene.job.links
        for a in hazardous_lines(scene.job, link)
        for f in _of_line(scene, link, a)
    ]


def _of_line(scene: Scene, link: Link, address: str) -> Iterator[Finding]:
    job = scene.job
    line = job.terminal(address)
    assert isinstance(line, Control)
    volts = most_of(line) or 0.0
    port = next(j.port for j in link.joins if j.terminal == address)
    every = networks(link)
    first = next((n for n in every if port in n.shape.ports), every[0]) if port == "ctl" else every[0]
    words = {"name": job.label(address), "volts": format_quantity(volts, "V"), "link": link.name}
    if not first.shape.does & set(ALLOWED):
        yield tell("control.high_voltage", address, words)
        return
    yield tell("control.high_voltage_care", address, words)
    names = {i.name: i.ends for i in scene.net.inputs if i.in_deck}
    samples = {n: np.array([e[1]]) for n, e in names.items()} | {
        k: np.array([v]) for k, v in scene.net.switches[_highest(job, address)].items()
    }
    solved = scene.net.whole(samples)
    rise = volts / max(
        abs(float(np.ravel(solved.v(scene.net.node(address), scene.net.reference(address)))[0])), 1.0
    )
    given = {p.name: p for p in first.section.parts}
    for rule in first.shape.bought():
        nodes = first.lies_between(rule.name)
        if rule.kind != "resistor" or nodes is None:
            continue
        across = rise * abs(float(np.ravel(solved.v(*nodes))[0]))
        if across < SMALL_V:
            continue
        rating = given[rule.name].rating if rule.name in given else None
        about = words | {"part": rule.name.upper(), "across": format_quantity(across, "V")}
        place = (first.at, rule.name)
        if rating is None:
            yield tell("control.resistor_unrated", link.id, about, part=place)
            continue
        stands = stands_v(rating.low)
        about |= {"watts": format_quantity(rating.nominal, "W"), "stands": format_quantity(stands, "V")}
        code = "control.resistor_volts" if across > stands else "control.resistor_stands"
        yield tell(
            code, link.id, about, value=across, limit=stands, margin=stands - across, unit="V", part=place
        )


def _highest(job: Job, address: str) -> str:
    """The state in which a line stands highest."""
    line = job.terminal(address)
    assert isinstance(line, Control)
    told = {s.state: abs(s.level.high) for s in line.per_state}
    level = abs(line.level.high) if line.level is not None else 0.0
    states = [s.id for s in job.host.states] or [job.working_state()]
    return max(states, key=lambda s: told.get(s, level if not line.states or s in line.states else 0.0))
