"""A reading judged on the spot: what was expected there, whether it is in range, what it means and what to do.

Limits are common practice: an audio input reads nought within a few millivolts, a ring-out is below 1 Ω, a rail holds
within a tenth of what the papers say. Five volts on a supposed audio point is a stop before any module is joined.
"""

from __future__ import annotations

from collections.abc import Callable

import msgspec

from pigtail.job.derive import FULL_SCALE
from pigtail.job.model import (
    HEARD,
    AudioIn,
    AudioOut,
    Channel,
    Control,
    Digital,
    Function,
    Job,
    Pin,
    Rail,
    Reading,
    Return,
    Video,
    alive,
)
from pigtail.job.readings import plain
from pigtail.studies.findings import Finding, Severity
from pigtail.studies.trust import trust
from pigtail.units import format_quantity, format_spread
from pigtail.units.known import Known

INPUT_DC_STOP_V, INPUT_DC_WATCH_V = 2.0, 0.1
OUTPUT_DC_STOP_V, OUTPUT_DC_WATCH_V = 4.0, 0.02
RUNG_OHM, APART_OHM = 1.0, 1e6
GROUND_APART_V = 0.02
RIPPLE_PART = 0.02
HOT_C, WARM_C = 105.0, 70.0
RAIL_PART = 0.1


class Expected(msgspec.Struct, frozen=True):
    """What a reading should lie between [unit of its function], in words, and where that comes from."""

    low: float
    high: float
    words: str
    source: str


def expected(job: Job, reading: Reading) -> Expected | None:
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


def _expected_dc(job: Job, reading: Reading) -> Expected | None:
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


def _should_ring(job: Job, reading: Reading) -> bool:
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
    told = trust(job, reading)
    if not told.fine:
        return _about(reading, "reading.not_trusted", Severity.UNKNOWN, told.sentence)
    found = rules.get(reading.function, _plain)(job, reading)
    if told.sentence:
        found = msgspec.structs.replace(found, sentence=f"{found.sentence} {told.sentence}")
    return found


def _about(
    reading: Reading, code: str, severity: Severity, sentence: str, limit: float | None = None
) -> Finding:
    value = reading.value
    return Finding(
        code, severity, reading.point, sentence,
        value=value.nominal, low=value.low, high=value.high, limit=limit, unit=value.unit, basis="measured",
        why=f"reading {reading.id}: {format_spread(value.nominal, value.low, value.high, value.unit)} "
        f"in state “{reading.state}”",
    )  # fmt: skip


def _plain(job: Job, reading: Reading) -> Finding:
    shown = format_quantity(reading.value.nominal, reading.value.unit)
    return _about(
        reading, "reading.noted", Severity.GOOD, f"{job.label(reading.point)} reads {shown}; noted."
    )


def _state(job: Job, reading: Reading) -> str:
    state = job.state(reading.state)
    return state.name if state else reading.state


def _dc(job: Job, reading: Reading) -> Finding:
    terminal = job.terminal(reading.point)
    kinds: list[tuple[type, Callable[[Job, Reading], Finding]]] = [
        (AudioIn, _dc_on_input),
        (AudioOut, _dc_on_output),
        (Rail, _dc_on_rail),
        (Control, _dc_on_rail),
        (Return, _dc_on_return),
        (Pin, _dc_on_pin),
    ]
    for kind, rule in kinds:
        if isinstance(terminal, kind):
            return rule(job, reading)
    return _plain(job, reading)


def _dc_on_input(job: Job, reading: Reading) -> Finding:
    volts, name = reading.value.nominal, job.label(reading.point)
    shown = format_quantity(volts, "V")
    if abs(volts) > INPUT_DC_STOP_V:
        sentence = f"{name} carries {shown} DC: this is no audio input. Join nothing to it; find another tap."
        return _about(reading, "survey.dc_on_input", Severity.STOP, sentence, INPUT_DC_STOP_V)
    if abs(volts) > INPUT_DC_WATCH_V:
        sentence = f"{name} carries {shown} DC: only join it through a coupling capacitor."
        return _about(reading, "survey.biased_input", Severity.WATCH, sentence, INPUT_DC_WATCH_V)
    return _about(
        reading, "survey.input_clear", Severity.GOOD, f"{name} reads {shown}: right for an audio input."
    )


