"""What mends a finding of control: another resistor, another switch, a divider, the other way round."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from itertools import islice

from msgspec.structs import replace

from pigtail import edits
from pigtail.advice.controls import ways
from pigtail.advice.telling import tellers
from pigtail.catalogue.topologies import Does, Task, does, first, topology
from pigtail.edits.change import Edit
from pigtail.edits.control import (
    add_control,
    drop_control,
    drop_switch,
    put_switch,
    set_want,
    steer,
    supply_of_module,
)
from pigtail.edits.links import set_part
from pigtail.edits.plan import put_networks
from pigtail.edits.usual import NEAR_M, join
from pigtail.job.control import Acts, Behaviour, WantedOf
from pigtail.job.document import HOST, AudioIn, Control, ControlIn, Job, Link, Purpose, Rail, alive
from pigtail.job.measured import Measured
from pigtail.job.wiring import return_address, return_links, star_address
from pigtail.language import tr
from pigtail.studies.findings import Finding
from pigtail.units import format_quantity
from pigtail.units.series import nearest

Fix = tuple[str, Edit]
#: Ways of one line that are tried for one finding, by how much a resistor is changed [1].
WAYS, STEPS_UP, STEPS_DOWN = 4, (2.2, 4.7, 10.0), (0.47, 0.22, 0.1, 0.047, 0.022)
#: By how much the capacitor of an average is changed [1].
STEPS_SLOWER = (4.7, 22.0, 100.0)
#: The switch that takes nothing from its line, and those whose drivers begin at half a volt.
GATE, BASES = "high_side_pmos_nmos", ("high_side_pmos_npn", "high_side_pnp")
#: What an input that nothing holds is held by [Ω]; the lower end of a divider [Ω].
HOLD_OHM, FOOT_OHM = 47e3, 18e3
#: What is put before an input that feeds its module [Ω].
APART_OHM = (10e3, 22e3)


def control_fixes(job: Job, finding: Finding) -> Iterator[Fix]:
    """Edits worth trying for a finding of control, or of a module that stays on, by its code."""
    for fix in FIXES.get(finding.code, ()):
        yield from fix(job, finding)


def _module_of(job: Job, finding: Finding) -> str:
    """The module that a finding is about: its subject, or that of the pin or link that it names."""
    subject = finding.subject.partition(".")[0]
    if any(m.id == subject for m in job.modules):
        return subject
    return next((m.id for m in job.modules if supply_of_module(job, m.id) == finding.subject), "")


def _switched(job: Job, finding: Finding) -> Iterator[Fix]:
    """The module's supply switched by a line that tells its states apart."""
    module = _module_of(job, finding)
    if not module or not supply_of_module(job, module):
        return
    link = job.link(supply_of_module(job, module))
    now = link.at("ctl") if link is not None else ()
    for teller in tellers(job, module)[:2]:
        found = sorted(ways(job, module, teller.address), key=lambda w: w.key != GATE)
        for way in islice(found, WAYS):
            label = topology(way.key).remedy or tr("use a {short}", short=topology(way.key).short)
            yield (
                label if teller.address in now else tr("{label}, by {line}", label=label, line=way.line),
                way.edit,
            )


def _only_where_heard(job: Job, finding: Finding) -> Iterator[Fix]:
    """The module's supply switched by a line that tells its own source from the others, which then is what is wanted."""
    module = _module_of(job, finding)
    here = [t for t in job.host.terminals if isinstance(t, AudioIn) and t.states]
    heard = {s for t in here if _fed_by(job, module, f"{HOST}.{t.id}") for s in t.states}
    if not heard:
        return
    wished = job
    for state in job.live_states():
        if state.id not in heard:
            wished = set_want(wished, module, WantedOf.POWERED, state.id, "", False)
    for label, edit in _switched(wished, finding):
        yield (
            tr("{label}: on only where it is heard", label=label),
            partial(_both, wants=wished.wants, then=edit),
        )


def _both(job: Job, wants: tuple[Behaviour, ...], then: Edit) -> Job:
    return then(replace(job, wants=wants))


def _fed_by(job: Job, module: str, address: str) -> bool:
    """Whether a feed goes from a module to an input."""
    return any(
        x.purpose is Purpose.FEED
        and address in x.at("out")
        and any(a.startswith(f"{module}.") for a in x.starts)
        for x in job.links
    )


