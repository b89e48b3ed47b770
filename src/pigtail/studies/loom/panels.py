"""Whether the panel can be drilled as it is planned: each fitting at its place, swarf, what is not measured yet."""

from __future__ import annotations

from collections.abc import Iterator

from pigtail.catalogue.fittings import fitting_kinds
from pigtail.job.build import AreaKind, Fitting, Panel
from pigtail.job.document import Job
from pigtail.panel.geometry import Clash, clashes, in_opening, unmeasured
from pigtail.studies.findings import Finding
from pigtail.studies.wording import listed, tell

#: What is said of each clash.
CODES = {
    Clash.LABEL: "build.hole_label", Clash.POST: "build.hole_post", Clash.TRAVEL: "build.hole_travel", Clash.FITTED: "build.hole_fitted",
    Clash.EDGE: "build.hole_edge", Clash.NEAR: "build.hole_near", Clash.DEEP: "build.hole_deep", Clash.THICK: "build.hole_thick",
    Clash.OPENING: "build.hole_opening", Clash.LARGE: "build.hole_large",
}  # fmt: skip


def judge_panel(job: Job) -> list[Finding]:
    """The findings about the panel; none where there is none."""
    panel = job.build.panel
    if panel is None:
        return []
    found = [f for fitting in panel.fittings for f in _fitting(panel, fitting)]
    return [*found, *_swarf(panel)]


def _fitting(panel: Panel, fitting: Fitting) -> Iterator[Finding]:
    kind = fitting_kinds().get(fitting.kind)
    if kind is None:
        yield tell("build.fitting_unknown", fitting.id, {"name": fitting.name, "kind": fitting.kind})
        return
    if fitting.x is None or fitting.y is None:
        yield tell("build.unplaced", fitting.id, {"name": fitting.name})
        return
    others = tuple(f for f in panel.fittings if f.id != fitting.id and f.kind in fitting_kinds())
    hits = clashes(panel, kind, fitting.x, fitting.y, others)
    for hit in hits:
        yield tell(
            CODES[hit.kind],
            fitting.id,
            {"name": fitting.name, "what": hit.what, "by": f"{hit.by:.1f}"},
            value=hit.by * 1e-3,
            unit="m",
        )
    missing = unmeasured(panel, kind, fitting.x, fitting.y)
    if missing:
        yield tell("build.panel_unmeasured", fitting.id, {"name": fitting.name, "things": listed(missing)})


def _drilled(panel: Panel, f: Fitting) -> bool:
    """Whether a fitting has a place where metal must go: a hole of its own, or an opening that is too small."""
    kind = fitting_kinds().get(f.kind)
    if kind is None or f.x is None or f.y is None:
        return False
    opening = in_opening(panel, kind, f.x, f.y)
    return opening is None or min(opening.width, opening.height) < kind.hole


def _swarf(panel: Panel) -> Iterator[Finding]:
    """Chips of metal on an open board: where the panel stays on and something behind it is open. Chips of wood and plastic burn nothing."""
    if panel.comes_off or not any(_drilled(panel, f) for f in panel.fittings):
        return
    boards = [a for a in panel.areas if a.kind is AreaKind.BOARD]
    bare = [a.name for a in boards if a.covered is not True]
    if panel.metal is not False and panel.comes_off is None:
        yield tell("build.swarf_unsaid", "panel", {"panel": panel.name})
    elif panel.metal is not False and bare:
        yield tell("build.swarf", "panel", {"boards": listed(bare)})
    elif bare or not boards:
        yield tell("build.swarf_inside", "panel", {"panel": panel.name})
