"""Whether what is added can sit where it is wanted: room above it, what holds it, sharp leads, moving parts, metal round its antenna."""

from __future__ import annotations

from collections.abc import Iterator

from pigtail.board.parts import Mounted
from pigtail.catalogue.fittings import shaken
from pigtail.catalogue.kinds import adapter_kinds, has_antenna
from pigtail.catalogue.topologies import Does, does
from pigtail.job.build import BOARD, CELL, BoardKind, Fixing, Metal, Mounting
from pigtail.job.document import Job
from pigtail.language import tr
from pigtail.studies.findings import Finding
from pigtail.studies.wording import listed, tell

#: What must stay free above the tallest part [mm]. Common practice.
ABOVE_MM = 2.0
#: By how much what holds a thing lifts it [mm]: usual stand-offs, tape, the walls of a case. Common practice.
LIFT_MM = {
    Fixing.UNSAID: 0.0, Fixing.STANDOFFS: 5.0, Fixing.POSTS: 5.0, Fixing.TAPE: 1.0, Fixing.CASE: 4.0, Fixing.LOOSE: 0.0,
}  # fmt: skip
#: How thick a little board is with its joints [mm].
BOARD_MM = 4.0
#: What metal round an antenna takes [dB], least, typical and most: from memory, and wide, since it hangs on every slot. 6 dB halve a range
#: in the open.
LOSS_DB = {Metal.SLOT: (2.0, 6.0, 12.0), Metal.CLOSED: (15.0, 30.0, 60.0)}


def judge_mountings(job: Job, board: Mounted) -> list[Finding]:
    """The findings about where things sit; one that asks, where nobody said anything of them."""
    if not job.links:
        return []
    told = {m.of for m in job.build.mountings}
    missing = [name for of, name in placed_things(job, board).items() if of not in told]
    found = [f for m in job.build.mountings for f in _judge(job, m, board)]
    if missing:
        found.append(tell("build.unmounted", "", {"things": listed(missing)}))
    return found


def placed_things(job: Job, board: Mounted) -> dict[str, str]:
    """What must sit somewhere, by what its mounting is kept under: modules that hang on the plan, the board of the networks, a cell of its
    own."""
    used = {j.terminal.partition(".")[0] for x in job.links for j in x.joins}
    outside = {kind.key for kind in adapter_kinds()}
    found = {m.id: m.name for m in job.modules if m.id in used and m.kind not in outside}
    if job.build.board is not BoardKind.POINT and board.parts:
        found[BOARD] = thing(job, BOARD)
    if any(does(s, Does.STORES) for x in job.links for s in x.sections):
        found[CELL] = thing(job, CELL)
    return found


def height_of(m: Mounting, board: Mounted) -> float:
    """How high a thing stands [mm]: as it was told; the board of the networks at least as its tallest part makes it; 0 for unknown."""
    if m.of != BOARD:
        return m.height
    tallest = max((p.shape.tall for p in board.parts), default=0.0)
    return max(m.height, tallest + BOARD_MM if tallest else 0.0)


def thing(job: Job, of: str) -> str:
    """What a mounting is of, in words."""
    if of in (BOARD, CELL):
        return {BOARD: tr("the board of the networks"), CELL: tr("the cell")}[of]
    return next((m.name for m in job.modules if m.id == of), of)


def _judge(job: Job, m: Mounting, board: Mounted) -> Iterator[Finding]:
    words = {"thing": thing(job, m.of)}
    if m.sharp:
        yield tell("build.sharp_battery" if m.of == CELL else "build.sharp", m.of, words)
    if m.moving:
        yield tell("build.moving", m.of, words)
    looks = [
        what
        for what, seen in ((tr("what lies under it"), m.sharp), (tr("what moves over it"), m.moving))
        if seen is None
    ]
    if looks:
        yield tell(
            "build.sharp_unknown" if m.of == CELL and m.sharp is None else "build.unlooked",
            m.of,
            {**words, "what": listed(looks)},
        )
    height = height_of(m, board)
    whole = height + LIFT_MM[m.fixing]
    if height > 0 and m.room > 0:
        if whole + ABOVE_MM > m.room:
            told = {
                "short": f"{whole + ABOVE_MM - m.room:.0f}",
                "height": f"{whole:g}",
                "room": f"{m.room:g}",
            }
            yield tell("build.height", m.of, {**words, **told})
    else:
        yield tell(
            "build.room_unknown",
            m.of,
            {**words, "what": tr("the room above it") if height > 0 else tr("its height")},
        )
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
