"""What goes into a panel, as data: holes, nuts, depths and spacings; and what is usual of building in kinds of hosts."""

from __future__ import annotations

import math
import tomllib
from functools import cache

import msgspec

from pigtail.catalogue.errors import CatalogueError
from pigtail.catalogue.topologies import data
from pigtail.job.document import Job
from pigtail.language import said

#: Kinds of hosts in whose case a speaker shakes everything, unless the job says otherwise.
SHAKEN = ("powered_speaker", "two_way_speaker", "portable_radio", "mains_radio", "toy")


class FittingKind(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A kind of fitting [mm]: its hole, what covers the panel outside (a nut, a flange), its body behind and how deep that reaches, how
    far from its like it sits, the thickest panel that it grips; a square opening, width and height; how far behind it its cable needs to
    bend."""

    name: str
    hole: float
    outer: float
    body: float
    depth: float
    spacing: float
    grips: float
    square: tuple[float, float] | None = None
    bend: float = 0.0

    @property
    def outer_radius(self) -> float:
        """What must be clear round its middle outside [mm]: to the corners of what is square."""
        return self.outer / 2 * (math.sqrt(2) if self.square else 1.0)

    @property
    def body_radius(self) -> float:
        """What must be clear round its middle behind [mm]: to the corners of what is square."""
        return self.body / 2 * (math.sqrt(2) if self.square else 1.0)

    @property
    def behind(self) -> float:
        """What must be free behind the panel [mm]."""
        return self.depth + self.bend


@cache
def fitting_kinds() -> dict[str, FittingKind]:
    """All kinds by their key."""
    return msgspec.convert(
        said("fittings.toml", tomllib.loads(data("fittings.toml"))), dict[str, FittingKind]
    )


def fitting_kind(key: str) -> FittingKind:
    """A kind by its key; raises CatalogueError."""
    if key not in fitting_kinds():
        raise CatalogueError("fitting", key, list(fitting_kinds()))
    return fitting_kinds()[key]


def shaken(job: Job) -> bool:
    """Whether a speaker shakes what is built: as the job says, else as is usual for its kind of host."""
    return job.host.kind in SHAKEN if job.build.shakes is None else job.build.shakes
