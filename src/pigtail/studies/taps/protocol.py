"""The checks that a point must pass before it is used: what somebody who does this daily takes of it, and no more.

Common practice. Without power: ring it out, see that it is not its twin, that a rail is no short, how grounds are joined. With power, in
each state in which it matters: DC; what alternates where nothing should; an output while its own side alone plays at full scale, in every
state in which it should play, with the volume turned down where it may lie behind the control, and with a load; an input from a generator,
straight and through a resistor, and by ear where there is a loudspeaker; a rail under what the modules draw. A check is done when a
standing reading answers it.
"""

from __future__ import annotations

from collections.abc import Iterator

from msgspec.structs import replace

from pigtail.job.ask import Ask, unanswered, unplugged
from pigtail.job.chain import trait
from pigtail.job.derive import advised_load, crossover_hz
from pigtail.job.document import (
    HOST,
    Act,
    AnyTerminal,
    AudioIn,
    AudioOut,
    Channel,
    Control,
    Digital,
    Function,
    Job,
    Mode,
    Pin,
    Rail,
    Return,
    SupplyIn,
    Trait,
    Way,
    WindingEnd,
    alive,
)
from pigtail.job.energy import Winding
from pigtail.job.hazards import hazard_checks
from pigtail.job.readings import stands_at
from pigtail.job.safety import LIMITS
from pigtail.job.tone import Tone
from pigtail.job.windings import winding_at
from pigtail.job.wiring import probe_against, return_address, star_address, twin
from pigtail.language import tr
from pigtail.units import Basis, format_quantity
from pigtail.units.series import nearest

#: How far from where two ways meet each is played: this factor.
AWAY = 4.0
#: What a generator puts into an input, and into one that is equalised for records [V rms].
INTO_V, INTO_RECORDS_V = 0.1, 0.005
#: Through what a tone is put in where anyone listens [Ω].
LISTEN_OHM = 4700.0
#: What no dummy load should draw from a rail beyond, as a part of what it can give [1].
MOST_PART = 0.8
#: What a rail is loaded with, over what the modules draw at most: what a converter between may take more, and a third to spare [1].
ROOM = 2.4
#: What a line of which nobody knows what stands before it is loaded with [Ω].
LINE_OHM = 10e3


def live_states(job: Job) -> tuple[str, ...]:
    """The states in which the host has power."""
    return tuple(s.id for s in job.live_states())


def checks(job: Job, address: str) -> tuple[Ask, ...]:
    """The checks of a host point in their order."""
    return tuple(_checks(job, address))


def _checks(job: Job, address: str) -> Iterator[Ask]:
    terminal = job.terminal(address)
    if terminal is None or not address.startswith(f"{HOST}."):
        return
    off, against = unplugged(job), probe_against(job, address)
    if terminal.rings_to:
        target = f"{HOST}.{terminal.rings_to}"
        yield Ask(
            address,
            target,
            off,
            Function.CONTINUITY,
            tr("ring it out to {target}, power off", target=job.label(target)),
        )
    if isinstance(terminal, Return | WindingEnd):
        yield from (
            _of_return(job, address, against) if isinstance(terminal, Return) else _of_winding(job, address)
        )
        return
    if not against:
        return
    if isinstance(terminal, Rail):
        yield Ask(address, against, off, Function.RESISTANCE, tr("that it is no short"))
    if isinstance(terminal, AudioIn | AudioOut) and (other := twin(job, address)):
        yield Ask(address, other, off, Function.RESISTANCE, tr("that the two sides are not joined"))
    if isinstance(terminal, AudioIn | AudioOut | Rail | Control | Pin):
        for state in live_states(job):
            yield Ask(address, against, state, Function.DC_VOLTS, _dc_reason(terminal, state))
    if isinstance(terminal, AudioOut):
        yield from _of_output(job, address, terminal)
    elif isinstance(terminal, AudioIn):
        yield from _of_input(job, address, terminal)
    elif isinstance(terminal, Rail):
        yield from (*_of_rail(job, address), *_of_battery(job, address))
    elif isinstance(terminal, Control | Digital):
        yield from _of_line(job, address, terminal)


