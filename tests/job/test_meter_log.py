"""Logs of meters: whatever their columns, one reading comes of them, and a strange one is refused in a sentence."""

from __future__ import annotations

import pytest

from pigtail.catalogue.demo import demo
from pigtail.job.document import Function
from pigtail.job.errors import JobError
from pigtail.job.meter_log import Columns, guessed, is_log, read_log, rows_of

LOGS = [
    ("Time;Value;Unit\n10:00:01;1,648;VDC\n10:00:02;1,652;VDC\n10:00:03;9,99;VDC\n", Function.DC_VOLTS, 1.652),
    ("No,Date,Reading,Unit\n1,2026-01-02 10:00:01,4.69,kOhm\n2,2026-01-02 10:00:02,4.71,kOhm\n", Function.RESISTANCE, 4700.0),
    ("Model X\nSerial 12\n\nZeit\tMesswert\tEinheit\n00:01\t45,1\tmA DC\n00:02\t45,3\tmA DC\n", Function.CURRENT, 0.0452),
    ("0.1,5.01,V\n0.2,5.03,V\n0.3,OL,V\n0.4,5.02,V\n", Function.DC_VOLTS, 5.02),
    ("12:00:00;0,251\n12:00:01;0,249\n", Function.AC_VOLTS, 0.25),
    ("time,value (mV),unit\n1,250,mV AC\n2,252,mV AC\n3,248,mV AC\n", Function.AC_VOLTS, 0.25),
    ("t,value,unit\n1,41.0,DegC\n2,41.4,DegC\n", Function.TEMPERATURE, 41.2),
]  # fmt: skip


@pytest.mark.parametrize(("text", "function", "middle"), LOGS)
def test_the_middle_of_a_log_is_found(text: str, function: Function, middle: float) -> None:
    """Semicolons with decimal commas, tabs, lines before the heading, no heading at all; overloads are passed over."""
    rows = rows_of(text)
    columns = guessed(rows)
    assert columns is not None
    found = read_log(rows, columns, function)
    assert found.middle == pytest.approx(middle)
    assert found.low <= found.middle <= found.high
    assert f"middle of {found.values} values in x" in found.note(function, "x")
    assert is_log(demo("tidewell").job, text)


@pytest.mark.parametrize(
    "text",
    [
        "point;value\nline_left;1.5\n",
        "line_left,input_return,on,DC volts,0.001\n",
        "host.line_left,,,,0.001\n",
    ],
)
def test_a_table_of_readings_is_no_log(text: str) -> None:
    """It names its points, with a heading or without."""
    assert not is_log(demo("tidewell").job, text)


@pytest.mark.parametrize("text", ["", "\n \n", "a;b\nc;d\n"])
def test_what_holds_no_values_is_none(text: str) -> None:
    """Refused in a sentence, or left to whoever reads tables."""
    try:
        assert not is_log(demo("tidewell").job, text)
    except JobError as error:
        assert "\n" not in str(error)


def test_a_value_in_another_unit_is_refused_with_its_row() -> None:
    """Volts are no ohms."""
    rows = rows_of("value;unit\n1;V\n2;Ohm\n")
    with pytest.raises(JobError, match="row 3"):
        read_log(rows, Columns(0, 1, 1), Function.DC_VOLTS)
    with pytest.raises(JobError, match="another column"):
        read_log(rows_of("x;y\n3;OL\n4;\n"), Columns(1, -1, 1), Function.DC_VOLTS)
