"""A model that can be off: what gives, gives while it is fed; what draws, draws where there are volts; nothing runs away.

That a switched-off supply leaves 0 V, that a regulator passes what is left under its dropout, and that a converter does nothing
below its least input are facts of the trade.
"""

from __future__ import annotations

import contextlib
from itertools import pairwise

import numpy as np
import pytest
from msgspec.structs import replace
from tests.conftest import Extend
from tests.feeds import known

from pigtail import edits
from pigtail.advice.plan import propose
from pigtail.advice.remedies import advised
from pigtail.catalogue.kinds import make_module, module_kinds
from pigtail.catalogue.topologies import Does, those, topologies, topology
from pigtail.edits.host import add_point
from pigtail.edits.plan import put_networks, reconverted, set_converter, set_stage_rail
from pigtail.edits.usual import join
from pigtail.job.build import Build
from pigtail.job.document import AudioIn, AudioOut, Control, Job, Link, Module, Purpose, Rail, SupplyIn
from pigtail.job.errors import EditError
from pigtail.job.measured import Measured
from pigtail.job.wiring import addresses_of, star_address
from pigtail.model import names
from pigtail.model.cascade import networks
from pigtail.model.model import Model
from pigtail.model.netlist import compile_job
from pigtail.model.terminals import macros
from pigtail.studies.all import study_job
from pigtail.studies.findings import Severity
from pigtail.studies.power.found import PowerFound

NOTHING_V = 1e-3
#: One of each subcircuit: those that differ in figures alone are one; what has a cell of its own gives without its rail.
SUPPLIES = tuple(
    {
        t.netlist.partition(" out")[2]: t.key
        for t in reversed(those("supply", without=(Does.RECTIFIES, Does.STORES, Does.SWITCHES)))
    }.values()
)


def _supply(job: Job) -> Link:
    return next(x for x in job.links if x.purpose is Purpose.SUPPLY)


def _at(job: Job, key: str, volts: float) -> Job:
    """The supply through a topology, its rail at some volts, which nobody has read."""
    job = replace(set_converter(job, "supply", key), readings=())
    for field, value, unit in (("voltage", volts, "V"), ("resistance", 0.1, "Ω"), ("used", 0.03, "A")):
        job = edits.set_value(job, _supply(job).starts[0], field, known(value, unit, 0.0))
    return job


def _dead(job: Job) -> str:
    """A host state in which the rail of the supply is off."""
    rail = job.terminal(_supply(job).starts[0])
    assert isinstance(rail, Rail)
    return next(s.id for s in job.host.states if s.id not in rail.states)


@pytest.mark.parametrize("key", SUPPLIES)
def test_with_its_rail_off_a_module_stands_at_nothing(key: str, larkmoor: Job) -> None:
    """Through every topology of the catalogue that supplies: pins, outputs and inputs alike."""
    job = set_converter(larkmoor, "supply", key)
    model = Model.of(job)
    state = _dead(job)
    module = job.modules[0]
    for terminal in module.terminals:
        if isinstance(terminal, SupplyIn | AudioOut | AudioIn):
            assert abs(model.volts(state, f"{module.id}.{terminal.id}")) < NOTHING_V, terminal.id
    assert not model.fed(state, module.id)
    assert model.fed(job.working_state(), module.id)


@pytest.mark.parametrize("key", [t.key for t in topologies().values() if t.supplied])
def test_a_stage_without_its_supply_gives_nothing(key: str, larkmoor: Job) -> None:
    """Fed from a rail that is off, a stage neither amplifies nor stands on a bias of its own."""
    shape = topology(key)
    link = next(x for x in larkmoor.links if x.purpose is Purpose.FEED)
    rail = _supply(larkmoor).starts[0]
    job = set_stage_rail(put_networks(larkmoor, link.id, (shape.section(),)), link.id, rail)
    model = Model.of(job)
    net = model.netlist(_dead(job))
    (sink,) = link.at("out")
    quiet = abs(net.rest.operating_point().v(names.of_link(link.id, "out"), "0"))
    assert np.all(quiet < 0.02), quiet
    gain = np.abs(net.small(net.deck_samples({})).ac([1000.0]).v(net.node(sink), net.reference(sink)))
    assert float(gain.max()) < 1e-3


