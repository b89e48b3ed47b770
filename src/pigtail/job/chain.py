"""What the host's chain tells of a point: whether it lies after the volume, the mute, the power amplifier."""

from __future__ import annotations

from pigtail.job.document import Act, AnyTerminal, AudioIn, AudioOut, Digital, Job, Trait, Video

#: A point that comes after a stage of this kind has this trait.
AFTER = {
    Act.VOLUME: Trait.FOLLOWS_VOLUME,
    Act.AMPLIFY: Trait.POWER_OUTPUT,
    Act.MUTE: Trait.SHARED,
    Act.MODULATE: Trait.WITH_PICTURE,
}


def stage_of(job: Job, terminal: AnyTerminal) -> int | None:
    """Place of a point's stage in the chain, None if it is on none or not the host's."""
    if next((t for t in job.host.terminals if t.id == terminal.id), None) is not terminal:
        return None
    return next((k for k, s in enumerate(job.host.stages) if terminal.id in s.points), None)


def before(job: Job, terminal: AnyTerminal, act: Act) -> bool | None:
    """Whether a point lies before the stage that does something; None when the chain does not tell.

    An input lies before what its own stage does, an output after it.
    """
    at = stage_of(job, terminal)
    where = [k for k, s in enumerate(job.host.stages) if act in s.acts]
    if at is None or not where:
        return None
    return at <= where[-1] if isinstance(terminal, AudioIn) else at < where[0]


def trait(job: Job, terminal: AnyTerminal, wanted: Trait) -> bool | None:
    """Whether a trait is true of a point: as was said of it, else as the chain tells, else None."""
    said = terminal.has(wanted)
    if said is not None:
        return said
    at = stage_of(job, terminal)
    if at is None or not any(s.acts for s in job.host.stages):
        return None
    if wanted is Trait.ENCODED and isinstance(terminal, Digital):
        decoders = [k for k, s in enumerate(job.host.stages) if Act.DECODE in s.acts]
        return at < decoders[0] if decoders else None
    if isinstance(terminal, AudioOut | Video):
        for act, told in AFTER.items():
            if told is wanted:
                return any(act in s.acts for s in job.host.stages[: at + 1])
    if wanted is Trait.BRIDGE_TIED and isinstance(terminal, AudioOut):
        return False if trait(job, terminal, Trait.POWER_OUTPUT) is False else None
    return None
