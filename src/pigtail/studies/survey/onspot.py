"""A reading judged on the spot: what was expected there, whether it is in range, what it means and what to do.

Limits are common practice: an audio input reads nought within a few millivolts, a ring-out is below 1 Ω, a rail holds
within a tenth of what the papers say. Five volts on a supposed audio point is a stop before any module is joined.
"""

from __future__ import annotations

from collections.abc import Callable

import msgspec

from pigtail.catalogue.ratings import ratings
from pigtail.catalogue.topologies import Does, does
from pigtail.job.control import WAKES
from pigtail.job.document import (
    BLADES,
    EARTH,
    HEARD,
    AudioIn,
    AudioOut,
    Channel,
    Control,
    Digital,
    Function,
    Job,
    Mode,
    Module,
    Pin,
    Purpose,
    Rail,
    Reading,
    Return,
    SupplyIn,
    alive,
)
from pigtail.job.readings import plain, stands_at
from pigtail.job.safety import APART_FROM_MAINS_OHM, HAZARD_AC_V, LIMITS
from pigtail.job.wiring import path_between
from pigtail.language import tr
from pigtail.studies.control.meant import StateMoment, meant
from pigtail.studies.findings import Finding, Severity
from pigtail.studies.survey.about import about
from pigtail.studies.survey.expecting import (
    EMPTY_V,
    GROUND_APART_V,
    INPUT_DC_WATCH_V,
    MOVES_AC_V,
    RAIL_PART,
    RUNG_OHM,
    SHORT_OHM,
    USUAL_PATH_OHM,
    against_earth,
    apart_ohm,
    expected,
    expected_at_plug,
    should_ring,
)
from pigtail.studies.survey.playing import judged_playing
from pigtail.studies.survey.slips import IMPLAUSIBLE_V, slip_of
from pigtail.studies.survey.trust import trust
from pigtail.units import format_quantity
from pigtail.units.known import Basis, Known
from pigtail.units.series import nearest

INPUT_DC_STOP_V = 2.0
OUTPUT_DC_STOP_V, OUTPUT_DC_WATCH_V = 4.0, 0.02
#: What carries so much of its voltage as AC lies before a rectifier.
AC_PART = 0.5
#: Less AC than this on a rail is ripple, whatever its DC [V].
AC_V = 1.0
#: Volts below this are the wrong way round [V].
REVERSED_V = 0.3
HOT_C, WARM_C = 105.0, 70.0
TWO_GROUNDS_OHM = 10.0
#: A way between two grounds that is longer than its papers say by this factor and these ohms has a bad joint.
BAD_JOINT, BAD_JOINT_OHM = 2.0, 0.5


def judged(job: Job, reading: Reading) -> Finding:
    """The verdict on one reading."""
    rules: dict[Function, Callable[[Job, Reading], Finding]] = {
        Function.DC_VOLTS: _dc,
        Function.AC_VOLTS: _ac,
        Function.RESISTANCE: _ohms,
        Function.CONTINUITY: _ohms,
        Function.HEARD: _heard,
        Function.TEMPERATURE: _temperature,
    }
    if reading.function is Function.CURRENT and reading.against:
        return about(job, reading, "reading.across")
    if reading.function in LIMITS and abs(reading.value.nominal) > IMPLAUSIBLE_V:
        return about(job, reading, "reading.implausible", IMPLAUSIBLE_V)
    told = trust(job, reading)
    if not told.fine:
        return about(job, reading, "reading.not_trusted", told=told.sentence)
    found = rules.get(reading.function, _plain)(job, reading)
    if found.severity is Severity.GOOD and (slip := slip_of(job, reading, reading.value.nominal)) is not None:
        found = about(job, reading, "reading.doubtful", question=slip.question)
    if told.sentence:
        found = msgspec.structs.replace(found, sentence=f"{found.sentence} {told.sentence}")
    return found


def _plain(job: Job, reading: Reading) -> Finding:
    return about(job, reading, "reading.noted")


