"""An output that was read while something played: whether it plays, what it should, when it should, and behind which control."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace

from pigtail.job.chain import trait
from pigtail.job.derive import own_way
from pigtail.job.document import AudioOut, Channel, Function, Job, Reading, Trait, Way
from pigtail.job.log import log_of
from pigtail.job.readings import FOLLOWS, plain
from pigtail.job.tone import Tone, tone_of
from pigtail.job.wiring import twin
from pigtail.studies.findings import Finding, Severity
from pigtail.studies.survey.about import about

SILENT_V = 2e-3
#: An output that gives less than this part of what its papers say is dead; one that gives this part while the other side plays has that.
DEAD_PART, OTHER_SIDE = 0.05, 0.5
#: What is played below full scale is no lower than this part of it.
SOFT = 0.1


def judged_playing(job: Job, reading: Reading, terminal: AudioOut) -> Finding:
    """An output while something plays: whether it plays at all, what it should and when it should."""
    tone, volts = tone_of(reading.drive), reading.value.nominal
    assert tone is not None
    if tone.down:
        return _turned_down(job, reading, terminal, tone)
    if tone.side and terminal.channel is not Channel.MONO and tone.side != terminal.channel.value:
        heard = volts > OTHER_SIDE * (terminal.emf.low if terminal.emf else 1.0) * (
            1.0 if tone.full else SOFT
        )
        return about(job, reading, "survey.other_side") if heard else about(job, reading, "reading.noted")
    if terminal.way is not Way.FULL and not own_way(terminal, tone.hertz):
        return _other_way(job, reading, terminal)
    least = DEAD_PART * terminal.emf.low if tone.full and terminal.emf is not None else 0.0
    if volts < max(SILENT_V, least):
        if terminal.way is not Way.FULL and _more_of_other(job, reading, terminal):
            return about(job, reading, "survey.ways_swapped")
        if tone.side and terminal.way is Way.FULL and _from_other_side(job, reading, tone):
            return about(job, reading, "survey.sides_swapped")
        working = reading.state == job.working_state()
        return about(job, reading, "survey.output_dead" if working else "survey.muted_here")
    return about(job, reading, "reading.noted")


def _turned_down(job: Job, reading: Reading, terminal: AudioOut, tone: Tone) -> Finding:
    """An output with the volume turned down, against what it gave before."""
    up = _twin_reading(job, reading, lambda t: not t.down and t.hertz == tone.hertz and t.side == tone.side)
    if up is None or up.value.nominal < SILENT_V:
        return about(job, reading, "reading.noted")
    if reading.value.nominal >= (1 - FOLLOWS) * up.value.nominal:
        return about(job, reading, "survey.before_volume")
    known = trait(job, terminal, Trait.FOLLOWS_VOLUME)
    severity = Severity.FIX if known is False else Severity.WATCH
    return replace(about(job, reading, "survey.follows_volume"), severity=severity)


def _other_way(job: Job, reading: Reading, terminal: AudioOut) -> Finding:
    """One way of a crossover while what belongs to the other plays."""
    own = _twin_reading(job, reading, lambda t: own_way(terminal, t.hertz) and not t.down)
    if own is not None and reading.value.nominal > own.value.nominal:
        return about(job, reading, "survey.ways_swapped")
    return about(job, reading, "reading.noted")


def _more_of_other(job: Job, reading: Reading, terminal: AudioOut) -> bool:
    """Whether a way that is silent on its own gives what belongs to the other."""
    other = _twin_reading(job, reading, lambda t: not own_way(terminal, t.hertz) and not t.down)
    return other is not None and other.value.nominal > max(SILENT_V, reading.value.nominal)


def _from_other_side(job: Job, reading: Reading, tone: Tone) -> bool:
    """Whether the other point of a pair is silent on its own side too, which tells two that are swapped from one that is dead."""
    other = twin(job, reading.point)
    for read in log_of(job).at(other, Function.AC_VOLTS):
        played = tone_of(read.drive)
        if (
            played
            and played.side
            and played.side != tone.side
            and read.state == reading.state
            and plain(read)
        ):
            return read.value.nominal < SILENT_V
    return False


def _twin_reading(job: Job, reading: Reading, wanted: Callable[[Tone], bool]) -> Reading | None:
    """The latest plain reading of the same point in the same state while another tone played."""
    for read in reversed(log_of(job).at(reading.point, reading.function)):
        tone = tone_of(read.drive)
        if read.state == reading.state and plain(read) and tone is not None and wanted(tone):
            return read
    return None