def _dc_on_output(job: Job, reading: Reading) -> Finding:
    volts, name = reading.value.nominal, job.label(reading.point)
    shown = format_quantity(volts, "V")
    if abs(volts) > OUTPUT_DC_STOP_V:
        sentence = (
            f"{name} carries {shown} DC: that is a supply or a logic level, no line output. Join nothing to it; "
            "ring it out against the chip pin it should come from."
        )
        return _about(reading, "survey.dc_on_output", Severity.STOP, sentence, OUTPUT_DC_STOP_V)
    if abs(volts) > OUTPUT_DC_WATCH_V:
        rating = format_quantity(max(2 * abs(volts), 6.3), "V")
        side = "plus" if volts > 0 else "minus"
        sentence = (
            f"{name} is biased at {shown}: it needs a coupling capacitor of at least {rating}, its {side} toward "
            "this output, and a bleed resistor on the far side."
        )
        return _about(reading, "survey.biased_output", Severity.WATCH, sentence, OUTPUT_DC_WATCH_V)
    return _about(reading, "survey.output_clear", Severity.GOOD, f"{name} reads {shown}: no bias to block.")


def _dc_on_rail(job: Job, reading: Reading) -> Finding:
    rail = job.terminal(reading.point)
    assert isinstance(rail, Rail | Control)
    known = rail.voltage if isinstance(rail, Rail) else rail.level
    volts, name, words = reading.value.nominal, job.label(reading.point), _state(job, reading)
    shown = format_quantity(volts, "V")
    on = alive(rail, reading.state)
    if not plain(reading):
        return _about(reading, "survey.rail_loaded", Severity.GOOD, f"{name} holds {shown} under the load.")
    if known is None:
        return _about(reading, "survey.rail_read", Severity.GOOD, f"{name} reads {shown} while “{words}”.")
    paper = format_quantity(abs(known.nominal), "V")
    if on and abs(volts) < 0.5 * abs(known.nominal):
        sentence = (
            f"{name} reads only {shown} while “{words}”; the papers say {paper}. Read it in every state: "
            "it may be a switched rail, or another point."
        )
        return _about(reading, "survey.rail_not_there", Severity.FIX, sentence)
    if on and volts * known.nominal < 0:
        sentence = f"{name} reads {shown} where {paper} of the other sign is wanted: swap the probes, or the point is another."
        return _about(reading, "survey.rail_reversed", Severity.STOP, sentence)
    if on and abs(volts) > 1.3 * abs(known.high):
        sentence = (
            f"{name} reads {shown}, far above the {paper} on paper: a module joined here would be destroyed."
        )
        return _about(reading, "survey.rail_too_high", Severity.STOP, sentence)
    if not on and abs(volts) > 1.0:
        sentence = f"{name} still reads {shown} while “{words}”, where it should be off."
        return _about(reading, "survey.rail_stays", Severity.WATCH, sentence)
    right = "as it should" if on else "off, as it should be"
    return _about(
        reading, "survey.rail_right", Severity.GOOD, f"{name} reads {shown} while “{words}”: {right}."
    )


def _dc_on_return(job: Job, reading: Reading) -> Finding:
    volts, name, other = reading.value.nominal, job.label(reading.point), job.label(reading.against)
    shown = format_quantity(volts, "V")
    if not isinstance(job.terminal(reading.against), Return) or not plain(reading):
        return _plain(job, reading)
    if abs(volts) > GROUND_APART_V:
        sentence = (
            f"{name} is {shown} away from {other}: it is not the supply negative. Do not join the two; take the "
            "module's audio ground here only through a capacitor, a transformer or an isolated supply."
        )
        return _about(reading, "survey.ground_apart", Severity.FIX, sentence, GROUND_APART_V)
    return _about(reading, "survey.ground_same", Severity.GOOD, f"{name} and {other} lie within {shown}.")


def _dc_on_pin(job: Job, reading: Reading) -> Finding:
    shown = format_quantity(reading.value.nominal, "V")
    sentence = (
        f"{job.label(reading.point)} reads {shown} while “{_state(job, reading)}”: read the other states too."
    )
    return _about(reading, "survey.pin_read", Severity.GOOD, sentence)