def _held_apart(job: Job, finding: Finding) -> Iterator[Fix]:
    """A resistor in each wire by which a line reaches an input of the module: so little then flows in that nothing lives of it."""
    module = _module_of(job, finding)
    for link in job.links:
        ends = [
            a for a in link.at("out") if a.startswith(f"{module}.") and isinstance(job.terminal(a), ControlIn)
        ]
        if link.purpose is Purpose.CONTROL and ends and all(does(s, Does.CONDUCTS) for s in link.sections):
            for ohm in APART_OHM:
                part = first("control", Does.DROPS).section(r1=ohm)
                yield (
                    tr("{ohm} before {ends}", ohm=_ohm(ohm), ends=job.label(ends[0])),
                    partial(put_networks, link_id=link.id, sections=(part,)),
                )


def _out_of_the_negative(job: Job, finding: Finding) -> Iterator[Fix]:
    """A switch in the negative lead taken out, and one put into the plus that the same line works."""
    for module in job.modules:
        for link in return_links(job, module.id):
            if not any(does(s, Does.SWITCHES) for s in link.sections) or not link.at("ctl"):
                continue
            supply = supply_of_module(job, module.id)
            for key in (GATE, *BASES):
                edit = partial(_moved, home=link.id, supply=supply, key=key, line=link.at("ctl")[0])
                yield tr("{remedy}, and join the negative straight", remedy=topology(key).remedy), edit


def _moved(job: Job, home: str, supply: str, key: str, line: str) -> Job:
    return put_switch(drop_switch(job, home), supply, key, line)


def _links_at(job: Job, address: str) -> list[Link]:
    return [x for x in job.links if any(j.terminal == address for j in x.joins)]


def _resisted(job: Job, links: list[Link], steps: tuple[float, ...]) -> Iterator[Fix]:
    """The series resistor of a network at other values."""
    for link in links:
        for at, section in enumerate(link.sections):
            shape = topology(section.topology)
            rule = shape.doing(Task.SERIES)
            if rule is None or not shape.does & {Does.SWITCHES, Does.PULLS, Does.SHOWS, Does.MUTES}:
                continue
            now = shape.values(section)[rule.name].nominal
            for step in steps:
                value = nearest(now * step, "E12")
                change = partial(
                    set_part, link_id=link.id, section=at, name=rule.name, value=rule.known(value)
                )
                yield (
                    tr(
                        "{upper} of {lower} to {ohm}",
                        upper=rule.name.upper(),
                        lower=link.name.lower(),
                        ohm=_ohm(value),
                    ),
                    change,
                )


def _ohm(value: float) -> str:
    return format_quantity(value, "Ω")


def _lighter(job: Job, finding: Finding) -> Iterator[Fix]:
    """Less taken from a line: its resistor higher, or a gate in the place of a base."""
    links = _links_at(job, finding.subject)
    yield from _resisted(job, links, STEPS_UP)
    for link in links:
        line = next(iter(link.at("ctl")), "")
        if link.purpose is Purpose.SUPPLY and line == finding.subject:
            yield (
                tr("{remedy}, which takes nothing from it", remedy=topology(GATE).remedy),
                partial(put_switch, link_id=link.id, key=GATE, line=line),
            )


def _driven(job: Job, finding: Finding) -> Iterator[Fix]:
    """More drive: base resistors lower, or a driver that begins at half a volt."""
    link = job.link(finding.subject) or job.link(supply_of_module(job, _module_of(job, finding)))
    if link is None:
        return
    for at, section in enumerate(link.sections):
        shape = topology(section.topology)
        rule = shape.doing(Task.LEVEL)
        if rule is not None and Does.SWITCHES in shape.does:
            for step in STEPS_DOWN:
                value = nearest(shape.values(section)[rule.name].nominal * step, "E12")
                change = partial(
                    set_part, link_id=link.id, section=at, name=rule.name, value=rule.known(value)
                )
                yield tr("{upper} to {ohm}", upper=rule.name.upper(), ohm=_ohm(value)), change
    yield from _resisted(job, [link], STEPS_DOWN)
    line = next(iter(link.at("ctl")), "")
    if line and link.purpose is Purpose.SUPPLY:
        for key in (*BASES, GATE):
            yield topology(key).remedy, partial(put_switch, link_id=link.id, key=key, line=line)


def _higher(job: Job, finding: Finding) -> Iterator[Fix]:
    """The resistor before a diode higher."""
    link = job.link(finding.subject)
    yield from _resisted(job, [link] if link is not None else [], STEPS_UP)


def _slower(job: Job, finding: Finding) -> Iterator[Fix]:
    """A larger capacitor where a line is averaged."""
    link = job.link(finding.subject)
    for at, section in enumerate(link.sections if link is not None else ()):
        shape = topology(section.topology)
        for rule in shape.bought() if Does.AVERAGES in shape.does else ():
            for step in STEPS_SLOWER if rule.unit == "F" else ():
                value = nearest(shape.values(section)[rule.name].nominal * step, "E3")
                change = partial(
                    set_part,
                    link_id=finding.subject,
                    section=at,
                    name=rule.name,
                    value=rule.known(value),
                )
                yield (
                    tr("{upper} to {value}", upper=rule.name.upper(), value=format_quantity(value, "F")),
                    change,
                )