def _dc(job: Job, reading: Reading) -> Finding:
    terminal = job.terminal(reading.point)
    kinds: list[tuple[type, Callable[[Job, Reading], Finding]]] = [
        (AudioIn, _dc_on_input),
        (AudioOut, _dc_on_output),
        (Rail, _dc_on_rail),
        (Control, _dc_on_rail),
        (Return, _dc_on_return),
        (SupplyIn, _dc_at_pin),
        (Pin, lambda j, r: about(j, r, "survey.pin_read")),
    ]
    for kind, rule in kinds:
        if isinstance(terminal, kind):
            return rule(job, reading)
    return _plain(job, reading)


def _dc_at_pin(job: Job, reading: Reading) -> Finding:
    """The volts at a module's supply pin: none where it is to be off, else as at its plug."""
    home = isinstance(job.terminal(reading.against), Return)
    return (
        about(job, reading, "survey.plug_awake")
        if home and _awake(job, reading)
        else _dc_at_plug(job, reading)
    )


def _dc_at_plug(job: Job, reading: Reading) -> Finding:
    """The volts at a module's plug before it is joined: which way round, how many, whether they hold under a load."""
    wanted, volts = expected_at_plug(job, reading), reading.value.nominal
    if not isinstance(job.terminal(reading.against), Return):
        return _plain(job, reading)
    if volts < -REVERSED_V:
        return about(job, reading, "survey.plug_reversed", 0.0)
    if wanted is None:
        return about(job, reading, "survey.plug_unknown")
    state = job.state(reading.state)
    if abs(volts) <= REVERSED_V and state is not None and state.kind in (Mode.OFF, Mode.STANDBY):
        return _plain(job, reading)
    load = format_quantity(reading.load.nominal, "Ω") if reading.load is not None else ""
    across = tr(" with {load} across", load=load) if load else tr(" with nothing across")
    takes = wanted.words.partition(",")[0]
    if volts > wanted.high:
        return about(job, reading, "survey.plug_too_high", wanted.high, load=across, takes=takes)
    if volts < wanted.low:
        return about(job, reading, "survey.plug_too_low", wanted.low, load=across, takes=takes)
    if not load:
        ohm, watts = _dummy(job, reading)
        return about(job, reading, "survey.plug_right", ohm=ohm, watts=watts, load=across, takes=takes)
    return about(job, reading, "survey.plug_holds", load=across)


def _awake(job: Job, reading: Reading) -> bool:
    """Whether a module's pin has volts in a state in which the plan means it to be off."""
    module = job.device(reading.point.partition(".")[0])
    pin = job.terminal(reading.point)
    if not isinstance(module, Module) or not isinstance(pin, SupplyIn) or pin.minimum is None:
        return False
    off = meant(job, module, StateMoment(reading.state, module.id, "")) is False
    return off and abs(reading.value.nominal) > WAKES * pin.minimum.low


def _dummy(job: Job, reading: Reading) -> tuple[str, str]:
    """The resistor that stands for a module at its plug, drawing what it draws at the most, and what becomes heat in it."""
    pin = job.terminal(reading.point)
    assert isinstance(pin, SupplyIn)
    if pin.largest is None or pin.largest.nominal <= 0:
        return tr("a resistor that draws what the module does"), tr("its heat")
    ohm = nearest(reading.value.nominal / pin.largest.nominal, "E12")
    return format_quantity(ohm, "Ω"), format_quantity(reading.value.nominal**2 / ohm, "W", 2)


def _as_documented(value: Known, known: Known | None) -> bool:
    """Whether a reading agrees with what the papers say of the point, a tenth allowed for."""
    if known is None or known.basis not in (Basis.DOCUMENTED, Basis.MEASURED):
        return False
    slack = RAIL_PART * abs(known.nominal)
    return value.low <= known.high + slack and value.high >= known.low - slack


def _keeping_out(job: Job, point: str) -> str:
    """The feeds of a point, if every one of them keeps DC out by a capacitor or a transformer; empty otherwise."""
    feeds = [
        x for x in job.links if x.purpose is Purpose.FEED and (point in x.starts or point in x.at("out"))
    ]
    blocked = all(any(does(s, Does.BLOCKS, Does.ISOLATES) for s in x.sections) for x in feeds)
    return tr(" and ").join(x.name for x in feeds) if blocked else ""


