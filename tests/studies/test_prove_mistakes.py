"""Mistakes of those who prove and record, each with a clean twin, and what is offered against them. Facts of the trade, common practice."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from functools import cache

import pytest
from msgspec.structs import replace

from pigtail.advice.remedies import Trials, remedies
from pigtail.bench.walked import BEGAN, HASH, proved, take, walked
from pigtail.catalogue.demo import demo
from pigtail.edits.change import checked
from pigtail.edits.readings import log_reading
from pigtail.edits.record import (
    keep_at,
    put_alteration,
    put_cover,
    put_sound,
    read_hold,
    set_money,
    spend,
    strike_entry,
    waive_hold,
)
from pigtail.job.document import Job, Reading
from pigtail.job.logbook import (
    Alteration,
    Alters,
    AnyEntry,
    Cover,
    Done,
    Fate,
    Filed,
    FileKind,
    Glue,
    KeptAt,
    Original,
    Passed,
)
from pigtail.model.model import Model
from pigtail.studies.all import study_job
from pigtail.studies.findings import Severity
from pigtail.studies.prove.found import ProveFound
from pigtail.studies.prove.study import study_prove

LATER = BEGAN + timedelta(days=2)
STAMP = LATER.isoformat(timespec="seconds")


@cache
def until(kind: str) -> Job:
    """The quiet demo with its runbook done up to a kind of step."""
    return walked(demo("tidewell").job, lambda s: s.step.kind == kind)


@cache
def until_flawed(kind: str) -> Job:
    """The mended flawed demo, a mains host with two covers, up to a kind of step."""
    from pigtail.edits.plan import set_converter

    return walked(
        set_converter(demo("larkmoor").job, "supply", "isolated_wide"), lambda s: s.step.kind == kind
    )


@cache
def finished() -> Job:
    return walked(demo("tidewell").job)


def wrote(job: Job, *entries: AnyEntry) -> Job:
    """Entries written at the end of the record, as another program or a careless hand would."""
    first = len(job.record) + 1
    return checked(
        replace(job, record=(*job.record, *(replace(e, id=f"x{first + k}") for k, e in enumerate(entries))))
    )


def done(job: Job, step: str, **more: object) -> Done:
    stand = proved(job).stand(step)
    return Done(
        id="",
        when=STAMP,
        step=step,
        mark=stand.step.mark if stand else "",
        words=stand.step.says if stand else step,
        **more,
    )  # type: ignore[arg-type]


def without(job: Job, *kinds: str) -> Job:
    """The record without the entries of some kinds of steps, as if nobody had done them."""
    return replace(job, record=tuple(e for e in job.record if e.step.partition(":")[0] not in kinds))


def passed_by(kind: str, value: float, *, low: float = 4.86, high: float = 5.14, **changes: object) -> Job:
    """A hold point passed by a reading that was taken otherwise than it asks."""
    job = until(kind)
    stand = proved(job).next
    assert stand is not None
    assert stand.step.hold is not None
    assert stand.step.hold.ask is not None
    setup = stand.step.hold.ask.setup() | changes
    job = log_reading(job, value=value, when=LATER, **setup)
    reading: Reading = job.readings[-1]
    entry = Passed(
        id="",
        when=STAMP,
        step=stand.step.id,
        reading=reading.id,
        low=low,
        high=high,
        mark=stand.step.mark,
        words=stand.step.says,
    )
    return wrote(job, entry)


def right(kind: str) -> Job:
    """The same hold point passed as it asks."""
    job = until(kind)
    stand = proved(job).next
    assert stand is not None
    return take(job, stand, LATER)


def joined_early(*unread: str) -> Job:
    """The module joined with some of its hold points never read."""
    return without(until("joined_v"), *unread)


def lifted(where: str) -> Job:
    """A part taken out, and kept somewhere or nowhere."""
    job = put_alteration(
        demo("tidewell").job,
        Alteration(id="chip", kind=Alters.LIFT, what="U9, the old sound chip", back=True, way_round=True),
    )
    job = walked(job, lambda s: s.step.kind == "lift")
    entry = done(job, "lift:chip")
    kept = KeptAt(id="", when=STAMP, step="lift:chip", what="U9", where=where)
    return wrote(job, entry, kept) if where else wrote(job, entry)


def screws(first: str, second: str, told: tuple[str, str] = ("3 × 8 mm", "3 × 12 mm")) -> Job:
    job = put_cover(put_cover(demo("tidewell").job, Cover(id="bottom", name="the bottom", screws=told[0])), Cover(id="lid", name="the lid", screws=told[1]))  # fmt: skip
    job = walked(job, lambda s: s.step.kind == "open")
    for cover, where in (("bottom", first), ("lid", second)):
        job = wrote(
            job,
            done(job, f"open:{cover}"),
            KeptAt(id="", when=STAMP, step=f"open:{cover}", what="screws", where=where),
        )
    return job


def sounding(*, recorded: bool, filed: bool = True, reason: str = "") -> Job:
    """A board with an original sound taken out."""
    job = put_sound(demo("tidewell").job, Original(id="horn", name="the horn"))
    job = put_alteration(job, Alteration(id="board", kind=Alters.LIFT, what="the old sound board", back=True))
    job = walked(job, lambda s: s.step.kind == ("sound" if not recorded or not filed or reason else "lift"))
    if reason:
        stand = proved(job).next
        assert stand is not None
        job = waive_hold(job, stand, reason, LATER)
    elif not filed:
        job = wrote(job, done(job, "sound:horn"))
    if not recorded or reason:
        job = wrote(
            job,
            done(job, "lift:board"),
            KeptAt(id="", when=STAMP, step="lift:board", what="board", where="bag"),
        )
    elif filed:
        job = take(job, proved(job).next, LATER)  # type: ignore[arg-type]
    return job


def unlooked(*, looked: bool) -> Job:
    """The network board powered with nobody having looked at it a second time."""
    return until("plug_loaded") if looked else without(until("plug_loaded"), "second_look")


def soldered_live(*, unplugged: bool) -> Job:
    """A wire soldered while the host had power."""
    job = until("found" if not unplugged else "wire")
    job = walked(demo("tidewell").job, lambda s: s.step.kind == "try") if not unplugged else job
    return wrote(job, done(job, "wire:supply:in"))


def unemptied(*, read: bool) -> Job:
    """Hands in a mains host whose reservoir nobody read."""
    job = until_flawed("found")
    return job if read else without(job, "empty")


def glued(glue: Glue, *, opens: bool = True) -> Job:
    return put_cover(
        demo("tidewell").job, Cover(id="bottom", name="the bottom cover", screws="5", glue=glue, opens=opens)
    )


def closed(*, proved_open: bool) -> Job:
    if proved_open:
        return until("again")
    job = until("state")
    return wrote(job, done(job, "close:bottom"))


def paid(
    *spent: tuple[str, float | None, Fate], budget: float | None = None, ready: float | None = None
) -> Job:
    job = set_money(finished(), budget=budget, ready_made=ready)
    for what, amount, fate in spent:
        job = spend(job, what, amount, LATER, fate=fate)
    return job


def burnt_at_plug(volts: float) -> Job:
    """The joined module's pin read at some volts."""
    job = until("light" if False else "lock")
    return log_reading(
        job, value=volts, when=LATER, **proved(job).stand("joined_v:rx.supply").step.hold.ask.setup()
    )  # type: ignore[union-attr]