def _of_line(job: Job, address: str, terminal: Control | Digital) -> Iterator[Ask]:
    """A digital line while it plays; a line of control loaded by a known resistor while it is active, unless it can hurt."""
    against, working = probe_against(job, address), job.working_state()
    if isinstance(terminal, Digital):
        if alive(terminal, working):
            reason = tr("that something arrives while it plays")
            yield Ask(address, against, working, Function.AC_VOLTS, reason, Tone().text())
        return
    live = [s for s in (working, *live_states(job)) if alive(terminal, s)]
    level = stands_at(job, address)
    if live and level is not None and abs(level.nominal) <= LIMITS[Function.DC_VOLTS]:
        load = suggested_clip(job, address, "load")
        yield Ask(
            address, against, live[0], Function.DC_VOLTS, tr("how much may be taken from it"), load=load
        )


def _of_return(job: Job, address: str, against: str) -> Iterator[Ask]:
    star, working = star_address(job), job.working_state()
    if address == star:
        yield from hazard_checks(job)
    if not against or against == address:
        return
    yield Ask(address, against, unplugged(job), Function.RESISTANCE, tr("how the two grounds are joined"))
    if star != address:
        yield Ask(address, star, working, Function.DC_VOLTS, tr("whether it is the supply negative"))
        yield Ask(address, star, working, Function.AC_VOLTS, tr("that no hum stands between the two"))


def _of_output(job: Job, address: str, terminal: AudioOut) -> Iterator[Ask]:
    """An output while it plays: its level and side, in each state in which it should play, turned down, and loaded."""
    against, working = probe_against(job, address), job.working_state()
    reason, tone = played(job, terminal)
    order = sorted(live_states(job), key=lambda s: s != working)
    for state in order:
        if alive(terminal, state) and _plays(job, state):
            here = state == working
            why = reason if here else tr("that it plays in this state too, whatever plays there")
            what = tone if here else Tone(hertz=tone.hertz)
            yield Ask(address, against, state, Function.AC_VOLTS, why, what.text())
    if not alive(terminal, working):
        return
    if terminal.way is not Way.FULL:
        other = Tone(hertz=_crossed(terminal, terminal.way.other), full=tone.full)
        why = tr("that it carries its own way and not the other")
        yield Ask(address, against, working, Function.AC_VOLTS, why, other.text())
    if _may_follow_volume(job, terminal):
        down = replace(tone, down=True)
        why = tr("whether it follows the volume")
        yield Ask(address, against, working, Function.AC_VOLTS, why, down.text())
    if not _powerful(job, terminal) and not _measured(terminal, "impedance"):
        load = suggested_clip(job, address, "load")
        why = tr("its impedance, with the reading without load")
        yield Ask(address, against, working, Function.AC_VOLTS, why, tone.text(), load=load)


def _of_input(job: Job, address: str, terminal: AudioIn) -> Iterator[Ask]:
    """An input: silent by itself, its impedance from a generator straight and through a resistor, its side by ear."""
    against, working = probe_against(job, address), job.working_state()
    yield Ask(address, against, working, Function.AC_VOLTS, tr("that nothing plays on it by itself"))
    tone = put_in(terminal).text()
    if not _measured(terminal, "impedance"):
        if terminal.channel is not Channel.RIGHT or not twin(
            job, address
        ):  # the generator is the same for both sides
            why = tr("its impedance: first straight from the generator")
            yield Ask(address, against, working, Function.AC_VOLTS, why, tone)
        series = suggested_clip(job, address, "series") or 47_000.0
        why = tr("its impedance: then through a resistor")
        yield Ask(address, against, working, Function.AC_VOLTS, why, tone, series=series)
    if terminal.channel is not Channel.MONO and is_heard(job):
        home = return_address(job, address)
        yield Ask(address, home, working, Function.HEARD, tr("which side it is"), tone, series=LISTEN_OHM)


