"""A reading judged on the spot: what was expected there, whether it is in range, what it means and what to do.

Limits are common practice: an audio input reads nought within a few millivolts, a ring-out is below 1 Ω, a rail holds
within a tenth of what the papers say. Five volts on a supposed audio point is a stop before any module is joined.
"""

from __future__ import annotations

from collections.abc import Callable

import msgspec

from pigtail.catalogue.ratings import ratings
from pigtail.catalogue.topologies import Does, does
from pigtail.job.ask import Ask, Expected
from pigtail.job.derive import FULL_SCALE
from pigtail.job.document import (
    HEARD,
    AudioIn,
    AudioOut,
    Channel,
    Control,
    Digital,
    Function,
    Job,
    Pin,
    Purpose,
    Rail,
    Reading,
    Return,
    Video,
    alive,
)
from pigtail.job.readings import plain
from pigtail.job.safety import LIMITS
from pigtail.studies.findings import Finding
from pigtail.studies.survey.trust import trust
from pigtail.studies.wording import tell
from pigtail.units import format_quantity, format_spread
from pigtail.units.known import Basis, Known

INPUT_DC_STOP_V, INPUT_DC_WATCH_V = 2.0, 0.1
OUTPUT_DC_STOP_V, OUTPUT_DC_WATCH_V = 4.0, 0.02
RUNG_OHM, APART_OHM = 1.0, 1e6
GROUND_APART_V = 0.02
#: What carries so much of its voltage as AC lies before a rectifier.
AC_PART = 0.5
RIPPLE_PART = 0.02
HOT_C, WARM_C = 105.0, 70.0
RAIL_PART = 0.1
SILENT_V = 2e-3
#: No point that anyone may probe stands higher than this: the highest that common meters are rated for [V].
IMPLAUSIBLE_V = 1000.0
TWO_GROUNDS_OHM, SHORT_OHM = 10.0, 5.0


def with_expected(job: Job, ask: Ask) -> Ask:
    """A request with what its answer should be, where anything is known of it."""
    return msgspec.structs.replace(ask, expected=expected(job, ask))


def expected(job: Job, reading: Reading | Ask) -> Expected | None:
    """What is expected of a reading before it is taken, or None where nothing is known."""
    terminal = job.terminal(reading.point)
    function = reading.function
    if function in (Function.CONTINUITY, Function.RESISTANCE) and _should_ring(job, reading):
        return Expected(0.0, RUNG_OHM, "below 1 Ω", "it should be the same net")
    if terminal is None or not plain(reading):
        return None
    if function is Function.DC_VOLTS:
        return _expected_dc(job, reading)
    if function is Function.AC_VOLTS and isinstance(terminal, AudioOut) and reading.drive == FULL_SCALE:
        return _of(terminal.emf, "full scale")
    if function is Function.AC_VOLTS and isinstance(terminal, Rail) and terminal.voltage:
        most = RIPPLE_PART * abs(terminal.voltage.nominal)
        return Expected(0.0, most, f"ripple below {format_quantity(most, 'V')}", "2 % of the rail")
    if function is Function.CURRENT and isinstance(terminal, Rail):
        return _of(terminal.used, "what it gives already")
    return None


def _expected_dc(job: Job, reading: Reading | Ask) -> Expected | None:
    terminal = job.terminal(reading.point)
    if terminal is None:
        return None
    if isinstance(terminal, AudioIn):
        return _of(terminal.dc, "its own DC") or Expected(
            -INPUT_DC_WATCH_V, INPUT_DC_WATCH_V, "0 V within 100 mV", "an audio input"
        )
    if isinstance(terminal, Return):
        return Expected(-GROUND_APART_V, GROUND_APART_V, "0 V within 20 mV", "two grounds of one supply")
    known: Known | None = {
        AudioOut: lambda: getattr(terminal, "bias", None),
        Rail: lambda: getattr(terminal, "voltage", None),
        Control: lambda: getattr(terminal, "level", None),
    }.get(type(terminal), lambda: None)()
    if isinstance(terminal, Digital | Video) and terminal.level is not None:
        return Expected(0.0, terminal.level.high, "between 0 V and its level", "a moving line reads its mean")
    if known is None:
        return None
    if isinstance(terminal, Rail | Control) and not alive(terminal, reading.state):
        return Expected(-1.0, 1.0, "0 V, it is off here", "the papers")
    if isinstance(terminal, Rail):
        slack = RAIL_PART * abs(known.nominal)
        return Expected(
            known.low - slack,
            known.high + slack,
            f"near {format_quantity(known.nominal, 'V')}",
            _source(known),
        )
    return _of(known, "on paper")


