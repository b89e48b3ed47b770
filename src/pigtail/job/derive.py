"""Values that two readings tell: impedances by loading, stiffness of a rail, the resistance of a ground path.

The spread of each is the worst that the spreads of the readings allow, the meter's own load taken out. Relations: an
e.m.f. behind a source, a divider, Ohm's law. V0 is open, VL with a load RL across; V1 direct, V2 through a resistor R.
"""

from __future__ import annotations

import contextlib
import itertools
import math
from collections.abc import Callable, Iterator, Sequence
from functools import partial

import msgspec

from pigtail.job.document import (
    HOST,
    AnyTerminal,
    AudioIn,
    AudioOut,
    Control,
    Function,
    Job,
    Rail,
    Reading,
    Return,
    Way,
    alive,
)
from pigtail.job.log import Log, log_of
from pigtail.job.meters import meter
from pigtail.job.tone import USUAL_CROSSOVER_HZ, tone_of
from pigtail.job.wiring import return_address, twin
from pigtail.language import tr
from pigtail.units.known import Basis, Known
from pigtail.units.series import nearest

#: The load on a meter's probes is known no better than this.
METER_LOAD_TOLERANCE = 0.1
#: The part of the open voltage that a load should leave, so that both readings are telling.
TELLING = (0.4, 0.8)
LARGEST = 1e12
#: A rail that keeps this part of its volts under a load holds. Common practice.
HOLDS_PART = 0.9


class TooWeakError(ValueError):
    """Two readings too close together to tell a value; the sentence says what to take instead."""


def _spread(unit: str, formula: Callable[..., float], *values: Known) -> Known:
    """A value by a formula that rises or falls steadily in each of its inputs: its ends lie at their ends."""
    nominal = formula(*(v.nominal for v in values))
    ends = [formula(*corner) for corner in itertools.product(*((v.low, v.high) for v in values))]
    return Known(
        nominal=nominal,
        low=min(nominal, *ends),
        high=max(nominal, *ends),
        unit=unit,
        basis=Basis.MEASURED,
    )


def _around(value: float, unit: str) -> Known:
    if math.isinf(value):
        value = LARGEST
    return Known.of(value, unit, Basis.TYPICAL, tolerance=METER_LOAD_TOLERANCE)


def source_impedance(opened: Known, loaded: Known, load: Known, meter_ohm: float = math.inf) -> Known:
    """Source impedance [Ω] from V0 and VL [V] across RL [Ω]: Rs = RL·(V0 − VL)/VL, with the meter beside both.

    Raises TooWeakError when the two readings may be the same.
    """
    if abs(loaded.nominal) > abs(opened.nominal):
        raise TooWeakError(tr("the loaded reading is not below the open one; read both again"))
    if loaded.low <= 0:
        raise TooWeakError(tr("nothing is left under the load; take a larger resistor"))

    def formula(v0: float, vl: float, rl: float, zm: float) -> float:
        rp, ratio = rl * zm / (rl + zm), v0 / vl
        below = zm - ratio * rp
        return zm * rp * (ratio - 1) / below if below > 0 else LARGEST

    found = _spread("Ω", formula, opened, loaded, load, _around(meter_ohm, "Ω"))
    if found.low <= 0 and found.nominal < 0.02 * load.nominal:
        least = load.nominal / 10
        raise TooWeakError(
            tr("the load hardly pulls the voltage down; take one of about {least:.3g} Ω", least=least)
        )
    return _positive(found)


def input_impedance(direct: Known, through: Known, series: Known, meter_ohm: float = math.inf) -> Known:
    """Input impedance [Ω] from V1 direct and V2 through R [Ω]: Zin = R·V2/(V1 − V2), the meter's load taken out.

    Raises TooWeakError when the two readings may be the same.
    """
    if through.high >= direct.low:
        raise TooWeakError(
            tr("the resistor hardly changes the reading; take one about as large as the input impedance")
        )

    def formula(v1: float, v2: float, r: float, zm: float) -> float:
        seen = r * v2 / (v1 - v2)
        rest = 1 / seen - 1 / zm
        return 1 / rest if rest > 1 / LARGEST else LARGEST

    found = _spread("Ω", formula, direct, through, series, _around(meter_ohm, "Ω"))
    if found.high >= LARGEST:
        raise TooWeakError(
            tr("the meter loads the input as much as the input does; take a meter of higher impedance")
        )
    return _positive(found)


def path_resistance(volts: Known, current: Known) -> Known:
    """Resistance [Ω] of a path from the voltage along it and the current driven through it: R = V/I (four wires)."""
    return _positive(_spread("Ω", lambda v, i: abs(v) / i, _absolute(volts), current))


def gain_db(before: Known, after: Known) -> Known:
    """Gain [dB] from one point to another from the levels [V] at both.

    Raises TooWeakError for next to nothing at the input.
    """
    if before.low <= 0 or after.low <= 0:
        raise TooWeakError(tr("one of the levels may be nothing; play louder"))
    return _spread("dB", lambda a, b: 20 * math.log10(b / a), before, after)


