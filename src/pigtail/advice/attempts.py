"""Edits worth trying for a finding, by what it is about: of supplies, returns and wires here, of feeds and their parts beside this; none is
offered before it is solved.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from itertools import product
from typing import Any, NamedTuple

from pigtail import edits
from pigtail.advice.build_remedies import build_fixes
from pigtail.advice.control_remedies import control_fixes
from pigtail.advice.level_remedies import level_fixes, part_fixes
from pigtail.advice.proposing import propose_plan
from pigtail.advice.prove_remedies import prove_fixes
from pigtail.advice.survey_remedies import survey_fixes
from pigtail.catalogue.kinds import adapter_kinds
from pigtail.catalogue.topologies import (
    Does,
    Task,
    does,
    first,
    plain,
    those,
    topology,
    usual_converters,
)
from pigtail.edits.change import Edit
from pigtail.edits.plan import (
    add_filter,
    own_adapter,
    put_supply,
    regauged,
    rerailed,
    set_converter,
    set_stage_rail,
    turned_converter,
    turned_legs,
    turned_round,
)
from pigtail.edits.usual import rails
from pigtail.job.document import Job, Link, Purpose, Rail
from pigtail.job.measured import Measured
from pigtail.job.safety import Safety, safety
from pigtail.job.windings import winding_of
from pigtail.job.wiring import pin_of, rail_of, return_address, return_links, supply_links
from pigtail.language import tr
from pigtail.studies.findings import Finding
from pigtail.studies.power.cell import SETS_V
from pigtail.studies.power.found import MISWIRED
from pigtail.studies.returns.study import return_choices
from pigtail.units import format_quantity
from pigtail.units.series import members, nearest
from pigtail.units.wire import GAUGES

#: What a supply of its own mends: too much asked of a rail or a converter, or too little left of it.
OVERLOADED = (
    "power.rail", "power.under_voltage", "power.dropout", "power.regulator_current", "power.living_low", "power.living_rail",
    "power.living_given",
)  # fmt: skip
#: What an arrangement of the returns does to the burst.
HEAVIER = tr("Less drop in that conductor.")
LIFTED = tr("No loop, but all of the supply return's drop is heard.")
LIFTED_ALONE = tr("The only way home made weaker.")
LEFT_OUT = tr("One return only: all of its drop is heard.")
CLOSED = tr("The burst divides between the two again.")


#: What another rectifier, or two wires swapped, mend.
TRAPPED = ("power.reference_trap", "power.legs_swapped")
#: The largest reservoir that anyone fits beside a module [F].
MOST_FARADS = 10e-3


#: What mends the findings of a study whose fixes stand in a file of their own.
_FIXES: dict[str, Callable[[Job, Finding], Iterator[Any]]] = {
    "survey": survey_fixes, "level": level_fixes, "build": build_fixes, "prove": prove_fixes,
}  # fmt: skip


class Attempt(NamedTuple):
    """An edit worth trying: its label, for an arrangement of the returns what it does in a sentence, and whether it is a whole plan,
    which is offered where there is none, whatever is still unknown of it."""

    label: str
    edit: Edit
    why: str = ""
    whole_plan: bool = False


def candidates(job: Job, finding: Finding) -> Iterator[Attempt]:
    """Edits worth trying for a finding, by what it is about."""
    area, _, what = finding.code.partition(".")
    if finding.code in TRAPPED and (link := job.link(finding.subject)) is not None:
        yield from _winding_candidates(job, link, finding)
        return
    if finding.code in MISWIRED:
        yield from _turned_candidates(job, finding)  # nothing but turning it round helps, and that is said
        return
    yield from (Attempt(*fix) for fix in control_fixes(job, finding))
    if finding.part is not None:
        yield from (Attempt(*fix) for fix in part_fixes(job, finding))
    elif area in _FIXES:
        yield from (Attempt(*fix) for fix in _FIXES[area](job, finding))
    elif finding.judgement == "power.stage_voltage":
        yield from _stage_candidates(job, finding)
    elif finding.judgement in ("power.charge_rate", "power.charger_hot", "power.charges_playing"):
        yield from _charge_candidates(job, finding)
    elif area == "power":
        yield from _supply_candidates(job, finding)
        yield from _own_supply(job, finding)
    elif finding.code == "returns.bridged":
        yield from (_leaving_out(x) for x in return_choices(job, finding.subject))
    elif area == "returns":
        yield from _supply_candidates(job, finding)
        yield from _filter_candidates(job)
        yield from return_candidates(job)
    if what in ("no_feed", "no_plan", "no_supply", "missing") and safety(job) is Safety.OPEN:
        for module in job.modules:
            edit = partial(propose_plan, module_id=module.id)
            yield Attempt(tr("propose a plan for {module}", module=module.name), edit, whole_plan=True)


def _turned_candidates(job: Job, finding: Finding) -> Iterator[Attempt]:
    """A converter whose two sides are separate, the other way round on a rail that lies below its return: a host whose plus is its
    ground."""
    for link in supply_links(job, finding.subject):
        rail = job.terminal(rail_of(job, link))
        if not isinstance(rail, Rail) or rail.voltage is None or rail.voltage.high >= 0:
            continue
        if any(does(s, Does.SEPARATES) for s in link.sections):
            yield Attempt(tr("turn the converter's input round"), partial(turned_round, link_id=link.id))
            continue
        for shape in those("supply", Does.SEPARATES):
            label = tr(
                "{remedy}, its plus at {return_address}",
                remedy=shape.remedy,
                return_address=job.label(return_address(job, rail_of(job, link))),
            )
            yield Attempt(label, partial(turned_converter, link_id=link.id, key=shape.key))


def _supply_candidates(job: Job, finding: Finding) -> Iterator[Attempt]:
    """Other converters on the same rail, then other rails with what is there."""
    measured = Measured(job).job
    for link in _supplies(job):
        pin, old_rail = pin_of(job, link), rail_of(job, link)
        if not old_rail:
            yield from _winding_candidates(job, link, finding)
            continue
        now, whose = {s.topology for s in link.sections}, _whose(job, link)
        volts = getattr(measured.terminal(old_rail), "voltage", None)
        known = volts is not None
        for shape in usual_converters(volts, getattr(measured.terminal(pin), "minimum", None)):
            straight = Does.CONDUCTS in shape.does
            if shape.remedy and shape.key not in now and (known or not straight):
                yield Attempt(
                    f"{shape.remedy}{whose}", partial(set_converter, link_id=link.id, key=shape.key)
                )
        for rail in rails(job, pin):
            if rail != old_rail:
                moved = partial(edits.replace_link, link=rerailed(job, link, rail))
                yield Attempt(
                    tr("take the supply{whose} from the {rail}", whose=whose, rail=job.label(rail)), moved
                )


#: What mends a finding of a supply from a winding: other rectifiers, a larger reservoir, other converters, two sides apart.
FEW_VOLTS = ("power.dropout", "power.under_voltage")
CONVERTERS_FOR = {
    "power.dropout": ("ldo", "buck"),
    "power.under_voltage": ("ldo",),
    "power.hot": ("linear_cooled", "buck"),
    "power.input_voltage": ("linear_cooled", "buck"),
    "power.regulator_current": ("linear_cooled", "buck"),
    "power.winding": ("buck",),
    "power.living_hot": ("linear_cooled", "buck"),
    "power.living_given": ("linear_cooled", "buck"),
}


def _winding_candidates(job: Job, link: Link, finding: Finding) -> Iterator[Attempt]:
    """What may mend a finding of a supply from a winding, by what it is about; few, since each has its course run anew."""
    winding, pin, whose = winding_of(job, link), pin_of(job, link), _whose(job, link)
    now = next((topology(s.topology) for s in link.sections if does(s, Does.RECTIFIES)), None)
    if winding is None or now is None:
        return
    what, trapped = finding.judgement or finding.code, finding.code in TRAPPED
    rest = tuple(s.topology for s in link.sections if not does(s, Does.RECTIFIES))
    put = partial(partial, put_supply, pin=pin, source=winding.id)
    if trapped:
        yield Attempt(tr("swap the two wires from the winding"), partial(turned_legs, link_id=link.id))
    for shape in those("supply", Does.RECTIFIES) if trapped or what in (*FEW_VOLTS, "power.reverse") else ():
        twin = shape.inputs == now.inputs and shape.key != now.key
        if shape.key != now.key and (len(shape.inputs) < 3 or winding.tap) and (twin or trapped):
            yield Attempt(
                tr("use a {lower}{whose}", lower=_lower(shape.title), whose=whose),
                put(keys=(shape.key, *rest)),
            )
    section = next(s for s in link.sections if s.topology == now.key)
    farads = next(now.values(section)[r.name].nominal for r in now.bought() if r.role is Task.RESERVOIR)
    for larger in members("E3", 1.5 * farads, 5 * farads) if what in FEW_VOLTS else ():
        if larger <= MOST_FARADS:
            label = tr("a reservoir of {larger}{whose}", larger=format_quantity(larger, "F"), whose=whose)
            yield Attempt(label, put(keys=(now.key, *rest), reservoir=larger))
    for key in CONVERTERS_FOR.get(what, ()):
        if key not in rest:
            yield Attempt(f"{topology(key).remedy}{whose}", partial(set_converter, link_id=link.id, key=key))
    if trapped or what.startswith("returns."):
        bridge = first("supply", Does.RECTIFIES)
        shape = those("supply", Does.SEPARATES)[1]
        if shape.key not in rest:
            label = tr(
                "a bridge and an isolated converter, {lower}{whose}",
                lower=_lower(shape.title.partition(", ")[2]),
                whose=whose,
            )
            yield Attempt(label, put(keys=(bridge.key, shape.key)))


#: By how much slower or faster a charge is tried [1].
SLOWER, FASTER = (1.5, 2.2, 3.3), (0.7, 0.47)


def _charge_candidates(job: Job, finding: Finding) -> Iterator[Attempt]:
    """Another resistor that sets the charging current of a cell in a supply."""
    link = job.link(finding.subject)
    for at, section in enumerate(link.sections if link is not None else ()):
        shape = topology(section.topology)
        if Does.STORES not in shape.does:
            continue
        rule = shape.part("rprog")
        now = shape.values(section)[rule.name].nominal
        for times in FASTER if finding.judgement == "power.charges_playing" else SLOWER:
            ohm = nearest(times * now, rule.series)
            label = tr(
                "charge with {value}, {ohm} to set it",
                value=format_quantity(SETS_V / ohm, "A", 2),
                ohm=format_quantity(ohm, "Ω"),
            )
            put = partial(
                edits.set_part, link_id=finding.subject, section=at, name=rule.name, value=rule.known(ohm)
            )
            yield Attempt(label, put)


def _lower(title: str) -> str:
    return f"{title[:1].lower()}{title[1:]}"


def _own_supply(job: Job, finding: Finding) -> Iterator[Attempt]:
    """A supply of its own for what overloads a rail: an adapter as a rail of its own beside the host's."""
    if finding.judgement not in OVERLOADED:
        return
    for link, kind in product(_supplies(job), adapter_kinds()):
        label = f"{kind.summary}{_whose(job, link)}"
        yield Attempt(label, partial(own_adapter, link_id=link.id, key=kind.key))