def _of(known: Known | None, words: str) -> Expected | None:
    if known is None:
        return None
    text = format_spread(known.nominal, known.low, known.high, known.unit)
    return Expected(known.low, known.high, f"{words}: {text}", _source(known))


def _source(known: Known) -> str:
    return f"{known.basis.value} {known.source}".strip()


def _should_ring(job: Job, reading: Reading | Ask) -> bool:
    """Whether the two probes are on points that the papers say are one net."""
    for one, other in ((reading.point, reading.against), (reading.against, reading.point)):
        terminal, target = job.terminal(one), other.partition(".")[2]
        if terminal is not None and terminal.rings_to == target and target:
            return True
    return False


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
        return _about(job, reading, "reading.across")
    if reading.function in LIMITS and abs(reading.value.nominal) > IMPLAUSIBLE_V:
        return _about(job, reading, "reading.implausible", IMPLAUSIBLE_V)
    told = trust(job, reading)
    if not told.fine:
        return _about(job, reading, "reading.not_trusted", told=told.sentence)
    found = rules.get(reading.function, _plain)(job, reading)
    if told.sentence:
        found = msgspec.structs.replace(found, sentence=f"{found.sentence} {told.sentence}")
    return found


def _about(job: Job, reading: Reading, code: str, limit: float | None = None, **words: str) -> Finding:
    """The finding of a code about a reading: its words are the point and what it was read against, the state, what was read."""
    value, state = reading.value, job.state(reading.state)
    state_name = state.name if state else reading.state
    ohms = (
        "no connection"
        if value.unit == "Ω" and value.nominal >= APART_OHM
        else format_quantity(value.nominal, value.unit)
    )
    spread = format_spread(value.nominal, value.low, value.high, value.unit)
    own = {
        "name": job.label(reading.point),
        "other": job.label(reading.against),
        "state": state_name,
        "shown": format_quantity(value.nominal, value.unit),
        "ohms": ohms,
        "reading": f"reading {reading.id}: {spread} while “{state_name}”",
    }
    return tell(
        code, reading.point, own | words,
        value=value.nominal, low=value.low, high=value.high, limit=limit, unit=value.unit, basis="measured",
    )  # fmt: skip


def _plain(job: Job, reading: Reading) -> Finding:
    return _about(job, reading, "reading.noted")


def _dc(job: Job, reading: Reading) -> Finding:
    terminal = job.terminal(reading.point)
    kinds: list[tuple[type, Callable[[Job, Reading], Finding]]] = [
        (AudioIn, _dc_on_input),
        (AudioOut, _dc_on_output),
        (Rail, _dc_on_rail),
        (Control, _dc_on_rail),
        (Return, _dc_on_return),
        (Pin, lambda j, r: _about(j, r, "survey.pin_read")),
    ]
    for kind, rule in kinds:
        if isinstance(terminal, kind):
            return rule(job, reading)
    return _plain(job, reading)


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
    return " and ".join(x.name for x in feeds) if blocked else ""


def _dc_on_input(job: Job, reading: Reading) -> Finding:
    terminal = job.terminal(reading.point)
    volts = abs(reading.value.nominal)
    told = _as_documented(reading.value, getattr(terminal, "dc", None))
    feeds = _keeping_out(job, reading.point)
    if volts > INPUT_DC_WATCH_V and told and feeds:
        return _about(job, reading, "survey.kept_out", INPUT_DC_WATCH_V, feeds=feeds)
    if volts > INPUT_DC_STOP_V and not told:
        return _about(job, reading, "survey.dc_on_input", INPUT_DC_STOP_V)
    if volts > INPUT_DC_WATCH_V:
        return _about(job, reading, "survey.biased_input", INPUT_DC_WATCH_V)
    return _about(job, reading, "survey.input_clear")


def _dc_on_output(job: Job, reading: Reading) -> Finding:
    volts = reading.value.nominal
    told = _as_documented(reading.value, getattr(job.terminal(reading.point), "bias", None))
    if abs(volts) > OUTPUT_DC_STOP_V and not told:
        return _about(job, reading, "survey.dc_on_output", OUTPUT_DC_STOP_V)
    if abs(volts) > OUTPUT_DC_WATCH_V and (feeds := _keeping_out(job, reading.point)):
        return _about(job, reading, "survey.kept_out", OUTPUT_DC_WATCH_V, feeds=feeds)
    if abs(volts) > OUTPUT_DC_WATCH_V:
        least = ratings().capacitor.volts[0]
        rating = format_quantity(max(ratings().capacitor.margin * abs(volts), least), "V")
        side = "plus" if volts > 0 else "minus"
        return _about(job, reading, "survey.biased_output", OUTPUT_DC_WATCH_V, rating=rating, side=side)
    return _about(job, reading, "survey.output_clear")