def _another(job: Job, finding: Finding) -> Iterator[Fix]:
    """Another switch in the same place, worked by the same line."""
    link = job.link(finding.subject)
    line = next(iter(link.at("ctl")), "") if link is not None else ""
    if line and link is not None and link.purpose is Purpose.SUPPLY:
        for key in (*BASES, GATE):
            if not any(s.topology == key for s in link.sections):
                yield topology(key).remedy, partial(put_switch, link_id=link.id, key=key, line=line)


def _with_diode(job: Job, finding: Finding) -> Iterator[Fix]:
    """A relay with its diode in the place of one without."""
    link = job.link(finding.subject)
    if link is None or not link.at("ctl"):
        return
    caught = first("supply", Does.COILS, Does.CATCHES)
    yield (
        tr("fit the diode across the coil"),
        partial(put_switch, link_id=link.id, key=caught.key, line=link.at("ctl")[0]),
    )


def _steered(job: Job, finding: Finding) -> Iterator[Fix]:
    """A switch that nothing works, worked by a line that tells."""
    module = _module_of(job, finding)
    for teller in tellers(job, module) if module else ():
        yield (
            tr("let {address} work it", address=job.label(teller.address)),
            partial(steer, link_id=finding.subject, line=teller.address),
        )


def _divided(job: Job, finding: Finding) -> Iterator[Fix]:
    """A divider before an input that does not stand its line."""
    measured = Measured(job).job
    pin = measured.terminal(finding.subject)
    if not isinstance(pin, ControlIn) or pin.most is None or pin.high is None or finding.value is None:
        return
    level = pin.most.nominal - finding.value  # what stands there now
    part = (pin.most.low + pin.high.high) / 2 / level if level > 0 else 1.0
    if not 0 < part < 1:
        return
    for link in _links_at(job, finding.subject):
        if link.purpose is Purpose.CONTROL and all(does(s, Does.CONDUCTS, Does.DROPS) for s in link.sections):
            pad = first("control", Does.PADS).section(
                r1=nearest(FOOT_OHM * (1 - part) / part, "E12"), r2=FOOT_OHM
            )
            yield (
                tr("a divider before {subject}", subject=job.label(finding.subject)),
                partial(_padded, link_id=link.id, pad=pad, foot=return_address(job, finding.subject)),
            )


def _padded(job: Job, link_id: str, pad: object, foot: str) -> Job:
    job = put_networks(job, link_id, (pad,))  # type: ignore[arg-type]
    link = job.link(link_id)
    assert link is not None
    if link.at("com") or not foot:
        return job
    return edits.replace_link(job, replace(link, joins=(*link.joins, join("com", foot, NEAR_M))))


def _held(job: Job, finding: Finding) -> Iterator[Fix]:
    """An input that nothing holds, held down or up by a resistor."""
    pin = job.terminal(finding.subject)
    if not isinstance(pin, ControlIn):
        return
    name, key = (
        tr("Pull of {rpartition}", rpartition=job.label(finding.subject).rpartition(" · ")[2]),
        first("control", Does.DROPS).key,
    )
    rest = star_address(job) if not pin.active_low else ""
    hold = partial(add_control, key=key, end=finding.subject, name=name, parts={"r1": HOLD_OHM})
    rails = [
        f"{HOST}.{t.id}" for t in job.host.terminals
        if isinstance(t, Rail) and t.voltage is not None and 2 <= t.voltage.nominal <= 6 and alive(t, job.working_state())
    ]  # fmt: skip
    if rest:
        yield tr("hold it down by {ohm}", ohm=_ohm(HOLD_OHM)), partial(hold, start=rest)
    for rail in rails:
        yield (
            tr("hold it up by {ohm} to {rail}", ohm=_ohm(HOLD_OHM), rail=job.label(rail)),
            partial(hold, start=rail),
        )