def _ac(job: Job, reading: Reading) -> Finding:
    terminal = job.terminal(reading.point)
    volts, name = reading.value.nominal, job.label(reading.point)
    shown = format_quantity(volts, "V")
    wanted = expected(job, reading)
    if isinstance(terminal, Rail) and wanted and volts > wanted.high:
        sentence = f"{shown} of ripple on {name}: it would be heard. Filter it or take another rail."
        return _about(reading, "survey.ripple", Severity.WATCH, sentence, wanted.high)
    if isinstance(terminal, Return) and plain(reading) and volts > GROUND_APART_V:
        sentence = f"{shown} AC between {name} and {job.label(reading.against)}: a hum in waiting. Settle the returns first."
        return _about(reading, "survey.ground_hums", Severity.WATCH, sentence, GROUND_APART_V)
    if (
        isinstance(terminal, AudioOut)
        and reading.drive
        and plain(reading)
        and volts < 2e-3
        and alive(terminal, reading.state)
    ):
        sentence = f"Nothing arrives at {name} while “{_state(job, reading)}”: muted here, not this point, or not playing."
        return _about(reading, "survey.output_dead", Severity.FIX, sentence)
    return _plain(job, reading)


def _ohms(job: Job, reading: Reading) -> Finding:
    ohm, name, other = reading.value.nominal, job.label(reading.point), job.label(reading.against)
    shown = format_quantity(ohm, "Ω") if ohm < APART_OHM else "no connection"
    if _should_ring(job, reading):
        if reading.value.low <= RUNG_OHM:
            return _about(
                reading, "survey.rung_out", Severity.GOOD, f"{name} rings out to {other}.", RUNG_OHM
            )
        sentence = (
            f"{name} does not ring out to {other} ({shown}): it is not that net. Go on to the chip pin itself, "
            "or try the other pins of the connector."
        )
        return _about(reading, "survey.not_rung", Severity.FIX, sentence, RUNG_OHM)
    ends = (job.terminal(reading.point), job.terminal(reading.against))
    if all(isinstance(e, Return) for e in ends):
        if ohm > 10.0:
            sentence = f"{shown} between {name} and {other}: they are two grounds. Read DC and AC between them before any joins both."
            return _about(reading, "survey.two_grounds", Severity.WATCH, sentence, 10.0)
        return _about(reading, "survey.ground_path", Severity.GOOD, f"{shown} between {name} and {other}.")
    if any(isinstance(e, Rail) for e in ends) and any(isinstance(e, Return) for e in ends) and ohm < 5.0:
        return _about(
            reading,
            "survey.rail_short",
            Severity.STOP,
            f"{shown} from {name} to {other}: a short. Find it before power.",
        )
    return _plain(job, reading)


def _heard(job: Job, reading: Reading) -> Finding:
    terminal = job.terminal(reading.point)
    heard, name = HEARD[int(reading.value.nominal)], job.label(reading.point)
    channel = terminal.channel if isinstance(terminal, AudioIn | AudioOut) else Channel.MONO
    if heard == "nothing":
        sentence = f"Nothing is heard from {name} while “{_state(job, reading)}”: another source is selected, or it is not this point."
        return _about(reading, "survey.silent", Severity.FIX, sentence)
    if channel is Channel.MONO or heard == channel.value:
        return _about(reading, "survey.heard", Severity.GOOD, f"{name} is heard {heard}.")
    if heard == "both":
        sentence = f"{name} is heard on both sides: it is summed to mono there, or the two are joined."
        return _about(reading, "survey.heard_both", Severity.WATCH, sentence)
    sentence = f"{name} is heard {heard}: left and right are swapped. Change the channels of the two points."
    return _about(reading, "survey.swapped", Severity.FIX, sentence)


def _temperature(job: Job, reading: Reading) -> Finding:
    hot, name = reading.value.nominal, job.label(reading.point)
    shown = format_quantity(hot, "°C")
    if hot > HOT_C:
        return _about(
            reading,
            "survey.too_hot",
            Severity.FIX,
            f"{name} is at {shown}: switch off, it will not live.",
            HOT_C,
        )
    if hot > WARM_C:
        return _about(
            reading, "survey.hot", Severity.WATCH, f"{name} is at {shown}: too hot to touch.", WARM_C
        )
    return _about(reading, "survey.cool", Severity.GOOD, f"{name} is at {shown}.")
