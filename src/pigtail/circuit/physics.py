"""What temperature makes of a circuit: thermal voltage, thermal noise, and the constants they rest on."""

from __future__ import annotations

from pigtail.circuit.netlist import KELVIN, Options

BOLTZMANN = 1.380649e-23  # [J/K] exact, SI 2019
ELEMENTARY_CHARGE = 1.602176634e-19  # [C] exact, SI 2019


def surroundings(options: Options) -> dict[str, float]:
    """What every formula may use beside its device's parameters.

    By name: temperatures [K], thermal voltage [V], 4kT [W/Hz], charge [C].
    """
    t = options.temp + KELVIN
    return {
        "vt": BOLTZMANN * t / ELEMENTARY_CHARGE,
        "t": t,
        "tnom": options.tnom + KELVIN,
        "gmin": options.gmin,
        "qe": ELEMENTARY_CHARGE,
        "four_kt": 4 * BOLTZMANN * t,
    }