def ticked(*, read: bool) -> Job:
    job = until("plug_open")
    return right("plug_open") if read else wrote(job, done(job, "plug_open:rx.supply"))


def struck_under(*, stands: bool) -> Job:
    job = until("plug_loaded")
    entry = next(e for e in reversed(job.record) if isinstance(e, Passed))
    if stands:
        return job
    return replace(
        job, readings=tuple(replace(r, struck=True) if r.id == entry.reading else r for r in job.readings)
    )


def alteration(back: bool | None) -> Job:
    return put_alteration(
        demo("tidewell").job, Alteration(id="cut", kind=Alters.CUT, what="the track to R9", back=back)
    )


def triggered(*, named: bool) -> Job:
    """A sound board in place of the old one, its sounds named or not."""
    from pigtail.catalogue.kinds import make_module
    from pigtail.edits.control import add_control
    from pigtail.edits.host import add_point
    from pigtail.edits.plan import put_supply
    from pigtail.edits.values import add_module
    from pigtail.job.control import Switch, SwitchKind
    from pigtail.job.document import Pin

    job = add_module(demo("tidewell").job, make_module("sound_board_4", "snd"))
    for point in ("button", "ground"):
        job = add_point(job, Pin(id=point, name=f"{point} contact", return_to="star"))
    press = Switch(id="press", name="button", kind=SwitchKind.BUTTON, common="button", ways=("ground",))
    job = replace(job, host=replace(job.host, switches=(press,)))
    job = put_supply(job, "snd.supply", "host.rail_5v", ("direct",))
    job = add_control(job, "wire", "host.button", "snd.one", "First sound")
    job = put_alteration(job, Alteration(id="old", kind=Alters.LIFT, what="the old sound board", back=True))
    return put_sound(job, Original(id="one", name="the first sound")) if named else job


