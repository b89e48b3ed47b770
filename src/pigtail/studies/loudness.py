"""How loud a recording is, as the ear judges programmes: integrated loudness by ITU-R BS.1770 with its gating.

The weighting filters are those that reproduce the standard's coefficients (pyloudnorm's “DeMan” class; its default is
0.04 LU off them). Two recordings made through the same recorder at the same setting are as far apart in LU as their
sources are in dB.
"""

from __future__ import annotations

from pathlib import Path

import msgspec
import numpy as np

from pigtail.job.errors import FileError
from pigtail.job.extras import loaded
from pigtail.language import tr, trn

#: What the extra packages are for.
WHAT = tr("measuring a recording")
#: Shorter than this nothing can be gated [s]; longer than this is not read [s].
SHORTEST_S, LONGEST_S = 0.4, 3600.0
#: What can be judged: samples a second, and samples in all; how many are read at a time.
SLOWEST_HZ, FASTEST_HZ, MOST_SAMPLES, BLOCK = 8_000, 768_000, 400_000_000, 1 << 18
#: The standard's gating: blocks [s], the part of one that the next begins after, the relative gate [LU], the offset of its scale [LUFS],
#: the weights of left, right, centre and the two surrounds.
GATE_S, STEP, RELATIVE_LU, OFFSET_LUFS, WEIGHTS = 0.4, 0.25, 10.0, -0.691, (1.0, 1.0, 1.0, 1.41, 1.41)
#: Below this a recording is silence [LUFS], the absolute gate of the standard.
SILENCE_LUFS = -70.0


class Loudness(msgspec.Struct, frozen=True):
    """A recording: its name, integrated loudness [LUFS], greatest sample [dBFS], length [s], and how many channels it has."""

    name: str
    lufs: float
    peak_dbfs: float
    seconds: float
    channels: int = 1


def unlike(now: Loudness, other: Loudness) -> str:
    """Why two recordings cannot be compared as they are, in one sentence; empty where they can.

    Two channels of the same sound count 10·log(2) = 3.0 LU louder than one (ITU-R BS.1770 sums the channels' powers).
    """
    if now.channels == other.channels:
        return ""
    first, second = (
        trn("{name} has {count} channel", "{name} has {count} channels", x.channels, name=x.name)
        for x in (now, other)
    )
    return tr(
        "{first} and {second}: the same sound reads about 3 LU louder with two channels than "
        "with one; record both alike",
        first=first,
        second=second,
    )


def loudness_of(path: Path | str) -> Loudness:
    """Loudness of a sound file, read in blocks; raises FileError, one sentence, for what cannot be judged."""
    path = Path(path)
    sound = loaded("soundfile", "loudness", WHAT)
    if not path.is_file():
        raise FileError(path, tr("there is no such file; choose a recording"))
    try:
        with sound.SoundFile(str(path)) as file:
            _check_form(path, file.frames, int(file.samplerate), file.channels)
            measured = Gated(int(file.samplerate), file.channels)
            for block in file.blocks(blocksize=BLOCK, dtype="float64", always_2d=True):
                if not np.isfinite(block).all():
                    raise FileError(
                        path, tr("the recording holds samples that are no numbers; save it again as WAV")
                    )
                measured.take(block)
    except sound.LibsndfileError as error:
        raise FileError(
            path,
            tr(
                "this is no sound file that can be read ({error_string}); save it as WAV",
                error_string=error.error_string,
            ),
        ) from error
    if measured.seconds < SHORTEST_S:
        raise FileError(
            path,
            tr(
                "the recording lasts {seconds:.2f} s; half a minute of music is wanted",
                seconds=measured.seconds,
            ),
        )
    lufs = measured.integrated()
    if not lufs > SILENCE_LUFS:
        raise FileError(path, tr("the recording is silent; check the lead and the recorder's level"))
    peak = float(20 * np.log10(max(measured.peak, 1e-12)))
    return Loudness(path.name, lufs, peak, measured.seconds, measured.channels)


def integrated(samples: np.ndarray, rate: int) -> float:
    """Integrated loudness [LUFS] of samples [N] or [N, channels] within ±1 at a rate [Hz]; minus infinity for silence."""
    whole = samples.reshape(len(samples), -1)
    measured = Gated(rate, whole.shape[1])
    for at in range(0, len(whole), BLOCK):
        measured.take(whole[at : at + BLOCK])
    return measured.integrated()


