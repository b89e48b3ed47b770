"""Lines that blink: averaged into a voltage that a controller reads, and what must not be steered by one."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import msgspec
import numpy as np

from pigtail.catalogue.topologies import Does
from pigtail.job.control import Acts, Drive, Pull
from pigtail.job.document import Control, ControlIn, Link, Module
from pigtail.language import tr
from pigtail.model import subjects
from pigtail.model.cascade import Network, networks, section_inputs
from pigtail.model.estimate import Input, Wanted
from pigtail.model.spread import Samples, estimate_many
from pigtail.model.terminals import beside_inputs, terminal_inputs
from pigtail.studies.control.asked import Array, Scene
from pigtail.studies.control.found import Row, StateCell
from pigtail.studies.control.moments import blinks
from pigtail.studies.findings import Finding, Severity, worst
from pigtail.studies.judging import judge
from pigtail.studies.wording import tell

#: What a blinking line may go through: an average, a light; a delay may ride over it.
FOLLOWS_NOT = frozenset({Does.AVERAGES, Does.SHOWS})
#: Time constants after which an average has settled to a twentieth.
SETTLED = 3.0


def blinking_findings(scene: Scene) -> Iterator[Finding]:
    """What is said of lines that blink while a module does something."""
    for module in scene.job.modules:
        lines = {b for d in module.doings for b in d.blinking}
        for link in scene.job.links:
            for join in link.joins:
                device, _, line = join.terminal.partition(".")
                if device != module.id or line not in lines or join.port in ("out", "com"):
                    continue
                yield from _of_link(scene, module, link, join.terminal)


def with_blinks(scene: Scene, rows: Sequence[Row], found: Sequence[Finding]) -> list[Row]:
    """The rows with what is said of blinking lines in the cells of what they reach, while they blink."""
    told = {f.subject: f for f in found}
    made = []
    for row in rows:
        module = next((m for m in scene.job.modules if m.id == row.module), None)
        ends = {
            e: told[x.id]
            for x in scene.job.links
            for e in x.at("out")
            if x.id in told and module is not None
            for a in (j.terminal for j in x.joins)
            if a.startswith(f"{module.id}.") and blinks(module, a.partition(".")[2], row.doing)
        }
        cells = tuple(_told(c, ends.get(c.column.partition(".")[2])) for c in row.cells)
        made.append(msgspec.structs.replace(row, cells=cells))
    return made


def _told(cell: StateCell, finding: Finding | None) -> StateCell:
    """A cell with a finding that is worse than what it has."""
    if finding is None or worst([finding.severity, cell.severity or Severity.GOOD]) is not finding.severity:
        return cell
    return msgspec.structs.replace(cell, severity=finding.severity, why=finding.sentence)


def _of_link(scene: Scene, module: Module, link: Link, line: str) -> Iterator[Finding]:
    does = {d for n in networks(link) for d in n.shape.does}
    end = next(iter(link.at("out")), "")
    average = next((n for n in networks(link) if Does.AVERAGES in n.shape.does), None)
    source = scene.job.terminal(line)
    assert isinstance(source, Control)
    if average is not None:
        if source.drive is not Drive.OPEN_DRAIN:
            yield _averaged(scene, link, average, line, end)
        else:
            held = any(j.terminal == line for x in scene.job.links if x is not link for j in x.joins)
            code = "control.average_untold" if held else "control.nothing_to_average"
            yield tell(code, link.id, {"line": scene.job.label(line), "link": link.name})
        return
    pin = scene.job.terminal(end)
    if does & FOLLOWS_NOT or (isinstance(pin, ControlIn) and pin.acts is Acts.READ):
        return
    when = next(d.does for d in module.doings if line.partition(".")[2] in d.blinking)
    words = {"line": scene.job.label(line), "when": when, "link": link.name, "name": module.name}
    yield tell("control.blinks_through" if Does.DELAYS in does else "control.chatters", link.id, words)


def _averaged(scene: Scene, link: Link, network: Network, line: str, end: str) -> Finding:
    """Whether off, blinking and steady lie apart behind an average, ripple included."""
    job = scene.job
    pin = job.terminal(end)
    inputs: list[Input] = [
        *(i for i in terminal_inputs(job, line) if i.field in ("level", "impedance")),
        *beside_inputs(job, line, "blink", "duty"),
        *section_inputs(link, network.at),
    ]
    pulled = isinstance(pin, ControlIn) and pin.pulls is Pull.DOWN
    if pulled:
        inputs += [i for i in terminal_inputs(job, end) if i.field == "pull"]
    of, mine = subjects.terminal(line).parameter, network.parameter

    def solve(samples: Samples) -> dict[str, Array]:
        leak = 1.0 / samples[mine("r2")]
        if pulled:
            leak = leak + 1.0 / samples[subjects.terminal(end).parameter("pull")]
        ahead = samples[of("impedance")] + samples[mine("r1")]
        steady = samples[of("level")] / (1.0 + ahead * leak)
        tau = samples[mine("c1")] / (1.0 / ahead + leak)
        period, duty = 1.0 / samples[of("blink")], samples[of("duty")]
        a, b = np.exp(-duty * period / tau), np.exp(-(1.0 - duty) * period / tau)
        ripple = (1.0 - a) * (1.0 - b) / (1.0 - a * b)
        # the crest and the valley of a square wave behind one pole
        crest = (1.0 - a) / (1.0 - a * b)
        apart = np.minimum(crest - ripple, 1.0 - crest)
        return {
            "apart": apart,
            "steady": steady,
            "mean": duty * steady,
            "ripple": ripple * steady,
            "settles": SETTLED * tau,
        }

    wanted = {
        "apart": Wanted(
            "",
            tr("the part of its range by which {link} keeps off, blinking and steady apart", link=link.name),
        ),
        "steady": Wanted("V", tr("the level while it is steady")),
        "mean": Wanted("V", tr("the level while it blinks")),
        "ripple": Wanted("V", tr("the ripple of that")),
        "settles": Wanted("s", tr("the time in which it settles")),
    }
    (n,) = estimate_many([inputs], solve, wanted)
    words = {"name": link.name} | {k: n[k].short() for k in ("steady", "mean", "ripple", "settles")}
    return judge("control.decoded", n, link.id, words)