def open_level(read: Known, impedance: Known, meter_ohm: float) -> Known:
    """Open voltage [V] from one read across a meter: V·(1 + Rs/Zm)."""
    return _spread("V", lambda v, r, z: v * (1 + r / z), read, impedance, _around(meter_ohm, "Ω"))


def advised_load(impedance: Known | None, usual: float = 1000.0) -> float:
    """A preferred resistor [Ω] that leaves 0.4 to 0.8 of an output's voltage, from what is thought of its impedance."""
    wanted = 2 * impedance.nominal if impedance else usual
    return nearest(wanted, "E12")


def telling(opened: Known, loaded: Known) -> bool:
    """Whether a load left a part of the open voltage that tells most."""
    return TELLING[0] <= loaded.nominal / opened.nominal <= TELLING[1] if opened.nominal else False


def _absolute(value: Known) -> Known:
    ends = sorted((abs(value.low), abs(value.high)))
    low = 0.0 if value.low < 0 < value.high else ends[0]
    return msgspec.structs.replace(
        value, nominal=abs(value.nominal), low=low, high=max(ends[1], abs(value.nominal))
    )


def _positive(value: Known) -> Known:
    floor = min(1e-6, value.high) if value.high > 0 else 1e-6
    return msgspec.structs.replace(
        value, low=max(value.low, floor), nominal=max(value.nominal, floor), high=max(value.high, floor)
    )


class Derived(msgspec.Struct, frozen=True):
    """A value that readings tell together: which terminal and field, the value, or why it cannot be told."""

    subject: str
    field: str
    readings: tuple[str, ...]
    value: Known | None
    trouble: str = ""


def derived(job: Job) -> tuple[Derived, ...]:
    """All values of a job that pairs of standing readings tell, the latest pair of each."""
    log = log_of(job)
    found: list[Derived] = []
    for address, terminal in _terminals(job):
        found += _of_terminal(job, log, address, terminal)
    for path in job.host.paths:
        found += _of_path(log, path.id, f"{HOST}.{path.a}", f"{HOST}.{path.b}")
    return tuple(found)


class Observed(msgspec.Struct, frozen=True):
    """Something that readings tell of two points and that is no value of either: in words, with its value."""

    a: str
    b: str
    words: str
    value: Known


def observed(job: Job) -> tuple[Observed, ...]:
    """Gains between points that were read with the same drive, ripple of rails, differences between grounds."""
    log = log_of(job)
    found: list[Observed] = []
    levels: dict[tuple[str, str], dict[str, Reading]] = {}
    for address, terminal in _terminals(job):
        for r in log.at(address, Function.AC_VOLTS, Function.DC_VOLTS):
            alone = r.load is None and r.series is None and r.current is None
            if isinstance(terminal, Return) and isinstance(job.terminal(r.against), Return) and alone:
                found.append(
                    Observed(
                        address,
                        r.against,
                        tr("difference, {function}", function=tr(r.function.value)),
                        _from(r.value, r),
                    )
                )
            elif isinstance(terminal, Rail) and r.function is Function.AC_VOLTS and alone:
                found.append(Observed(address, r.against, "ripple", _from(r.value, r)))
            elif (
                isinstance(terminal, AudioIn | AudioOut)
                and r.function is Function.AC_VOLTS
                and r.drive
                and alone
            ):
                levels.setdefault((r.state, r.drive), {})[address] = r
    for together in levels.values():
        ends = list(together.items())
        for (a, first), (b, second) in itertools.pairwise(ends):
            with contextlib.suppress(TooWeakError):
                found.append(Observed(a, b, "gain", _from(gain_db(first.value, second.value), first, second)))
    latest = {(o.a, o.b, o.words): o for o in found}
    return tuple(latest.values())


def _from(value: Known, *readings: Reading) -> Known:
    words = "reading" if len(readings) == 1 else "readings"
    return msgspec.structs.replace(value, source=f"{words} {' and '.join(r.id for r in readings)}")


def _terminals(job: Job) -> Iterator[tuple[str, AnyTerminal]]:
    for device_id, device in job.devices():
        for terminal in device.terminals:
            yield f"{device_id}.{terminal.id}", terminal