@pytest.mark.one_of(5, 1)
@pytest.mark.parametrize("volts", [-24.0, 0.0, 2.0, 4.0, 6.5, 12.0, 60.0])
@pytest.mark.parametrize("key", SUPPLIES)
def test_no_converter_gives_more_than_it_takes(key: str, volts: float, larkmoor: Job) -> None:
    """From no volts to far too many, the right way round or not: never above its input (less its dropout), heat never below 0."""
    job = _at(larkmoor, key, volts)
    model = Model.of(job)
    pin = _supply(job).at("out")[0]
    at_pin = model.volts(job.working_state(), pin)
    shape = topology(key)
    values = shape.values(shape.section())
    steps_up = shape.does & {Does.SEPARATES, Does.STEPS_UP}  # through its transformer or its choke
    made = values["vout"].high if "vout" in values else 0.0
    ratio = values["ratio"].high if "ratio" in values else 1.0  # what has no regulator follows its input
    assert at_pin <= max(made if steps_up else 0.0, ratio * volts, 0.0) + NOTHING_V
    if Does.CONVERTS in shape.does:
        assert at_pin > (-1.0 if "rz" in values else -0.02)  # a zener is a diode the other way round
        # a zener gives way by its slope, a boost lets its input through
        assert at_pin <= made + NOTHING_V or "rz" in values or Does.STEPS_UP in shape.does or ratio > 1
    numbers = study_job(job).of(PowerFound).numbers
    for name in ("power.regulator_w", "power.module_current_a"):
        if name in numbers and (value := numbers[name].value) is not None:
            assert value >= -1e-9, name
    heat = numbers.get("power.regulator_tj_c")
    assert heat is None or heat.value is None or heat.value < 2000


@pytest.mark.one_of(16)
@pytest.mark.parametrize("ohm", [0.01, 1.0, 5.0])
@pytest.mark.parametrize("key", SUPPLIES)
def test_every_converter_is_solved_from_nothing_to_enough_through_any_wire(
    key: str, ohm: float, larkmoor: Job
) -> None:
    """Around the volts at which a converter wakes, drops out and holds, over the whole spread: the volts at the pins only grow with
    the rail, and every study has an answer."""
    seen = []
    for volts in (3.0, 4.2, 5.5, 6.5, 7.5, 12.0):
        job = _at(larkmoor, key, volts)
        rail = _supply(job).starts[0]
        for field, value, unit in (("voltage", volts, "V"), ("resistance", ohm, "Ω")):
            job = edits.set_value(job, rail, field, known(value, unit, 0.03))
        studies = study_job(job)
        assert not [f.code for f in studies.findings if f.code.endswith(".unsolved")], volts
        seen.append(studies.numbers["power.module_v_burst"].value or 0.0)
    assert all(after >= before - 0.01 for before, after in pairwise(seen)), seen


@pytest.mark.long
def test_a_converter_that_starves_is_told_as_such_by_its_name(larkmoor: Job) -> None:
    """Half a watt through 20 ohms from 7 V cannot be had: no number is told, the sentence names the converter and its link."""
    job = _at(larkmoor, "buck", 7.0)
    job = edits.set_value(job, _supply(job).starts[0], "resistance", known(20.0, "Ω", 0.03))
    found = study_job(job).of(PowerFound)
    assert found.verdict is Severity.FIX
    assert "xsupply" not in " ".join(f.sentence for f in found.findings)
    starved = [f for f in found.findings if f.code == "power.unsolved"]
    assert starved
    assert starved[0].sentence.startswith(f"The buck in {_supply(job).name} finds no steady state")


def test_a_5_v_regulator_on_4_v_passes_what_is_left_and_is_told(larkmoor: Job) -> None:
    """2 V of dropout leave 2 V; the module is told to be too low, nothing is good about it."""
    job = _at(larkmoor, "linear_large", 4.0)
    found = study_job(job).of(PowerFound)
    volts = found.numbers["power.module_v"].value
    assert volts is not None
    assert 0.5 < volts < 2.3
    worst = {f.judgement: f.severity for f in found.findings if f.judgement}
    assert worst["power.under_voltage"] in (Severity.FIX, Severity.STOP)
    assert worst["power.dropout"] is Severity.FIX


@pytest.mark.one_of(5)
@pytest.mark.parametrize("key", [k for k in SUPPLIES if topology(k).common])
def test_a_converter_without_its_negative_stays_within_reason(key: str, larkmoor: Job) -> None:
    """Its common joined to nothing: no kilovolts, no thousands of degrees, and nothing good is said of its supply."""
    link = _supply(set_converter(larkmoor, "supply", key))
    job = edits.replace_link(
        set_converter(larkmoor, "supply", key),
        replace(link, joins=tuple(j for j in link.joins if j.port != "com")),
    )
    found = study_job(job).of(PowerFound)
    for name, number in found.numbers.items():
        for value in (number.value, number.low, number.high):
            assert value is None or abs(value) < 300.0, (name, value)
    assert found.verdict in (Severity.FIX, Severity.STOP, Severity.UNKNOWN)


@pytest.mark.parametrize("key", [t.key for t in topologies().values() if t.probes])
def test_every_probe_of_a_topology_can_be_read(key: str, larkmoor: Job) -> None:
    """Each current and voltage that a topology declares is there in the deck it makes."""
    shape = topology(key)
    feed = next(x for x in larkmoor.links if x.purpose is Purpose.FEED)
    job = (
        put_networks(larkmoor, feed.id, (shape.section(),))
        if "feed" in shape.purposes
        else set_converter(larkmoor, "supply", key)
    )
    net = Model.of(job).netlist()
    (network,) = (n for x in job.links for n in networks(x) if n.shape.key == key)
    for name in shape.probes:
        assert np.isfinite(net.probe(net.rest.operating_point(), network, name)).all(), name


