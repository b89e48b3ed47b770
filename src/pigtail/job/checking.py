"""What every check of a document uses: ids, states, values and what is said of those that make no sense."""

from __future__ import annotations

import re
from collections.abc import Iterable

from pigtail.job.errors import JobError
from pigtail.job.quantities import Quantity
from pigtail.language import tr
from pigtail.units.known import Known

ID = re.compile(r"[a-z][a-z0-9_]{0,39}")
MAX_ITEMS = 20_000
LARGEST = 1e12


def check_known(known: Known, unit: str, where: str, *, lowest: float) -> None:
    """Raise JobError for a value in the wrong unit or below what it can be at all. The lowest in the [unit]."""
    if known.unit != unit:
        raise JobError(
            tr("the unit is “{unit}” but “{unit2}” is wanted", unit=known.unit, unit2=unit),
            where=where,
            value=known,
        )
    if max(abs(known.low), abs(known.high)) > LARGEST:
        raise JobError(
            tr(
                "{nominal:g} {unit} is beyond anything electrical; give a value below {largest:g}",
                nominal=known.nominal,
                unit=unit,
                largest=LARGEST,
            ),
            where=where,
            value=known,
        )
    if known.low < lowest:
        raise JobError(
            tr(
                "{low:g} {unit} is below {lowest:g} {unit}, the least it can be; give a larger value",
                low=known.low,
                unit=unit,
                lowest=lowest,
            ),
            where=where,
            value=known,
        )


def check_unique(where: str, ids: Iterable[str]) -> None:
    """Raise JobError for an id that is none, or is there twice, or for too many."""
    seen: set[str] = set()
    for at, name in enumerate(ids):
        place = f"{where}[{at}].id"
        if at >= MAX_ITEMS:
            raise JobError(tr("there are more than {max_items:,} entries", max_items=MAX_ITEMS), where=where)
        if not ID.fullmatch(name):
            raise JobError(
                tr("“{name}” is no id; use a small letter, then small letters, digits or _", name=name[:50]),
                where=place,
            )
        if name in seen:
            raise JobError(
                tr("“{name}” is there twice; give each its own id", name=name), where=place, value=name
            )
        seen.add(name)


def check_state(state: str, states: set[str], where: str) -> None:
    """Raise JobError for a state that the host has not."""
    if state not in states:
        raise JobError(
            tr(
                "“{state}” is not a state of the host; choose one of {listed_ids}",
                state=state,
                listed_ids=listed_ids(states),
            ),
            where=where,
        )


NOT_THERE, NOT_ON_IT = tr("no point may be there, and no probe"), tr("no point may lie on it")


def on_primary(name: str, where: str, value: str, rule: str = NOT_THERE) -> JobError:
    """What is said of a thing that lies before the isolation from the mains."""
    words = tr(
        "“{name}” is on the primary side: {rule}; that side is for a licensed person",
        name=name[:50],
        rule=rule,
    )
    return JobError(words, where=where, value=value)


def check_quantity(owner: object, item: Quantity, where: str) -> None:
    """Raise JobError for a value of something that cannot be; one that nobody knows may."""
    known: Known | None = getattr(owner, item.field)
    if known is not None:
        check_known(known, item.unit, f"{where}.{item.field}", lowest=item.lowest)


def listed_ids(names: Iterable[str]) -> str:
    """The first few of some names, for a sentence."""
    ordered = sorted(names)
    shown = ", ".join(ordered[:6])
    return f"{shown} …" if len(ordered) > 6 else shown or tr("none: there are none yet")
