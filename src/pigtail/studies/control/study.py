"""Control: the table of states, solved from the one netlist with its devices, in every moment and over the whole spread.

A moment is a host state and what a module does in it. In each the operating point tells what stands at the module's pins, at every line
and input, through every indicator and switch. Whether that is right is judged against what is wanted, typed by the person or plain (on in
the state to play in, off while the host waits, the host's own outputs as they were). Limits and words stand in the tables beside this.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from pigtail.catalogue.topologies import Does
from pigtail.job.document import Job, Mode, Purpose, SupplyIn
from pigtail.job.wiring import addresses_of
from pigtail.model.cascade import networks
from pigtail.model.course import averages_of
from pigtail.model.estimate import Estimate
from pigtail.model.model import Model
from pigtail.model.netlist import compile_job
from pigtail.studies.control.asked import Asked, Scene, gathered
from pigtail.studies.control.blinking import blinking_findings, with_blinks
from pigtail.studies.control.columns import columns
from pigtail.studies.control.contacts import contacts
from pigtail.studies.control.drive import drives
from pigtail.studies.control.fed import ModuleColumn
from pigtail.studies.control.found import ColumnKind, ControlFound, Row
from pigtail.studies.control.hazard import hazard_findings
from pigtail.studies.control.meant import StateMoment
from pigtail.studies.control.moments import moments
from pigtail.studies.control.presses import pressed
from pigtail.studies.control.solving import Solving
from pigtail.studies.control.transitions import transition_findings
from pigtail.studies.findings import Finding
from pigtail.studies.parts import study_parts
from pigtail.studies.wording import tell

Array = NDArray[np.float64]
#: What is there to change something from state to state.
WORKED = frozenset({Does.PULLS, Does.COMPARES, Does.MUTES, Does.SHOWS})


def study_control(model: Model) -> ControlFound:
    """Study what turns on, mutes and lights. Raises CompileError."""
    job = model.job
    if not job.modules:
        return ControlFound("control", {}, (tell("control.no_module", ""),))
    rest = model.at_rest
    net = compile_job(rest, rest.working_state(), averages=averages_of(rest), clamps=True)
    scene = Scene(model, net, moments(model))
    asked, driven, touched = columns(scene), drives(scene), contacts(scene)
    if not asked:
        fed = any(addresses_of(job, SupplyIn, m.id) for m in job.modules)
        return ControlFound("control", {}, (tell("control.nothing_fed" if fed else "control.nothing", ""),))
    solved = Solving(scene, asked, driven, touched).estimates()
    told: list[Finding] = []
    rows = []
    for at, moment in enumerate(scene.moments):
        cells = []
        for k, column in enumerate(asked):
            judged = column.judged(moment, _own(solved[at], f"c{k}."))
            cells.append(judged.cell)
            told += judged.findings
        rows.append(_row(model, moment, tuple(cells)))
    findings = gathered(told)
    details = []
    for k, drive in enumerate(driven):
        detail, said = drive.judged([_own(s, f"d{k}.") for s in solved])
        details.append(detail)
        findings += said
    for k, switch in enumerate(touched):
        findings += switch.judged([_own(s, f"s{k}.") for s in solved])
    findings += hazard_findings(scene)
    blinking = list(blinking_findings(scene))
    findings += blinking
    rows = with_blinks(scene, rows, blinking)
    presses, said = pressed(scene)
    findings += said
    if not model.quick:  # while a value is turned the table is looked at, what its parts bear a moment later
        findings += transition_findings(scene)
        for link in job.links:
            if link.purpose is Purpose.CONTROL:
                findings += study_parts(model, link, "control")
    findings += _idle(scene, asked, rows)
    if not driven and not any(x.purpose is Purpose.CONTROL for x in job.links):
        findings.append(tell("control.nothing", ""))
    return ControlFound(
        "control", _numbers(asked, solved), tuple(findings), tuple(a.column for a in asked), tuple(rows), tuple(details), (), presses,
        _given(asked, solved, rows),
    )  # fmt: skip


def _idle(scene: Scene, asked: Sequence[Asked], rows: Sequence[Row]) -> Iterator[Finding]:
    """What pulls, mutes or shows and never does, or always, in any state in which the host is not off."""
    live = [k for k, m in enumerate(scene.moments) if scene.kind(m) is not Mode.OFF]
    for link in scene.job.links:
        does = {d for n in networks(link) for d in n.shape.does} & WORKED
        for at, column in enumerate(c.column for c in asked):
            shows = Does.SHOWS in does and column.subject == link.id
            works = does - {Does.SHOWS} and column.subject in link.at("out")
            if len(live) < 2 or not (
                shows or (works and column.kind in (ColumnKind.INPUT, ColumnKind.OUTPUT))
            ):
                continue
            cells = [rows[k].cells[at] for k in live]
            if len({c.yes for c in cells}) == 1 and cells[0].yes is not None and not (shows and cells[0].yes):
                words = {"link": link.name, "end": column.words, "word": cells[0].word}
                yield tell("control.never", link.id, words)


def _given(
    asked: Sequence[Asked], solved: Sequence[dict[str, Estimate]], rows: Sequence[Row]
) -> dict[tuple[tuple[str, str, str], str], float]:
    """The most that each line and rail gives in each row [A]."""
    found = {}
    for row, numbers in zip(rows, solved, strict=True):
        for k, column in enumerate(asked):
            given = numbers.get(f"c{k}.given")
            if given is not None and given.value is not None:
                found[row.key, column.column.key] = max(abs(given.low), abs(given.high))
    return found


def _own(numbers: dict[str, Estimate], prefix: str) -> dict[str, Estimate]:
    return {n.removeprefix(prefix): e for n, e in numbers.items() if n.startswith(prefix)}


def _row(model: Model, moment: StateMoment, cells: tuple[object, ...]) -> Row:
    state = model.job.state(moment.state)
    return Row(moment.state, state.name if state else "", moment.module, moment.doing, cells)  # type: ignore[arg-type]


def _numbers(asked: Sequence[Asked], solved: Sequence[dict[str, Estimate]]) -> dict[str, Estimate]:
    """The worst of each kind of number over all moments, under stable names."""
    found: dict[str, Estimate] = {}
    for k, column in enumerate(asked):
        if isinstance(column, ModuleColumn):
            every = [
                s[f"c{k}.low_margin"]
                for s, m in zip(solved, column.scene.moments, strict=True)
                if column.expected(m)
            ]
            asleep = [
                s[f"c{k}.off_margin"]
                for s, m in zip(solved, column.scene.moments, strict=True)
                if column.expected(m) is False
            ]
            for name, those in (("low_margin", every), ("off_margin", asleep)):
                if those:
                    worst = min(those, key=lambda e: -np.inf if e.value is None else e.low)
                    found.setdefault(f"control.{name}", worst)
                    if worst.value is None or worst.low < found[f"control.{name}"].low:
                        found[f"control.{name}"] = worst
    return found


def glance_control(job: Job) -> ControlFound:
    """A quick look at the table of states while values are turned, at nominal values alone."""
    return study_control(Model.of(job, quick=True))
