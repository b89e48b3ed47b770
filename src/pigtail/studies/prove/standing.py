"""How each step stands: done, to do, or to do again and why; what must come first; the way back of what was done."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace

from pigtail.job.document import Function
from pigtail.job.logbook import Done, Passed, Waived
from pigtail.job.readings import plain, standing
from pigtail.job.steps import Power, RunStand, RunStep, Standing
from pigtail.language import tr
from pigtail.studies.prove.kinds import kinds
from pigtail.studies.prove.ledger import Last, Ledger, in_range, kind_of, looked_wrong, reads
from pigtail.studies.prove.making import Maker
from pigtail.studies.prove.ordering import Graph, with_turns

#: Why a step is to be done again, or counts as open: what it rests on is to be done, or was taken back.
BEFORE = tr("before it comes: ")
TAKEN_BACK = tr("what it rests on was taken back")


def stands_of(maker: Maker, ledger: Ledger) -> tuple[RunStand, ...]:
    """All steps of a plan as they stand, with what turns power between them."""
    acts = maker.acts()
    stood, gone = _stood(acts, ledger)
    if gone:
        stood, _ = _stood(maker.acts(gone), ledger)
    return _with_turns(stood, maker, ledger)


def _stood(acts: Sequence[RunStep], ledger: Ledger) -> tuple[list[RunStand], list[tuple[str, str]]]:
    """Acts in their order as they stand, each with what must come first; and what is in the host and must first be taken back, as the
    step that did it and words: what the plan no longer has, and what an act that is to be done stands against."""
    graph, by_id = Graph(acts), {s.id for s in acts}
    stands: list[RunStand] = []
    gone = {step: last.entry.words for step, last in ledger.in_host.items() if step not in by_id}
    for k, step in enumerate(acts):
        stand = _stand(step, ledger, [(stands[d], acts[d]) for d in sorted(graph.needs[k])])
        first = next((stands[d].step for d in sorted(graph.before[k]) if stands[d].open), None)
        if stand.open:
            blocked = tr("First: {says}", says=first.says) if first is not None else ""
            rests = [acts[d] for d in (*graph.needs[k], *graph.without[k])]
            stand = replace(stand, blocked=blocked, offer=_offer(step, rests, ledger))
            gone |= {acts[d].id: acts[d].back for d in graph.without[k] if acts[d].id in ledger.in_host}
        stands.append(stand)
    ranks = list(kinds())
    return stands, sorted(
        gone.items(), key=lambda g: -ranks.index(kind_of(g[0]))
    )  # what went in last comes out first


def _stand(step: RunStep, ledger: Ledger, needs: list[tuple[RunStand, RunStep]]) -> RunStand:
    if step.kind == "take_back":
        return RunStand(step)  # it is there only while it is to be done
    done = ledger.done(step.id)
    if done is None:
        return _by_earlier(step, ledger)
    entry = done.entry
    reading = entry.reading if isinstance(entry, Passed | Waived) else ""
    if any(s.why == TAKEN_BACK or (s.open and _taken_back(t, ledger)) for s, t in needs):
        return RunStand(step, Standing.OPEN, TAKEN_BACK)
    again = _why_again(step, done, ledger) or _why_after(done, ledger, needs)
    if again:
        return RunStand(step, Standing.AGAIN, again, entry=entry.id, reading=reading)
    passed = Standing.WAIVED if isinstance(entry, Waived) else Standing.DONE
    return RunStand(step, passed, entry=entry.id, reading=reading)


def _offer(step: RunStep, rests: list[RunStep], ledger: Ledger) -> str:
    """A reading that was taken since what the step rests on was done, or was taken out, on its own probes and in range; empty for none."""
    if step.hold is None or step.hold.ask is None:
        return ""
    since = max((ledger.last[s.id].entry.when for s in rests if s.id in ledger.last), default="")
    mine = [
        r
        for r in standing(ledger.job, step.hold.ask.point, step.hold.ask.function)
        if r.when >= since and reads(step, r)
    ]
    return mine[-1].id if since and mine and in_range(step, mine[-1]) else ""


def _taken_back(step: RunStep, ledger: Ledger) -> bool:
    last = ledger.last.get(step.id)
    return last is not None and last.entry.back


def _by_earlier(step: RunStep, ledger: Ledger) -> RunStand:
    """A point that was read before anything was altered is read as it was found."""
    looked = ledger.last.get(step.id)
    if looked is not None and not looked.entry.back and isinstance(looked.entry, Done):
        return RunStand(step, Standing.OPEN, tr("it was looked at and was not right"))
    if step.hold is None or step.hold.kind != "found" or step.hold.ask is None:
        return RunStand(step)
    ask = step.hold.ask
    before = (
        ledger.job.record[ledger.first_altered].when if ledger.first_altered < len(ledger.job.record) else ""
    )
    for reading in standing(ledger.job, ask.point, Function.DC_VOLTS):
        if (
            plain(reading)
            and reads(step, reading)
            and (not before or reading.when <= before)
            and ledger.last.get(step.id) is None
        ):
            return RunStand(
                step, Standing.DONE, tr("read before, as {id}", id=reading.id), reading=reading.id
            )
    return RunStand(step)


def _why_again(step: RunStep, done: Last, ledger: Ledger) -> str:
    """Why a step is to be done again by itself: the plan has changed, or its reading no longer holds; empty where it need not."""
    entry = done.entry
    if entry.mark != step.mark:
        return tr("the plan has changed since; then it was: {entry}", entry=entry.words)
    if isinstance(entry, Done):
        return (
            tr("it was ticked off without a reading")
            if step.hold is not None and step.hold.ask is not None
            else ""
        )
    if isinstance(entry, Waived):
        if step.hold is None and not step.files:
            return tr("it cannot be passed with a reason: it is done, or it is not")
        return "" if entry.reason.strip() else tr("no reason is written")
    return _why_not_passed(step, entry, ledger)


def _why_not_passed(step: RunStep, entry: Passed, ledger: Ledger) -> str:
    """Why a reading does not pass a hold point any more; empty where it does."""
    reading = ledger.readings.get(entry.reading)
    if step.hold is None or step.hold.ask is None:
        return tr("nothing is read at it")
    if reading is None or reading.struck:
        return tr("reading {reading} was struck", reading=entry.reading)
    if not reads(step, reading):
        return tr(
            "reading {reading} was taken on other probes, in another state or with something else across",
            reading=entry.reading,
        )
    if step.hold.unknown:
        return tr("its range is not known any more: {unknown}", unknown=step.hold.unknown)
    if not in_range(step, reading) and step.hold.kind != "found":
        return tr("reading {reading} is out of what is expected now", reading=entry.reading)
    return ""


def _why_after(done: Last, ledger: Ledger, needs: list[tuple[RunStand, RunStep]]) -> str:
    """Why a step is to be done again for what it rests on: that is to be done, or was done again since."""
    for stand, step in needs:
        if stand.open:
            return stand.why if stand.why.startswith(BEFORE) else f"{BEFORE}{step.says}"
        other = ledger.done(step.id)
        if other is not None and other.place > done.place:
            return tr("this was done again since: {says}", says=step.says)
    return ""


# -- power between steps ------------------------------------------------------------------------------------


def _with_turns(stood: list[RunStand], maker: Maker, ledger: Ledger) -> tuple[RunStand, ...]:
    """Acts with what turns power between them: before the first that is open what it takes from where the host stands now, before the
    others what the order takes; those behind are done."""
    first = next((k for k, s in enumerate(stood) if s.open), len(stood))
    past, ahead = stood[:first], stood[first:]
    by_id = {s.step.id: s for s in stood}
    found = []
    for step in with_turns([s.step for s in past], maker.turns):
        found.append(by_id.get(step.id) or _turned(step, ledger, done=True))
    if not ahead:
        return tuple(found)
    coming = with_turns([s.step for s in ahead if s.open], maker.turns, ledger.mode, risky=ledger.risky)
    rest = iter(ahead)
    for step in coming:
        if step.is_turn:
            found.append(_turned(step, ledger, done=False))
            continue
        for stand in rest:  # what is done among them stays where it stands
            found.append(stand)
            if stand.step.id == step.id:
                break
    found += rest
    return _blocked_by_turns(found)


def _turned(step: RunStep, ledger: Ledger, *, done: bool) -> RunStand:
    last = ledger.done(step.id)
    entry = last.entry.id if last is not None else ""
    reading = last.entry.reading if last is not None and isinstance(last.entry, Passed | Waived) else ""
    if done:
        return RunStand(step, Standing.DONE, entry=entry, reading=reading)
    looked = ledger.last.get(step.id)
    wrong = looked is not None and looked_wrong(looked.entry)
    return RunStand(step, Standing.OPEN, tr("it was looked at and was not right") if wrong else "")


def _blocked_by_turns(found: list[RunStand]) -> tuple[RunStand, ...]:
    """A step waits for the open turns before it, and they for what is open before them."""
    told: list[RunStand] = []
    turn: RunStep | None = None
    for stand in found:
        told.append(_waiting_for(stand, turn, told))
        if stand.open and stand.step.is_turn:
            turn = stand.step
    return tuple(told)


def _waiting_for(stand: RunStand, turn: RunStep | None, before: list[RunStand]) -> RunStand:
    if not stand.open:
        return stand
    if stand.step.is_turn:
        first = next((t.step for t in before if t.open), None)
        return replace(stand, blocked=tr("First: {says}", says=first.says)) if first is not None else stand
    if not stand.blocked and turn is not None and stand.step.power is not Power.ANY:
        return replace(stand, blocked=tr("First: {says}", says=turn.says))
    return stand


# -- the way back -------------------------------------------------------------------------------------------


def turned(steps: Sequence[RunStep]) -> tuple[RunStep, ...]:
    """The runbook backwards: each step the other way round, the last first. Turned twice it is the runbook."""
    return tuple(
        replace(s, says=s.back, back=s.says, hold=s.back_hold, back_hold=s.hold, turned=not s.turned)
        for s in reversed(steps)
    )


def way_back(acts: Sequence[RunStep], maker: Maker, ledger: Ledger) -> tuple[RunStand, ...]:
    """The way back of what was done, with what turns power between; what needs no taking back is left out."""
    over = {s.makes for s in acts if ledger.done(s.id) is not None}
    done = [
        s
        for s in acts
        if s.back and s.until not in over and (ledger.done(s.id) is not None or _found_before(s, ledger))
    ]
    steps = [s for s in turned(done) if s.kind != "take_back"]
    found: list[RunStand] = []
    coming = with_turns(steps, maker.turns, ledger.mode, risky=ledger.risky)
    for step in coming:
        first = next((s.step for s in found if s.open), None)
        back = replace(step, id=f"{step.kind}:back:{step.of}", turned=True) if step.is_turn else step
        found.append(
            RunStand(back, blocked=tr("First: {says}", says=first.says) if first is not None else "")
        )
    return tuple(found)


def _found_before(step: RunStep, ledger: Ledger) -> bool:
    """Whether a point was read before the host was altered, and was not read again on the way back."""
    altered = ledger.first_altered < len(ledger.job.record)
    return altered and step.id not in ledger.last and _by_earlier(step, ledger).standing is Standing.DONE


def what_stays(acts: Sequence[RunStep], ledger: Ledger) -> tuple[str, ...]:
    """What of that which was done cannot be taken back."""
    return tuple(s.stays for s in acts if s.stays and ledger.done(s.id) is not None)
