"""The catalogue: every entry is whole, solvable and brandless."""

import pytest

from pigtail.catalogue.demo import DEMOS, demo
from pigtail.catalogue.errors import CatalogueError
from pigtail.catalogue.kinds import host_kinds, make_host, make_module, module_kinds
from pigtail.catalogue.topologies import Does, topologies, topology
from pigtail.circuit import parse
from pigtail.edits.values import add_module, new_job
from pigtail.job.check import check_job
from pigtail.model.terminals import library


@pytest.mark.parametrize("key", list(topologies()))
def test_a_topology_has_a_subcircuit_with_its_ports_and_parts(key: str) -> None:
    """Inputs, output and side ports are the subcircuit's in order; each part inside is a parameter of it."""
    shape = topology(key)
    header = shape.netlist.split("\n")[0].split()
    ports = list(shape.ports)
    assert header[:2] == [".subckt", key]
    assert header[2 : 2 + len(ports)] == ports
    parameters = {w.split("=")[0] for w in header if "=" in w}
    course = (
        {"averaged", "vrest", "rrest", "charging"} if Does.RECTIFIES in shape.does else set()
    )  # what the model puts there
    assert parameters == {p.name for p in shape.parts if not p.outside} | course
    nodes = " ".join(f"n{k}" for k in range(len(ports)))
    parse(f"t\n{library()}\n{shape.netlist}\nX1 {nodes} {key}\n")


@pytest.mark.parametrize("key", list(topologies()))
def test_a_topology_says_what_it_is_good_for_and_costs(key: str) -> None:
    """Title, use and catch are sentences; bought parts have a series and a rule."""
    shape = topology(key)
    assert shape.title
    assert shape.good_for.endswith(".")
    assert shape.catch.endswith(".")
    assert all(p.rule and p.series for p in shape.parts if p.kind in ("resistor", "capacitor"))
    assert all(p.known().nominal > 0 or p.name == "dropout" for p in shape.parts)


@pytest.mark.parametrize("kind", [k.key for k in host_kinds()])
@pytest.mark.parametrize("module", [k.key for k in module_kinds()])
def test_every_host_takes_every_module(kind: str, module: str) -> None:
    """Any pair makes a sound document."""
    check_job(add_module(new_job("x", make_host(kind)), make_module(module, "m")))


def test_what_is_not_there_is_refused_with_what_is() -> None:
    """The refusal lists the choices."""
    for make, key in (
        (topology, "warp drive"),
        (make_host, "toaster"),
        (make_module, "toaster"),
        (demo, "toaster"),
    ):
        with pytest.raises(CatalogueError, match="choose one of"):
            make(key)


@pytest.mark.parametrize("name", DEMOS)
def test_demos_are_sound(name: str) -> None:
    """The demo files pass the check that any file must pass."""
    check_job(demo(name).job)


@pytest.mark.parametrize(
    ("ohm", "tolerance"), [(4700.0, 0.05), (4750.0, 0.01), (4720.0, 0.05), (887e3, 0.01)]
)
def test_resistors_of_the_finer_series_are_one_percent_parts(ohm: float, tolerance: float) -> None:
    """E24 goes with 5 %, E96 with 1 % (IEC 60063); a value of neither is what the rule says."""
    known = topology("pad").part("r1").known(ohm)
    assert known.high / known.nominal - 1 == pytest.approx(tolerance)