#: What is done wrong: its code, how bad it is, the job of the careless one, that of the careful one.
MISTAKES: dict[str, tuple[str, Severity, Callable[[], Job], Callable[[], Job]]] = {
    "joined, supply never read": ("joined_unread", Severity.STOP, lambda: joined_early("plug_open", "plug_loaded"), lambda: until("joined_v")),
    "joined, read unloaded only": ("joined_unread", Severity.STOP, lambda: joined_early("plug_loaded"), lambda: until("joined_v")),
    "joined, never tried for a short": ("joined_unread", Severity.STOP, lambda: joined_early("no_short"), lambda: until("joined_v")),
    "joined, supply read on the rail": (
        "other_reading", Severity.STOP, lambda: passed_by("plug_open", 5.0, point="host.rail_5v", against="host.star"), lambda: right("plug_open")),
    "supply read while it is off": ("other_reading", Severity.STOP, lambda: passed_by("plug_open", 5.0, state="off"), lambda: right("plug_open")),
    "probes the other way round": ("other_reading", Severity.STOP, lambda: passed_by(
        "plug_open", 5.0, point="rx.supply_return", against="rx.supply"), lambda: right("plug_open")),
    "loaded hold point read unloaded": ("other_reading", Severity.STOP, lambda: passed_by("plug_loaded", 5.0, load=None), lambda: right("plug_loaded")),
    "dummy load of a hundredth": ("other_reading", Severity.STOP, lambda: passed_by("plug_loaded", 5.0, load=3900.0), lambda: right("plug_loaded")),
    "tap read in the other channel": (
        "other_reading", Severity.FIX, lambda: passed_by("tap_dc", 0.0, low=-0.01, high=0.01, point="host.line_right"), lambda: right("tap_dc")),
    "short read as volts": ("other_reading", Severity.STOP, lambda: passed_by("plug_open", 12.0, low=4.86, high=20.0, point="host.rail_5v",
                            against="host.star"), lambda: right("plug_open")),
    "raw rail waved through": ("out_of_range", Severity.STOP, lambda: passed_by("plug_open", 12.1), lambda: right("plug_open")),
    "reversed waved through": ("out_of_range", Severity.STOP, lambda: passed_by("plug_open", -5.0), lambda: right("plug_open")),
    "nothing there waved through": ("out_of_range", Severity.STOP, lambda: passed_by("plug_open", 0.01), lambda: right("plug_open")),
    "short waved through": ("out_of_range", Severity.STOP, lambda: passed_by("no_short", 3.0, low=1000.0, high=1e12), lambda: right("no_short")),
    "DC at the tap waved through": ("out_of_range", Severity.FIX, lambda: passed_by("tap_dc", 1.3, low=-0.01, high=0.01), lambda: right("tap_dc")),
    "passed with a range of nobody": (
        "out_of_range", Severity.STOP, lambda: passed_by("plug_open", 5.0, low=None, high=None), lambda: right("plug_open")),  # type: ignore[arg-type]
    "ticked off without a reading": ("ticked", Severity.STOP, lambda: ticked(read=False), lambda: ticked(read=True)),
    "reading struck afterwards": ("reading_gone", Severity.FIX, lambda: struck_under(stands=False), lambda: struck_under(stands=True)),
    "part out and not kept": ("not_kept", Severity.FIX, lambda: lifted(""), lambda: lifted("bag U9, taped inside the lid")),
    "part out, kept in a blank": ("not_kept", Severity.FIX, lambda: wrote(lifted(""), KeptAt(
        id="", when=STAMP, step="lift:chip", what="U9", where="  ")), lambda: keep_at(lifted(""), "lift:chip", "U9", "bag U9", LATER)),
    "screws of two covers in one bag": ("screws_mixed", Severity.FIX, lambda: screws("the tin", " The  tin"), lambda: screws("bag 1", "bag 2")),
    "screws nobody told apart": ("screws_mixed", Severity.FIX, lambda: screws("tin", "tin", ("", "")), lambda: screws("tin", "tin", ("5 black", "5 black"))),
    "sound not recorded before the board is out": ("sound_lost", Severity.FIX, lambda: sounding(recorded=False), lambda: sounding(recorded=True)),
    "sound ticked off, no recording": ("sound_missing", Severity.FIX, lambda: sounding(recorded=True, filed=False), lambda: sounding(
        recorded=True, reason="it is broken already")),
    "sounds not even named": ("sounds_unsaid", Severity.WATCH, lambda: triggered(named=False), lambda: triggered(named=True)),
    "no second look": ("unlooked", Severity.STOP, lambda: unlooked(looked=False), lambda: unlooked(looked=True)),
    "soldered with power on": ("powered_hands", Severity.STOP, lambda: soldered_live(unplugged=False), lambda: soldered_live(unplugged=True)),
    "reservoir not read": ("unemptied", Severity.STOP, lambda: unemptied(read=False), lambda: unemptied(read=True)),
    "instant glue on a cover that opens": ("glued", Severity.FIX, lambda: glued(Glue.INSTANT), lambda: glued(Glue.RUBBERY)),
    "instant glue where it may": ("glued", Severity.FIX, lambda: glued(Glue.INSTANT), lambda: glued(Glue.INSTANT, opens=False)),
    "closed before it was proved": ("closed_unproved", Severity.FIX, lambda: closed(proved_open=False), lambda: closed(proved_open=True)),
    "burnt board left out of the cost": ("burnt_uncounted", Severity.FIX, lambda: paid(("receiver", None, Fate.BURNT), ("receiver", 12.0, Fate.USED)),
                                         lambda: paid(("receiver", 12.0, Fate.BURNT), ("receiver", 12.0, Fate.USED))),
    "a price not known": ("unpriced", Severity.WATCH, lambda: paid(("plug", None, Fate.USED)), lambda: paid(("plug", 0.0, Fate.USED))),
    "budget holds only without what burnt": ("over_budget", Severity.WATCH, lambda: paid(
        ("receiver", 12.0, Fate.BURNT), ("receiver", 12.0, Fate.USED), budget=20.0), lambda: paid(("receiver", 12.0, Fate.USED), budget=20.0)),
    "dearer than ready made": ("dearer", Severity.WATCH, lambda: paid(("parts", 80.0, Fate.USED), ready=79.0), lambda: paid(
        ("parts", 78.0, Fate.USED), ready=79.0)),
    "too much at the joined pin": ("likely_burnt", Severity.FIX, lambda: burnt_at_plug(12.0), lambda: burnt_at_plug(5.02)),
    "reversed at the joined pin": ("likely_burnt", Severity.FIX, lambda: burnt_at_plug(-5.0), lambda: burnt_at_plug(4.95)),
    "not said whether it can be undone": ("back_unsaid", Severity.WATCH, lambda: alteration(None), lambda: alteration(False)),
}  # fmt: skip


