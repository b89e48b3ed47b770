"""How readings enter the model."""

from datetime import datetime

import pytest

from pigtail.edits.readings import log_reading, strike_reading
from pigtail.job.document import Function, Job
from pigtail.job.meters import NOT_NUMBERS, meter
from pigtail.job.readings import effective
from pigtail.units import Basis

WHEN = datetime(2026, 11, 25, 10, 0)


def _log(
    job: Job,
    point: str,
    value: float,
    *,
    state: str = "on",
    against: str = "host.star",
    function: Function = Function.DC_VOLTS,
) -> Job:
    return log_reading(
        job, point=point, against=against, state=state, function=function, value=value, when=WHEN
    )


def test_a_reading_outranks_the_papers_and_leaves_them(larkmoor: Job) -> None:
    """The value that counts is the measured one; the document still says what it said."""
    job = _log(larkmoor, "host.rail_low", 22.9)
    rail = effective(job).terminal("host.rail_low")
    assert rail.voltage.nominal == 22.9
    assert rail.voltage.basis is Basis.MEASURED
    assert rail.voltage.source == "reading r18"
    assert job.terminal("host.rail_low").voltage.nominal == 24.0


def test_a_struck_reading_counts_no_more(larkmoor: Job) -> None:
    """Striking the last reading brings the one before back."""
    job = strike_reading(_log(larkmoor, "host.rail_low", 22.9), "r18")
    assert effective(job).terminal("host.rail_low").voltage.nominal == 24.1


def test_a_rail_read_while_it_is_off_keeps_its_voltage(larkmoor: Job) -> None:
    """0 V in a state in which the rail is off says nothing of its voltage."""
    job = _log(larkmoor, "host.rail_low", 0.0, state="off")
    assert effective(job).terminal("host.rail_low").voltage.nominal == 24.1


def test_a_reading_against_another_device_is_kept_and_feeds_nothing(larkmoor: Job) -> None:
    """A host rail told against the module's negative is no rail voltage."""
    job = _log(larkmoor, "host.rail_low", 5.0, against="rx.supply_return")
    assert effective(job).terminal("host.rail_low").voltage.nominal == 24.1


def test_the_worst_dc_of_all_states_counts_for_an_input(larkmoor: Job) -> None:
    """DC that is there only while muted still reaches the module."""
    job = _log(larkmoor, "host.record_in", -0.5, state="idle", against="host.input_return")
    assert effective(job).terminal("host.record_in").dc.nominal == -0.5


def test_a_ground_path_takes_its_resistance_whichever_way_round(larkmoor: Job) -> None:
    """The two probes may be swapped."""
    job = _log(
        larkmoor, "host.star", 0.9, state="off", against="host.input_return", function=Function.RESISTANCE
    )
    assert effective(job).host.paths[0].resistance.nominal == 0.9


def test_a_coarse_reading_does_not_outrank_a_finer_paper_that_it_agrees_with(larkmoor: Job) -> None:
    """0.2 Ω, give or take 0.2 Ω, over 60 mΩ ±20 %: the paper's spread stays; what contradicts it counts alone."""
    read = [
        _log(
            larkmoor, "host.star", ohm, state="off", against="host.input_return", function=Function.RESISTANCE
        )
        for ohm in (0.2, 0.9)
    ]
    agrees, contradicts = (effective(j).host.paths[0].resistance for j in read)
    assert (agrees.low, agrees.high) == pytest.approx((0.048, 0.072))
    assert "agrees" in agrees.source
    assert contradicts.low > 0.5


def test_without_readings_nothing_is_copied(larkmoor: Job) -> None:
    """The very same job comes back, so a study need not run again."""
    for reading in larkmoor.readings:
        larkmoor = strike_reading(larkmoor, reading.id)
    assert effective(larkmoor).host.terminals == larkmoor.host.terminals


@pytest.mark.parametrize("function", [f for f in Function if f not in NOT_NUMBERS])
def test_a_reading_has_the_spread_of_a_handheld_meter(function: Function) -> None:
    """The spread grows with the value and never shrinks below the last digits."""
    small, large = (meter("handheld").value(function, x) for x in (0.0, 100.0))
    assert 0 < small.spread < large.spread < 12.0
