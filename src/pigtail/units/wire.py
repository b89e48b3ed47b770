"""Copper wire.

Sources: ASTM B258 (diameters of the American gauge); IEC 60028 (resistivity of annealed copper at 20 °C).
"""

import math

COPPER_OHM_MM2_PER_M = 0.017241
SCREENED_F_PER_M = 100e-12  # common practice: screened audio cable
OPEN_PAIR_F_PER_M = 50e-12  # common practice: two loose insulated wires side by side
GAUGES = (18, 20, 22, 24, 26, 28, 30, 32)


def nearest_gauge(gauge: float) -> int:
    """The whole gauge [AWG] that is sold and comes nearest to one, such as that of a metric cross-section.

    >>> nearest_gauge(23.7), nearest_gauge(25.0)
    (24, 25)
    """
    near = round(gauge)
    return near if abs(gauge - near) < 1e-6 else min(GAUGES, key=lambda g: abs(g - gauge))


def awg_diameter_mm(gauge: float) -> float:
    """Diameter [mm] of solid wire of a gauge [AWG]: 0.127 mm · 92^((36 − n)/39).

    >>> awg_diameter_mm(36)
    0.127
    """
    return float(0.127 * 92.0 ** ((36.0 - gauge) / 39.0))


def awg_area_mm2(gauge: float) -> float:
    """Cross-section [mm²] of solid wire of a gauge [AWG]."""
    return math.pi / 4.0 * awg_diameter_mm(gauge) ** 2


def ohm_per_m(gauge: float) -> float:
    """Resistance [Ω/m] of copper wire of a gauge [AWG] at 20 °C.

    >>> round(ohm_per_m(24), 4)
    0.0842
    """
    return COPPER_OHM_MM2_PER_M / awg_area_mm2(gauge)