def _supplies(job: Job) -> list[Link]:
    """The links that feed a supply pin."""
    return [x for x in job.links if x.purpose is Purpose.SUPPLY and pin_of(job, x)]


def _module_named(job: Job, link: Link) -> str:
    """The module that a supply is for, where several are fed; empty where there is but one."""
    module = job.device(pin_of(job, link).partition(".")[0])
    return module.name if len(_supplies(job)) > 1 and module is not None else ""


def _whose(job: Job, link: Link) -> str:
    """Which module a supply is for, in words that follow."""
    name = _module_named(job, link)
    return tr(" for {name}", name=name) if name else ""


def _filter_candidates(job: Job) -> Iterator[Attempt]:
    """A reservoir at each module, which gives its bursts."""
    for link in job.links:
        if link.purpose is Purpose.SUPPLY and not any(does(s, Does.FILTERS) for s in link.sections):
            label = tr("add a supply filter at {value}", value=_module_named(job, link) or tr("the module"))
            yield Attempt(label, partial(add_filter, link_id=link.id))


def _stage_candidates(job: Job, finding: Finding) -> Iterator[Attempt]:
    """The stages of a feed from another rail."""
    for rail in rails(job):
        edit = partial(set_stage_rail, link_id=finding.subject, rail=rail)
        yield Attempt(tr("supply the stage from the {rail}", rail=job.label(rail)), edit)