def _turned(job: Job, finding: Finding) -> Iterator[Fix]:
    """An indicator joined the other way round: from a rail to its pin, or from its pin to ground."""
    link = job.link(finding.subject)
    if link is None:
        return
    ends = (*link.starts, *link.at("out"))
    line = next(
        (a for a in ends if isinstance(job.terminal(a), Control) and not a.startswith(f"{HOST}.")), ""
    )
    if not line:
        return
    (section, *_) = link.sections
    plain = partial(add_control, key=section.topology, name=link.name)
    if line in link.at("out"):
        yield (
            tr("join it from the pin to ground"),
            partial(_anew, gone=link.id, made=partial(plain, start=line, end=star_address(job))),
        )
        return
    for terminal in job.host.terminals:
        if (
            isinstance(terminal, Rail)
            and terminal.voltage is not None
            and 2 <= terminal.voltage.nominal <= 15
        ):
            rail = f"{HOST}.{terminal.id}"
            yield (
                tr("join it from {terminal} to the pin", terminal=terminal.name),
                partial(_anew, gone=link.id, made=partial(plain, start=rail, end=line)),
            )


def _anew(job: Job, gone: str, made: Edit) -> Job:
    return made(drop_control(job, gone))


def _shown(job: Job, finding: Finding) -> Iterator[Fix]:
    """An indicator that is dim, or asks too much of its pin: another resistor, or a transistor that its pin only steers."""
    link = job.link(finding.subject)
    links = (
        [link]
        if link is not None
        else [x for x in _links_at(job, finding.subject) if any(does(s, Does.SHOWS) for s in x.sections)]
    )
    yield from _resisted(job, links, STEPS_DOWN if link is not None else STEPS_UP)
    told: set[str] = set()
    for each in links:
        line = next((a for a in (*each.starts, *each.at("out")) if isinstance(job.terminal(a), Control)), "")
        for way in ways(job, line, line) if line and not line.startswith(f"{HOST}.") else ():
            label = tr(
                "use an {short}, {rpartition}",
                short=topology(way.key).short,
                rpartition=way.line.rpartition(", ")[2],
            )
            if way.key != each.sections[0].topology and label not in told:
                told.add(label)
                yield label, partial(_anew, gone=each.id, made=way.edit)


def _muted(job: Job, finding: Finding) -> Iterator[Fix]:
    """An output muted, or let through, by a line that tells when."""
    for teller in tellers(job, finding.subject)[:2]:
        for way in islice(ways(job, finding.subject, teller.address), WAYS):
            yield (
                tr(
                    "{value}, by {line}",
                    value=topology(way.key).remedy or topology(way.key).title.lower(),
                    line=way.line,
                ),
                way.edit,
            )


def _later(job: Job, finding: Finding) -> Iterator[Fix]:
    """An enable that follows its supply a moment later, and goes first."""
    pin = job.terminal(finding.subject)
    if not isinstance(pin, ControlIn) or pin.acts is not Acts.ENABLES or pin.active_low:
        return
    shape = first("control", Does.DELAYS)
    for link in _links_at(job, finding.subject):
        if link.purpose is Purpose.CONTROL and all(does(s, Does.CONDUCTS) for s in link.sections):
            yield (
                tr("a delay before it"),
                partial(
                    _padded, link_id=link.id, pad=shape.section(), foot=return_address(job, finding.subject)
                ),
            )


_WAKE: tuple[Callable[[Job, Finding], Iterator[Fix]], ...] = (_out_of_the_negative, _held_apart, _switched)
FIXES: dict[str, tuple[Callable[[Job, Finding], Iterator[Fix]], ...]] = {
    "power.always_on": (_switched,),
    "power.every_source": (_only_where_heard,),
    "power.switched_off": (_driven, _switched),
    "control.stays_on": _WAKE,
    "control.in_negative": (_out_of_the_negative,),
    "control.line_pulled_down": (_lighter,),
    "control.line_need": (_lighter,),
    "control.line_kept": (_lighter,),
    "control.not_powered": (_driven, _switched),
    "control.not_saturated": (_driven,),
    "control.drop_much": (_driven,),
    "control.forced_high": (_driven,),
    "control.gate_low": (_driven,),
    "control.gate_weak": (_driven,),
    "control.coil_weak": (_driven,),
    "control.coil_bare": (_with_diode,),
    "control.gate_breaks": (_another,),
    "control.stands_not": (_another,),
    "control.diode_burns": (_higher,),
    "control.never": (_driven,),
    "control.not_decoded": (_slower,),
    "control.decoded_close": (_slower,),
    "control.nothing_works": (_steered,),
    "control.level_too_high": (_divided,),
    "control.undecided": (_held,),
    "control.trigger_floats": (_held,),
    "control.wrong_way": (_turned,),
    "control.not_seen": (_shown,),
    "control.dim": (_shown,),
    "control.sources_too_much": (_shown,),
    "control.sinks_too_much": (_shown,),
    "control.not_mute": (_muted,),
    "control.not_heard": (_muted,),
    "control.out_of_order": (_later,),
}
