"""How much of each thing a job may hold: far more than a retrofit ever has, and no more than can be studied while one waits."""

from __future__ import annotations

from collections import Counter

from pigtail.job.document import Host, Job, Module, Purpose, Return
from pigtail.job.errors import JobError
from pigtail.language import tr

#: What of the job itself: by field, how many at most, in words.
OF_JOB = {
    "modules": (32, "modules"),
    "links": (200, "links"),
    "pictures": (500, "pictures"),
    "wants": (500, "wishes"),
}
OF_HOST = {
    "states": (16, "states"), "stages": (100, "stages"), "windings": (40, "windings"), "batteries": (16, "batteries"),
    "switches": (60, "switches"),
}  # fmt: skip
MOST_TERMINALS, MOST_PATHS, MOST_SECTIONS, MOST_JOINS = 500, 200, 12, 24
#: The most feeds that begin or end at one terminal.
MOST_AT_ONE = 8


def check_sizes(job: Job) -> None:
    """Raise JobError, naming the place and the mend, for more than a job may hold of anything."""
    owners: tuple[tuple[Job | Host, dict[str, tuple[int, str]], str], ...] = (
        (job, OF_JOB, ""),
        (job.host, OF_HOST, "host."),
    )
    for owner, table, place in owners:
        for field, (most, words) in table.items():
            _at_most(len(getattr(owner, field)), most, words, f"{place}{field}")
    devices: list[tuple[str, Host | Module]] = [
        ("host", job.host),
        *((f"modules[{at}]", m) for at, m in enumerate(job.modules)),
    ]
    for place, device in devices:
        _at_most(len(device.terminals), MOST_TERMINALS, tr("points or pins"), f"{place}.terminals")
        _at_most(len(device.paths), MOST_PATHS, "paths", f"{place}.paths")
    feeds: Counter[str] = Counter()
    for at, link in enumerate(job.links):
        _at_most(len(link.sections), MOST_SECTIONS, tr("networks in a row"), f"links[{at}].sections")
        _at_most(len(link.joins), MOST_JOINS, "joins", f"links[{at}].joins")
        if link.purpose is Purpose.FEED:
            feeds.update({j.terminal for j in link.joins if not isinstance(job.terminal(j.terminal), Return)})
    for address, count in feeds.items():
        if count > MOST_AT_ONE:
            raise JobError(
                tr(
                    "{count} feeds begin or end at {address}, more than the {most} that one point may have; join some of "
                    "them to another",
                    count=count,
                    address=job.label(address),
                    most=MOST_AT_ONE,
                ),
                where="links",
                value=address,
            )


def _at_most(count: int, most: int, words: str, where: str) -> None:
    if count > most:
        raise JobError(
            tr(
                "there are {count:,} {words}, more than the {most:,} that there may be; leave some out",
                count=count,
                words=words,
                most=most,
            ),
            where=where,
        )
