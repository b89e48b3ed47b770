"""The runbook over random plans: it begins safe, nothing needs what comes later, every supply has its hold points before its module,
everything has its way back, and a plan that is changed and changed back leaves nothing to be done again."""

from __future__ import annotations

import random
import sys
from datetime import timedelta
from functools import cache
from pathlib import Path

import pytest
from msgspec.structs import replace

sys.path.insert(0, str(Path(__file__).parent.parent / "reference"))

from test_nodal import random_job

from pigtail import edits
from pigtail.bench.walked import BEGAN, proved, right_value, take, walked
from pigtail.edits.plan import set_converter
from pigtail.edits.record import (
    carried,
    do_step,
    put_alteration,
    put_cover,
    put_sound,
    read_hold,
    strike_entry,
    take_reading,
    waive_hold,
)
from pigtail.edits.values import set_supply, set_value
from pigtail.job.document import Function, Job, SupplyClass
from pigtail.job.errors import EditError, LiveChassisError
from pigtail.job.logbook import Alteration, Alters, Cover, Done, Fate, KeptAt, Original, Passed, Spent, Waived
from pigtail.job.steps import Power, RunStep, Standing
from pigtail.model.model import Model
from pigtail.studies.findings import Severity
from pigtail.studies.prove import kinds as kinds_of_steps
from pigtail.studies.prove.kinds import kinds, meanings
from pigtail.studies.prove.ledger import kind_of
from pigtail.studies.prove.making import Maker
from pigtail.studies.prove.ordering import NeedsCircleError, matching, ordered, with_turns
from pigtail.studies.prove.plan import WorkPlan
from pigtail.studies.prove.record import tables_of
from pigtail.studies.prove.standing import turned
from pigtail.units import Basis, Known

SUPPLIES = (
    SupplyClass.MAINS_ISOLATED,
    SupplyClass.MAINS_SWITCHING,
    SupplyClass.VALVE,
    SupplyClass.ADAPTER_DC,
    SupplyClass.BATTERY,
)


@cache
def some_job(seed: int) -> Job:
    """A random plan with random work: covers, parts out, cuts, jumpers, sounds."""
    chance = random.Random(seed)
    job = set_supply(random_job(seed), SUPPLIES[seed % len(SUPPLIES)])
    for k in range(chance.randrange(3)):
        job = put_cover(job, Cover(id=f"cover_{k}", name=f"cover {k}", screws=f"{k + 2} long"))
    for k in range(chance.randrange(4)):
        kind = chance.choice(tuple(Alters))
        job = put_alteration(
            job,
            Alteration(
                id=f"thing_{k}", kind=kind, what=f"R{k}", back=chance.choice((True, False)), way_round=True
            ),
        )
    for k in range(chance.randrange(2)):
        job = put_sound(job, Original(id=f"sound_{k}", name=f"sound {k}"))
    return job


def acts_of(job: Job) -> tuple[RunStep, ...]:
    """The steps without those that turn power."""
    return Maker(WorkPlan(Model.of(job))).acts()


def all_steps(job: Job) -> tuple[RunStep, ...]:
    """All steps, those that turn power among them."""
    maker = Maker(WorkPlan(Model.of(job)))
    return with_turns(maker.acts(), maker.turns)


SEEDS = range(15)


@pytest.mark.one_of(5)
@pytest.mark.parametrize("seed", SEEDS)
def test_every_runbook_begins_safe(seed: int) -> None:
    """What may hurt is read first; before anything inside is touched it is unplugged, and read empty where it holds a charge."""
    steps = all_steps(some_job(seed))
    assert steps[0].kind == "heed"
    mode, emptied = Power.USED, False
    holds = any(s.kind in ("empty", "drain") for s in steps)
    for step in steps:
        if step.is_turn:
            drained = step.kind in ("empty", "drain")
            mode = {"unplug": Power.OFF, "use": Power.USED}.get(step.kind, mode if drained else Power.LIVE)
            emptied = drained or (emptied and step.kind != "unplug")
        elif step.power is not Power.ANY:
            assert step.power is mode, step.id
            assert step.power is not Power.OFF or step.outside or emptied or not holds, step.id
    assert holds or some_job(seed).host.supply not in SUPPLIES[:3]