def _check_form(path: Path, frames: int, rate: int, channels: int) -> None:
    if not SLOWEST_HZ <= rate <= FASTEST_HZ:
        raise FileError(
            path, tr("the recording has {rate:,} samples a second; 8,000 to 768,000 can be judged", rate=rate)
        )
    if channels > 5:
        raise FileError(
            path, tr("the recording has {channels} channels; one to five can be judged", channels=channels)
        )
    if frames / rate > LONGEST_S or frames * channels > MOST_SAMPLES:
        raise FileError(path, tr("the recording is longer than an hour; cut out a minute of it"))


class Gated:
    """Integrated loudness of a recording that comes in blocks: weighted as it comes, of each gating block the mean square is kept.

    The weighting filters are those of the package; the gating is that of the standard, which the package does on whole recordings only.
    """

    def __init__(self, rate: int, channels: int) -> None:
        meter = loaded("pyloudnorm", "loudness", WHAT).Meter(rate, filter_class="DeMan")
        self.rate, self.channels = rate, channels
        self.filters = [(f.passband_gain, f.b, f.a) for f in meter._filters.values()]
        self.states = [np.zeros((max(len(b), len(a)) - 1, channels)) for _, b, a in self.filters]
        self.count, self.peak = 0, 0.0
        self.sums: list[np.ndarray] = [np.zeros((1, channels))]
        self._at, self._total = [0], np.zeros(channels)

    @property
    def seconds(self) -> float:
        """How long it was so far [s]."""
        return self.count / self.rate

    def take(self, block: np.ndarray) -> None:
        """Take the next samples [N, channels] within ±1."""
        lfilter = loaded("scipy.signal", "loudness", WHAT).lfilter
        self.peak = max(self.peak, float(np.abs(block).max(initial=0.0)))
        for k, (gain, b, a) in enumerate(self.filters):
            block, self.states[k] = lfilter(b, a, block, axis=0, zi=self.states[k])
            block = gain * block
        sums = self._total + np.cumsum(np.square(block), axis=0)
        first, last = self.count, self.count + len(block)
        places = [p for p in _edges(self.rate, last) if first < p <= last]
        if places:
            self._at += places
            self.sums.append(sums[np.array(places) - first - 1])
        if len(block):
            self._total = sums[-1]
        self.count = last

    def integrated(self) -> float:
        """Integrated loudness [LUFS]; minus infinity for silence. ITU-R BS.1770, with both of its gates."""
        at = {p: k for k, p in enumerate(self._at)}
        sums = np.concatenate(self.sums)
        ends = [(a, b) for a, b in _blocks(self.rate, self.seconds) if b in at]
        if not ends:
            return float("-inf")
        starts, stops = (np.array([at[p] for p in side]) for side in zip(*ends, strict=True))
        squares = (sums[stops] - sums[starts]) / (GATE_S * self.rate)
        weights = np.array(WEIGHTS[: self.channels])
        with np.errstate(all="ignore"):
            loud = OFFSET_LUFS + 10 * np.log10(squares @ weights)
            heard = squares[loud >= SILENCE_LUFS]
            if not len(heard):
                return float("-inf")
            gate = OFFSET_LUFS + 10 * np.log10(heard.mean(axis=0) @ weights) - RELATIVE_LU
            kept = squares[(loud > gate) & (loud > SILENCE_LUFS)]
            return (
                float(OFFSET_LUFS + 10 * np.log10(kept.mean(axis=0) @ weights))
                if len(kept)
                else float("-inf")
            )


def _blocks(rate: int, seconds: float) -> list[tuple[int, int]]:
    """The gating blocks of a recording, from sample to sample: 0.4 s each, three quarters shared with the next."""
    count = round((seconds - GATE_S) / (GATE_S * STEP)) + 1
    return [(int(GATE_S * (j * STEP) * rate), int(GATE_S * (j * STEP + 1) * rate)) for j in range(count)]


def _edges(rate: int, last: int) -> list[int]:
    """The samples at which a gating block may begin or end, up to the last that was read, of the last block taken."""
    first = max(int((last - BLOCK) / (GATE_S * STEP * rate)) - 6, 0)
    until = int(last / (GATE_S * STEP * rate)) + 2
    found = {int(GATE_S * (j * STEP) * rate) for j in range(first, until)}
    return sorted(found | {int(GATE_S * (j * STEP + 1) * rate) for j in range(max(first - 4, 0), until)})
