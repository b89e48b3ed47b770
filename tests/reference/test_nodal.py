"""Random jobs (sixty in `make promises`), each number by a second implementation: nodal equations from the document, by hand, in plain NumPy.

Within 0.05 dB or 1 %; what is all but nought within a microvolt.
"""

from __future__ import annotations

import math
import os
import random
import sys
from pathlib import Path

import pytest
from msgspec.structs import replace

sys.path.insert(0, str(Path(__file__).parent))

from nodal import buzz_numbers, feed_numbers, supply_numbers

from feeds import fed_through, hall, known, pad, with_sections
from pigtail import edits
from pigtail.catalogue.demo import demo
from pigtail.catalogue.topologies import topology
from pigtail.edits.plan import set_converter
from pigtail.job.document import AudioIn, AudioOut, Job, Purpose, Rail, SupplyIn
from pigtail.job.wiring import addresses_of, supply_links
from pigtail.model.model import Model
from pigtail.studies.level.study import study_level
from pigtail.studies.power.study import study_power
from pigtail.studies.returns.study import study_returns

JOBS = int(os.environ.get("PIGTAIL_RANDOM_JOBS", "16"))
#: Cascades of one input, as people draw them.
CHAINS = (
    ("wire",), ("series",), ("pad",), ("coupling",), ("capacitor", "pad"), ("coupling", "pad"), ("pad", "coupling"), ("capacitor", "series"),
    ("coupling", "buffer", "pad"), ("coupling", "gain"), ("capacitor", "transformer"), ("capacitor", "transformer", "pad"), ("mix",),
)  # fmt: skip
CONVERTERS = ("linear", "linear_large", "buck", "isolated", "isolated_wide")
RANGES = {
    "r1": (330.0, 100e3), "r2": (330.0, 100e3), "r3": (47e3, 470e3), "c1": (0.22e-6, 220e-6),
}  # fmt: skip


def _log(chance: random.Random, low: float, high: float) -> float:
    return math.exp(chance.uniform(math.log(low), math.log(high)))


def random_job(seed: int) -> Job:
    """A job of the everyday ones with other values, networks, wires and converters, everything known."""
    chance = random.Random(seed)
    job = chance.choice(
        [hall, pad, fed_through, lambda: demo("larkmoor").job, lambda: demo("tidewell").job]
    )()
    job = replace(job, readings=())
    for address in job.addresses():
        terminal = job.terminal(address)
        ranges: dict[str, tuple[float, float, str]] = {}
        if isinstance(terminal, AudioOut):
            ranges = {"emf": (0.2, 2.0, "V"), "impedance": (50.0, 3e3, "Ω"), "bias": (0.5, 2.5, "V")}
        elif isinstance(terminal, AudioIn):
            ranges = {
                "impedance": (8e3, 500e3, "Ω"),
                "wanted": (0.03, 0.5, "V"),
                "capacitance": (50e-12, 300e-12, "F"),
            }
        elif isinstance(terminal, Rail):
            ranges = {
                "voltage": (9.5, 26.0, "V"),
                "resistance": (0.05, 1.0, "Ω"),
                "used": (0.01, 0.05, "A"),
                "limit": (0.2, 1.0, "A"),
            }
        elif isinstance(terminal, SupplyIn):
            ranges = {"average": (0.02, 0.06, "A"), "burst": (0.07, 0.15, "A")}
        for field, (low, high, unit) in ranges.items():
            job = edits.set_value(job, address, field, known(_log(chance, low, high), unit))
    for device_id, device in job.devices():
        for path in device.paths:
            job = edits.set_path(job, device_id, path.id, known(_log(chance, 2e-3, 0.2), "Ω"))
    chain = chance.choice(CHAINS)
    for link in job.links:
        if link.purpose is Purpose.FEED and len(link.starts) == 1:
            job = with_sections(job, link.id, *(topology(k).section() for k in chain))
        if link.purpose is Purpose.SUPPLY:
            job = set_converter(job, link.id, chance.choice(CONVERTERS))
    for link in job.links:
        for at, section in enumerate(link.sections):
            for rule in topology(section.topology).bought() if link.purpose is Purpose.FEED else ():
                low, high = RANGES[rule.name]
                if "transformer" in chain and rule.kind == "capacitor":
                    low = 47e-6
                value = _log(chance, low, high)
                job = edits.set_part(job, link.id, at, rule.name, known(value, rule.unit, 0.02))
        for joined in link.joins:
            length = known(_log(chance, 0.05, 1.5), "m")
            job = edits.set_conductor(
                job, link.id, joined.port, length=length, gauge=chance.choice((20, 24, 28))
            )
    return job


def _agree(ours: float | None, theirs: float, name: str) -> None:
    assert ours is not None, name
    if name.endswith(("db", "dbv")):
        assert ours == pytest.approx(theirs, abs=0.05), name
    else:
        assert ours == pytest.approx(theirs, rel=0.01, abs=2e-6 if name.endswith("_v") else 0.0), name


@pytest.mark.one_of(8)
@pytest.mark.parametrize("seed", range(JOBS))
def test_every_nominal_number_is_that_of_a_second_implementation(seed: int) -> None:
    """Levels, corners, loads, offset, pop; buzz; volts and currents of the supply."""
    job = random_job(seed)
    model = Model.of(job)
    details = study_level(model).feeds
    assert details
    for detail in details:
        link = job.link(detail.link)
        assert link is not None
        for name, value in feed_numbers(job, link).items():
            if name in detail.numbers and not (name == "high_cut_hz" and value > 3e6):
                _agree(detail.numbers[name].value, value, name)
    found = study_power(model)
    for pin in addresses_of(job, SupplyIn):
        if len(supply_links(job, pin)) == 1:
            supply = next((d for d in found.supplies if d.supply == pin), None)
            if supply is not None:
                for name, value in supply_numbers(job, pin).items():
                    _agree(supply.numbers[name].value, value, name)
    returns = study_returns(model).numbers
    feeds = [job.link(d.link) for d in details]
    buzz = max((buzz_numbers(job, x) for x in feeds if x is not None), key=lambda b: b["buzz_db"])
    if "returns.buzz_db" in returns and buzz["buzz_dbv"] > -155.0:
        _agree(returns["returns.buzz_db"].value, buzz["buzz_db"], "buzz_db")