def codes(job: Job) -> dict[str, Severity]:
    return {f.code.removeprefix("prove."): f.severity for f in study_prove(Model.of(job)).findings}


@pytest.mark.one_of(6)
@pytest.mark.parametrize("mistake", MISTAKES)
def test_a_mistake_is_caught(mistake: str) -> None:
    """By its code and as bad as it is."""
    code, severity, wrong, _ = MISTAKES[mistake]
    assert codes(wrong()).get(code) is severity, codes(wrong())


@pytest.mark.one_of(4)
@pytest.mark.parametrize("mistake", MISTAKES)
def test_its_clean_twin_is_not(mistake: str) -> None:
    """Nor is anything else said of it that stops or needs a fix."""
    code, _, _, clean = MISTAKES[mistake]
    found = codes(clean())
    assert code not in found
    own = {"joined_unread", "unlooked"}
    assert not [c for c, s in found.items() if s in (Severity.STOP, Severity.FIX) and c not in own]


@pytest.mark.one_of(12)
@pytest.mark.parametrize("mistake", MISTAKES)
def test_its_remedies_mend_it(mistake: str) -> None:
    """Each that is offered is applied and studied again: the finding is gone, and nothing is worse."""
    code, _, wrong, _ = MISTAKES[mistake]
    job = wrong()
    before = study_job(job)
    finding = next(f for f in before.findings if f.code == f"prove.{code}")
    for remedy in remedies(Trials(job, before), before.of(ProveFound), finding):
        after = codes(remedy.edit(job))
        assert code not in after
        bad = (Severity.STOP, Severity.FIX)
        assert not {c for c, s in after.items() if s in bad} - {c for c, s in codes(job).items() if s in bad}


