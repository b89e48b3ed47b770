"""The runbook of a large job after an edit, as ratios to all studies of that job in the same run: of one not begun, and of one whose record is
long."""

from __future__ import annotations

import random
from typing import TYPE_CHECKING

from timed import median

if TYPE_CHECKING:
    from pigtail.job.document import Job


def large() -> Job:
    """The demo with its feed five times over, eight covers, twenty parts out and a dozen jumpers: some two hundred steps."""
    from msgspec.structs import replace

    from pigtail.catalogue.demo import demo
    from pigtail.edits.links import add_link
    from pigtail.edits.plan import set_converter
    from pigtail.edits.record import put_alteration, put_cover
    from pigtail.job.logbook import Alteration, Alters, Cover

    job = set_converter(demo("larkmoor").job, "supply", "isolated_wide")
    feed = job.link("feed")
    assert feed is not None
    for k in range(4):
        job = add_link(job, replace(feed, id=f"feed{k}", name=f"Feed {k + 2}"))
    for k in range(6):
        job = put_cover(job, Cover(id=f"cover{k}", name=f"cover {k}", screws=f"{k + 2} long"))
    for k in range(32):
        kind = Alters.LIFT if k < 20 else Alters.JUMPER
        job = put_alteration(job, Alteration(id=f"part{k}", kind=kind, what=f"R{k}", how="open", back=True))
    return job


def main() -> None:
    """Print the ratios."""
    from pigtail import edits
    from pigtail.bench.walked import walked
    from pigtail.model.model import Model
    from pigtail.studies.all import study_job
    from pigtail.studies.prove.study import study_prove

    chance, job = random.Random(1), large()
    colours = ("red", "blue", "green", "violet", "brown", "grey", "yellow", "orange", "white")

    def edited(job: Job, number: int) -> Job:
        name, value = "r1", 4700.0 * (1 + 0.01 * (number + 1) + 0.001 * chance.random())
        from pigtail.units import Basis, Known

        section = len(job.link("feed").sections) - 1  # type: ignore[union-attr]
        changed = edits.set_part(job, "feed", section, name, Known.of(value, "Ω", Basis.DOCUMENTED))
        return edits.set_conductor(changed, "feed", "out", colour=colours[number % len(colours)])

    half = walked(job, lambda s: s.step.kind == "join")
    study_job(job)
    reference = median(lambda k: study_job(edited(job, k)))
    print(
        f"reference: all studies of a job of {len(study_prove(Model.of(job)).stands)} steps {1e3 * reference:.0f} ms"
    )
    for words, each in (("not begun", job), ("half done", half)):
        taken = median(lambda k, each=each: study_prove(Model.of(edited(each, k))))
        print(
            f"its runbook after an edit, {words} ({len(each.record)} entries): {1e3 * taken:.0f} ms, {taken / reference:.2f} × the studies"
        )


if __name__ == "__main__":
    main()
