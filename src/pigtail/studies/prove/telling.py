"""What the record says against itself: what was joined unread, waved through, mixed, lost, closed too soon, or left out of the cost."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import combinations

from pigtail.job.document import Job, Reading, SupplyIn
from pigtail.job.logbook import Alters, Done, Fate, FileKind, Glue, Passed, Spent, Waived
from pigtail.job.steps import Power, RunStep, Standing
from pigtail.language import tr
from pigtail.studies.findings import Finding, Severity
from pigtail.studies.prove.found import Cost, ProveFound
from pigtail.studies.prove.kinds import kinds
from pigtail.studies.prove.ledger import DRAINED, TURNS, Last, Ledger, kind_of, looked_wrong, reads
from pigtail.studies.prove.ordering import Graph
from pigtail.studies.prove.subjects import covers_of
from pigtail.studies.wording import listed, tell
from pigtail.units import format_quantity

#: Of findings of one kind so many are told.
MOST_TOLD = 6


def judge_record(
    job: Job, acts: Sequence[RunStep], found: ProveFound, ledger: Ledger, *, drains: bool
) -> list[Finding]:
    """All that stands against the record and what is planned for it. drains: whether the host has a reservoir that must be read empty."""
    steps = {s.id: s for s in acts}
    return [
        *_joined_unread(job, steps, ledger),
        *_likely_burnt(job, ledger),
        *_unlooked(steps, ledger),
        *_touched(ledger, drains=drains),
        *_passed(steps, ledger),
        *_unkept(ledger),
        *_mixed(job, ledger),
        *_sounds(job, steps, ledger),
        *_glued(job),
        *_closed(acts, ledger),
        *_costs(job, found.cost),
        *_waived(found),
        *_again(found),
        *_unknown(found),
        *_unsaid(job),
    ]


def cost_of(job: Job) -> Cost:
    """What was paid, as the record tells."""
    spent = [e for e in job.record if isinstance(e, Spent) and not e.struck]
    return Cost(
        sum(e.amount or 0.0 for e in spent),
        sum(e.amount or 0.0 for e in spent if e.fate is Fate.BURNT),
        tuple(e.what for e in spent if e.amount is None),
    )


def money(job: Job, amount: float) -> str:
    """An amount [currency of the job] with its currency."""
    return f"{amount:,.2f} {job.work.currency}".strip().replace(",", " ")


# -- hands, power and modules -------------------------------------------------------------------------------


def _read_by(ledger: Ledger, steps: dict[str, RunStep], step: str, place: int) -> bool:
    """Whether a hold point was passed before a place in the record: by one of its own readings in the range of then, or with a reason."""
    for last in ledger.all_of(step):
        if last.place > place or last.entry.back:
            continue
        if isinstance(last.entry, Waived) and last.entry.reason.strip():
            return True
        if isinstance(last.entry, Passed):
            reading = ledger.readings.get(last.entry.reading)
            mine = step not in steps or (reading is not None and reads(steps[step], reading))
            if reading is not None and not reading.struck and mine and _then(last.entry, reading):
                return True
    return False


def _then(entry: Passed, reading: Reading) -> bool:
    """Whether a reading lay in the range that was expected when it was taken; unknown where none was written."""
    return (
        entry.low is not None and entry.high is not None and entry.low <= reading.value.nominal <= entry.high
    )


def _joined_unread(job: Job, steps: dict[str, RunStep], ledger: Ledger) -> Iterator[Finding]:
    for step, last in ledger.in_host.items():
        if kind_of(step) != "join":
            continue
        module = step.partition(":")[2]
        wanted = [
            s
            for s in steps.values()
            if s.kind in ("plug_open", "plug_loaded", "no_short") and s.of.startswith(f"{module}.")
        ]
        missing = [s for s in wanted if not _read_by(ledger, steps, s.id, last.place)]
        opened = any(s.kind == "plug_open" for s in missing)
        if missing:
            lacks = (
                ""
                if opened
                else tr(" as it must be, under a load")
                if missing[-1].kind == "plug_loaded"
                else tr(" as it must be, and no short")
            )
            device = job.device(module)
            yield tell(
                "prove.joined_unread", step, {"module": device.name if device else module, "what": lacks}
            )


def _likely_burnt(job: Job, ledger: Ledger) -> Iterator[Finding]:
    """A module that stood at more than it takes, or reversed, while it was joined."""
    if any(isinstance(e, Spent) and e.fate is Fate.BURNT for _, e in ledger.entries):
        return
    for step, last in ledger.in_host.items():
        module = step.partition(":")[2]
        if kind_of(step) != "join" or not isinstance(last.entry, Done):
            continue
        for reading in job.readings:
            pin = job.terminal(reading.point)
            since = reading.when >= last.entry.when and reading.point.startswith(f"{module}.")
            if (
                reading.struck
                or not since
                or not isinstance(pin, SupplyIn)
                or pin.maximum is None
                or reading.value.unit != "V"
            ):
                continue
            if reading.value.low > pin.maximum.high or reading.value.high < -0.3:
                shown, takes = (format_quantity(x, "V") for x in (reading.value.nominal, pin.maximum.nominal))
                words = {
                    "reading": reading.id,
                    "value": shown,
                    "module": job.label(reading.point),
                    "takes": tr("{takes} at most", takes=takes),
                }
                yield tell("prove.likely_burnt", step, words)


def _unlooked(steps: dict[str, RunStep], ledger: Ledger) -> Iterator[Finding]:
    """Power, or a module, and nobody has taken the second look at the board."""
    look = steps.get("second_look:job")
    if look is None:
        return
    if ledger.done(look.id) is not None:
        return
    wired = [x.place for s, x in ledger.last.items() if kind_of(s) == "wire" and not x.entry.back]
    after = min(wired, default=len(ledger.job.record))
    powered = [x.place for s, x in ledger.last.items() if _gives_power(s) and after < x.place]
    if powered:
        yield tell("prove.unlooked", look.id, {"names": look.says.rpartition(": ")[2].rstrip(".")})


def _gives_power(step: str) -> bool:
    kind = kinds().get(kind_of(step))
    return kind_of(step) in ("on", "on_limited", "join") or (kind is not None and kind.power is Power.LIVE and kind.phase != "open"
                                                             and kind_of(step) not in ("try", "found"))  # fmt: skip


def _touched(ledger: Ledger, *, drains: bool) -> Iterator[Finding]:
    """Hands in the host while it had power, or before its reservoir was read, and nothing done about it since."""
    power, emptied = Power.USED, False
    live: Finding | None = None
    charged: Finding | None = None
    for _, entry in ledger.entries:
        kind = kinds().get(kind_of(entry.step))
        if kind is None or not isinstance(entry, Done | Passed | Waived):
            continue
        words = {"step": entry.words or entry.step}
        if (turned := TURNS.get(kind_of(entry.step))) is not None:
            power, emptied = turned, emptied and turned is Power.OFF
            live, charged = (None, charged) if turned is Power.OFF else (live, charged)
        elif kind_of(entry.step) in DRAINED:
            emptied, charged = True, None
        elif kind.power is Power.OFF and kind.lasting and not kind.outside and power is Power.LIVE:
            live = live or tell("prove.powered_hands", entry.step, words)
        elif kind.power is Power.OFF and power is Power.OFF and drains and not emptied and not kind.outside:
            charged = charged or tell("prove.unemptied", entry.step, words)
    yield from (f for f in (live, charged) if f is not None)


# -- hold points --------------------------------------------------------------------------------------------


def _passed(steps: dict[str, RunStep], ledger: Ledger) -> Iterator[Finding]:
    for step_id in ledger.last:
        step, done = steps.get(step_id), ledger.done(step_id)
        if done is None:
            continue
        words = {"step": (step.says if step is not None else done.entry.words) or step_id}
        if isinstance(done.entry, Done):
            if step is not None and step.hold is not None and step.hold.ask is not None:
                yield tell("prove.ticked", done.entry.id, words, severity=_grave(step_id))
            continue
        if isinstance(done.entry, Waived):
            if not done.entry.reason.strip():
                none = {"reading": done.entry.reading or "none", "value": "?", "range": tr("its range")}
                yield tell("prove.out_of_range", done.entry.id, words | none, severity=_grave(step_id))
            continue
        yield from _by_reading(step, done, done.entry, ledger, words)


def _grave(step: str) -> Severity:
    """How bad a hold point is that was not passed: what burns a module stops."""
    return (
        Severity.STOP
        if kind_of(step) in ("plug_open", "plug_loaded", "plug_state", "no_short", "empty")
        else Severity.FIX
    )


def _by_reading(
    step: RunStep | None, done: Last, entry: Passed, ledger: Ledger, words: dict[str, str]
) -> Iterator[Finding]:
    reading = ledger.readings.get(entry.reading)
    words = words | {"reading": entry.reading}
    if reading is None or reading.struck:
        yield tell(
            "prove.reading_gone", entry.id, words | {"how": tr("not there") if reading is None else "struck"}
        )
        return
    if step is not None and entry.mark == step.mark and not reads(step, reading):
        yield tell(
            "prove.other_reading",
            entry.id,
            words | {"how": _how_taken(ledger.job, step, reading)},
            severity=_grave(step.id),
        )
        return
    if not _then(entry, reading):
        unit = reading.value.unit
        span = tr("a range that nobody wrote") if entry.low is None or entry.high is None else (
            tr("{low} to {high}", low=format_quantity(entry.low, unit), high=format_quantity(entry.high, unit)))  # fmt: skip
        shown = words | {"value": format_quantity(reading.value.nominal, unit), "range": span}
        yield tell(
            "prove.out_of_range", entry.id, shown, severity=_grave(step.id if step is not None else "")
        )


def _how_taken(job: Job, step: RunStep, reading: Reading) -> str:
    """In what a reading differs from what its hold point asks for, in words."""
    if step.hold is None or step.hold.ask is None:
        return tr("where nothing is to be read")
    ask = step.hold.ask
    if {reading.point, reading.against} != {ask.point, ask.against}:
        return tr(
            "on {point} against {against}", point=job.label(reading.point), against=job.label(reading.against)
        )
    if reading.state != ask.state and not ask.unpowered:
        state = job.state(reading.state)
        return tr(" while “{state}”", state=state.name if state else reading.state).strip()
    if reading.function is not ask.function:
        return tr("as {function}", function=tr(reading.function.value))
    if reading.point != ask.point:
        return tr("with the probes the other way round")
    return tr("with something else across")


def _waived(found: ProveFound) -> Iterator[Finding]:
    for stand in [s for s in found.stands if s.standing is Standing.WAIVED][:MOST_TOLD]:
        yield tell("prove.waived", stand.step.id, {"step": stand.step.says, "reason": stand.why})


def _again(found: ProveFound) -> Iterator[Finding]:
    for stand in [s for s in found.stands if s.standing is Standing.AGAIN][:MOST_TOLD]:
        yield tell("prove.again", stand.step.id, {"step": stand.step.says, "why": stand.why})


def _unknown(found: ProveFound) -> Iterator[Finding]:
    for stand in [s for s in found.stands if s.open and s.step.hold is not None and s.step.hold.unknown][
        :MOST_TOLD
    ]:
        assert stand.step.hold is not None
        yield tell(
            "prove.range_unknown", stand.step.id, {"step": stand.step.says, "why": stand.step.hold.unknown}
        )


# -- what is kept, recorded, glued, closed, paid ------------------------------------------------------------


def _unkept(ledger: Ledger) -> Iterator[Finding]:
    for step_id in ledger.last:
        kind, done = kinds().get(kind_of(step_id)), ledger.done(step_id)
        if done is None or kind is None or not kind.keeps:
            continue
        kept = ledger.kept(step_id)
        if kept is None or not kept.where.strip():
            yield tell("prove.not_kept", step_id, {"what": done.entry.words or step_id})


def _mixed(job: Job, ledger: Ledger) -> Iterator[Finding]:
    """Screws of two covers in one place, unless they are said to be alike."""
    covers = {c.id: c for c in covers_of(job)}
    kept = [(covers[s.partition(":")[2]], k) for s in ledger.last if kind_of(s) == "open" and ledger.done(s) is not None
            and s.partition(":")[2] in covers and (k := ledger.kept(s)) is not None and k.where.strip()]  # fmt: skip
    for (a, one), (b, other) in combinations(kept, 2):
        alike = a.screws.strip() and a.screws.strip().lower() == b.screws.strip().lower()
        if " ".join(one.where.lower().split()) == " ".join(other.where.lower().split()) and not alike:
            yield tell(
                "prove.screws_mixed", f"open:{b.id}", {"first": a.name, "second": b.name, "where": one.where}
            )


def _sounds(job: Job, steps: dict[str, RunStep], ledger: Ledger) -> Iterator[Finding]:
    filed = {e.step for _, e in ledger.entries if getattr(e, "kind", None) is FileKind.SOUND}
    altered = ledger.first_altered
    for sound in job.work.sounds:
        step = f"sound:{sound.id}"
        done = ledger.all_of(step)
        given_up = any(isinstance(x.entry, Waived) and x.entry.reason.strip() for x in done)
        if given_up:
            continue
        if altered < len(job.record) and not any(x.place < altered for x in done):
            yield tell("prove.sound_lost", step, {"name": sound.name})
        elif done and step not in filed:
            yield tell("prove.sound_missing", step, {"name": sound.name})
    lifts = any(a.kind is Alters.LIFT for a in job.work.alterations)
    if lifts and not job.work.sounds and any(s.kind == "trigger" for s in steps.values()):
        yield tell("prove.sounds_unsaid", "")


def _glued(job: Job) -> Iterator[Finding]:
    for cover in job.work.covers:
        if cover.opens and cover.glue is Glue.INSTANT:
            yield tell("prove.glued", cover.id, {"name": cover.name})


def _closed(acts: Sequence[RunStep], ledger: Ledger) -> Iterator[Finding]:
    if not any(kind_of(step) == "close" for step in ledger.last):
        return
    graph = Graph(acts)
    for k, step in enumerate(acts):
        done = ledger.done(step.id)
        if step.kind != "close" or done is None:
            continue
        missing = [acts[d] for d in sorted(graph.needs[k]) if not any(x.place < done.place for x in ledger.all_of(acts[d].id)
                   if not x.entry.back and not looked_wrong(x.entry))]  # fmt: skip
        if missing:
            name = next((c.name for c in covers_of(ledger.job) if c.id == step.of), step.of)
            yield tell("prove.closed_unproved", step.id, {"name": name, "what": missing[0].says})


def _costs(job: Job, cost: Cost) -> Iterator[Finding]:
    spent = [e for e in job.record if isinstance(e, Spent) and not e.struck]
    burnt = [e.what for e in spent if e.amount is None and e.fate is Fate.BURNT]
    other = [e.what for e in spent if e.amount is None and e.fate is not Fate.BURNT]
    if burnt:
        yield tell("prove.burnt_uncounted", "", {"what": listed(burnt)})
    if other:
        yield tell("prove.unpriced", "", {"what": listed(other)})
    lost = tr(", {money} of it burnt", money=money(job, cost.burnt)) if cost.burnt else ""
    words = {"cost": money(job, cost.total), "burnt": lost}
    if job.work.budget is not None and cost.total > job.work.budget:
        yield tell("prove.over_budget", "", words | {"over": money(job, cost.total - job.work.budget)})
    if job.work.ready_made is not None and cost.total > job.work.ready_made:
        yield tell("prove.dearer", "", words | {"ready": money(job, job.work.ready_made)})


def _unsaid(job: Job) -> Iterator[Finding]:
    unsaid = [a.what for a in job.work.alterations if a.back is None]
    if unsaid:
        yield tell("prove.back_unsaid", "", {"what": listed(unsaid)})