def _of_rail(job: Job, address: str) -> Iterator[Ask]:
    """A rail: DC and not a winding, and stiff enough for what the modules draw."""
    against, working = probe_against(job, address), job.working_state()
    terminal = job.terminal(address)
    if terminal is None or not alive(terminal, working):
        return
    yield Ask(address, against, working, Function.AC_VOLTS, tr("that it is DC, and its ripple"))
    load = suggested_clip(job, address, "load")
    if load is not None and not _measured(terminal, "resistance"):
        why = tr("that it holds what the modules draw")
        yield Ask(address, against, working, Function.DC_VOLTS, why, load=load)


def _of_winding(job: Job, address: str) -> Iterator[Ask]:
    """An end of a winding: whether the host has it on its ground, and, once for both ends, its volts with nothing drawn and under a
    load."""
    winding, star = winding_at(job, address), star_address(job)
    if winding is None:
        return
    if star:
        yield Ask(
            address, star, unplugged(job), Function.RESISTANCE, tr("which end the host has on its ground")
        )
    first, second = (f"{HOST}.{e}" for e in (winding.first, winding.second))
    if address != first:
        return
    live = winding.states or tuple(s.id for s in job.live_states())
    state = job.working_state() if job.working_state() in live else next(iter(live), "")
    if not state:
        return
    yield Ask(first, second, state, Function.AC_VOLTS, tr("its volts with nothing drawn"))
    load = winding_load(job, winding)
    if load is not None and not any(
        k is not None and k.basis is Basis.MEASURED for k in (winding.resistance, winding.loaded)
    ):
        why = tr("its volts under a load, which tell its resistance; {heat}", heat=_heat(winding, load))
        yield Ask(first, second, state, Function.AC_VOLTS, why, load=load)


def winding_load(job: Job, winding: Winding) -> float | None:
    """A dummy load for a winding [Ω]: it draws what the modules will, as r.m.s., or half of its rating; None where its volts are not
    known."""
    if winding.open is None:
        return None
    drawn = ROOM * drawn_a(job) or (
        MOST_PART / 2 * winding.rated.nominal if winding.rated is not None else 0.0
    )
    if winding.rated is not None:
        drawn = min(drawn, MOST_PART * winding.rated.low)
    return nearest(winding.open.nominal / drawn, "E12") if drawn > 0 else None


def _heat(winding: Winding, load: float) -> str:
    """How hot a dummy load gets, in words."""
    assert winding.open is not None
    watts = winding.open.nominal**2 / load
    return tr(
        "{watts} of heat in it, take a resistor for twice that and do not touch it",
        watts=format_quantity(watts, "W", 2),
    )


def _of_battery(job: Job, address: str) -> Iterator[Ask]:
    """What the host draws from its battery in each state: in series, at a contact of the battery with a card between."""
    point = address.removeprefix(f"{HOST}.")
    if not any(b.rail == point for b in job.host.batteries):
        return
    for state in job.host.states:
        why = tr(
            "what the host draws while “{state}”: in series, at a contact of the battery with a card between",
            state=state.name,
        )
        yield Ask(address, "", state.id, Function.CURRENT, why)


def _measured(terminal: AnyTerminal, field: str) -> bool:
    """Whether a value of a point was measured before it came onto the papers."""
    known = getattr(terminal, field, None)
    return known is not None and known.basis is Basis.MEASURED


def _plays(job: Job, state: str) -> bool:
    """Whether an output may be asked to play in a state: not while the host sleeps."""
    found = job.state(state)
    return found is not None and found.kind is not Mode.STANDBY