def _dc_on_rail(job: Job, reading: Reading) -> Finding:
    rail = job.terminal(reading.point)
    assert isinstance(rail, Rail | Control)
    known = rail.voltage if isinstance(rail, Rail) else rail.level
    volts = reading.value.nominal
    on = alive(rail, reading.state)
    if not plain(reading):
        return _about(job, reading, "survey.rail_loaded")
    if known is None:
        return _about(job, reading, "survey.rail_read")
    paper = format_quantity(abs(known.nominal), "V")
    if on and abs(volts) < 0.5 * abs(known.nominal):
        return _about(job, reading, "survey.rail_not_there", paper=paper)
    if on and volts * known.nominal < 0:
        return _about(job, reading, "survey.rail_reversed", paper=paper)
    if on and abs(volts) > 1.3 * abs(known.high):
        straight = any(
            x.purpose is Purpose.SUPPLY
            and reading.point in x.starts
            and not any(does(s, Does.CONVERTS) for s in x.sections)
            for x in job.links
        )
        return _about(job, reading, "survey.rail_too_high" if straight else "survey.rail_higher", paper=paper)
    if not on and abs(volts) > 1.0:
        return _about(job, reading, "survey.rail_stays")
    return _about(job, reading, "survey.rail_right", right="as it should" if on else "off, as it should be")


def _dc_on_return(job: Job, reading: Reading) -> Finding:
    if not isinstance(job.terminal(reading.against), Return) or not plain(reading):
        return _plain(job, reading)
    if abs(reading.value.nominal) > GROUND_APART_V:
        return _about(job, reading, "survey.ground_apart", GROUND_APART_V)
    return _about(job, reading, "survey.ground_same")


def _ac(job: Job, reading: Reading) -> Finding:
    terminal = job.terminal(reading.point)
    volts = reading.value.nominal
    wanted = expected(job, reading)
    if isinstance(terminal, Rail) and terminal.voltage and volts > AC_PART * abs(terminal.voltage.nominal):
        return _about(job, reading, "survey.rail_is_ac")
    if isinstance(terminal, Rail) and wanted and volts > wanted.high:
        return _about(job, reading, "survey.ripple", wanted.high)
    if isinstance(terminal, Return) and plain(reading) and volts > GROUND_APART_V:
        return _about(job, reading, "survey.ground_hums", GROUND_APART_V)
    if (
        isinstance(terminal, AudioOut)
        and reading.drive
        and plain(reading)
        and volts < SILENT_V
        and alive(terminal, reading.state)
    ):
        return _about(job, reading, "survey.output_dead")
    return _plain(job, reading)


def _ohms(job: Job, reading: Reading) -> Finding:
    ohm = reading.value.nominal
    if _should_ring(job, reading):
        rings = reading.value.low <= RUNG_OHM
        return _about(job, reading, "survey.rung_out" if rings else "survey.not_rung", RUNG_OHM)
    ends = (job.terminal(reading.point), job.terminal(reading.against))
    if all(isinstance(e, Return) for e in ends):
        if ohm > TWO_GROUNDS_OHM:
            return _about(job, reading, "survey.two_grounds", TWO_GROUNDS_OHM)
        return _about(job, reading, "survey.ground_path")
    rail_to_return = any(isinstance(e, Rail) for e in ends) and any(isinstance(e, Return) for e in ends)
    if rail_to_return and ohm < SHORT_OHM:
        return _about(job, reading, "survey.rail_short")
    return _plain(job, reading)


def _heard(job: Job, reading: Reading) -> Finding:
    terminal = job.terminal(reading.point)
    heard = HEARD[int(reading.value.nominal)]
    channel = terminal.channel if isinstance(terminal, AudioIn | AudioOut) else Channel.MONO
    if heard == "nothing":
        return _about(job, reading, "survey.silent")
    if channel is Channel.MONO or heard == channel.value:
        return _about(job, reading, "survey.heard", heard=heard)
    return _about(job, reading, "survey.heard_both" if heard == "both" else "survey.swapped", heard=heard)


def _temperature(job: Job, reading: Reading) -> Finding:
    hot = reading.value.nominal
    if hot > HOT_C:
        return _about(job, reading, "survey.too_hot", HOT_C)
    return _about(job, reading, "survey.hot", WARM_C) if hot > WARM_C else _about(job, reading, "survey.cool")
