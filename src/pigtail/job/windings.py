"""Which winding a link starts at, and what its readings and papers tell of its source resistance."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from pigtail.job.document import HOST, Function, Job, Link
from pigtail.job.energy import Earthed, Winding
from pigtail.job.log import log_of
from pigtail.job.wiring import star_address
from pigtail.units.known import Basis, Known, weakest

#: How well a source resistance follows from an open and a loaded voltage [1]: the difference of two near figures.
FOLLOWS = 0.25
#: The least that the resistance of a winding can be [Ω].
LEAST_OHM = 1e-3


def winding_at(job: Job, address: str) -> Winding | None:
    """The winding that a host point is an end of, or None."""
    device, _, point = address.partition(".")
    if device != HOST:
        return None
    return next((w for w in job.host.windings if point in w.ends), None)


def winding_of(job: Job, link: Link) -> Winding | None:
    """The winding that a link comes from, or None."""
    return next((w for a in link.starts if (w := winding_at(job, a)) is not None), None)


def winding_named(job: Job, winding_id: str) -> Winding | None:
    """A winding by its id, or None."""
    return next((w for w in job.host.windings if w.id == winding_id), None)


def end_address(winding: Winding, end: str) -> str:
    """Address of an end of a winding."""
    assert end in winding.ends
    return f"{HOST}.{end}"


def source_resistance(winding: Winding) -> Known | None:
    """The source resistance of a winding [Ω], as it is told or as its two voltages tell it, (open − loaded)/load; None where nothing
    does."""
    if winding.resistance is not None:
        return winding.resistance
    if winding.open is None or winding.loaded is None or winding.load is None:
        return None
    drop = winding.open.nominal - winding.loaded.nominal
    if drop <= 0:
        return None
    basis = weakest([winding.open.basis, winding.loaded.basis, winding.load.basis])
    ohm = max(drop / winding.load.nominal, LEAST_OHM)
    return Known.of(ohm, "Ω", Basis(basis), tolerance=FOLLOWS, source="from its open and its loaded voltage")


def regulation(winding: Winding) -> float | None:
    """How far a winding rises from its rated load to none [1]: rated current · source resistance over what is left; None where it is
    not known."""
    ohm = source_resistance(winding)
    if ohm is None or winding.rated is None or winding.open is None:
        return None
    drop = ohm.nominal * winding.rated.nominal
    left = winding.open.nominal - drop
    return drop / left if left > 0 else None


def as_known(winding: Winding) -> Winding:
    """The winding with its source resistance told, where its voltages tell it."""
    return replace(winding, resistance=source_resistance(winding))


#: Up to this an end is joined to the host's ground, and beyond the second it floats [Ω]; a winding itself may have an ohm or two.
JOINED_OHM, FLOATS_OHM = 5.0, 10e3
#: How much nearer than the other end the joined one reads [1], or [Ω] beyond what probes make.
NEARER, PROBES_OHM = 0.6, 0.1


def as_read(job: Job, winding: Winding) -> Winding:
    """The winding with what readings tell above what papers say: open and loaded volts between its ends, and which end rings out to the
    host's ground."""
    changes: dict[str, Any] = {}
    first, second = f"{HOST}.{winding.first}", f"{HOST}.{winding.second}"
    across = [r for r in log_of(job).between(first, second, Function.AC_VOLTS) if r.value.nominal > 0]
    opened = [r for r in across if r.load is None and r.series is None]
    loaded = [r for r in across if r.load is not None and r.load.nominal > 0]
    if opened:
        changes["open"] = replace(opened[-1].value, basis=Basis.MEASURED, source=f"reading {opened[-1].id}")
    if loaded:
        last = loaded[-1]
        assert last.load is not None
        changes["loaded"] = replace(last.value, basis=Basis.MEASURED, source=f"reading {last.id}")
        changes["load"] = Known.of(
            last.value.nominal / last.load.nominal, "A", Basis.MEASURED, source=f"reading {last.id}"
        )
        changes["resistance"] = None
    earthed = _earthed(job, winding)
    if earthed is not None:
        changes["earthed"] = earthed
    return replace(winding, **changes) if changes else winding


def _earthed(job: Job, winding: Winding) -> Earthed | None:
    """Which end rings out to the star, by readings with the power off: all ends read; None where they do not tell."""
    star = star_address(job)
    read: list[float] = []
    for end in winding.ends:
        found = [
            r.value.nominal
            for function in (Function.RESISTANCE, Function.CONTINUITY)
            for r in log_of(job).between(f"{HOST}.{end}", star, function)
        ]
        if not found:
            return None
        read.append(found[-1])
    if min(read) > FLOATS_OHM:
        return Earthed.NONE
    kinds = (Earthed.FIRST, Earthed.SECOND, Earthed.TAP)
    nearest, *others = sorted(zip(read, kinds, strict=False), key=lambda x: x[0])
    clear = all(
        nearest[0] <= max(NEARER * ohm, ohm - 10 * PROBES_OHM) and ohm - nearest[0] > PROBES_OHM
        for ohm, _ in others
    )
    return nearest[1] if nearest[0] <= JOINED_OHM and clear else None


def unknown_of(winding: Winding) -> str:
    """The field of a winding without which its course cannot be told; empty where all is known."""
    if winding.open is None:
        return "open"
    return "resistance" if source_resistance(winding) is None else ""
