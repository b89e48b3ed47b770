"""Which stand-in a name means: one that ships, a file, or a host kind of the catalogue; after a plus a fault to hide in it."""

from __future__ import annotations

import random
from pathlib import Path

from pigtail.bench.faults import ALL, FAULTS, NoPlaceError
from pigtail.bench.made import make_stand_in
from pigtail.bench.truth import StandIn, load, shipped
from pigtail.catalogue.kinds import host_kinds
from pigtail.job.errors import FileError, JobError
from pigtail.language import tr

#: Stands for any fault that has a place.
ANY = "?"


def stand_in_of(name: str) -> StandIn:
    """The stand-in that a name means: `brindle`, `host.standin`, `tape_recorder`, `brindle+swapped channels`, `brindle+?`. Raises
    FileError for a name or fault that is not there, or a fault without a place."""
    base, _, fault = name.partition("+")
    stand_in = _base(base)
    if not fault:
        return stand_in
    if fault == ANY:
        return with_any_fault(stand_in)
    if fault not in FAULTS:
        raise FileError(
            name,
            tr(
                "there is no fault “{value}”; give one of {listed}, or {ANY}",
                value=fault[:60],
                listed=", ".join(FAULTS),
                ANY=ANY,
            ),
        )
    try:
        return FAULTS[fault](stand_in, ALL)
    except (NoPlaceError, JobError) as error:
        raise FileError(
            name, tr("the fault has no place here ({error}); choose another", error=error)
        ) from error


def with_any_fault(stand_in: StandIn, seed: int | None = None) -> StandIn:
    """The stand-in with one of the faults that have a place in it, by chance; as it is where none has."""
    chance = random.Random(seed)  # noqa: S311  practice, no secret
    for fault in chance.sample(list(FAULTS), len(FAULTS)):
        try:
            return FAULTS[fault](stand_in, ALL)
        except (NoPlaceError, JobError):
            continue
    return stand_in


def _base(name: str) -> StandIn:
    path, kinds = shipped().get(name, Path(name)), {k.key for k in host_kinds()}
    if path.exists():
        return load(path)
    if name in kinds:
        return make_stand_in(name)
    raise FileError(
        name,
        tr(
            "there is no such file; give one, or one of {listed}",
            listed=", ".join((*shipped(), *sorted(kinds))),
        ),
    )
