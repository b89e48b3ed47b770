"""What a reading should be before it is taken: from the papers where they tell, else from what such a point reads in sound gear."""

from __future__ import annotations

import msgspec

from pigtail.job.ask import Ask, Expected
from pigtail.job.derive import HOLDS_PART, own_way
from pigtail.job.document import (
    BLADES,
    EARTH,
    AudioIn,
    AudioOut,
    Control,
    Digital,
    Function,
    Job,
    Rail,
    Reading,
    Return,
    SupplyIn,
    Trait,
    Video,
    alive,
)
from pigtail.job.hazards import caution_of
from pigtail.job.log import log_of
from pigtail.job.readings import plain
from pigtail.job.safety import APART_FROM_MAINS_OHM, HAZARD_AC_V
from pigtail.job.tone import tone_of
from pigtail.job.wiring import path_between, twin
from pigtail.language import tr
from pigtail.units import format_quantity, format_spread
from pigtail.units.known import Known

#: A way between two grounds of one board is no longer than this, leads of the meter and all [Ω]. Common practice.
USUAL_PATH_OHM = 1.0
#: Limits of common practice [V, Ω, or a part 1].
INPUT_DC_WATCH_V, GROUND_APART_V, RUNG_OHM, SHORT_OHM = 0.1, 0.02, 1.0, 5.0
RIPPLE_PART, RAIL_PART = 0.02, 0.1
#: An input that nothing plays on reads less than this, or than a part of the level it wants [V, 1].
SILENT_IN_V, SILENT_PART = 5e-3, 0.05
#: Before a reservoir is touched it reads less than this [V].
EMPTY_V = 10.0
#: Of what two sides of a pair should have between them, what is left at least where they are not joined [1], and in any case [Ω].
JOINED_PART, JOINED_OHM = 0.1, 2.0
#: What a line that moves shows at least as AC [V].
MOVES_AC_V = 0.05


def with_expected(job: Job, ask: Ask) -> Ask:
    """A request with what its answer should be, where anything is known of it, and what to heed while it is taken."""
    return msgspec.structs.replace(ask, expected=expected(job, ask), caution=caution_of(job, ask))


def expected_at_plug(job: Job, reading: Reading | Ask) -> Expected | None:
    """What the volts at the plug of a module should be, read before it is joined: what the module takes, loaded or not; None where that is
    not known."""
    pin = job.terminal(reading.point)
    if not isinstance(pin, SupplyIn) or pin.minimum is None or pin.maximum is None:
        return None
    low, high = pin.minimum.nominal, pin.maximum.nominal
    words = tr(
        "{low} to {high}, the module not joined yet",
        low=format_quantity(low, "V"),
        high=format_quantity(high, "V"),
    )
    return Expected(low, high, words, tr("what the module takes"))


def expected(job: Job, reading: Reading | Ask) -> Expected | None:
    """What is expected of a reading before it is taken, or None where nothing is known."""
    function = reading.function
    if function in (Function.CONTINUITY, Function.RESISTANCE):
        return _expected_ohms(job, reading)
    if against_earth(reading):
        return Expected(
            0.0,
            HAZARD_AC_V,
            tr("below {hazard_ac_v:g} V", hazard_ac_v=HAZARD_AC_V),
            tr("what leaks through a capacitor is no more"),
        )
    if job.terminal(reading.point) is None or reading.current is not None or reading.series is not None:
        return None
    if function is Function.DC_VOLTS:
        at_plug = isinstance(job.terminal(reading.point), SupplyIn)
        rule = expected_at_plug if at_plug else _expected_dc if reading.load is None else _expected_loaded
        return rule(job, reading)
    if not plain(reading):
        return None
    if function is Function.AC_VOLTS:
        return _expected_ac(job, reading)
    terminal = job.terminal(reading.point)
    if function is Function.CURRENT and isinstance(terminal, Rail):
        return _of(terminal.used, tr("what it gives already"))
    return None


def against_earth(reading: Reading | Ask) -> bool:
    """Whether volts are read of a return against the earth of the mains."""
    return reading.function is Function.AC_VOLTS and EARTH in (reading.point, reading.against)


def _expected_ohms(job: Job, reading: Reading | Ask) -> Expected | None:
    if should_ring(job, reading):
        return Expected(0.0, RUNG_OHM, "below 1 Ω", tr("it should be the same net"))
    ends = {reading.point, reading.against}
    if BLADES in ends:
        return Expected(APART_FROM_MAINS_OHM, 1e12, tr("no connection"), tr("a transformer lies between"))
    if EARTH in ends:
        return Expected(
            0.0, 1e12, tr("below 1 Ω if it is earthed, else no connection"), tr("common practice")
        )
    least = apart_ohm(job, reading)
    if least is not None:
        return Expected(
            least,
            1e12,
            tr("above {least}", least=format_quantity(least, "Ω")),
            tr("two sides that are not joined"),
        )
    path = path_between(job, reading.point, reading.against)
    if path is not None and path.resistance is not None:
        return _of(path.resistance, tr("on paper"))
    kinds = [type(job.terminal(e)) for e in ends]
    if kinds == [Return, Return]:
        return Expected(
            0.0,
            USUAL_PATH_OHM,
            tr("below {usual_path_ohm:g} Ω", usual_path_ohm=USUAL_PATH_OHM),
            tr("two grounds of one board"),
        )
    if Rail in kinds and Return in kinds:
        return Expected(
            SHORT_OHM,
            1e12,
            tr("above {short_ohm:g} Ω, and rising", short_ohm=SHORT_OHM),
            tr("a supply that is no short"),
        )
    return None