@pytest.mark.one_of(5)
@pytest.mark.parametrize("seed", SEEDS)
def test_no_step_needs_what_a_later_one_makes(seed: int) -> None:
    """Neither for what must hold nor for what only comes before; and every fact is made by one step alone."""
    steps = acts_of(some_job(seed))
    made: dict[str, int] = {}
    for at, step in enumerate(steps):
        assert step.makes not in made
        made[step.makes] = at
    for at, step in enumerate(steps):
        for pattern in (*step.needs, *step.after):
            assert all(made[f] < at or f == step.makes for f in matching(pattern, made)), (step.id, pattern)


@pytest.mark.one_of(5)
@pytest.mark.parametrize("seed", SEEDS)
def test_every_supply_has_its_hold_points_before_its_module(seed: int) -> None:
    """No short, unloaded, then under a load; the second look and the inspection too; power through a limit when it comes first."""
    steps = all_steps(some_job(seed))
    order = {s.id: k for k, s in enumerate(steps)}
    joins = [s for s in steps if s.kind == "join"]
    assert joins
    for join in joins:
        pins = [s.of for s in steps if s.kind == "plug_open" and s.of.startswith(f"{join.of}.")]
        for pin in pins:
            for kind in ("no_short", "plug_open", "plug_loaded"):
                assert order[f"{kind}:{pin}"] < order[join.id]
        assert order["inspect:job"] < order[join.id]
    wires = [k for k, s in enumerate(steps) if s.kind == "wire"]
    first = next(s for s in steps[max(wires) :] if s.kind in ("on", "on_limited"))
    assert first.kind == "on_limited"


@pytest.mark.one_of(5)
@pytest.mark.parametrize("seed", SEEDS)
def test_what_comes_off_has_its_bag_and_its_way_back(seed: int) -> None:
    """Parts and screws ask where they are kept; all that is left in the host has a way back or says that it stays."""
    for step in acts_of(some_job(seed)):
        if step.kind in ("lift", "open"):
            assert step.keeps
        if step.lasting:
            assert step.back or step.stays, step.id


@pytest.mark.one_of(5)
@pytest.mark.parametrize("seed", SEEDS)
def test_undo_of_undo_is_the_runbook(seed: int) -> None:
    """Turned twice it is what it was; turned once no step takes back what a later one on the way back still rests on."""
    steps = acts_of(some_job(seed))
    assert turned(turned(steps)) == steps
    back = [s for s in turned(steps) if s.says]
    place = {s.makes: k for k, s in enumerate(back)}
    for at, step in enumerate(back):
        for pattern in step.needs:
            assert all(place[f] > at for f in matching(pattern, place) if f != step.makes), step.id


@pytest.mark.one_of(5)
@pytest.mark.parametrize("seed", range(0, 15, 3))
def test_it_can_be_walked_to_its_end_and_back(seed: int) -> None:
    """One who does just what is asked is never held up, ends at good, and takes all of it back as it was found."""
    job = some_job(seed)
    built = walked(job)
    found = proved(built)
    assert found.verdict in (Severity.GOOD, Severity.WATCH), [f.sentence for f in found.findings]
    assert not [
        f.code for f in found.findings if f.code not in ("prove.done", "prove.holds", "prove.back_unsaid")
    ]
    seen: list = []
    undone = walked(built, back=True, seen=seen)
    assert not proved(undone).back
    assert [s.step.power for s in seen if not s.step.is_turn][-1] in (Power.USED, Power.ANY)
    assert {s.step.id for s in seen if s.step.kind == "found"} == {
        s.step.id for s in found.stands if s.step.kind == "found"
    }
    assert proved(undone).verdict is Severity.WATCH


@pytest.mark.one_of(4)
@pytest.mark.parametrize("seed", range(0, 15, 4))
def test_a_plan_changed_and_changed_back_leaves_nothing_to_do_again(seed: int) -> None:
    """A part value, a colour, another converter: what rests on it is to be done again; changed back it is the same runbook."""
    chance = random.Random(seed)
    job = walked(some_job(seed), lambda s: s.step.kind == chance.choice(("join", "light", "both", "close")))
    before = proved(job)
    link = next(
        x
        for x in job.links
        if any(x.id == s.of for s in (t.step for t in before.stands) if s.kind == "network")
    )
    part = link.sections[-1].parts[0] if link.sections[-1].parts else None
    changed = edits.set_conductor(job, link.id, link.joins[0].port, colour="violet")
    if part is not None:
        value = Known.of(2.2 * part.value.nominal, part.value.unit, Basis.DOCUMENTED)
        changed = edits.set_part(changed, link.id, len(link.sections) - 1, part.name, value)
    after = proved(changed)
    again = [s for s in after.stands if s.standing is Standing.AGAIN]
    assert any(s.step.kind == "wire" for s in again)
    assert all(s.why for s in again)
    back = replace(changed, links=job.links)
    assert proved(back).stands == before.stands
    assert proved(back) == before


