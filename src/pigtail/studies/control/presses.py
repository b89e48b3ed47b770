"""Trigger boards: which input each button fires in each position of the selectors, what floats, and what fires with nothing pressed."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import product

import numpy as np

from pigtail.job.control import SPRINGS, Acts, Switch
from pigtail.job.document import ControlIn
from pigtail.job.quantities import quantity
from pigtail.language import tr
from pigtail.model import subjects
from pigtail.studies.control.asked import Scene
from pigtail.studies.control.found import Press
from pigtail.studies.findings import Finding
from pigtail.studies.wording import listed, tell

#: Of more than this many positions together only those of each switch by itself are gone through.
MOST = 512
PRESSED, RELEASED = "pressed", ""


def pressed(scene: Scene) -> tuple[tuple[Press, ...], list[Finding]]:
    """What every button fires in every position, and what is said of it; nothing where no input triggers."""
    job, net = scene.job, scene.net
    triggers = [
        a for a in net.terminals if isinstance(t := job.terminal(a), ControlIn) and t.acts is Acts.TRIGGERS
    ]
    there = [
        s for s in job.host.switches if f"{subjects.switch(s.id).parameter(s.ways[0])}__made" in net.known
    ]
    if not triggers or not there:
        return (), []
    stays = [s for s in there if s.kind not in SPRINGS]
    buttons = [s for s in there if s.kind in SPRINGS]
    positions = list(product(*(_positions(s) for s in stays)))[:MOST]
    rows = [(p, b) for p in positions for b in (None, *buttons)]
    state = job.working_state()
    switches = dict(net.switches[state])
    samples = {n: np.full(len(rows), v[0]) for n, v in net.nominal.items()} | {
        n: np.full(len(rows), v) for n, v in switches.items()
    }
    for switch in there:
        for way in switch.ways:
            name = f"{subjects.switch(switch.id).parameter(way)}__made"
            samples[name] = np.array([float(_made(switch, way, p, b, stays)) for p, b in rows])
    solved = net.whole(samples)
    volts = {
        a: np.broadcast_to(np.asarray(solved.v(net.node(a), net.reference(a))), (len(rows),))
        for a in triggers
    }
    found = []
    for k, (position, button) in enumerate(rows):
        fires, undecided = [], []
        for address in triggers:
            active = _active(scene, address, float(volts[address][k]))
            if active is None:
                undecided.append(address)
            elif active:
                fires.append(address)
        where = (
            listed(
                tr("{s} on {point}", s=s.name, point=_point(scene, w)) if w else tr("{s} open", s=s.name)
                for s, w in zip(stays, position, strict=True)
            )
            if stays
            else ""
        )
        found.append(Press(where, button.name if button else "", tuple(fires), tuple(undecided)))
    return tuple(found), list(_judged(scene, found, bool(buttons)))


def _positions(switch: Switch) -> tuple[str, ...]:
    """The ways that a switch may stand on; one with a single way may be open too."""
    return switch.ways if len(switch.ways) > 1 else (*switch.ways, "")


def _made(
    switch: Switch, way: str, position: tuple[str, ...], button: Switch | None, stays: list[Switch]
) -> bool:
    if switch.kind in SPRINGS:
        return switch is button
    return position[stays.index(switch)] == way


def _point(scene: Scene, way: str) -> str:
    return scene.job.label(f"host.{way}")


def _active(scene: Scene, address: str, volts: float) -> bool | None:
    pin = scene.job.terminal(address)
    assert isinstance(pin, ControlIn)
    high, low = (quantity(pin, f) for f in ("high", "low"))
    above, below = (q.of(pin) if q else None for q in (high, low))
    if above is not None and volts >= above.high:
        return not pin.active_low
    return pin.active_low if below is not None and volts <= below.low else None


def _judged(scene: Scene, presses: list[Press], buttons: bool) -> Iterator[Finding]:
    def name(addresses: tuple[str, ...]) -> str:
        return listed(scene.job.label(a) for a in addresses)

    floats = next((p for p in presses if p.undecided), None)
    if floats is not None:
        yield tell(
            "control.trigger_floats",
            floats.undecided[0],
            {"name": name(floats.undecided[:1]), "where": _when(floats)},
        )
    double = next((p for p in presses if len(p.fires) > 1), None)
    if double is not None:
        yield tell(
            "control.trigger_two", double.fires[0], {"names": name(double.fires), "where": _when(double)}
        )
    held = next((p for p in presses if not p.button and p.fires), None)
    if held is not None:
        where = _when(held) if buttons else held.position
        yield tell("control.trigger_held", held.fires[0], {"name": name(held.fires[:1]), "where": where})
    none = next((p for p in presses if p.button and not p.fires and not p.undecided), None)
    if none is None and not buttons and not any(p.fires or p.undecided for p in presses):
        none = presses[0]
    if none is not None:
        yield tell(
            "control.trigger_none",
            "",
            {"where": _when(none) if none.button else tr("any switch in any position")},
        )
    if not (floats or double or held or none):
        yield tell("control.triggers", "", {"count": str(len([p for p in presses if p.fires]))})


def _when(press: Press) -> str:
    parts = [
        tr("{button} pressed", button=press.button) if press.button else tr("nothing pressed"),
        press.position,
    ]
    return tr(" and ").join(p for p in parts if p)
