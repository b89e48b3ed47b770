"""What some feeds are asked besides: of headphones and speakers, amplifiers, transformers, crossovers, record inputs.

Power P = V²/Z; SPL = sensitivity [dB at 1 mW] + 10·lg(P/1 mW); damping = Z/Zout. A stage gives at most
(supply/2 − drop)²/(2·Z), four times that bridged; its supply current at full output is P/(η·supply).
Bound of a transformer: the volts on its primary at 20 Hz against what its core takes there.
"""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from pigtail.catalogue.topologies import Does, Task
from pigtail.circuit import noise_of
from pigtail.job.document import AudioOut, Trait, Use, Way
from pigtail.language import tr
from pigtail.model import subjects
from pigtail.model.cascade import Network, swing_volts
from pigtail.model.estimate import Estimate, Input, Wanted
from pigtail.model.spread import Samples, estimate
from pigtail.studies.level.aim import fits_of
from pigtail.studies.level.feed import PULLED, REFERENCE_HZ, Feed
from pigtail.units import Basis
from pigtail.units.store import remembered

Array = NDArray[np.float64]
#: Between which frequencies an equalised response is held against flat [Hz], and noise is counted.
TILT_HZ = np.array([50.0, 100.0, 300.0, 1000.0, 3000.0, 10e3, 15e3])
NOISE_HZ = np.sort(np.append(np.geomspace(20.0, 20e3, 16), REFERENCE_HZ))
CORE_HZ = 20.0
#: Where a hump is looked for [Hz], 1 kHz first: it matters where it is heard, or moves a cone.
PEAK_HZ = np.concatenate([[REFERENCE_HZ], np.geomspace(1.0, 200.0, 47), np.geomspace(5e3, 20e3, 8)])
#: Frequencies about the highest of those, from one of them to the next [1].
AROUND = np.geomspace(0.89, 1.12, 9)
BUILDS = 400


def uses(feed: Feed, *, twin: bool) -> dict[str, Estimate]:
    """All further numbers that fit a feed; `twin` says whether there is one of the other channel to be compared with."""
    found = _noise(feed) | _builds(feed) | (_parts(feed) if twin else {})
    if feed.terminal.use is not Use.LINE:
        found |= _sound(feed)
    if feed.amplifiers and Does.DRIVES_SPEAKERS in feed.amplifiers[-1].shape.does:
        found |= _power(feed, feed.amplifiers[-1])
    for stage in feed.stages:
        if Does.ISOLATES in stage.shape.does:
            found |= _core(feed, stage) | _core_dc(feed, stage)
    if feed.resonates:
        found |= _peak(feed)
    if feed.terminal.has(Trait.EQUALISED):
        found |= _tilt(feed)
    if len(ways(feed)) > 1:
        found |= _crossover(feed)
    return found


def ways(feed: Feed) -> list[AudioOut]:
    """The sources of a feed that are ways of a crossover."""
    every = [feed.netlist.job.terminal(a) for a in feed.sources]
    return [t for t in every if isinstance(t, AudioOut) and t.way is not Way.FULL]


def _delivered(feed: Feed, samples: Samples) -> Array:
    """Level at the input [V]."""
    return np.asarray(np.abs(feed.transfer(samples, np.array([REFERENCE_HZ])))[:, 0])


def _sound(feed: Feed) -> dict[str, Estimate]:
    """Power, sound pressure and damping of headphones or a speaker at full scale, clipped where a stage clips."""

    knobs = {s.parameter(p.name): 1.0 for s in feed.stages if (p := s.shape.doing(Task.KNOB)) is not None}

    def watts(samples: Samples) -> tuple[Array, Array]:
        solved = feed.solve(samples)
        most = np.minimum(solved["delivered"], solved["delivered"] + solved["headroom"])
        return 10 ** (most / 10) / samples[f"{feed.stem}__impedance"], solved["output"]

    def loudness(samples: Samples, power: Array) -> Array:
        return np.asarray(
            samples[f"{feed.stem}__sensitivity"] + 10 * np.log10(np.maximum(power, 1e-15) / 1e-3)
        )

    def solve(samples: Samples) -> dict[str, Array]:
        power, output = watts(samples)
        size = power.shape
        most = watts(samples | {k: np.full(size, v) for k, v in knobs.items()})[0] if knobs else power
        return {
            "power_w": power,
            "spl_db": loudness(samples, power),
            "spl_max_db": loudness(samples, most),
            "damping": samples[f"{feed.stem}__impedance"] / output,
        }

    wanted = {
        "power_w": Wanted("W", tr("the power at full scale")),
        "spl_db": Wanted("dB", tr("the sound pressure at full scale")),
        "spl_max_db": Wanted("dB", tr("the sound pressure at full scale, fully turned up")),
        "damping": Wanted("", tr("the load over what drives it")),
    }
    return estimate(feed.inputs, solve, wanted, pulled=PULLED)