def test_only_what_rests_on_a_change_is_done_again(tidewell: Job) -> None:
    """Another colour for a wire of the left feed: its wire, the inspection and all after; the board, the panel and the host stay done."""
    job = walked(tidewell, lambda s: s.step.kind == "plug_open")
    changed = edits.set_conductor(job, "feed_left", "out", colour="violet")
    again = {s.step.id: s.why for s in proved(changed).stands if s.standing is Standing.AGAIN}
    assert set(again) == {"wire:feed_left:out", "inspect:job", "photo_after:job"}
    assert "white" in again["wire:feed_left:out"]
    assert again["inspect:job"].startswith("before it comes: Wire 2, violet")


def test_a_wire_that_is_no_longer_planned_is_taken_back_first(tidewell: Job) -> None:
    """Soldered, then dropped from the plan: the runbook begins with taking it off; once that is done it is gone."""
    job = walked(tidewell, lambda s: s.step.kind == "inspect")
    dropped = edits.remove_link(job, "audio_return")
    first = proved(dropped).next
    assert first is not None
    assert first.step.kind == "take_back"
    assert "Wire 11" in first.step.says
    done = take(dropped, first, BEGAN + timedelta(hours=9))
    assert done.record[-1].back
    assert all(s.step.kind != "take_back" for s in proved(done).stands)
    assert (
        proved(edits.remove_link(tidewell, "audio_return")).stands[-1].step.id
        == proved(done).stands[-1].step.id
    )


def test_a_module_that_is_joined_comes_off_before_its_supply_is_read_again(tidewell: Job) -> None:
    """A converter of another kind while the module is in: the module is taken off first, then the wire that is no longer there."""
    job = walked(tidewell, lambda s: s.step.kind == "both")
    changed = set_converter(job, "supply", "buck")
    kinds_ahead = [s.step.kind for s in proved(changed).stands if s.open and not s.step.is_turn]
    assert kinds_ahead.index("take_back") < kinds_ahead.index("no_short") < kinds_ahead.index("join")
    again = walked(changed)
    assert proved(again).verdict in (Severity.GOOD, Severity.WATCH)
    assert [kind_of(e.step) for e in again.record if isinstance(e, Done) and e.back] == ["join", "wire"]


def test_a_step_cannot_be_done_before_what_it_needs(tidewell: Job) -> None:
    """The edit names what comes first; nothing is written."""
    found = proved(tidewell)
    join = found.stand("join:rx")
    assert join is not None
    with pytest.raises(EditError, match="First: "):
        do_step(tidewell, join, BEGAN)
    wire = found.stand("wire:supply:in")
    assert wire is not None
    with pytest.raises(EditError, match="First: "):
        do_step(tidewell, wire, BEGAN)


def test_a_reading_out_of_range_passes_nothing(tidewell: Job) -> None:
    """It is logged, the hold point stays open; in range it passes; with a reason it is passed and stands there as such."""
    job = walked(tidewell, lambda s: s.step.kind == "plug_open")
    stand = proved(job).next
    assert stand is not None
    high = read_hold(job, stand, 12.1, BEGAN)
    assert len(high.readings) == len(job.readings) + 1
    assert high.record == job.record
    assert proved(high).next.step.id == stand.step.id
    right = read_hold(high, stand, 5.0, BEGAN)
    assert isinstance(right.record[-1], Passed)
    assert proved(right).next.step.kind == "plug_loaded"
    waived = waive_hold(high, stand, "read on the bench supply", BEGAN)
    told = proved(waived).stand(stand.step.id)
    assert told is not None
    assert told.standing is Standing.WAIVED
    assert told.why == "read on the bench supply"
    with pytest.raises(EditError, match="reason"):
        waive_hold(high, stand, "  ", BEGAN)