def test_what_is_glued_or_waved_through_has_a_remedy() -> None:
    """The rubbery kind; the entry struck, so that the hold point is open again."""
    for mistake, words in (
        ("instant glue on a cover that opens", "rubbery"),
        ("raw rail waved through", "strike"),
        ("ticked off without a reading", "strike"),
    ):
        code, _, wrong, _ = MISTAKES[mistake]
        job = wrong()
        before = study_job(job)
        finding = next(f for f in before.findings if f.code == f"prove.{code}")
        assert words in remedies(Trials(job, before), before.of(ProveFound), finding)[0].label


def test_a_module_taken_off_again_is_no_longer_joined_unread() -> None:
    """The plug pulled: what was said of it is gone, and the plug is read next."""
    job = joined_early("plug_open", "plug_loaded")
    assert "joined_unread" in codes(job)
    off = wrote(job, done(job, "join:rx", back=True))
    assert "joined_unread" not in codes(off)


def test_read_after_it_was_joined_is_still_joined_unread() -> None:
    """A reading that comes after the module does not make it right."""
    job = joined_early("plug_open")
    entry = next(e for e in until("joined_v").record if e.step.startswith("plug_open"))
    assert "joined_unread" in codes(wrote(job, entry))


def test_a_reason_stays_on_the_record() -> None:
    """Passed with it, the step is watched, never good, and its words are told."""
    job = until("plug_open")
    stand = proved(job).next
    assert stand is not None
    waived = waive_hold(
        read_hold(job, stand, 5.2, LATER), stand, "the module takes 5.25 V by its papers", LATER
    )
    told = [f for f in proved(waived).findings if f.code == "prove.waived"]
    assert "5.25 V by its papers" in told[0].sentence
    assert told[0].severity is Severity.WATCH
    assert "out_of_range" not in codes(waived)


def test_a_struck_entry_does_not_count() -> None:
    """Neither as done nor as a mistake."""
    job = passed_by("plug_open", 12.1)
    assert "out_of_range" not in codes(strike_entry(job, job.record[-1].id))


def test_a_filed_recording_counts_for_its_own_sound_alone() -> None:
    """Two sounds, one recording."""
    job = put_sound(
        put_sound(demo("tidewell").job, Original(id="horn", name="horn")), Original(id="bell", name="bell")
    )
    job = walked(job, lambda s: s.step.kind == "open")
    one = replace(job, record=tuple(e for e in job.record if not (isinstance(e, Filed) and e.what == "bell")))
    assert "sound_missing" in codes(one)
    assert "sound_missing" not in codes(job)
    again = wrote(
        one,
        Filed(
            id="",
            when=STAMP,
            step="sound:bell",
            kind=FileKind.SOUND,
            file="bell.wav",
            sha256=HASH,
            what="bell",
        ),
    )
    assert "sound_missing" not in codes(again)