def _power(feed: Feed, stage: Network) -> dict[str, Estimate]:
    """What a power stage can give from its supply, against what is wanted, and what that costs."""
    name = stage.parameter

    def solve(samples: Samples) -> dict[str, Array]:
        ohm = samples[f"{feed.stem}__impedance"]
        supply = feed.supplies(feed.batch(samples).operating_point())[stage.at]
        volts = np.minimum(swing_volts(samples, stage, supply), samples[name("imax")] / np.sqrt(2) * ohm)
        watts, wish = volts**2 / ohm, samples[f"{feed.stem}__wanted"] ** 2 / ohm
        resting = samples[name("iq")]
        drawn = watts / (samples[name("efficiency")] * np.maximum(supply, 1e-3))
        # the supply at which (s/2 − drop)·sides/√2 would be the volts that are wanted
        needed = 2 * (
            samples[f"{feed.stem}__wanted"] * np.sqrt(2) / stage.shape.swing + samples[name("drop")]
        )
        return {
            "most_w": watts,
            "wanted_w": wish,
            "power_room_db": 10 * np.log10(np.maximum(watts, 1e-12) / np.maximum(wish, 1e-12)),
            "supply_needed_v": needed,
            "amplifier_a": drawn + resting,
            "amplifier_w": (drawn + resting) * supply - watts,
        }

    wanted = {
        "most_w": Wanted("W", tr("the most that the supply allows")),
        "wanted_w": Wanted("W", tr("the power wanted")),
        "power_room_db": Wanted("dB", tr("the power allowed over the power wanted")),
        "supply_needed_v": Wanted("V", tr("the supply that the wanted power needs")),
        "amplifier_a": Wanted("A", tr("the amplifier's supply current at full output")),
        "amplifier_w": Wanted("W", tr("the amplifier's heat at full output")),
    }
    return estimate(feed.inputs, solve, wanted, pulled=PULLED)


def _core(feed: Feed, stage: Network) -> dict[str, Estimate]:
    """Room of a transformer's core at 20 Hz and full scale."""
    on = {f"{feed.netlist.node(a)}__drive": 1.0 for a in feed.sources}

    def solve(samples: Samples) -> dict[str, Array]:
        batch = feed.batch(samples, **on)
        volts = np.abs(batch.ac([CORE_HZ]).v(stage.before, stage.nodes["back"]))[:, 0]
        limit = samples[stage.parameter("limit")]
        return {"core_db": 20 * np.log10(limit / np.maximum(volts, 1e-12))}

    return estimate(
        feed.inputs,
        solve,
        {"core_db": Wanted("dB", tr("the room of the transformer at 20 Hz"))},
        pulled=PULLED,
    )


def _core_dc(feed: Feed, stage: Network) -> dict[str, Estimate]:
    """The DC through a transformer's primary, and how much more its core stands."""

    def solve(samples: Samples) -> dict[str, Array]:
        rest = feed.batch(samples).operating_point()
        through = np.abs(np.asarray(feed.netlist.probe(rest, stage, "primary_current")))
        return {"core_dc_a": through, "core_dc_room_a": samples[stage.parameter("dc_max")] - through}

    wanted = {
        "core_dc_a": Wanted("A", tr("the DC through the transformer's primary")),
        "core_dc_room_a": Wanted("A", tr("the DC that the transformer's core still stands")),
    }
    return estimate(feed.inputs, solve, wanted, pulled=PULLED)


def _peak(feed: Feed) -> dict[str, Estimate]:
    """How far the response rises anywhere above that at 1 kHz."""

    def solve(samples: Samples) -> dict[str, Array]:
        h = np.abs(feed.transfer(samples, PEAK_HZ))
        coarse = PEAK_HZ[1:][h[:, 1:].argmax(axis=1)]
        fine = np.abs(feed.transfer(samples, coarse[:, None] * AROUND))
        most = np.maximum(h.max(axis=1), fine.max(axis=1))
        return {"peak_db": 20 * np.log10(np.maximum(most, 1e-15) / np.maximum(h[:, 0], 1e-15))}

    return estimate(
        feed.inputs, solve, {"peak_db": Wanted("dB", tr("the hump in the response"))}, pulled=PULLED
    )


def _tilt(feed: Feed) -> dict[str, Estimate]:
    """How far the response behind an equalised input strays from 1 kHz, 50 Hz to 15 kHz."""

    def solve(samples: Samples) -> dict[str, Array]:
        h = np.abs(feed.transfer(samples, TILT_HZ))
        level = 20 * np.log10(np.maximum(h, 1e-15))
        at = TILT_HZ.tolist().index(1000.0)
        return {"tilt_db": np.abs(level - level[:, at : at + 1]).max(axis=1)}

    wanted = {"tilt_db": Wanted("dB", tr("how far the response strays between 50 Hz and 15 kHz"))}
    return estimate(feed.inputs, solve, wanted, pulled=PULLED)