def test_a_struck_reading_opens_its_hold_point(tidewell: Job) -> None:
    """And a struck entry opens its step."""
    job = walked(tidewell, lambda s: s.step.kind == "plug_loaded")
    entry = job.record[-1]
    assert isinstance(entry, Passed)
    struck = edits.checked(
        replace(
            job, readings=tuple(replace(r, struck=r.id == entry.reading or r.struck) for r in job.readings)
        )
    )
    stand = proved(struck).stand(entry.step)
    assert stand is not None
    assert stand.standing is Standing.AGAIN
    assert proved(strike_entry(job, entry.id)).next.step.id == entry.step


def test_a_reading_that_is_taken_already_is_offered(tidewell: Job) -> None:
    """On the same probes, in the same state and in range, since what the step needs was done."""
    job = walked(tidewell, lambda s: s.step.kind == "plug_open")
    stand = proved(job).next
    later = BEGAN + timedelta(days=1)
    logged = edits.readings.log_reading(job, value=5.01, when=later, **stand.step.hold.ask.setup())
    offered = proved(logged).next
    assert offered.offer == logged.readings[-1].id
    assert proved(take_reading(logged, offered, later)).next.step.kind == "plug_loaded"
    early = edits.readings.log_reading(
        job, value=5.01, when=BEGAN - timedelta(days=1), **stand.step.hold.ask.setup()
    )
    assert not proved(early).next.offer


def test_the_record_only_grows_through_undo(tidewell: Job) -> None:
    """Taking back an edit keeps what was written since, struck."""
    job = walked(tidewell, lambda s: s.step.kind == "photo_outside")
    kept = carried(tidewell, job)
    assert [e.id for e in kept.record] == [e.id for e in job.record]
    assert all(e.struck for e in kept.record)
    assert carried(job, kept).record == job.record


def test_where_nothing_may_be_joined_there_is_no_runbook(tidewell: Job) -> None:
    """A live chassis, a supply that nobody knows, no plan: no step at all, and not good."""
    bare = replace(tidewell, links=())
    for job in (bare, replace(bare, host=replace(bare.host, supply=SupplyClass.UNKNOWN))):
        assert not proved(job).stands
        assert proved(job).verdict is Severity.UNKNOWN
    with pytest.raises(LiveChassisError):
        edits.set_supply(tidewell, SupplyClass.LIVE_CHASSIS)


def test_a_hold_point_without_a_range_is_unknown(tidewell: Job) -> None:
    """What the module takes is not known: its hold points say so, and pass only with a reason."""
    job = set_value(tidewell, "rx.supply", "maximum", None)
    found = proved(job)
    assert any(f.code == "prove.range_unknown" for f in found.findings)
    assert found.verdict is Severity.UNKNOWN
    stopped = walked(job, lambda s: s.step.kind == "plug_open")
    stand = proved(stopped).next
    assert "papers" in stand.step.hold.unknown
    assert read_hold(stopped, stand, 5.0, BEGAN).record == stopped.record


def test_the_dummy_load_draws_what_the_module_does(tidewell: Job) -> None:
    """110 mA at 4.375 V are 39.8 Ω; at 5.25 V 0.7 W of heat in 39 Ω, of which twice is the next rating: the step says so."""
    step = next(s for s in acts_of(tidewell) if s.kind == "plug_loaded")
    assert "39 Ω, 2 W" in step.says
    assert "707 mW" in step.heed or "0.71 W" in step.heed or "710 mW" in step.heed
    assert step.hold.ask.load == 39.0
    assert step.hold.ask.function is Function.DC_VOLTS


def test_needs_that_go_in_a_circle_are_told() -> None:
    """By the ids of the steps."""
    a = RunStep("a:1", "a", "1", "ready", "a", needs=("b",), makes="a")
    b = RunStep("b:1", "b", "1", "ready", "b", needs=("a",), makes="b")
    with pytest.raises(NeedsCircleError, match="a:1, b:1"):
        ordered((a, b), lambda _s: 0)


