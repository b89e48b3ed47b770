"""A value that can hardly be is asked back with what was probably meant; a find at a point that should read nought is no slip."""

from __future__ import annotations

from datetime import datetime

import pytest

from pigtail import edits
from pigtail.edits.readings import log_reading
from pigtail.job.ask import Ask
from pigtail.job.document import Function, Job
from pigtail.job.quantities import quantity
from pigtail.studies.findings import Severity
from pigtail.studies.survey.onspot import judged
from pigtail.studies.survey.slips import slip_of, slip_of_value
from pigtail.units import Basis, parse_known

WHEN = datetime(2026, 11, 27, 14, 0)
DC, AC, OHM = Function.DC_VOLTS, Function.AC_VOLTS, Function.RESISTANCE
#: Point, against, state, function, drive, what was typed, what was meant or None for a value that may be.
TYPED = [
    ("host.rail_low", "host.star", "on", DC, "", 24_100.0, 24.1),
    ("host.rail_low", "host.star", "on", DC, "", 0.0241, 24.1),
    ("host.rail_low", "host.star", "on", DC, "", -24.1, 24.1),
    ("host.rail_low", "host.star", "on", DC, "", 24.1, None),
    ("host.rail_low", "host.star", "on", DC, "", 12.0, None),  # a find, no slip
    ("host.rail_low", "host.star", "on", DC, "", 0.0, None),
    ("host.rail_low", "host.star", "on", DC, "", 33_000.0, 33.0),
    ("host.record_in", "host.input_return", "on", DC, "", 5.0, None),  # never talked down to 5 mV
    ("host.record_in", "host.input_return", "on", DC, "", 5000.0, 5.0),
    ("host.record_in", "host.input_return", "on", AC, "", 0.7, None),
    ("host.rail_low", "host.star", "on", AC, "", 5000.0, 5.0),
]


@pytest.mark.parametrize(("point", "against", "state", "function", "drive", "typed", "meant"), TYPED)
def test_a_slip_is_asked_back(
    point: str,
    against: str,
    state: str,
    function: Function,
    drive: str,
    typed: float,
    meant: float | None,
    larkmoor: Job,
) -> None:
    """A thousand, a sign, above all that anyone may probe; and its clean twins."""
    slip = slip_of(larkmoor, Ask(point, against, state, function, drive=drive), typed)
    assert (slip.value if slip else None) == (pytest.approx(meant) if meant is not None else None)
    if slip is not None:
        assert "likelier" in slip.question


def test_a_peak_is_taken_for_an_effective_value() -> None:
    """2.83 V of an output that gives 2 V at full scale; 2.1 V is what it is."""
    from pigtail.catalogue.kinds import make_host

    job = edits.set_value(
        edits.new_job("x", make_host("disc_player")),
        "host.out_left",
        "emf",
        parse_known("2 V ±5 %", "V", Basis.DOCUMENTED),
    )
    ask = Ask("host.out_left", "host.out_return", "playing", AC, drive="full scale 1 kHz left")
    slip = slip_of(job, ask, 2.83)
    assert slip is not None
    assert slip.value == pytest.approx(2.0, rel=0.01)
    assert slip_of(job, ask, 2.09) is None


def test_what_is_insisted_on_is_kept_and_never_good(larkmoor: Job) -> None:
    """33 kV, logged all the same."""
    job = log_reading(
        larkmoor,
        point="host.rail_low",
        against="host.star",
        state="on",
        function=DC,
        value=33_000.0,
        when=WHEN,
    )
    assert judged(job, job.readings[-1]).severity is Severity.UNKNOWN


@pytest.mark.parametrize(
    ("field", "typed", "meant"),
    [("impedance", "47M", 47e3), ("impedance", "47k", None), ("wanted", "250", 0.25)],
)
def test_a_value_on_paper_that_no_such_point_has_is_asked_back(
    field: str, typed: str, meant: float | None, larkmoor: Job
) -> None:
    """47 MΩ of a line input, 250 V for full output."""
    what = quantity(larkmoor.terminal("host.record_in"), field)  # type: ignore[arg-type]
    assert what is not None
    slip = slip_of_value(what, parse_known(typed, what.unit, Basis.DOCUMENTED))
    assert (slip.value if slip else None) == (pytest.approx(meant) if meant is not None else None)