@pytest.mark.long
def test_every_current_of_a_macro_model_can_be_read(larkmoor: Job) -> None:
    """Of each kind of module and of the host, in every terminal that has a current."""
    seen = set()
    for kind in module_kinds():
        alone = edits.add_module(
            replace(larkmoor, modules=(), links=(), build=Build()), make_module(kind.key, "m")
        )
        with contextlib.suppress(EditError):  # a speaker has nothing to be joined to here
            alone = propose(alone, "m")
        job = alone
        net = compile_job(Measured(job).job, job.working_state(), everything=True)
        solved = net.rest.operating_point()
        for address in net.terminals:
            assert np.isfinite(net.terminal_current(solved, address)).all(), address
            seen.add(type(job.terminal(address)).__name__)
    assert {"AudioOut", "AudioIn", "Rail", "SupplyIn"} <= seen
    assert all(m.probes for name, m in macros().items() if m.takes)


HIGH_SIDE = '''
[high_side]
short = "switch"
title = "High-side switch"
purposes = ["supply"]
inputs = ["in"]
sides = ["com", "ctl"]
does = ["switches"]
good_for = "Power for the module only while the host asks for it."
catch = "Open, it leaves the module unfed: what it is joined to must stand that."
netlist = """
.subckt high_side in out com ctl ron=0.1
Bs in out i={v(in,out)/ron*min(max((v(ctl,com)-1.5)/1,0),1)}
Rb out com 100k
Rc ctl com 100k
.ends"""
parts = [{ name = "ron", words = "resistance while on", unit = "Ω", kind = "figure", default = "50 .. 100 .. 200 mΩ" }]
'''


@pytest.fixture
def switched(extend: Extend, larkmoor: Job) -> Job:
    """The demo with a switch before its regulator, worked by a line that is up while the host plays."""
    extend(topology=HIGH_SIDE)
    line = Control(
        id="play", name="play lamp", return_to=_star(larkmoor), states=(larkmoor.working_state(),),
        level=known(5.0, "V"), impedance=known(100.0, "Ω"),
    )  # fmt: skip
    job = add_point(larkmoor, line)
    link = _supply(job)
    joins = (*link.joins, join("ctl", "host.play", 0.3))
    return edits.replace_link(
        job, replace(link, sections=(topology("high_side").section(), *link.sections), joins=joins)
    )


def _star(job: Job) -> str:
    return star_address(job).partition(".")[2]


def test_a_switch_that_is_open_leaves_nothing_behind_it(switched: Job) -> None:
    """The rail is on in idle, the switch is not: 0 V at the module, and it is told to be powered in the working state only."""
    model = Model.of(switched)
    pin = _supply(switched).at("out")[0]
    working = switched.working_state()
    others = [s.id for s in switched.host.states if s.id != working]
    assert model.volts(working, pin) == pytest.approx(5.0, abs=0.15)
    for state in others:
        assert abs(model.volts(state, pin)) < NOTHING_V, state
    (told,) = (f for f in study_job(switched).of(PowerFound).findings if f.code == "power.states")
    name = {s.id: s.name for s in switched.host.states}
    assert name[working] in told.sentence
    assert not any(name[s] in told.sentence for s in others)


def test_another_converter_keeps_the_switch_and_its_wire(switched: Job) -> None:
    """As an edit of the station and as every remedy that is offered."""
    link = _supply(switched)
    changed = reconverted(switched, link, "buck")
    assert [s.topology for s in changed.sections] == ["high_side", "buck"]
    assert changed.at("ctl") == ("host.play",)
    offered = 0
    for finding in advised(switched, study_job(switched)).findings:
        for remedy in finding.remedies:
            after = next((x for x in remedy.edit(switched).links if x.id == link.id), None)
            assert after is not None, remedy.label
            assert after.sections[0].topology == "high_side", remedy.label
            assert after.at("ctl") == ("host.play",), remedy.label
            offered += 1
    assert offered, "the demo's regulator overheats: something mends it"


def test_a_module_is_fed_as_solved_not_as_declared(larkmoor: Job) -> None:
    """A supply pin says nothing of states; whether it is fed follows from the rail and what lies between."""
    model = Model.of(larkmoor)
    module = larkmoor.modules[0]
    assert isinstance(module, Module)
    (pin,) = addresses_of(larkmoor, SupplyIn, module.id)
    rail = larkmoor.terminal(_supply(larkmoor).starts[0])
    assert isinstance(rail, Rail)
    for state in larkmoor.host.states:
        assert model.powered(state.id, pin) is (state.id in rail.states), state.id