def return_candidates(job: Job) -> Iterator[Attempt]:
    """Heavier wires, a lift, one return alone: the schools, each to be solved."""
    for module in job.modules:
        links = return_links(job, module.id)
        for link in links:
            gauge = link.joins[0].conductor.gauge
            for heavier in [g for g in (GAUGES[1], GAUGES[0]) if g < gauge][:1]:
                edit = partial(regauged, link_id=link.id, gauge=heavier)
                yield Attempt(
                    tr("{lower} in AWG {heavier}", lower=link.name.lower(), heavier=heavier), edit, HEAVIER
                )
        for link in return_choices(job, module.id):
            if not any(does(s, Does.LIFTS) for s in link.sections):
                lifted = (first("return", Does.LIFTS).section(),)
                edit = partial(edits.set_sections, link_id=link.id, sections=lifted)
                yield Attempt(
                    tr("lift the {lower} with 10 Ω", lower=link.name.lower()),
                    edit,
                    LIFTED if len(links) > 1 else LIFTED_ALONE,
                )
            else:
                edit = partial(edits.set_sections, link_id=link.id, sections=(plain(),))
                yield Attempt(
                    tr("close the {lower} with a plain wire", lower=link.name.lower()), edit, CLOSED
                )
            if len(links) > 1:
                yield _leaving_out(link)


def _leaving_out(link: Link) -> Attempt:
    return Attempt(
        tr("leave out the {lower}", lower=link.name.lower()),
        partial(edits.remove_link, link_id=link.id),
        LEFT_OUT,
    )