def _of_terminal(job: Job, log: Log, address: str, terminal: AnyTerminal) -> Iterator[Derived]:
    function = Function.DC_VOLTS if isinstance(terminal, Rail | Control) else Function.AC_VOLTS
    readings = [
        r
        for r in log.at(address, function)
        if alive(terminal, r.state) and isinstance(job.terminal(r.against), Return)
    ]
    if not readings:
        return
    if isinstance(terminal, AudioOut | Rail | Control):
        field = "resistance" if isinstance(terminal, Rail) else "impedance"
        pair = _pair(readings, "load")
        if pair:
            opened, loaded, load = pair
            zm = meter(opened.instrument).load_ohm(function)
            yield _told(address, field, (opened, loaded), partial(source_impedance, load=load, meter_ohm=zm))
    if isinstance(terminal, Rail):
        yield from _holds(address, terminal, readings)
    if isinstance(terminal, AudioIn):
        other = twin(job, address)
        beside = (
            [
                msgspec.structs.replace(r, against=return_address(job, address))
                for r in log.at(other, function)
            ]
            if other
            else []
        )
        pair = _pair(readings, "series", beside)
        if pair:
            direct, through, series = pair
            zm = meter(direct.instrument).load_ohm(function)
            formula = partial(input_impedance, series=series, meter_ohm=zm)
            yield _told(address, "impedance", (direct, through), formula)
    if isinstance(terminal, AudioOut):
        full = [r for r in readings if r.load is None and _at_full_scale(r, terminal)]
        if full:
            zm = meter(full[-1].instrument).load_ohm(function)
            impedance = terminal.impedance or Known.of(0.0, "Ω", Basis.GUESSED)
            yield _told(address, "emf", full[-1:], partial(open_level, impedance=impedance, meter_ohm=zm))


def _holds(address: str, rail: Rail, readings: list[Reading]) -> Iterator[Derived]:
    """What a rail can give beside all that the host draws: at least the current [A] under which it was seen to hold."""
    pair = _pair(readings, "load")
    if pair is None or pair[1].value.nominal / pair[0].value.nominal < HOLDS_PART:
        return
    drawn = _spread("A", lambda v, r: abs(v) / r, pair[1].value, pair[2])
    names = (pair[1].id,)
    source = tr("reading {id}: it holds so much, beside what it gives already", id=pair[1].id)
    if rail.used is None:
        most = max(rail.limit.nominal - drawn.nominal, 0.0) if rail.limit is not None else 0.0
        used = Known(nominal=most, low=0.0, high=most, unit="A", basis=Basis.MEASURED, source=source)
        yield Derived(address, "used", names, used)
    if rail.limit is None:
        limit = drawn if rail.used is None else _spread("A", lambda a, b: a + b, drawn, rail.used)
        yield Derived(address, "limit", names, msgspec.structs.replace(limit, source=source))


def _at_full_scale(reading: Reading, terminal: AudioOut) -> bool:
    """Whether an output gave all it can while it was read: full scale, its own side or both, its own way, nothing turned down, and no
    tone that is too high for the meter."""
    tone = tone_of(reading.drive)
    if tone is None or not tone.full or tone.down or tone.side not in ("", terminal.channel.value):
        return False
    return own_way(terminal, tone.hertz) and tone.hertz <= meter(reading.instrument).flat_hz


def own_way(terminal: AudioOut, hertz: float) -> bool:
    """Whether a tone [Hz] lies on an output's own side of its crossover; all do for one that carries all."""
    return terminal.way is Way.FULL or (hertz < crossover_hz(terminal)) is (terminal.way is Way.LOW)


def crossover_hz(terminal: AudioOut) -> float:
    """Where the way of an output meets the other [Hz]: as its papers say, else where ways usually do."""
    return terminal.crossover.nominal if terminal.crossover is not None else USUAL_CROSSOVER_HZ


def _pair(
    readings: list[Reading], field: str, others: Sequence[Reading] = ()
) -> tuple[Reading, Reading, Known] | None:
    """The latest reading with a resistor (`load` or `series`), the latest without in the same state, with the same
    drive and meter, and the resistor. Others serve where the point has none without: the twin's, of the same generator."""
    found = [(r, known) for r in readings if (known := getattr(r, field)) is not None]
    if not found:
        return None
    second, resistor = found[-1]
    first = [
        r
        for r in (*others, *readings)
        if r.load is None
        and r.series is None
        and (r.state, r.drive, r.instrument, r.against)
        == (second.state, second.drive, second.instrument, second.against)
    ]
    return (first[-1], second, resistor) if first else None


def _of_path(log: Log, path_id: str, a: str, b: str) -> Iterator[Derived]:
    for reading in reversed(log.between(a, b, Function.DC_VOLTS, Function.AC_VOLTS)):
        if reading.current is not None and reading.current.low > 0:
            formula = partial(path_resistance, current=reading.current)
            yield _told(f"{HOST}/{path_id}", "resistance", (reading,), formula)
            return


def _told(
    subject: str, field: str, readings: tuple[Reading, ...] | list[Reading], formula: Callable[..., Known]
) -> Derived:
    names = tuple(r.id for r in readings)
    try:
        value = formula(*(r.value for r in readings))
    except (TooWeakError, ZeroDivisionError, ValueError) as error:
        return Derived(subject, field, names, None, str(error))
    words = "reading" if len(names) == 1 else "readings"
    return Derived(
        subject, field, names, msgspec.structs.replace(value, source=f"{words} {' and '.join(names)}")
    )
