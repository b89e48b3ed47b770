"""How loud a recording is, as the ear judges programmes: integrated loudness by ITU-R BS.1770 with its gating.

The weighting filters are those that reproduce the standard's coefficients (pyloudnorm's “DeMan” class; its default is
0.04 LU off them). Two recordings made through the same recorder at the same setting are as far apart in LU as their
sources are in dB.
"""

from __future__ import annotations

import importlib
from pathlib import Path
from typing import Any

import msgspec
import numpy as np

from pigtail.job.errors import FileError

#: Shorter than this nothing can be gated [s]; longer than this is not read [s].
SHORTEST_S, LONGEST_S = 0.4, 3600.0
#: Below this a recording is silence [LUFS], the absolute gate of the standard.
SILENCE_LUFS = -70.0


class Loudness(msgspec.Struct, frozen=True):
    """A recording: its name, integrated loudness [LUFS], greatest sample [dBFS], length [s]."""

    name: str
    lufs: float
    peak_dbfs: float
    seconds: float


def loudness_of(path: Path | str) -> Loudness:
    """Loudness of a sound file; raises FileError, one sentence, for what cannot be judged."""
    samples, rate = _read(Path(path))
    seconds = len(samples) / rate
    if seconds < SHORTEST_S:
        raise FileError(path, f"the recording lasts {seconds:.2f} s; half a minute of music is wanted")
    lufs = integrated(samples, rate)
    if not lufs > SILENCE_LUFS:
        raise FileError(path, "the recording is silent; check the lead and the recorder's level")
    peak = float(20 * np.log10(max(float(np.abs(samples).max()), 1e-12)))
    return Loudness(Path(path).name, lufs, peak, seconds)


def integrated(samples: np.ndarray, rate: int) -> float:
    """Integrated loudness [LUFS] of samples [N] or [N, channels] within ±1 at a rate [Hz]; minus infinity for silence."""
    meter: Any = importlib.import_module("pyloudnorm").Meter(rate, filter_class="DeMan")
    with np.errstate(all="ignore"):
        return float(meter.integrated_loudness(samples))


def _read(path: Path) -> tuple[np.ndarray, int]:
    sound: Any = importlib.import_module("soundfile")
    if not path.is_file():
        raise FileError(path, "there is no such file; choose a recording")
    try:
        with sound.SoundFile(str(path)) as file:
            if file.frames / max(file.samplerate, 1) > LONGEST_S:
                raise FileError(path, "the recording is longer than an hour; cut out a minute of it")
            if file.channels > 5:
                raise FileError(
                    path, f"the recording has {file.channels} channels; one to five can be judged"
                )
            return file.read(dtype="float64", always_2d=True), int(file.samplerate)
    except sound.LibsndfileError as error:
        raise FileError(
            path, f"this is no sound file that can be read ({error.error_string}); save it as WAV"
        ) from error
