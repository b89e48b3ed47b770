"""What happens as the host goes from one state to another, or a module from one thing that it does to the next, run in time.

The circuit rests in the state before, its capacitors and coils keep what they hold, and at time nought all else is as in the state after.
Capacitances on rails and at supply pins are as told, else as is usual. What is judged: the jump at an input that is heard, and whether what
enables an output comes after the supply and goes before it.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from pigtail.catalogue.topologies import Does, does
from pigtail.circuit import CircuitError, Solution, operating_point, transient
from pigtail.job.control import PLAYING, Acts
from pigtail.job.document import HOST, AudioIn, Control, ControlIn, Job, Mode, SupplyIn, alive
from pigtail.language import tr
from pigtail.model import subjects
from pigtail.model.course import averages_of
from pigtail.model.model import Model
from pigtail.model.netlist import Netlist, compile_job
from pigtail.model.probed import LEFT_ASLEEP
from pigtail.studies.control.asked import Scene
from pigtail.studies.control.found import Curve, Transition
from pigtail.studies.control.meant import StateMoment
from pigtail.studies.control.moments import case_of, idle
from pigtail.studies.findings import Finding
from pigtail.studies.wording import tell
from pigtail.units import format_quantity

Array = NDArray[np.float64]
#: The shortest and the longest that a transition is followed [s], and how much longer it is followed where it still moves.
SHORT_S, LONG_S, LONGER = 0.05, 6.0, 5.0
#: What still moves: more than this part of what it moved in all, in the last tenth.
MOVING = 0.02
#: Points of a curve.
POINTS = 160
#: A jump at an input above this part of the crest of its programme is heard as a thump [1]. Common practice.
THUMP = 0.5
#: What is taken back within this is not told [s].
FLEETING_S = 1e-4
#: The part of a picture that shows what was before [1].
BEFORE = 0.08
#: The most curves of one picture.
MOST = 4


class Passage(NamedTuple):
    """From one moment to another, in words."""

    before: StateMoment
    after: StateMoment
    words: str


class Runs:
    """The circuit of a job with what stands on its rails, and its runs."""

    def __init__(self, scene: Scene) -> None:
        job = scene.job
        self.scene, self.job = scene, job
        self.net: Netlist = compile_job(
            job, job.working_state(), averages=averages_of(job), clamps=True, stores=True
        )
        self.held = [e for e in self.net.circuit.elements if e.kind in ("c", "l")]

    def values(self, moment: StateMoment) -> dict[str, float]:
        """All parameters in a moment, at nominal values [SI]."""
        found = {i.name: i.ends[1] for i in self.net.inputs if i.in_deck} | dict(
            case_of(self.net, self.job, moment)
        )
        for module in idle(self.scene.model, moment):
            for pin in self.job.device(module).terminals:  # type: ignore[union-attr]
                if isinstance(pin, SupplyIn):
                    of_pin = subjects.terminal(f"{module}.{pin.id}").parameter
                    found[of_pin("average")] *= LEFT_ASLEEP
                    found[of_pin("burst")] = found[of_pin("average")]
        found["bursting"] = 0.0
        return {n: v for n, v in found.items() if n in self.net.known}

    def rest(self, moment: StateMoment) -> Solution:
        """The operating point of a moment. Raises CircuitError."""
        return operating_point(self.net.circuit, {n: np.array([v]) for n, v in self.values(moment).items()})

    def run(self, change: Passage) -> Solution:
        """One transition, followed until it rests. Raises CircuitError."""
        rest = self.rest(change.before)
        initial = {}
        for element in self.held:
            value = rest.v(*element.nodes[:2]) if element.kind == "c" else rest.i(element.name)
            initial[element.name] = float(np.ravel(np.asarray(value))[0])
        samples = {n: np.array([v]) for n, v in self.values(change.after).items()}
        stop = SHORT_S
        while True:
            run = transient(
                self.net.circuit, stop, stop / 4000, max_step=stop / 40, samples=samples, initial=initial
            )
            if stop >= LONG_S or not self._moves(run):
                return run
            stop = min(stop * LONGER, LONG_S)

    def _moves(self, run: Solution) -> bool:
        """Whether anything that is watched still moves."""
        times = np.asarray(run.times)
        late = times >= 0.9 * times[-1]
        for address in self.watched():
            volts = self.volts(run, address)
            if np.ptp(volts[late]) > MOVING * max(np.ptp(volts), 0.05):
                return True
        return False

    def volts(self, run: Solution, address: str) -> Array:
        """Volts of a terminal against its return over a run, shape [T]."""
        volts: Array = np.asarray(run.v(self.net.node(address), self.net.reference(address)))[0]
        return volts

    def watched(self) -> list[str]:
        """What is looked at: supply pins, lines and inputs that the plan joins, in this order."""
        job = self.job
        joined = {j.terminal for x in job.links for j in x.joins}
        kinds = (SupplyIn, ControlIn, Control)
        return [
            a
            for kind in kinds
            for a in self.net.terminals
            if isinstance(job.terminal(a), kind) and (a in joined or kind is ControlIn)
        ]


def changes(scene: Scene) -> Iterator[Passage]:
    """The transitions worth a look: woken and put to sleep, linked and unlinked, the plug of the mains pulled."""
    job, every = scene.job, scene.moments
    working = job.working_state()
    names = {s.id: s.name for s in job.host.states}
    rest = next((s.id for s in job.host.states if s.kind is Mode.STANDBY), "") or next(
        (s.id for s in job.host.states if s.kind is Mode.OFF), ""
    )
    before = next((m for m in every if m.state == rest), None)
    plays = next(
        (m for m in every if m.state == working and m.doing in (PLAYING, "linked", "transmitting")), None
    )
    if before is not None and plays is not None and rest != working:
        yield Passage(before, plays, tr("from “{here}” to “{there}”", here=names[rest], there=names[working]))
        yield Passage(plays, before, tr("from “{here}” to “{there}”", here=names[working], there=names[rest]))
    woken = next((m for m in every if m.off and m.state != working and _kind(job, m) is Mode.ON), None)
    if woken is not None and plays is not None:
        yield Passage(
            woken, plays, tr("from “{here}” to “{there}”", here=names[woken.state], there=names[working])
        )
    here = [m for m in every if m.state == working]
    searching = next((m for m in here if m.doing == "searching"), None)
    joined = [m for m in here if m.doing in ("linked", "transmitting", PLAYING)]
    linked = next((m for m in joined if searching is not None and m.module == searching.module), None)
    if searching is not None and linked is not None:
        yield Passage(searching, linked, tr("as it links"))
        yield Passage(linked, searching, tr("as the link is lost"))
    off = next((m for m in every if m.state == job.off_state()), None)
    if off is not None and plays is not None and off.state not in (rest, working):
        yield Passage(
            plays, off, tr("from “{here}” to “{there}”", here=names[working], there=names[off.state])
        )


def transitions_of(job: Job) -> tuple[Transition, ...]:
    """All transitions of a job as they are painted; those that have no solution are left out."""
    from pigtail.studies.control.moments import moments

    model = Model.of(job)
    scene = Scene(model, model.lean.netlist(), moments(model))
    found = []
    runs = Runs(scene)
    for change in changes(scene):
        try:
            found.append(_told(runs, change, runs.run(change)))
        except CircuitError:
            continue
    return tuple(found)


def _told(runs: Runs, change: Passage, run: Solution) -> Transition:
    """One transition: its curves on an even grid, and what happens when."""
    rest = runs.rest(change.before)
    end = float(np.asarray(run.times)[-1])
    times = np.concatenate([[-BEFORE * end, -1e-9], np.asarray(run.times)])
    grid = np.concatenate([[-BEFORE * end, -1e-9], np.linspace(0.0, end, POINTS)])
    curves: list[Curve] = []
    events: list[tuple[float, str]] = []
    for address in runs.watched():
        still = float(np.ravel(np.asarray(rest.v(runs.net.node(address), runs.net.reference(address))))[0])
        volts = np.concatenate([[still, still], runs.volts(run, address)])
        mark, words = _mark(runs.job, address)
        moved = float(np.ptp(volts))
        if moved < 0.05 and len(curves) >= 2:
            continue
        if len(curves) < MOST:
            curves.append(Curve(runs.job.label(address), tuple(np.interp(grid, times, volts).tolist()), mark))
        if mark is not None:
            events += [
                (t, f"{runs.job.label(address)} {words[int(up)]}") for t, up in _crossings(times, volts, mark)
            ]
    return Transition(
        change.before.state, change.after.state, change.words, tuple(grid.tolist()), tuple(curves), tuple(sorted(events)),
    )  # fmt: skip


def _mark(job: Job, address: str) -> tuple[float | None, tuple[str, str]]:
    """The level that a terminal is judged by [V], and what it is below and above that."""
    terminal = job.terminal(address)
    if isinstance(terminal, SupplyIn):
        return (terminal.minimum.nominal if terminal.minimum is not None else None), (
            tr("goes off"),
            tr("is fed"),
        )
    if isinstance(terminal, ControlIn):
        on, off = (tr("at rest"), "active") if not terminal.active_low else ("active", tr("at rest"))
        return (terminal.high.nominal if terminal.high is not None else None), (
            tr("is {on}", on=on),
            tr("is {off}", off=off),
        )
    return None, ("", "")


def _crossings(times: Array, volts: Array, mark: float) -> Iterator[tuple[float, bool]]:
    """When volts pass a level, and whether upward."""
    above = volts >= mark
    found: list[tuple[float, bool]] = []
    for k in np.flatnonzero(above[1:] != above[:-1]).tolist():
        part = (mark - volts[k]) / (volts[k + 1] - volts[k])
        when = float(times[k] + part * (times[k + 1] - times[k]))
        if found and when - found[-1][0] < FLEETING_S:
            found.pop()  # there and back
        else:
            found.append((when, bool(above[k + 1])))
    yield from found


def transition_findings(scene: Scene) -> list[Finding]:
    """What is said of transitions: thumps, and what is let through before its supply has settled or after it fell."""
    found: list[Finding] = []
    told = [c for c in changes(scene) if _may_thump(scene.job, c) or _gated(scene.job)]
    runs = Runs(scene) if told else None
    for change in told:
        assert runs is not None
        try:
            run = runs.run(change)
        except CircuitError:
            continue
        found += _thumps(runs, change, run)
        found += _order(runs, change, run)
    return _worst_of_each(found)


def _worst_of_each(findings: Sequence[Finding]) -> list[Finding]:
    kept: dict[tuple[str, str], Finding] = {}
    for finding in findings:
        other = kept.get(finding.key)
        if other is None or (finding.value or 0.0) > (other.value or 0.0):
            kept[finding.key] = finding
    return list(kept.values())


def _may_thump(job: Job, change: Passage) -> bool:
    """Whether the host is listened to, and a module wakes or a mute opens meanwhile."""
    mutes = any(does(s, Does.MUTES) for x in job.links for s in x.sections)
    return (change.before.off is not change.after.off or mutes) and all(
        job.state(m.state) in job.live_states() and _kind(job, m) is not Mode.STANDBY
        for m in (change.before, change.after)
    )


def _kind(job: Job, moment: StateMoment) -> Mode:
    state = job.state(moment.state)
    return state.kind if state is not None else Mode.WORKING


def _gated(job: Job) -> bool:
    """Whether a module enables or mutes an output of its own."""
    return any(isinstance(t, ControlIn) and t.gates for m in job.modules for t in m.terminals)


def _thumps(runs: Runs, change: Passage, run: Solution) -> Iterator[Finding]:
    """A jump at an input of the host that is heard before and after."""
    for address in runs.net.terminals:
        terminal = runs.job.terminal(address)
        states = (change.before.state, change.after.state)
        kinds = [s.kind for s in runs.job.host.states if s.id in states]
        if not isinstance(terminal, AudioIn) or not address.startswith(f"{HOST}.") or terminal.wanted is None:
            continue
        if not alive(terminal, states[1]) or any(k in (Mode.OFF, Mode.STANDBY) for k in kinds):
            continue
        volts = runs.volts(run, address)
        peak = float(np.max(np.abs(volts - volts[-1])))
        crest = np.sqrt(2) * terminal.wanted.nominal
        if peak > THUMP * crest:
            words = {
                "name": runs.job.label(address),
                "when": change.words,
                "peak": format_quantity(peak, "V"),
                "crest": format_quantity(float(crest), "V"),
            }
            yield tell("control.thump", address, words, value=peak, limit=float(THUMP * crest), unit="V")


def _order(runs: Runs, change: Passage, run: Solution) -> Iterator[Finding]:
    """Whether a module's own enable is active while its supply rises or falls: its output then carries what that does."""
    times = np.asarray(run.times)
    for module in runs.job.modules:
        pins = [
            a
            for a in runs.watched()
            if a.startswith(f"{module.id}.") and isinstance(runs.job.terminal(a), SupplyIn)
        ]
        gates = [t for t in module.terminals if isinstance(t, ControlIn) and t.gates and t.high is not None]
        least = getattr(runs.job.terminal(pins[0]), "minimum", None) if pins else None
        if least is None:
            continue
        supply = runs.volts(run, pins[0])
        waking = supply[-1] > supply[0]
        poor = (supply < least.nominal) & (supply > 0.3 * least.nominal)
        for gate in gates:
            volts = runs.volts(run, f"{module.id}.{gate.id}")
            assert gate.high is not None
            high = volts >= np.minimum(gate.high.nominal, 0.6 * supply)
            lets = high ^ gate.active_low
            open_ = lets if gate.acts is Acts.ENABLES else ~lets
            if not poor.any() or not (open_ & poor).any():
                continue
            span = float(np.trapezoid((open_ & poor).astype(float), times))
            words = {
                "name": runs.job.label(f"{module.id}.{gate.id}"), "module": module.name, "when": change.words,
                "does": "rises" if waking else "falls", "span": format_quantity(span, "s", 2),
            }  # fmt: skip
            yield tell("control.out_of_order", f"{module.id}.{gate.id}", words, value=span, unit="s")
