"""The register of studies: one line for each, in working order. The lead, menus, tell-tales, command line and sheet read it.

A study of the key `x` lives in `pigtail.studies.x` (or in the folder that its line names): `study.py` has `study_x(model)`,
`found.py` its answer as FOUND, free of numerical packages. Its station is the view of the same key. Nothing is imported here
before it is asked for, since the window's frame reads this before it is painted.
"""

from __future__ import annotations

from importlib import import_module
from typing import NamedTuple

from pigtail.language import tr

TYPE_CHECKING = False
if TYPE_CHECKING:
    from pigtail.model.model import Model
    from pigtail.studies.findings import Finding, Study


class Dial(NamedTuple):
    """A tell-tale: the judgement that it shows, in words, the scale it is drawn on, and judgements of the same number for other
    subjects."""

    judgement: str
    words: str
    scale: tuple[float, float]
    others: tuple[str, ...] = ()

    @property
    def key(self) -> str:
        """Its name: that of its judgement."""
        return self.judgement.partition(".")[2]


class Entry(NamedTuple):
    """One study: its key, what its station is called, what that is for, the tell-tales it has, its folder where that is not
    called as its key; recorded: it judges what was done, so that no remedy for a plan of which nothing was done can make it worse."""

    key: str
    words: str
    line: str
    dials: tuple[Dial, ...] = ()
    folder: str = ""
    recorded: bool = False

    @property
    def place(self) -> str:
        """The name of its folder, here and among the stations."""
        return self.folder or self.key

    @property
    def found(self) -> type[Study]:
        """The type of its answer."""
        kind: type[Study] = import_module(f"pigtail.studies.{self.place}.found").FOUND
        return kind

    def empty(self, *findings: Finding) -> Study:
        """Its answer with nothing in it but findings."""
        return self.found(self.key, {}, findings)

    def run(self, model: Model) -> Study:
        """Its answer for a model, headed by what forbids any wire to the host. Never raises for a checked job."""
        from pigtail.studies.safety import forbidding

        return self._solved(model).headed(*forbidding(model, self.key))

    def _solved(self, model: Model) -> Study:
        """Its answer; a plan that cannot be solved becomes a finding."""
        from msgspec.structs import replace

        from pigtail.catalogue.errors import CatalogueError
        from pigtail.circuit import CircuitError, ConvergenceError
        from pigtail.model.errors import CompileError
        from pigtail.studies.wording import tell

        study = getattr(import_module(f"pigtail.studies.{self.place}.study"), f"study_{self.place}")
        try:
            answer: Study = study(model)
        except ConvergenceError as error:
            what = model.whose(error.element)
            told = tell("study.unsettled", "", {"What": what[:1].upper() + what[1:]})
            return self.empty(replace(told, code=f"{self.key}.unsolved"))
        except (CompileError, CircuitError, CatalogueError) as error:
            told = tell("study.unsolved", "", {"trouble": str(error)})
            return self.empty(replace(told, code=f"{self.key}.unsolved"))
        return answer


REGISTER: list[Entry] = [
    Entry("survey", tr("Survey"), tr("host and points")),
    Entry("taps", tr("Taps"), tr("which points to use")),
    Entry("level", tr("Level"), tr("signal against input"), (
        Dial("level.fits", tr("level over wanted"), (-12.0, 30.0), ("level.turned",)),
        Dial("level.headroom", tr("headroom"), (-6.0, 24.0)))),
    Entry("power", tr("Power"), tr("rail, converter, heat"), (
        Dial("power.rail", tr("rail to spare"), (-0.1, 0.1), ("power.winding",)), Dial("power.hot", tr("regulator"), (20.0, 200.0)))),
    Entry("returns", tr("Returns"), tr("ways back of currents"), (Dial("returns.quiet", tr("bursts under music"), (-120.0, -20.0)),)),
    Entry("control", tr("Control"), tr("wakes, mutes, lights"), (Dial("control.asleep", tr("left while off"), (-1.0, 4.0)),)),
    Entry("build", tr("Build"), tr("loom, parts, sheet"), folder="loom"),  # `build` is a folder that many tools pass over
    Entry("prove", tr("Prove"), tr("runbook and record"), (Dial("prove.holds", tr("hold points left"), (0.0, 40.0)),),
          recorded=True),
]  # fmt: skip


def entry(key: str) -> Entry:
    """A study by its key; raises KeyError."""
    for each in REGISTER:
        if each.key == key:
            return each
    raise KeyError(key)
