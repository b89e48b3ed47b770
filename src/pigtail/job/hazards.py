"""What is found out of a host before anything else: how it is fed, whether it is joined to the mains, whether its reservoir is empty.

Common practice: the rating plate and the plug are looked at; unplugged, the return is read against both blades of the plug and against
its earth; the reservoir is read before anything is touched; switched on, the return is read against earth with 100 kΩ across, so that what
only leaks through an interference capacitor (up to 0.25 mA) stays below 30 V and a live chassis does not.
"""

from __future__ import annotations

from collections.abc import Iterator

from pigtail.job.ask import Ask, unanswered, unplugged
from pigtail.job.document import BLADES, EARTH, HOST, Function, Job, Rail, Return, SupplyClass
from pigtail.job.safety import LIMITS, most_volts
from pigtail.job.wiring import return_address, star_address
from pigtail.language import tr

#: How a host is fed by a mains lead of its own, or may be.
MAINS = (SupplyClass.MAINS_ISOLATED, SupplyClass.MAINS_SWITCHING, SupplyClass.VALVE)
#: Hosts whose reservoir holds enough to hurt, or to hurt a meter.
CHARGED = (SupplyClass.MAINS_SWITCHING, SupplyClass.VALVE)
#: What is clipped across while a return is read against earth [Ω].
ACROSS_OHM = 100e3
#: A rail above this charges a capacitor that is read before it is touched [V].
CHARGES_V = 10.0
LOOK = tr("its rating plate and power entry: what feeds it, and is there a transformer between")


def hazard_checks(job: Job) -> tuple[Ask, ...]:
    """What is asked of a host before its points, in order; nothing but a look and what is read unplugged while its class is not known."""
    return tuple(_checks(job))


def _checks(job: Job) -> Iterator[Ask]:
    supply, star, off = job.host.supply, star_address(job), unplugged(job)
    if supply is SupplyClass.UNKNOWN:
        yield Ask(HOST, "", off, Function.LOOK, LOOK)
    if supply not in (*MAINS, SupplyClass.UNKNOWN) or not star:
        return
    yield Ask(star, BLADES, off, Function.RESISTANCE, tr("that no blade of the mains plug is joined to it"))
    yield Ask(star, EARTH, off, Function.RESISTANCE, tr("whether it is earthed"))
    if supply is SupplyClass.UNKNOWN:
        return
    if job.off_state() and (rail := reservoir_point(job)):
        yield Ask(
            rail,
            return_address(job, rail),
            off,
            Function.DC_VOLTS,
            tr("that its reservoir is empty, before it is touched"),
        )
    reason = tr("that it does not stand at the mains")
    yield Ask(star, EARTH, job.working_state(), Function.AC_VOLTS, reason, load=ACROSS_OHM)


def caution_of(job: Job, ask: Ask) -> str:
    """What whoever takes a reading should heed; empty where nothing near it can hurt."""
    if ask.function is Function.LOOK or (ask.unpowered and job.host.supply not in CHARGED):
        return ""
    if ask.unpowered:
        return tr("only once the reservoir was read and is empty")
    if ask.state == job.off_state():
        return tr("it may still be charged: insulated probes, one hand")
    ends = [a for a in (ask.point, ask.against) if not isinstance(job.terminal(a), Return)]
    found = [most_volts(job, a) for a in ends] or [(0.0, Function.DC_VOLTS)]
    volts, function = max(found, key=lambda m: m[0] / LIMITS[m[1]])
    if volts > LIMITS[function]:
        return tr(
            "up to {volts:.0f} V: clip the probes on with the power off, keep both hands away", volts=volts
        )
    return (
        tr("open and live: RCD, isolating transformer, one hand")
        if job.host.supply in (*MAINS, SupplyClass.UNKNOWN)
        else ""
    )


def reservoir_point(job: Job) -> str:
    """Where the charge of the largest reservoir is read: the rail that stands highest, of those that may be above 10 V or are not known;
    empty for none."""
    rails = {f"{HOST}.{t.id}": t.voltage for t in job.host.terminals if isinstance(t, Rail)}
    high = {a: max(abs(v.low), abs(v.high)) if v is not None else CHARGES_V for a, v in rails.items()}
    most = max(high, key=lambda a: high[a], default="")
    return most if most and high[most] >= CHARGES_V else ""


def open_hazards(job: Job) -> tuple[Ask, ...]:
    """Those that nothing in the log answers yet."""
    return unanswered(job, hazard_checks(job))
