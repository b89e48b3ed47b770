"""The compile step: names, wires, states, and plans that cannot be made into a netlist."""

from __future__ import annotations

import re

import pytest
from msgspec.structs import replace

from pigtail import edits
from pigtail.catalogue.topologies import topology
from pigtail.circuit import operating_point
from pigtail.job.document import Job
from pigtail.job.wiring import probe_against, return_address, star_address, used_points
from pigtail.model.cascade import link_ports
from pigtail.model.errors import CompileError
from pigtail.model.netlist import compile_job
from pigtail.units.wire import ohm_per_m


def test_every_value_of_the_job_is_a_parameter_with_a_plain_name(larkmoor: Job) -> None:
    """Terminals, paths, parts and lengths; the star is node 0."""
    text = compile_job(larkmoor, "on").text
    for name in (
        "rx__out_left__emf=0.72",
        "host__input_to_star__path=0.06",
        "feed___2__r2=2000",
        "supply___in__length=0.6",
    ):
        assert f".param {name}" in text
    assert star_address(larkmoor) == "host.star"
    assert re.search(r"^Rhost__input_to_star__path host__input_return 0 ", text, re.MULTILINE)


def test_a_wire_has_its_gauge_and_its_capacitance(larkmoor: Job) -> None:
    """Ohms per metre by gauge; 100 pF/m when screened, 50 pF/m when not."""
    text = compile_job(larkmoor, "on").text
    per_m = f"{ohm_per_m(28):.6g}"
    assert f"Rfeed___in_l__wire rx__out_left feed___in_l {{{per_m}*feed___in_l__length" in text
    assert "Cfeed___in_l__wire feed___in_l host__input_return {1e-10*feed___in_l__length}" in text
    assert "Cfeed___out__wire feed___out host__input_return {5e-11*feed___out__length}" in text


@pytest.mark.parametrize(("state", "volts"), [("off", 0.0), ("idle", 5.0), ("on", 5.0)])
def test_the_module_has_its_supply_in_the_states_its_rail_is_alive(
    larkmoor: Job, state: str, volts: float
) -> None:
    """In the others it draws nothing, and nothing is there."""
    netlist = compile_job(larkmoor, state)
    solution = netlist.rest.operating_point()
    if volts:
        assert solution.v("rx__supply", "rx__supply_return")[0] == pytest.approx(volts, abs=0.05)
    current = netlist.terminal_current(solution, "rx.supply")[0]
    assert current == pytest.approx(0.045 if volts else 0.0, abs=1e-9)


def test_a_cascade_has_the_ports_of_its_first_network_and_one_common(larkmoor: Job) -> None:
    """Sum, coupling and pad: two inputs, an output, a common."""
    link = larkmoor.link("feed")
    assert link is not None
    assert link_ports(link) == ("in_l", "in_r", "out", "com")
    assert link_ports(replace(link, sections=(topology("wire").section(),))) == ("in", "out")


def test_a_network_of_two_inputs_can_only_come_first(larkmoor: Job) -> None:
    """Behind another its second input would hang in the air."""
    link = larkmoor.link("feed")
    assert link is not None
    with pytest.raises(CompileError, match="can only come first"):
        link_ports(replace(link, sections=(*link.sections, topology("sum").section())))


def test_a_port_that_the_network_does_not_have_is_named(larkmoor: Job) -> None:
    """The sentence lists the ports there are."""
    job = edits.set_sections(larkmoor, "feed", (topology("wire").section(),))
    with pytest.raises(CompileError, match="no port “in_l”; it has in, out"):
        compile_job(job, "on")


def test_a_port_left_open_still_has_an_answer(larkmoor: Job) -> None:
    """One channel not joined: the deck is solved, the other channel arrives 6 dB lower."""
    link = larkmoor.link("feed")
    assert link is not None
    job = edits.replace_link(larkmoor, replace(link, joins=tuple(j for j in link.joins if j.port != "in_r")))
    operating_point(compile_job(job, "on").circuit)


def test_returns_and_probes_follow_the_job(larkmoor: Job) -> None:
    """A terminal's own return; a return is probed against the far end of its path."""
    assert return_address(larkmoor, "host.record_in") == "host.input_return"
    assert return_address(larkmoor, "rx.supply") == "rx.supply_return"
    assert return_address(larkmoor, "host.star") == "host.star"
    assert probe_against(larkmoor, "host.input_return") == "host.star"
    assert used_points(larkmoor) == ("host.record_in", "host.input_return", "host.rail_low", "host.star")


def test_a_title_of_any_letters_makes_a_plain_deck(larkmoor: Job) -> None:
    """The first line of the deck is ASCII and one line."""
    text = compile_job(edits.rename(larkmoor, "Hall\n.end\nπ"), "on").text
    assert text.split("\n")[0] == "Hall?.end??, state on"
