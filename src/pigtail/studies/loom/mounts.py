"""Whether what is added can sit where it is wanted: room above it, what holds it, sharp leads, moving parts, metal round its antenna."""

from __future__ import annotations

from collections.abc import Iterator

from pigtail.catalogue.fittings import shaken
from pigtail.catalogue.kinds import has_antenna
from pigtail.catalogue.topologies import Does, does
from pigtail.job.build import BOARD, CELL, Fixing, Metal, Mounting
from pigtail.job.document import Job
from pigtail.studies.findings import Finding
from pigtail.studies.wording import listed, tell

#: What must stay free above the tallest part [mm]. Common practice.
ABOVE_MM = 2.0
#: What metal round an antenna takes [dB], least, typical and most: from memory, and wide, since it hangs on every slot. A range that is
#: halved
#: is 6 dB in the open.
LOSS_DB = {Metal.SLOT: (2.0, 6.0, 12.0), Metal.CLOSED: (15.0, 30.0, 60.0)}


def judge_mountings(job: Job) -> list[Finding]:
    """The findings about where things sit; one that asks, where nobody said anything of them."""
    if not job.links:
        return []
    told = {m.of for m in job.build.mountings}
    missing = [name for of, name in placed_things(job).items() if of not in told]
    found = [f for m in job.build.mountings for f in _judge(job, m)]
    if missing:
        found.append(tell("build.unmounted", "", {"things": listed(missing)}))
    return found


def placed_things(job: Job) -> dict[str, str]:
    """What must sit somewhere, by what its mounting is kept under: modules that hang on the plan, and a cell of its own."""
    used = {j.terminal.partition(".")[0] for x in job.links for j in x.joins}
    found = {m.id: m.name for m in job.modules if m.id in used}
    if any(does(s, Does.STORES) for x in job.links for s in x.sections):
        found[CELL] = "the cell"
    return found


def thing(job: Job, of: str) -> str:
    """What a mounting is of, in words."""
    if of in (BOARD, CELL):
        return {BOARD: "the board of the networks", CELL: "the cell"}[of]
    return next((m.name for m in job.modules if m.id == of), of)


def _judge(job: Job, m: Mounting) -> Iterator[Finding]:
    words = {"thing": thing(job, m.of)}
    if m.sharp:
        yield tell("build.sharp_battery" if m.of == CELL else "build.sharp", m.of, words)
    elif m.sharp is None and m.of == CELL:
        yield tell("build.sharp_unknown", m.of, words)
    if m.moving:
        yield tell("build.moving", m.of, words)
    if m.height > 0 and m.room > 0 and m.height + ABOVE_MM > m.room:
        short = m.height + ABOVE_MM - m.room
        yield tell(
            "build.height",
            m.of,
            {**words, "short": f"{short:.0f}", "height": f"{m.height:g}", "room": f"{m.room:g}"},
        )
    elif m.height > 0 and m.room <= 0:
        yield tell("build.room_unknown", m.of, words)
    if m.fixing is Fixing.LOOSE:
        yield tell("build.loose_shaken" if shaken(job) else "build.loose", m.of, words)
    elif m.fixing is Fixing.UNSAID:
        yield tell("build.fixing_unsaid", m.of, words)
    yield from _antenna(job, m, words)


def _antenna(job: Job, m: Mounting, words: dict[str, str]) -> Iterator[Finding]:
    module = next((x for x in job.modules if x.id == m.of), None)
    if m.antenna in LOSS_DB:
        low, typical, high = LOSS_DB[m.antenna]
        loss = {**words, "low": f"{low:g}", "high": f"{high:g}", "near": f"{10 ** (-typical / 20):.0%}"}
        code = "build.antenna_shut" if m.antenna is Metal.CLOSED else "build.antenna_slot"
        yield tell(code, m.of, loss, value=-typical, low=-high, high=-low, unit="dB", basis="typical")
    elif m.antenna is Metal.UNSAID and module is not None and has_antenna(module) is not False:
        yield tell("build.antenna_unsaid", m.of, words)