def test_a_stranger_adds_a_step_by_one_entry(
    tidewell: Job, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """An entry at the end of the table lands where its needs put it, with its words filled in."""
    for file in kinds_of_steps.DATA.iterdir():
        (tmp_path / file.name).write_bytes(file.read_bytes())
    with (tmp_path / "steps.toml").open("a", encoding="utf-8") as table:
        table.write(
            '\n[dry]\nphase = "wire"\nfor = "job"\npower = "off"\nsays = "Clean the flux off {host}."\n'
            'needs = ["wired:*"]\nmakes = "dry"\n'
        )
    monkeypatch.setattr(kinds_of_steps, "DATA", tmp_path)
    kinds.cache_clear()
    try:
        steps = acts_of(tidewell)
        at = next(k for k, s in enumerate(steps) if s.kind == "dry")
        assert steps[at].says == f"Clean the flux off {tidewell.host.name}."
        assert (
            max(k for k, s in enumerate(steps) if s.kind == "wire")
            < at
            < next(k for k, s in enumerate(steps) if s.kind == "join")
        )
    finally:
        monkeypatch.undo()
        kinds.cache_clear()


def test_every_kind_of_hold_point_has_its_meanings() -> None:
    """Each says what it means, what not to do now and where to look; each look too."""
    table = meanings()
    for key, kind in kinds().items():
        assert bool(kind.hold) + bool(kind.look) < 2, key
    assert {"reversed", "none", "high", "low", "awake", "off"} <= set(table["plug"])
    assert {"none", "high", "low", "reversed"} <= set(table["joined"])
    assert {"short", "low"} <= set(table["no_short"])
    assert {"turn", "work", "proof", "before"} <= set(table["look"])
    assert all(m.means and m.not_now and m.look for group in table.values() for m in group.values())


@pytest.mark.parametrize("seed", [1, 6])
def test_right_readings_are_those_of_the_model(seed: int) -> None:
    """What the walk reads lies in every range that it is held against."""
    for stand in proved(some_job(seed)).stands:
        hold = stand.step.hold
        if hold is not None and hold.ask is not None and not hold.unknown:
            assert hold.low <= right_value(stand) <= hold.high


def test_what_is_closed_is_opened_before_a_hand_is_inside(tidewell: Job) -> None:
    """Closed, then a wire of another colour: unplug, take the cover off, then what it holds, then the wire; and close it again."""
    job = walked(tidewell, lambda s: s.step.kind == "again")
    changed = edits.set_conductor(job, "feed_left", "out", colour="violet")
    ahead = [s.step for s in proved(changed).stands if s.open]
    assert ahead[0].kind == "unplug"
    assert (ahead[1].kind, ahead[1].of) == ("take_back", "close:bottom")
    assert [s.kind for s in ahead].index("wire") < [s.kind for s in ahead].index("close")
    assert proved(walked(changed)).verdict is Severity.GOOD


def test_the_cover_is_off_before_the_reservoir_is_read(larkmoor: Job) -> None:
    """No probe goes through a closed cover: unplugged, opened, read, then a hand inside; each time it was plugged in."""
    steps = [s for s in all_steps(larkmoor) if s.power is not Power.USED]
    kinds_in_order = [s.kind for s in steps]
    assert (
        kinds_in_order.index("unplug")
        < kinds_in_order.index("open")
        < kinds_in_order.index("empty")
        < kinds_in_order.index("photo_inside")
    )
    assert kinds_in_order.count("empty") == kinds_in_order.count("unplug")


def test_a_mains_host_of_which_no_rail_is_told_is_read_empty_all_the_same() -> None:
    """Nobody told of a rail: its largest capacitor is read."""
    job = set_supply(some_job(3), SupplyClass.MAINS_SWITCHING)
    rails = {t.id for t in job.host.terminals if type(t).__name__ == "Rail"}
    links = tuple(x for x in job.links if not any(j.terminal.partition(".")[2] in rails for j in x.joins))
    bare = replace(
        job,
        links=links,
        readings=(),
        host=replace(job.host, terminals=tuple(t for t in job.host.terminals if t.id not in rails)),
    )
    assert any(s.kind == "drain" for s in all_steps(bare))


def test_a_new_name_leaves_nothing_to_do_again(tidewell: Job) -> None:
    """Host, module, cover and states called otherwise: what was done is done."""
    job = walked(put_sound(tidewell, Original(id="bell", name="bell")), lambda s: s.step.kind == "again")
    host = replace(
        job.host, name="Other", states=tuple(replace(s, name=f"{s.name} now") for s in job.host.states)
    )
    covers = tuple(replace(c, name="the floor") for c in job.work.covers)
    work = replace(job.work, covers=covers, sounds=(Original(id="bell", name="the bell"),))
    renamed = replace(
        job, name="Other", host=host, modules=tuple(replace(m, name="Board") for m in job.modules), work=work
    )
    assert not [s.step.id for s in proved(renamed).stands if s.standing is Standing.AGAIN]


def test_what_may_hurt_at_a_reading_is_said_with_it(tidewell: Job) -> None:
    """A tap of valve gear at 250 V: clips put on with the power off."""
    job = set_supply(
        set_value(
            replace(tidewell, readings=()), "host.rail_5v", "voltage", Known.of(250.0, "V", Basis.DOCUMENTED)
        ),
        SupplyClass.VALVE,
    )
    step = next(s for s in acts_of(job) if s.id == "found:host.rail_5v")
    assert "clip the probes on with the power off" in step.heed


def test_a_reading_of_while_the_module_was_in_is_not_offered_for_its_free_plug(tidewell: Job) -> None:
    """Joined, read, taken off again: the plug is read anew."""
    job = walked(tidewell, lambda s: s.step.kind == "both")
    at = BEGAN + timedelta(days=3)
    ask = proved(job).stand("plug_open:rx.supply").step.hold.ask
    read = edits.readings.log_reading(job, value=5.0, when=at, **ask.setup())
    changed = walked(set_converter(read, "supply", "buck"), lambda s: s.step.kind == "plug_open")
    changed = replace(changed, record=tuple(
        replace(e, when=(at + timedelta(hours=1)).isoformat(timespec="seconds")) if e.step == "join:rx" and e.back else e
        for e in changed.record))  # fmt: skip
    assert not proved(changed).next.offer


def test_what_is_alive_in_some_states_only_says_so(larkmoor: Job) -> None:
    """A rail that is there while it plays only: the steps about its module say where else it is dark."""
    live = replace(larkmoor, readings=(), host=replace(larkmoor.host, terminals=tuple(
        replace(t, states=("on",)) if t.id == "rail_low" else t for t in larkmoor.host.terminals)))  # fmt: skip
    step = next(s for s in acts_of(live) if s.kind == "first_sound")
    assert "Dark and silent until “on”" in step.says
    off = next(s for s in acts_of(live) if s.kind == "plug_state")
    assert off.hold.high < 1.0
    assert "it is to be off here" in off.hold.words


@pytest.mark.one_of(10)
@pytest.mark.parametrize("seed", range(6))
def test_no_record_makes_the_study_raise(seed: int) -> None:
    """Entries of any kind, of steps that there are, were or never could be, in any order, struck or not, by readings that fit or not."""
    chance = random.Random(seed)
    job = walked(some_job(seed), lambda s: s.step.kind == chance.choice(("plug_open", "state", "again")))
    steps = [s.step.id for s in proved(job).stands] + [
        "",
        "x",
        "wire",
        "open:",
        "close:nope",
        "join:nope",
        "lift:gone",
        "unplug:",
        "on:x",
        "gone:y",
    ]
    readings = [r.id for r in job.readings]
    for _ in range(25):
        record = list(job.record)
        for _ in range(chance.randrange(12)):
            step, k = chance.choice(steps), len(record)
            mark = chance.choice(("", "on", "nowhere"))
            made = chance.choice((
                Done(id=f"z{k}", when="2026", step=step, mark=mark, back=chance.random() < 0.3, fine=chance.random() < 0.8),
                Passed(id=f"z{k}", when="2026", step=step, reading=chance.choice(readings), low=chance.choice((None, 0.0)), high=5.0, mark=mark),
                Waived(id=f"z{k}", when="", step=step, reason=chance.choice(("", "because"))),
                Spent(id=f"z{k}", when="", what="x", amount=chance.choice((None, 1.0)), fate=chance.choice(tuple(Fate))),
                KeptAt(id=f"z{k}", when="", step=step, what="x", where=chance.choice(("", "bag"))),
            ))  # fmt: skip
            record.insert(chance.randrange(len(record) + 1), replace(made, struck=chance.random() < 0.2))
        chance.shuffle(record) if chance.random() < 0.2 else None
        found = proved(edits.checked(replace(job, record=tuple(record))))
        assert not [
            f
            for f in found.findings
            if f.severity is Severity.GOOD and f.code == "prove.done" and any(s.open for s in found.stands)
        ]
        stand = found.next
        assert stand is None or not stand.blocked, (stand.step.id, stand.blocked)
        tables_of(replace(job, record=tuple(record)))
