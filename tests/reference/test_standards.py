"""Preferred numbers and levels against the standards' own lists.

IEC 60063: E24 in full, E96 in full as it is printed on resistor charts. Levels: 0 dBu is 1 mW in 600 Ω.
"""

import numpy as np
import pytest

from pigtail.studies.returns.hum import a_weight
from pigtail.units.decibels import DBU_REFERENCE_V, from_dbu, from_dbv
from pigtail.units.series import decade

E24 = "1.0 1.1 1.2 1.3 1.5 1.6 1.8 2.0 2.2 2.4 2.7 3.0 3.3 3.6 3.9 4.3 4.7 5.1 5.6 6.2 6.8 7.5 8.2 9.1"
E12 = "1.0 1.2 1.5 1.8 2.2 2.7 3.3 3.9 4.7 5.6 6.8 8.2"
E96 = """1.00 1.02 1.05 1.07 1.10 1.13 1.15 1.18 1.21 1.24 1.27 1.30 1.33 1.37 1.40 1.43 1.47 1.50 1.54 1.58 1.62 1.65
1.69 1.74 1.78 1.82 1.87 1.91 1.96 2.00 2.05 2.10 2.15 2.21 2.26 2.32 2.37 2.43 2.49 2.55 2.61 2.67 2.74 2.80 2.87 2.94
3.01 3.09 3.16 3.24 3.32 3.40 3.48 3.57 3.65 3.74 3.83 3.92 4.02 4.12 4.22 4.32 4.42 4.53 4.64 4.75 4.87 4.99 5.11 5.23
5.36 5.49 5.62 5.76 5.90 6.04 6.19 6.34 6.49 6.65 6.81 6.98 7.15 7.32 7.50 7.68 7.87 8.06 8.25 8.45 8.66 8.87 9.09 9.31
9.53 9.76"""


@pytest.mark.parametrize(("series", "printed"), [("E12", E12), ("E24", E24), ("E96", E96)])
def test_series_hold_every_member_of_the_standard(series: str, printed: str) -> None:
    """Every member, in order, and no other."""
    assert decade(series) == tuple(float(x) for x in printed.split())


def test_levels_have_their_references() -> None:
    """0 dBu is √(1 mW · 600 Ω) = 0.7746 V; +4 dBu is 1.228 V; −10 dBV is 0.316 V."""
    assert pytest.approx(1e-3) == DBU_REFERENCE_V**2 / 600
    assert from_dbu(4) == pytest.approx(1.228, abs=5e-4)
    assert from_dbv(-10) == pytest.approx(0.3162, abs=5e-5)


@pytest.mark.parametrize(
    ("hertz", "decibels"),
    [
        (50.0, -30.2),
        (100.0, -19.1),
        (200.0, -10.9),
        (500.0, -3.2),
        (1000.0, 0.0),
        (2000.0, 1.2),
        (10000.0, -2.5),
    ],
)
def test_the_a_weighting_is_that_of_its_standard(hertz: float, decibels: float) -> None:
    """IEC 61672-1, table 3: within a tenth of a decibel."""
    assert 20 * np.log10(a_weight(np.array([hertz])))[0] == pytest.approx(decibels, abs=0.1)