def _crossover(feed: Feed) -> dict[str, Estimate]:
    """How far the sum of two ways strays through the crossover, as joined and with one of them turned round."""
    around = np.geomspace(0.1, 10.0, 13)
    low, high = (feed.netlist.node(a) for a in feed.sources[:2])
    (corner,) = {t.crossover.nominal for t in ways(feed)[:1] if t.crossover} or {1500.0}

    def stray(samples: Samples, **switches: float) -> Array:
        h = np.abs(feed.transfer(samples, corner * around, **switches))
        level = 20 * np.log10(np.maximum(h, 1e-12))
        middle = (level[:, :1] + level[:, -1:]) / 2
        return np.asarray(np.abs(level - middle).max(axis=1))

    def solve(samples: Samples) -> dict[str, Array]:
        return {
            "flat_db": stray(samples),
            "turned_db": stray(samples, **{f"{low}__drive": 1.0, f"{high}__drive": -1.0}),
        }

    wanted = {
        "flat_db": Wanted("dB", tr("how far the sum strays through the crossover")),
        "turned_db": Wanted("dB", tr("the same with one way turned round")),
    }
    return estimate(feed.inputs, solve, wanted, pulled=PULLED)


def _noise(feed: Feed) -> dict[str, Estimate]:
    """Noise of the network, the outputs' resistances and the stages at the input, 20 Hz to 20 kHz, against the programme."""
    near = {*(subjects.terminal(a) for a in (feed.sink, *feed.sources)), *(s.subject for s in feed.stages)}
    moving = [i for i in feed.inputs if i.subject in near and (i.field[:1] in "rc" or i.field == "impedance")]
    fixed = {i.name: np.array([i.ends[1]]) for i in feed.inputs if i not in moving}

    def solve(samples: Samples) -> dict[str, Array]:
        batch = feed.batch(fixed | samples)
        made = noise_of(batch, NOISE_HZ, feed.heard, against=feed.heard_back)
        hiss, volts = made.output_total, np.abs(made.output_signal[:, list(NOISE_HZ).index(REFERENCE_HZ)])
        return {
            "noise_dbv": 20 * np.log10(np.maximum(hiss, 1e-12)),
            "noise_db": 20 * np.log10(np.maximum(hiss, 1e-12) / np.maximum(volts, 1e-12)),
        }

    wanted = {
        "noise_dbv": Wanted("dBV", tr("the noise at the input")),
        "noise_db": Wanted("dB", tr("the noise under the programme")),
    }
    return estimate(moving, solve, wanted)


def _own(feed: Feed) -> list[Input]:
    """The parts of the feed's own networks."""
    own = {s.subject for s in feed.stages}
    return [i for i in feed.inputs if i.subject in own]


def _parts(feed: Feed) -> dict[str, Estimate]:
    """What the parts' tolerances alone do to the level, where that is most: the impedances at either end of theirs."""
    own = _own(feed)
    if not own:
        return {}
    ohms = [f"{feed.stem}__impedance", *(f"{feed.netlist.node(a)}__impedance" for a in feed.sources)]
    words = {"parts_db": Wanted("dBV", tr("the level as the parts vary"))}
    found: list[Estimate] = []
    for sink, source in ((1, 1), (0, 2), (2, 0)):
        at = {i.name: 1 for i in feed.inputs} | dict.fromkeys(ohms, source) | {ohms[0]: sink}
        fixed = {i.name: np.array([i.ends[at[i.name]]]) for i in feed.inputs if i not in own}

        def solve(samples: Samples, fixed: Samples = fixed) -> dict[str, Array]:
            return {"parts_db": 20 * np.log10(np.maximum(_delivered(feed, fixed | samples), 1e-12))}

        found.append(estimate(own, solve, words)["parts_db"])
    middle = found[0]
    if middle.value is None:
        return {"parts_db": middle}
    down = max(e.value - e.low for e in found if e.value is not None)
    up = max(e.high - e.value for e in found if e.value is not None)
    return {"parts_db": replace(middle, low=middle.value - down, high=middle.value + up)}


@remembered(32)
def _even(count: int, dimensions: int) -> Array:
    """Points [dimensions, count] spread evenly over the unit cube, always the same: multiples of square roots of primes less
    their whole part (Richtmyer's sequence)."""
    primes: list[int] = []
    candidate = 2
    while len(primes) < dimensions:
        if all(candidate % p for p in primes):
            primes.append(candidate)
        candidate += 1
    return np.outer(np.sqrt(primes), np.arange(1, count + 1)) % 1.0


def _builds(feed: Feed) -> dict[str, Estimate]:
    """How many of a hundred builds fit the level when everything lies anywhere in its spread."""
    ends = {subjects.terminal(a) for a in (feed.sink, *feed.sources)}
    if any(i.known is None for i in feed.inputs if i.subject in ends):
        return {}
    places = _even(BUILDS, len(feed.inputs))
    samples = {
        i.name: i.ends[0] + (i.ends[2] - i.ends[0]) * part
        for i, part in zip(feed.inputs, places, strict=True)
    }
    over = 20 * np.log10(np.maximum(_delivered(feed, samples), 1e-12) / samples[f"{feed.stem}__wanted"])
    least, most = fits_of(feed.terminal).ends
    share = float(100 * np.mean((over >= least) & (over <= most)))
    words = tr("builds of a hundred whose level fits")
    return {"yield_percent": Estimate(share, share, share, "%", Basis.TYPICAL, words)}
