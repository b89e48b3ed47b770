"""Cautions by supply class, shown wherever the host is opened or measured. Common practice."""

from pigtail.job.document import SupplyClass
from pigtail.language import tr

CAUTIONS: dict[SupplyClass, tuple[str, ...]] = {
    SupplyClass.MAINS_ISOLATED: (
        tr("The primary side is lethal: unplug before opening, and leave it to a licensed person."),
        tr(
            "Wait, then measure the reservoir below 60 V; below 10 V before soldering. Discharge "
            "through a resistor."
        ),
        tr("Live measuring: RCD, isolating transformer, one hand, no jewellery."),
    ),
    SupplyClass.MAINS_SWITCHING: (
        tr(
            "The primary side and its heatsink are live and its capacitor holds charge: leave them "
            "to a licensed person."
        ),
        tr(
            "Unplug before opening; wait, then measure the reservoir below 60 V, below 10 V before soldering."
        ),
        tr("The secondary floats with a small mains leakage: expect a tingle and a hum path."),
    ),
    SupplyClass.LIVE_CHASSIS: (
        tr(
            "STOP. Chassis and every tap may be at mains potential: no wire, no metal connector, no "
            "meter earth."
        ),
        tr("Only a wireless or optical path, fitted by a qualified person, or leave this job."),
    ),
    SupplyClass.VALVE: (
        tr(
            "Hundreds of volts stay on capacitors long after switch-off: unplug, wait, measure, "
            "discharge through a resistor."
        ),
        tr("One hand, no jewellery; the primary side is for a licensed person."),
    ),
    SupplyClass.ADAPTER_AC: (
        tr(
            "Unplug the adapter before opening and before soldering; measure that nothing is charged "
            "above 10 V."
        ),
        tr("One leg of the AC may be joined to signal ground."),
    ),
    SupplyClass.ADAPTER_DC: (
        tr(
            "Unplug the adapter before opening and before soldering; measure that nothing is charged "
            "above 10 V."
        ),
        tr("Check which side is the signal ground."),
    ),
    SupplyClass.BATTERY: (
        tr("Take the battery out before soldering; never puncture or short a lithium cell."),
    ),
    SupplyClass.UNKNOWN: (
        tr("How the host is fed is not known: do not open or probe it before that is settled."),
    ),
}
LOCAL_CODES = tr("Local electrical codes and licensed practice come before anything written here.")