def played(job: Job, terminal: AudioOut) -> tuple[str, Tone]:
    """Why something is played for an output, and what: at full scale from a test file, of a stereo pair its own side alone, of one way of
    a crossover what it carries; behind the power amplifier not so loud."""
    full = not _powerful(job, terminal)
    hertz = _crossed(terminal, terminal.way)
    if terminal.channel is Channel.MONO:
        return tr("that something arrives while it plays"), Tone(hertz=hertz, full=full)
    side = terminal.channel.value
    return tr("that something arrives, and from its own side"), Tone(hertz=hertz, full=full, side=side)


def put_in(terminal: AudioIn) -> Tone:
    """What a generator puts into an input: into that of a record player's amplifier millivolts."""
    return Tone(volts=INTO_RECORDS_V if terminal.has(Trait.EQUALISED) else INTO_V)


def _crossed(terminal: AudioOut, way: Way) -> float:
    """At what a way of a crossover is played [Hz]: well on its own side of where the two meet."""
    if way is Way.FULL:
        return Tone().hertz
    return crossover_hz(terminal) * (AWAY if way is Way.HIGH else 1 / AWAY)


def _powerful(job: Job, terminal: AudioOut) -> bool:
    """Whether an output comes after the power amplifier: neither full scale nor a load of ohms is asked of it."""
    return trait(job, terminal, Trait.POWER_OUTPUT) is True


def _may_follow_volume(job: Job, terminal: AudioOut) -> bool:
    """Whether an output may lie behind a volume control: the host has one, and neither chain nor papers tell that it does."""
    has_control = any(Act.VOLUME in s.acts or Act.AMPLIFY in s.acts for s in job.host.stages)
    return (
        has_control
        and not _powerful(job, terminal)
        and trait(job, terminal, Trait.FOLLOWS_VOLUME) is not True
    )


def is_heard(job: Job) -> bool:
    """Whether the host makes sound by itself, so that anyone can listen."""
    return any(Act.AMPLIFY in s.acts for s in job.host.stages)


def _dc_reason(terminal: object, state: str) -> str:
    if isinstance(terminal, Rail):
        return (
            tr("that it holds in this state")
            if alive(terminal, state)
            else tr("that it is off in this state")
        )
    return tr("that no DC meets the module in this state")


def suggested_clip(job: Job, point: str, field: str) -> float | None:
    """What to clip on for a telling reading [Ω or A]: a load of twice an output's impedance, a resistor like an input's,
    a dummy load that draws from a rail what the modules will; None where nothing better than the usual is known."""
    terminal = job.terminal(point)
    impedance = getattr(terminal, "impedance", None)
    if field == "load" and isinstance(terminal, AudioOut):
        return advised_load(impedance)
    if field == "load" and isinstance(terminal, Control):
        return advised_load(impedance, LINE_OHM)
    if field == "series" and isinstance(terminal, AudioIn) and impedance is not None:
        return nearest(impedance.nominal, "E12")
    stands = stands_at(job, point)
    if field == "load" and isinstance(terminal, Rail) and stands is not None:
        drawn = ROOM * drawn_a(job)
        if terminal.limit is not None:
            drawn = min(drawn, MOST_PART * terminal.limit.low)
        return nearest(abs(stands.nominal) / drawn, "E12") if drawn > 0 and stands.nominal else None
    return None


def drawn_a(job: Job) -> float:
    """What the modules draw at most together [A], as far as it is known."""
    pins = [t for m in job.modules for t in m.terminals if isinstance(t, SupplyIn)]
    return sum(k.nominal for t in pins if (k := t.largest) is not None)


def open_checks(job: Job, address: str) -> tuple[Ask, ...]:
    """The checks of a point that no standing reading answers yet."""
    return unanswered(job, checks(job, address))


def done_part(job: Job, address: str) -> float | None:
    """Which part of a point's checks is done, from 0 to 1; None when it has none. A ratio [1]."""
    every = checks(job, address)
    return 1 - len(open_checks(job, address)) / len(every) if every else None