def _dc_on_input(job: Job, reading: Reading) -> Finding:
    terminal = job.terminal(reading.point)
    volts = abs(reading.value.nominal)
    told = _as_documented(reading.value, getattr(terminal, "dc", None))
    feeds = _keeping_out(job, reading.point)
    if volts > INPUT_DC_WATCH_V and told and feeds:
        return about(job, reading, "survey.kept_out", INPUT_DC_WATCH_V, feeds=feeds)
    if volts > INPUT_DC_STOP_V and not told:
        return about(job, reading, "survey.dc_on_input", INPUT_DC_STOP_V)
    if volts > INPUT_DC_WATCH_V:
        return about(job, reading, "survey.biased_input", INPUT_DC_WATCH_V)
    return about(job, reading, "survey.input_clear")


def _dc_on_output(job: Job, reading: Reading) -> Finding:
    volts = reading.value.nominal
    told = _as_documented(reading.value, getattr(job.terminal(reading.point), "bias", None))
    if abs(volts) > OUTPUT_DC_STOP_V and not told:
        return about(job, reading, "survey.dc_on_output", OUTPUT_DC_STOP_V)
    if abs(volts) > OUTPUT_DC_WATCH_V and (feeds := _keeping_out(job, reading.point)):
        return about(job, reading, "survey.kept_out", OUTPUT_DC_WATCH_V, feeds=feeds)
    if abs(volts) > OUTPUT_DC_WATCH_V:
        least = ratings().capacitor.volts[0]
        rating = format_quantity(max(ratings().capacitor.margin * abs(volts), least), "V")
        side = "plus" if volts > 0 else "minus"
        return about(job, reading, "survey.biased_output", OUTPUT_DC_WATCH_V, rating=rating, side=side)
    return about(job, reading, "survey.output_clear")


def _dc_on_rail(job: Job, reading: Reading) -> Finding:
    rail = job.terminal(reading.point)
    assert isinstance(rail, Rail | Control)
    known = stands_at(job, reading.point)
    volts = reading.value.nominal
    on = alive(rail, reading.state)
    if not plain(reading):
        return _rail_loaded(job, reading, on=on)
    if reading.state == job.off_state() and abs(volts) > EMPTY_V:
        return about(job, reading, "survey.still_charged", EMPTY_V)
    if known is None:
        return about(job, reading, "survey.rail_read")
    paper = format_quantity(abs(known.nominal), "V")
    if on and abs(volts) < 0.5 * abs(known.nominal):
        return about(job, reading, "survey.rail_not_there", paper=paper)
    if on and volts * known.nominal < 0:
        return about(job, reading, "survey.rail_reversed", paper=paper)
    if on and abs(volts) > 1.3 * abs(known.high):
        straight = any(
            x.purpose is Purpose.SUPPLY
            and reading.point in x.starts
            and not any(does(s, Does.CONVERTS) for s in x.sections)
            for x in job.links
        )
        return about(job, reading, "survey.rail_too_high" if straight else "survey.rail_higher", paper=paper)
    stays = not on and abs(volts) > 1.0
    right = tr("as it should") if on else tr("off, as it should be")
    return about(job, reading, "survey.rail_stays" if stays else "survey.rail_right", right=right)


def _rail_loaded(job: Job, reading: Reading, *, on: bool) -> Finding:
    """A rail with something across it: whether it holds."""
    wanted, volts = expected(job, reading), abs(reading.value.nominal)
    if (
        reading.load is not None
        and on
        and wanted is not None
        and volts < min(abs(wanted.low), abs(wanted.high))
    ):
        load = format_quantity(reading.load.nominal, "Ω")
        return about(job, reading, "survey.rail_weak", wanted.low, load=load)
    return about(job, reading, "survey.rail_loaded")


def _dc_on_return(job: Job, reading: Reading) -> Finding:
    if not isinstance(job.terminal(reading.against), Return) or not plain(reading):
        return _plain(job, reading)
    if abs(reading.value.nominal) > GROUND_APART_V:
        return about(job, reading, "survey.ground_apart", GROUND_APART_V)
    return about(job, reading, "survey.ground_same")


def _stands(job: Job, point: str) -> float:
    """What a rail stands at [V], nought where nothing tells."""
    known = stands_at(job, point)
    return abs(known.nominal) if known is not None else 0.0


