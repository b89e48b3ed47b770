"""How the studies grow with the plan: independent feeds from 6 to 60, feeds of one point, modules; as ratios to the smallest of each kind
in the same run, and as the power of growth."""

from __future__ import annotations

import math
import time

from msgspec.structs import replace

from pigtail.catalogue.demo import demo
from pigtail.job.check import check_job
from pigtail.job.document import HOST, Job, Purpose, Return
from pigtail.studies.all import study_job


def with_feeds(job: Job, count: int) -> Job:
    """The job with so many further feeds, each between an output and an input of its own."""
    feeds = [x for x in job.links if x.purpose is Purpose.FEED]
    points, modules, links = list(job.host.terminals), list(job.modules), list(job.links)
    for k in range(count):
        feed = feeds[k % len(feeds)]
        joins = []
        for join in feed.joins:
            terminal = job.terminal(join.terminal)
            device, _, name = join.terminal.partition(".")
            if terminal is None or isinstance(terminal, Return):
                joins.append(join)
                continue
            new = replace(terminal, id=f"{name}_k{k}", name=f"{terminal.name} {k}")
            if device == HOST:
                points.append(new)
            else:
                at = next(i for i, m in enumerate(modules) if m.id == device)
                modules[at] = replace(modules[at], terminals=(*modules[at].terminals, new))
            joins.append(replace(join, terminal=f"{device}.{new.id}"))
        links.append(replace(feed, id=f"{feed.id}_k{k}", name=f"{feed.name} {k}", joins=tuple(joins)))
    return replace(
        job, host=replace(job.host, terminals=tuple(points)), modules=tuple(modules), links=tuple(links)
    )


def doubled(job: Job, count: int) -> Job:
    """The job with one of its feeds so many times more, between the same points."""
    feed = next(x for x in job.links if x.purpose is Purpose.FEED)
    more = tuple(replace(feed, id=f"{feed.id}_k{k}", name=f"{feed.name} {k}") for k in range(count))
    return replace(job, links=(*job.links, *more))


def with_modules(job: Job, count: int) -> Job:
    """The job with so many further modules, each fed and grounded as the first is."""
    module = job.modules[0]
    modules, links = list(job.modules), list(job.links)
    for k in range(count):
        modules.append(replace(module, id=f"m{k}", name=f"{module.name} {k}"))
        for link in job.links:
            if link.purpose is not Purpose.FEED:
                joins = tuple(
                    replace(j, terminal=j.terminal.replace(f"{module.id}.", f"m{k}.")) for j in link.joins
                )
                links.append(replace(link, id=f"{link.id}_{k}", name=f"{link.name} {k}", joins=joins))
    return replace(job, modules=tuple(modules), links=tuple(links))


def main() -> None:
    """Print seconds of the processor, ratios and powers."""
    job = demo("tidewell").job
    study_job(job)
    cases = (
        ("independent feeds", with_feeds, (6, 12, 24, 60)),
        ("feeds of one point", doubled, (2, 4, 7)),
        ("modules", with_modules, (2, 4, 8)),
    )
    for words, make, counts in cases:
        times = []
        for count in counts:
            made = make(job, count)
            check_job(made)
            began = time.process_time()
            study_job(made)
            times.append(time.process_time() - began)
        power = math.log(times[-1] / times[0]) / math.log(counts[-1] / counts[0])
        told = ", ".join(f"{n}: {t:.2f} s ({t / times[0]:.1f})" for n, t in zip(counts, times, strict=True))
        print(f"{words}: {told}; the power of growth {power:.2f}")


if __name__ == "__main__":
    main()