def apart_ohm(job: Job, reading: Reading | Ask) -> float | None:
    """What two sides of a pair have between them at least where they are not joined [Ω]; None for points that are no pair."""
    if twin(job, reading.point) != reading.against:
        return None
    ends = [getattr(job.terminal(a), "impedance", None) for a in (reading.point, reading.against)]
    together = sum((k.low for k in ends if isinstance(k, Known)), 0.0)
    return max(JOINED_OHM, JOINED_PART * together)


def _expected_ac(job: Job, reading: Reading | Ask) -> Expected | None:
    terminal, tone = job.terminal(reading.point), tone_of(reading.drive)
    if isinstance(terminal, AudioOut) and tone is not None and tone.full and not tone.down:
        own = (
            tone.side in ("", terminal.channel.value)
            and alive(terminal, reading.state)
            and own_way(terminal, tone.hertz)
        )
        return _of(terminal.emf, tr("full scale")) if own else None
    if isinstance(terminal, AudioIn) and tone is None and not carried(terminal):
        most = silent_v(terminal)
        return Expected(
            0.0, most, tr("below {most}", most=format_quantity(most, "V")), tr("nothing is played into it")
        )
    if isinstance(terminal, Rail) and terminal.voltage:
        most = RIPPLE_PART * abs(terminal.voltage.nominal)
        return Expected(
            0.0, most, tr("ripple below {most}", most=format_quantity(most, "V")), tr("2 % of the rail")
        )
    if isinstance(terminal, Return):
        return Expected(0.0, GROUND_APART_V, "below 20 mV", tr("two grounds that do not hum"))
    if isinstance(terminal, Digital) and terminal.level is not None and alive(terminal, reading.state):
        return Expected(
            MOVES_AC_V, terminal.level.high, tr("something that moves"), tr("a line that is alive")
        )
    return None


def carried(terminal: AudioIn) -> bool:
    """Whether the host's own signal stands on an input."""
    return terminal.has(Trait.PASSIVE_NODE) is True or terminal.carries is not None


def silent_v(terminal: AudioIn) -> float:
    """What an input may read while nothing plays on it [V]."""
    wanted = terminal.wanted.nominal if terminal.wanted is not None else 0.0
    return (
        max(SILENT_IN_V, SILENT_PART * wanted) if terminal.has(Trait.EQUALISED) is not True else SILENT_IN_V
    )


def unloaded(job: Job, reading: Reading | Ask) -> Known | None:
    """What a rail stands at without load [V]: as was read in this state, else as its papers say."""
    terminal = job.terminal(reading.point)
    read = [
        r for r in log_of(job).at(reading.point, Function.DC_VOLTS) if plain(r) and r.state == reading.state
    ]
    return read[-1].value if read else terminal.voltage if isinstance(terminal, Rail) else None


def _expected_loaded(job: Job, reading: Reading | Ask) -> Expected | None:
    opened = unloaded(job, reading)
    if not isinstance(job.terminal(reading.point), Rail) or opened is None:
        return None
    low, high = sorted((HOLDS_PART * opened.nominal, opened.high if opened.nominal > 0 else opened.low))
    return Expected(
        low,
        high,
        tr("above {value}", value=format_quantity(HOLDS_PART * opened.nominal, "V")),
        tr("it holds nine tenths"),
    )


def _expected_dc(job: Job, reading: Reading | Ask) -> Expected | None:
    terminal = job.terminal(reading.point)
    if terminal is None:
        return None
    if isinstance(terminal, AudioIn):
        return _of(terminal.dc, tr("its own DC")) or Expected(
            -INPUT_DC_WATCH_V, INPUT_DC_WATCH_V, "0 V within 100 mV", tr("an audio input")
        )
    if isinstance(terminal, Return):
        return Expected(-GROUND_APART_V, GROUND_APART_V, "0 V within 20 mV", tr("two grounds of one supply"))
    known: Known | None = {
        AudioOut: lambda: getattr(terminal, "bias", None),
        Rail: lambda: getattr(terminal, "voltage", None),
        Control: lambda: getattr(terminal, "level", None),
    }.get(type(terminal), lambda: None)()
    if isinstance(terminal, Digital | Video) and terminal.level is not None:
        return Expected(
            0.0, terminal.level.high, tr("between 0 V and its level"), tr("a moving line reads its mean")
        )
    if known is None:
        return None
    if isinstance(terminal, Rail | Control) and not alive(terminal, reading.state):
        most = EMPTY_V if job.off_state() == reading.state else 1.0
        return Expected(-most, most, tr("0 V, it is off here"), tr("the papers"))
    if isinstance(terminal, Rail):
        slack = RAIL_PART * abs(known.nominal)
        return Expected(
            known.low - slack,
            known.high + slack,
            tr("near {nominal}", nominal=format_quantity(known.nominal, "V")),
            _source(known),
        )
    return _of(known, tr("on paper"))


def _of(known: Known | None, words: str) -> Expected | None:
    if known is None:
        return None
    text = format_spread(known.nominal, known.low, known.high, known.unit)
    return Expected(known.low, known.high, f"{words}: {text}", _source(known))


def _source(known: Known) -> str:
    return f"{tr(known.basis.value)} {known.source}".strip()


def should_ring(job: Job, reading: Reading | Ask) -> bool:
    """Whether the two probes are on points that the papers say are one net."""
    for one, other in ((reading.point, reading.against), (reading.against, reading.point)):
        terminal, target = job.terminal(one), other.partition(".")[2]
        if terminal is not None and terminal.rings_to == target and target:
            return True
    return False
