"""What there is one step of for each: covers, parts, wires, plugs, taps, states, … each with its words, traits and mark.

A list is a function of a `WorkPlan`; `LISTS` has them by the name that `steps.toml` uses.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

import msgspec

from pigtail.board.forms import LEGS
from pigtail.catalogue.cautions import CAUTIONS, LOCAL_CODES
from pigtail.catalogue.fittings import fitting_kind, fitting_kinds
from pigtail.catalogue.kinds import has_antenna
from pigtail.catalogue.topologies import Does, does
from pigtail.job.build import BOARD, CELL, Fixing
from pigtail.job.control import Acts
from pigtail.job.document import (
    HOST,
    AudioIn,
    AudioOut,
    Channel,
    Control,
    ControlIn,
    Job,
    Link,
    Module,
    Purpose,
    Return,
    State,
)
from pigtail.job.logbook import Alteration, Alters, Cover, Glue
from pigtail.job.wiring import probe_against, return_links, supply_links
from pigtail.language import tr
from pigtail.panel.template import hole_of, work_on
from pigtail.studies.control.meant import StateMoment, meant
from pigtail.studies.prove.expecting import alive_words, dummy_of
from pigtail.studies.prove.kinds import supply_words
from pigtail.studies.prove.plan import WorkPlan
from pigtail.studies.wording import listed
from pigtail.units import format_quantity

#: Where nobody told of a cover, there is at least one.
THE_CASE = Cover(id="case", name=tr("the cover"))
#: How swarf is kept out: where the panel comes off, and where it does not.
SWARF = tr("Take the panel off and carry it away from the boards first.")
SWARF_INSIDE = tr(
    "Cover every board behind with tape and a cloth, turn it so that swarf falls out, and "
    "have the vacuum run beside the drill."
)
GLUED = {
    Glue.RUBBERY: tr(" Adhesive: a few dots of the rubbery kind, nothing more."),
    Glue.INSTANT: tr(" Adhesive: none that sets hard."),
}
MAINS = ("mains, isolating transformer", "mains, switch-mode supply", "mains, valve stages")


class StepFor(msgspec.Struct, frozen=True):
    """What a step is for: its id in facts and ids of steps, its words, what is true of it, a mark that changes with what is done; the
    host state it is done in, the address that it is about, the links it hangs on."""

    id: str
    words: dict[str, str] = {}
    traits: frozenset[str] = frozenset()
    mark: str = ""
    state: str = ""
    point: str = ""
    links: tuple[str, ...] = ()


def job_words(job: Job) -> dict[str, str]:
    """Words that every step may use."""
    host = job.host
    live = [f"“{s.name}”" for s in job.live_states()]
    kind = supply_words().get(host.supply.value, {})
    return {
        "host": host.name, "states": listed(live) if live else tr("as it is used"), "job": job.name,
        "cautions": " ".join((*CAUTIONS[host.supply], LOCAL_CODES)),
        "tools": tr("meter, iron, bags and a pen for screws and parts")
        + (
            tr(", a resistor to discharge with, an RCD and a series lamp")
            if host.supply.value in MAINS
            else tr(", a current-limited supply")
        ),
        "unplug": kind.get("unplug", tr("Take its power away")), "plug": kind.get("plug", tr("Give it power")),
        "limiter": kind.get("limiter", tr("through a current limit")), "live": kind.get("live", ""),
    }  # fmt: skip


def _job(plan: WorkPlan) -> Iterator[StepFor]:
    turnable = [p.name for p in plan.board.parts if p.mark >= 0 or p.legs or p.form in LEGS]
    connectors = [m.name for m in plan.modules]
    named = (
        listed([*turnable, *(tr("the plug of {n}", n=n) for n in connectors)])
        if turnable or connectors
        else tr("all of it")
    )
    wires = plan.wires
    traits = {
        name
        for name, there in (("boards", plan.networks), ("wires", wires), ("modules", plan.modules))
        if there
    }
    yield StepFor("job", {"turnable": named}, frozenset(traits), state=plan.papers.working_state())


def _sounds(plan: WorkPlan) -> Iterator[StepFor]:
    for sound in plan.papers.work.sounds:
        yield StepFor(sound.id, {"name": sound.name}, mark="")


def covers_of(job: Job) -> tuple[Cover, ...]:
    """The covers of a host: those that are told, else one."""
    return job.work.covers or (THE_CASE,)


def _covers(plan: WorkPlan) -> Iterator[StepFor]:
    for cover in covers_of(plan.papers):
        screws = cover.screws or tr("count its screws and sort them by length")
        heed = tr("instant glue is planned on it, and it must open again: use the rubbery kind") if (
            cover.glue is Glue.INSTANT and cover.opens) else ""  # fmt: skip
        words = {"name": cover.name, "screws": screws, "glue": GLUED.get(cover.glue, ""), "heed": heed}
        yield StepFor(cover.id, words)


def _alterations(kind: Alters) -> Callable[[WorkPlan], Iterator[StepFor]]:
    def subjects(plan: WorkPlan) -> Iterator[StepFor]:
        for each in plan.papers.work.alterations:
            if each.kind is kind:
                yield StepFor(
                    each.id, _altered(each), mark=f"{each.what}|{each.how if kind is Alters.JUMPER else ''}"
                )

    return subjects


def _altered(each: Alteration) -> dict[str, str]:
    stays = (
        tr("{what}: {kind}, and it cannot be put back as it was", what=each.what, kind=tr(each.kind.value))
        if each.back is False
        else ""
    )
    return {
        "id_words": each.what, "how": each.how or tr("as the papers of the module say"), "stays": stays,
        "as_before": tr(", the way round of the photo") if each.way_round else "",
    }  # fmt: skip


def _found(plan: WorkPlan) -> Iterator[StepFor]:
    job = plan.papers
    for address in plan.points:
        terminal = job.terminal(address)
        if (
            isinstance(terminal, Return)
            or not probe_against(job, address)
            or not hasattr(terminal, "return_to")
        ):
            continue
        yield StepFor(address, {"name": job.label(address)}, state=job.working_state(), point=address)


def _networks(plan: WorkPlan) -> Iterator[StepFor]:
    for link in plan.networks:
        parts = [p for p in plan.board.parts if p.link == link.id]
        names = [f"{p.name} {p.value or p.words}".strip() for p in parts]
        ends = [plan.papers.label(j.terminal) for j in link.joins if j.terminal.startswith(f"{HOST}.")]
        traits = frozenset({"feed"} if link.purpose is Purpose.FEED and ends else set())
        mark = "; ".join(f"{p.rule} {p.value} {p.form}" for p in parts)
        words = {
            "name": link.name,
            "parts": listed(names) if names else tr("its parts"),
            "ends": listed(ends) if ends else tr("the host"),
        }
        point = next((j.terminal for j in link.joins if j.terminal.startswith(f"{HOST}.")), "")
        yield StepFor(link.id, words, traits, mark, plan.papers.working_state(), point)


def _fittings(plan: WorkPlan) -> Iterator[StepFor]:
    panel = plan.papers.build.panel
    for fitting in panel.fittings if panel is not None else ():
        if panel is None or fitting.x is None or fitting.y is None or fitting.kind not in fitting_kinds():
            continue
        how, drilled = work_on(panel, fitting)
        swarf = SWARF if panel.comes_off else SWARF_INSIDE
        hole = (
            tr(
                "the hole of {fitting} ({hole_of}) in the {panel} stays",
                fitting=fitting.name,
                hole_of=hole_of(fitting_kind(fitting.kind)),
                panel=panel.name,
            )
            if drilled
            else ""
        )
        yield StepFor(
            fitting.id,
            {"name": fitting.name, "how": how, "stays": hole, "swarf": swarf if drilled else ""},
            mark=f"{fitting.kind} {fitting.x:g} {fitting.y:g}",
        )


def _mountings(plan: WorkPlan) -> Iterator[StepFor]:
    names = {BOARD: tr("the little board"), CELL: tr("the cell")} | {
        m.id: m.name for m in plan.papers.modules
    }
    for mounting in plan.papers.build.mountings:
        if mounting.fixing not in (Fixing.UNSAID, Fixing.LOOSE):
            yield StepFor(
                mounting.of,
                {"name": names[mounting.of], "held": mounting.fixing.value},
                mark=mounting.fixing.value,
            )


#: Which wires come first: returns, then supply, then what carries a signal. Common practice.
_WIRES_FIRST = (
    "return",
    "supply negative",
    "return of the network",
    "AC from the winding",
    "supply, from the rail",
    "supply, at the pin",
)


def _wires(plan: WorkPlan) -> Iterator[StepFor]:
    job = plan.papers
    rank = {name: k for k, name in enumerate(_WIRES_FIRST)}
    for wire in sorted(plan.wires, key=lambda w: (rank.get(w.function, len(rank)), w.number)):
        owners = [plan.owner(a) for a in (wire.a, wire.b) if a and not a.startswith(f"{HOST}.")]
        free = tr(" Leave its end at {listed} free.", listed=listed(dict.fromkeys(owners))) if owners else ""
        words = {
            "number": str(wire.number), "colour": wire.colour, "cut": wire.cut, "start": wire.start, "end": wire.end,
            "carries": tr("it carries: {function}", function=wire.function), "free": free, "link": wire.link, "port": wire.port,
        }  # fmt: skip
        mark = f"{wire.a} {wire.b} {wire.colour} {wire.gauge} {wire.screened} {wire.screen.value if wire.screened else ''}"
        point = next((a for a in (wire.a, wire.b) if a.startswith(f"{HOST}.")), "")
        yield StepFor(f"{wire.link}:{wire.port}", words, mark=mark, state=job.working_state(), point=point)


def _pin_words(plan: WorkPlan, pin: str) -> dict[str, str]:
    load, device = dummy_of(plan, pin), pin.partition(".")[0]
    return {
        "module": plan.owner(pin), "device": device,
        "ohm": format_quantity(load.ohm, "Ω") if load else tr("a resistor that draws what the module does"),
        "watts": format_quantity(load.watts, "W") if load else tr("twice its heat"),
        "heat": format_quantity(load.heat, "W", 2) if load else "Watts",
    }  # fmt: skip


def _pins(plan: WorkPlan) -> Iterator[StepFor]:
    for pin in plan.pins:
        yield StepFor(
            pin,
            _pin_words(plan, pin),
            mark=pin,
            state=plan.papers.working_state(),
            point=pin,
            links=plan.supplying(pin),
        )


def _pin_states(plan: WorkPlan) -> Iterator[StepFor]:
    job = plan.papers
    for pin in plan.pins:
        for state in job.live_states():
            if state.id != job.working_state():
                words = _pin_words(plan, pin) | {"state_name": state.name, "pin": pin, "state": state.id}
                yield StepFor(
                    f"{pin}:{state.id}", words, mark=pin, state=state.id, point=pin, links=plan.supplying(pin)
                )


def _tap_states(plan: WorkPlan) -> Iterator[StepFor]:
    job = plan.papers
    for tap, link in plan.taps:
        module = next(
            (j.terminal.partition(".")[0] for j in link.joins if not j.terminal.startswith(f"{HOST}.")),
            "none",
        )
        for state in job.live_states():
            words = {
                "name": job.label(tap),
                "state_name": state.name,
                "feed_module": module,
                "alive": alive_words(plan.job, (tap,)),
            }
            yield StepFor(f"{tap}:{state.id}", words, mark=tap, state=state.id, point=tap, links=(link.id,))


def _modules(plan: WorkPlan) -> Iterator[StepFor]:
    job = plan.papers
    for module in plan.modules:
        feeds = plan.feeds_of(module.id)
        ends = [j.terminal for x in feeds for j in x.joins]
        here = [
            t
            for a in ends
            if a.startswith(f"{HOST}.") and isinstance(t := job.terminal(a), AudioIn | AudioOut)
        ]
        gives = any(
            isinstance(job.terminal(a), AudioOut)
            for x in feeds
            for a in x.starts
            if a.startswith(f"{module.id}.")
        )
        shows = _shows(module)
        traits = {
            name
            for name, there in (
                ("radio", has_antenna(module) is True), ("sounds", bool(feeds)), ("lights", bool(shows)),
                ("stereo", {Channel.LEFT, Channel.RIGHT} <= {t.channel for t in here}),
            )
            if there
        }  # fmt: skip
        taps = tuple(a for a in ends if a.startswith(f"{HOST}.") and isinstance(job.terminal(a), AudioOut))
        rails = tuple(
            a
            for x in plan.pins
            if x.startswith(f"{module.id}.")
            for s in supply_links(job, x)
            for a in s.starts
        )
        words = {
            "name": module.name, "shows": shows, "partner": tr("the player") if gives else tr("the headphones or the receiver"),
            "alive": alive_words(plan.job, (*taps, *(a for a in rails if a.startswith(f"{HOST}.")))),
        }  # fmt: skip
        yield StepFor(module.id, words, frozenset(traits), state=job.working_state())


def _shows(module: Module) -> str:
    """What the lights of a module do while it does something, in words; empty where nobody told of any."""
    lines = {t.id: t.name for t in module.terminals if isinstance(t, Control)}
    found = []
    for doing in module.doings:
        steady, blinking = ([lines.get(n, n) for n in names] for names in (doing.active, doing.blinking))
        told = [tr("{listed} on", listed=listed(steady))] if steady else []
        told += [tr("{listed} blinking", listed=listed(blinking))] if blinking else []
        found += [f"{doing.does}: {', '.join(told)}"] if told else []
    return "; ".join(found)


def _triggers(plan: WorkPlan) -> Iterator[StepFor]:
    job = plan.papers
    for link in job.links:
        for join in link.joins:
            terminal = job.terminal(join.terminal)
            if isinstance(terminal, ControlIn) and terminal.acts is Acts.TRIGGERS:
                words = {"name": job.label(join.terminal), "module_id": join.terminal.partition(".")[0]}
                yield StepFor(
                    join.terminal, words, mark=join.terminal, state=job.working_state(), links=(link.id,)
                )


def _steered(plan: WorkPlan) -> Iterator[StepFor]:
    """Links that switch, mute or show; triggers are proved one by one."""
    job = plan.papers
    for link in job.links:
        ends = [t for a in link.at("out") if isinstance(t := job.terminal(a), ControlIn)]
        if any(t.acts is Acts.TRIGGERS for t in ends):
            continue
        told = _what_it_does(job, link, ends)
        if told:
            yield StepFor(
                link.id,
                {"name": link.name, "does": told},
                mark=" ".join(s.topology for s in link.sections),
                state=job.working_state(),
                links=(link.id,),
            )


def _what_it_does(job: Job, link: Link, ends: list[ControlIn]) -> str:
    starts = listed([job.label(a) for a in (*link.at("ctl"), *link.starts)][:1] or [link.name])
    if any(does(s, Does.SHOWS) for s in link.sections):
        return tr("the light follows {starts}", starts=starts)
    if ends:
        gated = [job.label(f"{HOST}.{g}") for t in ends for g in t.gates]
        return tr(
            "{starts} steers {more}",
            starts=starts,
            more=listed(gated) if gated else job.label(link.at("out")[0]),
        )
    if any(does(s, Does.MUTES) for s in link.sections):
        return tr(
            "{starts} mutes {listed}",
            starts=starts,
            listed=listed([job.label(a) for a in link.at("out")] or [link.name]),
        )
    if link.purpose is Purpose.SUPPLY and any(does(s, Does.SWITCHES) for s in link.sections):
        return tr(
            "{listed} wakes with {starts} and sleeps without it",
            listed=listed([job.label(a) for a in link.at("out")]),
            starts=starts,
        )
    return ""


def _states(plan: WorkPlan) -> Iterator[StepFor]:
    for state in plan.papers.live_states():
        words = {"state_name": state.name, "state": state.id, "meant": _meant(plan, state)}
        fed = [f"{m.id} {meant(plan.job, m, StateMoment(state.id, m.id, ''))}" for m in plan.modules]
        wants = [f"{w.of} {w.what.value} {w.yes}" for w in plan.job.wants if w.state == state.id]
        yield StepFor(state.id, words, mark="; ".join((*fed, *wants)), state=state.id)


def _meant(plan: WorkPlan, state: State) -> str:
    """What is meant to be in a state, in words."""
    job, told = plan.job, []
    for module in plan.modules:
        if not return_links(job, module.id) and not any(p.startswith(f"{module.id}.") for p in plan.pins):
            continue
        fed = meant(job, module, StateMoment(state.id, module.id, ""))
        told.append(f"{module.name} {'on' if fed else 'off' if fed is False else tr('as its rail is')}")
    for address in (f"{HOST}.{t.id}" for t in job.host.terminals if isinstance(t, AudioOut)):
        if address.partition(".")[2] in state.mutes:
            told.append(tr("{address} silent", address=job.label(address)))
    told += [f"{w.of.rpartition('.')[2].replace('_', ' ')} {'' if w.yes else 'not '}{w.what.value}" for w in job.wants
             if w.state == state.id and job.device(w.of) is None]  # fmt: skip
    return ", ".join(told) or tr("all as it was before the work")


LISTS: dict[str, Callable[[WorkPlan], Iterator[StepFor]]] = {
    "job": _job, "sound": _sounds, "cover": _covers, "lift": _alterations(Alters.LIFT), "cut": _alterations(Alters.CUT),
    "jumper": _alterations(Alters.JUMPER), "found": _found, "network": _networks, "fitting": _fittings, "mounting": _mountings,
    "wire": _wires, "pin": _pins, "pin_state": _pin_states, "tap_state": _tap_states, "module": _modules, "trigger": _triggers,
    "steered": _steered, "state": _states,
}  # fmt: skip
