"""What is said of a supply by what lies around it: a tuner near a converter that chops, a rail whose foot nobody has rung out, states in
which the module is up and nothing of it is heard."""

from __future__ import annotations

from collections.abc import Sequence

from pigtail.catalogue.topologies import Does, does
from pigtail.job.document import HOST, Act, AudioIn, AudioOut, Job, Mode, Purpose, Rail, State, alive
from pigtail.job.wiring import return_address, star_address
from pigtail.model.model import Model
from pigtail.studies.findings import Finding
from pigtail.studies.wording import tell


def surrounding(job: Job) -> list[Finding]:
    """The findings about converters that chop in a host that receives radio."""
    if not any(Act.RECEIVE in s.acts for s in job.host.stages):
        return []
    return [
        tell("power.chops_near_tuner", link.id, {"link": link.name, "host": job.host.name})
        for link in job.links
        if link.purpose is Purpose.SUPPLY and any(does(s, Does.CHOPS) for s in link.sections)
    ]


def feet_unknown(job: Job) -> list[Finding]:
    """The findings about rails in use whose return nobody knows the way of to the star."""
    star = star_address(job)
    used = {
        a
        for x in job.links
        for a in (*x.starts, *x.at("back"), *x.at("sup"))
        if isinstance(job.terminal(a), Rail)
    }
    found = []
    for rail in sorted(used):
        foot = return_address(job, rail)
        ends = {foot.partition(".")[2], star.partition(".")[2]}
        known = any({p.a, p.b} == ends and p.resistance is not None for p in job.host.paths)
        if rail.startswith(f"{HOST}.") and foot != star and not known:
            words = {"foot": job.label(foot), "star": job.label(star)}
            found.append(tell("power.foot_unknown", rail, words))
    return found


def playing_for_nothing(model: Model, pin: str, powered: Sequence[State]) -> list[State]:
    """The states besides the working one in which a module is up and all host points of its feeds are dead; none for a module
    whose points have no states of their own."""
    job, module = model.job, pin.partition(".")[0]
    feeds = [
        x
        for x in job.links
        if x.purpose is Purpose.FEED and any(a.partition(".")[0] == module for a in (*x.starts, *x.at("out")))
    ]
    points = [
        t
        for x in feeds
        for a in (*x.starts, *x.at("out"))
        if a.startswith(f"{HOST}.") and isinstance(t := job.terminal(a), AudioIn | AudioOut)
    ]
    return [
        s
        for s in powered
        if s.kind is Mode.ON
        and s.id != job.working_state()
        and points
        and not any(alive(t, s.id) for t in points)
    ]
