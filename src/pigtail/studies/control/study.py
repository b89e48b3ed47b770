"""Control: the table of states, solved from the one netlist with its devices, in every moment and over the whole spread.

A moment is a host state and what a module does in it. In each the operating point tells what stands at the module's pins, at every line
and input, through every indicator and switch. Whether that is right is judged against what is wanted, typed by the person or plain (on in
the state to play in, off while the host waits, the host's own outputs as they were). Limits and words stand in the tables beside this.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from pigtail.catalogue.topologies import Does
from pigtail.job.document import Control, ControlIn, Job, Purpose, SupplyIn
from pigtail.job.quantities import DOINGS
from pigtail.model import subjects
from pigtail.model.cascade import networks, section_inputs
from pigtail.model.course import averages_of
from pigtail.model.estimate import Estimate, Input, Wanted
from pigtail.model.model import Model
from pigtail.model.netlist import Netlist, compile_job
from pigtail.model.probed import LEFT_ASLEEP
from pigtail.model.spread import Samples, estimate_many
from pigtail.model.terminals import beside_inputs
from pigtail.studies.control.asked import Asked, Scene, gathered
from pigtail.studies.control.columns import columns
from pigtail.studies.control.drive import SwitchDrive, drives
from pigtail.studies.control.fed import ModuleColumn
from pigtail.studies.control.found import ControlFound, Row
from pigtail.studies.control.hazard import hazard_findings
from pigtail.studies.control.meant import StateMoment
from pigtail.studies.control.moments import case_of, idle, moments
from pigtail.studies.control.outputs import PathColumn
from pigtail.studies.control.presses import pressed
from pigtail.studies.control.transitions import transition_findings
from pigtail.studies.findings import Finding
from pigtail.studies.parts import study_parts
from pigtail.studies.power.supply import ambient_input
from pigtail.studies.wording import tell
from pigtail.units import Basis

Array = NDArray[np.float64]
#: What tells nothing but that all is well is said once for a column.
CONTROLS = (Does.SWITCHES, Does.PULLS, Does.SHOWS, Does.MUTES, Does.DELAYS, Does.COMPARES, Does.AVERAGES)


def study_control(model: Model) -> ControlFound:
    """Study what turns on, mutes and lights. Raises CompileError."""
    job = model.job
    if not job.modules:
        return ControlFound("control", {}, (tell("control.no_module", ""),))
    net = compile_job(job, job.working_state(), averages=averages_of(job), clamps=True)
    scene = Scene(model, net, moments(model))
    asked, driven = columns(scene), drives(scene)
    if not asked:
        return ControlFound("control", {}, (tell("control.nothing_fed", ""),))
    solved = _solved(scene, asked, driven)
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
    findings += hazard_findings(scene)
    presses, said = pressed(scene)
    findings += said
    if not model.quick:
        findings += transition_findings(scene)
    for link in job.links:
        if link.purpose is Purpose.CONTROL:
            findings += study_parts(model, link, "control")
    if not driven and not any(x.purpose is Purpose.CONTROL for x in job.links):
        findings.append(tell("control.nothing", ""))
    return ControlFound(
        "control", _numbers(asked, solved), tuple(findings), tuple(a.column for a in asked), tuple(rows), tuple(details), (), presses,
        _given(asked, solved, rows),
    )  # fmt: skip


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


def inputs_of(job: Job, net: Netlist) -> list[Input]:
    """All that the study rests on: the deck, the limits of lines and inputs, what each network is rated for, the air inside."""
    found = [
        i
        for i in net.inputs
        if i.in_deck or isinstance(job.terminal(i.subject.owner), SupplyIn | Control | ControlIn)
    ]
    for address in net.terminals:
        terminal = job.terminal(address)
        if isinstance(terminal, Control):
            found += beside_inputs(job, address, "least", "takes", "sources", "sinks")
        elif isinstance(terminal, SupplyIn):
            found += beside_inputs(job, address, *(d for d in DOINGS if getattr(terminal, d) is not None))
    for link in job.links:
        for network in networks(link):
            if network.shape.does & set(CONTROLS):
                found += [i for i in section_inputs(link, network.at) if not i.in_deck]
    found.append(ambient_input(job))
    return list({i.name: i for i in found}.values())


def _solved(scene: Scene, asked: Sequence[Asked], driven: Sequence[SwitchDrive]) -> list[dict[str, Estimate]]:
    """The numbers of all columns and drives in every moment, over the spread, in one batch."""
    net, job = scene.net, scene.job
    inputs = inputs_of(job, net)
    cases = [case_of(net, job, m) for m in scene.moments]
    names = sorted({n for c in cases for n in c})
    drawn = _drawn(scene)
    for path in (a for a in asked if isinstance(a, PathColumn)):
        _loudest(scene, path, cases, names, inputs)
    wanted: dict[str, Wanted] = {}
    for k, column in enumerate(asked):
        wanted |= {f"c{k}.{n}": w for n, w in column.wanted().items()}
    for k, drive in enumerate(driven):
        wanted |= {f"d{k}.{n}": w for n, w in drive.wanted().items()}

    def solve(flat: Samples) -> dict[str, Array]:
        """All results of rows that belong to the moments in turn: arrays [moments · rows]."""
        whole = next(iter(flat.values())).size
        rows = whole // len(cases)
        samples = dict(flat) | {n: np.repeat([c.get(n, 0.0) for c in cases], rows) for n in names}
        for at, changes in drawn.items():
            for name, source, part in changes:
                samples[name] = samples[name].copy()
                samples[name][at * rows : (at + 1) * rows] = part * flat[source][at * rows : (at + 1) * rows]
        deck = {k: v for k, v in samples.items() if k in net.known}
        solved = net.whole(deck)
        results: dict[str, Array] = {}
        for k, column in enumerate(asked):
            results |= {
                f"c{k}.{n}": np.broadcast_to(v, (whole,)) for n, v in column.solve(samples, solved).items()
            }
        for k, drive in enumerate(driven):
            results |= {
                f"d{k}.{n}": np.broadcast_to(v, (whole,)) for n, v in drive.solve(samples, solved).items()
            }
        return results

    if scene.model.quick:
        nominal = {i.name: np.full(len(cases), i.ends[1]) for i in inputs}
        found = solve(nominal)
        return [
            {
                n: Estimate(
                    float(found[n][at]),
                    float(found[n][at]),
                    float(found[n][at]),
                    w.unit,
                    Basis.GUESSED,
                    w.words,
                )
                for n, w in wanted.items()
            }
            for at in range(len(cases))
        ]
    return estimate_many([inputs] * len(cases), solve, wanted)


def _exact(value: float, wanted: Wanted) -> Estimate:
    """A nominal value as an estimate without a spread. The value in the [unit of the number]."""
    return Estimate(value, value, value, wanted.unit, Basis.GUESSED, wanted.words)


def _drawn(scene: Scene) -> dict[int, list[tuple[str, str, float]]]:
    """Where a pin draws something else than while it plays, by moments: parameter, the parameter of what it draws then, and the part of
    that: a module that is off hardly draws."""
    found: dict[int, list[tuple[str, str, float]]] = {}
    for at, moment in enumerate(scene.moments):
        asleep = idle(scene.model, moment)
        changes: list[tuple[str, str, float]] = []
        for module in scene.job.modules:
            for pin in module.terminals:
                if not isinstance(pin, SupplyIn):
                    continue
                name = subjects.terminal(f"{module.id}.{pin.id}").parameter
                told = moment.doing in DOINGS and getattr(pin, moment.doing) is not None
                if module.id in asleep:
                    changes += [(name(f), name("average"), LEFT_ASLEEP) for f in ("burst", "average")]
                elif module.id == moment.module and told:
                    changes += [(name(f), name(moment.doing), 1.0) for f in ("burst", "average")]
        if changes:
            found[at] = changes
    return found


def _loudest(
    scene: Scene, path: PathColumn, cases: Sequence[object], names: Sequence[str], inputs: Sequence[Input]
) -> None:
    """How loud a path is in the moment in which it is loudest [dB], at nominal values."""
    net = scene.net
    samples: dict[str, Array] = {i.name: np.full(len(cases), i.ends[1]) for i in inputs}
    samples |= {n: np.array([c.get(n, 0.0) for c in cases]) for n in names}  # type: ignore[attr-defined]
    deck = {k: v for k, v in samples.items() if k in net.known}
    path.loudest = float(np.max(path.level(samples | deck, net.whole(deck))))


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