def _ac(job: Job, reading: Reading) -> Finding:
    terminal = job.terminal(reading.point)
    volts = reading.value.nominal
    wanted = expected(job, reading)
    if against_earth(reading):
        beyond = "survey.at_mains" if reading.load is not None else "survey.floats"
        return about(job, reading, beyond if volts > HAZARD_AC_V else "survey.not_at_mains")
    if isinstance(terminal, Rail) and volts > max(AC_V, AC_PART * _stands(job, reading.point)):
        return about(job, reading, "survey.rail_is_ac")
    if isinstance(terminal, Rail) and wanted and volts > wanted.high:
        return about(job, reading, "survey.ripple", wanted.high)
    if isinstance(terminal, Return) and plain(reading) and volts > GROUND_APART_V:
        return about(job, reading, "survey.ground_hums", GROUND_APART_V)
    if isinstance(terminal, AudioIn) and wanted and volts > wanted.high:
        return about(job, reading, "survey.input_not_silent", wanted.high)
    if isinstance(terminal, Digital) and wanted and volts < MOVES_AC_V:
        return about(job, reading, "survey.line_dead", MOVES_AC_V)
    if isinstance(terminal, AudioOut) and reading.drive and plain(reading) and alive(terminal, reading.state):
        return judged_playing(job, reading, terminal)
    return _plain(job, reading)


def _ohms(job: Job, reading: Reading) -> Finding:
    ohm = reading.value.nominal
    if should_ring(job, reading):
        rings = reading.value.low <= RUNG_OHM
        return about(job, reading, "survey.rung_out" if rings else "survey.not_rung", RUNG_OHM)
    points = {reading.point, reading.against}
    if BLADES in points:
        joined = ohm < APART_FROM_MAINS_OHM
        return about(
            job, reading, "survey.at_blades" if joined else "survey.apart_from_mains", APART_FROM_MAINS_OHM
        )
    if EARTH in points:
        return about(job, reading, "survey.earthed" if ohm < TWO_GROUNDS_OHM else "survey.not_earthed")
    least = apart_ohm(job, reading)
    if least is not None:
        return about(job, reading, "survey.sides_joined" if ohm < least else "survey.sides_apart", least)
    ends = (job.terminal(reading.point), job.terminal(reading.against))
    if all(isinstance(e, Return) for e in ends):
        return _ground_path(job, reading)
    rail_to_return = any(isinstance(e, Rail) for e in ends) and any(isinstance(e, Return) for e in ends)
    if rail_to_return and ohm < SHORT_OHM:
        return about(job, reading, "survey.rail_short")
    return _plain(job, reading)


def _ground_path(job: Job, reading: Reading) -> Finding:
    """What lies between two grounds, against what the papers say of it."""
    path = path_between(job, reading.point, reading.against)
    known = path.resistance if path is not None else None
    if reading.value.nominal > TWO_GROUNDS_OHM and (known is None or reading.value.low > known.high):
        return about(job, reading, "survey.two_grounds", TWO_GROUNDS_OHM)
    most = known.high if known is not None else USUAL_PATH_OHM
    if reading.value.low > BAD_JOINT * most and reading.value.low > most + BAD_JOINT_OHM:
        paper = format_quantity(most, "Ω")
        return about(job, reading, "survey.bad_joint", most, paper=paper)
    return about(job, reading, "survey.ground_path")


def _heard(job: Job, reading: Reading) -> Finding:
    terminal = job.terminal(reading.point)
    heard = HEARD[int(reading.value.nominal)]
    channel = terminal.channel if isinstance(terminal, AudioIn | AudioOut) else Channel.MONO
    if heard == "nothing":
        return about(job, reading, "survey.silent")
    if channel is Channel.MONO or heard == channel.value:
        return about(job, reading, "survey.heard", heard=heard)
    return about(job, reading, "survey.heard_both" if heard == "both" else "survey.swapped", heard=heard)


def _temperature(job: Job, reading: Reading) -> Finding:
    hot = reading.value.nominal
    if hot > HOT_C:
        return about(job, reading, "survey.too_hot", HOT_C)
    return about(job, reading, "survey.hot", WARM_C) if hot > WARM_C else about(job, reading, "survey.cool")
