"""Every station paints every kind of job, at any size, light and dark, without a word of complaint from Qt."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot
from tests.desktop.conftest import Bench

from pigtail import edits
from pigtail.advice.plan import propose
from pigtail.advice.remedies import schools
from pigtail.catalogue.demo import demo
from pigtail.catalogue.kinds import make_host, make_module
from pigtail.desktop import theme
from pigtail.desktop.lead import Lead
from pigtail.desktop.newjob import NewJob
from pigtail.desktop.stations import station_class
from pigtail.desktop.stations.level.station import LevelStation
from pigtail.desktop.stations.power.station import PowerStation
from pigtail.desktop.stations.returns.station import ReturnsStation
from pigtail.desktop.stations.survey.station import SurveyStation
from pigtail.desktop.wants import Answer
from pigtail.desktop.why import Why
from pigtail.edits.change import Change
from pigtail.edits.plan import drop_network, set_converter
from pigtail.edits.readings import strike_reading
from pigtail.job.document import Job, SupplyClass
from pigtail.job.file import Document
from pigtail.studies.all import study_job
from pigtail.studies.power.found import PowerFound
from pigtail.studies.register import REGISTER, Entry


def empty() -> Job:
    """A host and nothing else."""
    return edits.new_job("Empty", make_host("tape_recorder"))


def unknowing() -> Job:
    """A plan on a host of which hardly anything is known."""
    return propose(
        edits.add_module(
            edits.new_job("?", make_host("portable_radio")), make_module("wireless_receiver_5v", "m")
        ),
        "m",
    )


def sending() -> Job:
    """Sound goes out of the host into a transmitter, two channels."""
    return propose(
        edits.add_module(
            edits.new_job("Out", make_host("tape_recorder")), make_module("wireless_transmitter_5v", "m")
        ),
        "m",
    )


def live() -> Job:
    """A host that must not be touched."""
    return edits.set_supply(edits.new_job("Live", make_host("mains_radio")), SupplyClass.LIVE_CHASSIS)


def bare() -> Job:
    """The clean demo with nothing but wire in one feed, and no length known."""
    return drop_network(demo("tidewell").job, "feed_left", 0)


def hostless() -> Job:
    """A host of which no stage and no state is known."""
    from msgspec.structs import replace

    job = demo("larkmoor").job
    for link in job.links:
        job = edits.remove_link(job, link.id)
    for reading in job.readings:
        job = strike_reading(job, reading.id)
    return replace(job, host=replace(job.host, stages=()))


JOBS: dict[str, Callable[[], Job]] = {
    "flawed": lambda: demo("larkmoor").job,
    "clean": lambda: demo("tidewell").job,
    "destroying": lambda: set_converter(demo("larkmoor").job, "supply", "direct"),
    "empty": empty,
    "unknowing": unknowing,
    "sending": sending,
    "live": live,
    "bare": bare,
    "hostless": hostless,
}


@pytest.mark.one_of(3)
@pytest.mark.parametrize("name", JOBS)
def test_each_station_paints_the_job_at_any_size(name: str, qtbot: QtBot, qapp: QApplication) -> None:
    """Shown, shrunk, widened; what it shows is also said in words."""
    job = JOBS[name]()
    studies = study_job(job)
    for key in [e.key for e in REGISTER]:
        station = station_class(key)()
        qtbot.addWidget(station)
        station.show_job(job, studies)
        station.show()
        for size in ((780, 520), (520, 420), (1600, 1000)):
            station.resize(*size)
            assert not station.grab().isNull(), key
        station.show_job(job, studies)


@pytest.mark.one_of(2, 1)
@pytest.mark.parametrize("dress", [theme.LIGHT, theme.DARK], ids=["light", "dark"])
def test_stations_paint_in_both_themes(dress: theme.Theme, qtbot: QtBot, qapp: QApplication) -> None:
    """The same job, another dress: other pixels, same words."""
    theme.apply(qapp, dress)
    job = demo("larkmoor").job
    station = LevelStation()
    qtbot.addWidget(station)
    station.show_job(job, study_job(job))
    station.resize(780, 520)
    corner = station.grab().toImage().pixelColor(390, 300)
    assert (corner.lightness() > 128) is (dress is theme.LIGHT)
    theme.apply(qapp, theme.LIGHT)


def test_level_shows_the_feed_that_is_chosen(qtbot: QtBot) -> None:
    """Two feeds: the choice is offered and changes the network below."""
    job = bare()
    station = LevelStation()
    qtbot.addWidget(station)
    station.show_job(job, study_job(job))
    station.show()
    assert station.feed.isVisible()
    fields = {}
    for key in ("feed_left", "feed_right"):
        station.feed.setCurrentIndex(station.feed.findData(key))
        fields[key] = [f.objectName() for f in station.network._fields]
    assert fields == {"feed_left": [], "feed_right": ["part_0_c1", "part_0_r1"]}


def test_survey_tells_papers_from_what_counts(qtbot: QtBot) -> None:
    """On paper 24 V, read 24.1 V: both stand there, the reading counts, its source is named."""
    job = demo("larkmoor").job
    station = SurveyStation()
    qtbot.addWidget(station)
    station.show_job(job, study_job(job))
    row = next(r for r in station.rows.rows if r[0].text == "regulated rail" and r[1].text == "voltage")
    assert [c.text for c in row[2:]] == ["24 V ±3 %", "24.1 V ±195 mV", "measured", "reading r2"]


def test_survey_lists_a_value_not_known_as_such(qtbot: QtBot) -> None:
    """A question mark, the basis unknown, and what to do about it."""
    job = unknowing()
    station = SurveyStation()
    qtbot.addWidget(station)
    station.show_job(job, study_job(job))
    unknown = [r for r in station.rows.rows if r[4].text == "unknown"]
    assert unknown
    assert all(r[3].text == "?" and len(r[5].text) > 20 for r in unknown)


def test_survey_shows_the_usual_value_that_counts_where_nobody_told_one(qtbot: QtBot) -> None:
    """An input capacitance that is on no paper: typical, as it is solved with."""
    job = edits.set_value(demo("larkmoor").job, "host.record_in", "capacitance", None)
    station = SurveyStation()
    qtbot.addWidget(station)
    station.show_job(job, study_job(job))
    row = next(
        r for r in station.rows.rows if r[0].text == "record input" and r[1].text == "input capacitance"
    )
    assert row[2].text == "?"
    assert "pF" in row[3].text
    assert row[4].text == "typical"


def test_returns_drops_schools_of_a_job_that_is_past(qtbot: QtBot) -> None:
    """What was solved for the job before is not shown beside this one."""
    first, second = demo("larkmoor").job, demo("tidewell").job
    station = ReturnsStation()
    qtbot.addWidget(station)
    asked: list[Answer] = []
    station.wants.connect(asked.append)
    for job in (first, second, second):
        station.show_job(job, study_job(job))
    assert [want.arguments for want in asked] == [(first,), (second,)]
    station.show_schools(first, schools(first))
    assert station.rows.rows == ()
    station.show_schools(second, schools(second))
    assert len(station.rows.rows) == 3


def test_why_keeps_the_picked_finding_while_its_numbers_change(qtbot: QtBot) -> None:
    """One looks at the heat while one edits: it stays in view."""
    job = demo("larkmoor").job
    why = Why()
    qtbot.addWidget(why)
    why.show_study("Power", study_job(job).of(PowerFound))
    why.pick("power.overheats")
    why.show_study("Power", study_job(edits.rename(job, "x")).of(PowerFound))
    assert why._picked == ("power.overheats", "supply")


@pytest.mark.parametrize("kind", range(5))
def test_the_dialog_offers_the_values_of_each_host_kind(kind: int, qtbot: QtBot) -> None:
    """Changing the kind changes the fields; each has an accessible name and says its unit while empty."""
    dialog = NewJob()
    qtbot.addWidget(dialog)
    dialog.host_kind.setCurrentIndex(kind)
    assert dialog._lines
    for line in dialog._lines:
        assert line.entry.accessibleName()
        assert line.item.unit in line.entry.placeholderText()


def test_the_dialog_makes_the_job_it_shows(qtbot: QtBot) -> None:
    """Values usual for the kind stay typical; what was typed is documented; an emptied one is not known."""
    dialog = NewJob()
    qtbot.addWidget(dialog)
    lines = {(x.address, x.field): x.entry for x in dialog._lines}
    lines["host.record_in", "impedance"].setText("")
    lines["host.record_in", "wanted"].setText("0.3")
    dialog.supply.setCurrentIndex(dialog.supply.findData(SupplyClass.MAINS_ISOLATED))
    qtbot.mouseClick(dialog.go, Qt.MouseButton.LeftButton)
    assert dialog.made is not None
    terminal = dialog.made.terminal("host.record_in")
    assert terminal.impedance is None
    assert (terminal.wanted.nominal, terminal.wanted.basis.value) == (0.3, "documented")
    assert terminal.dc.basis.value == "typical"


def test_networks_are_found_and_used(bench: Bench) -> None:
    """Find, choose, use: the feed has the network; the next edit makes the list go."""
    bench.open_demo().run("go_level")
    found = bench.assembly.views.of("level").found
    bench.click(found.seek)
    bench.qtbot.waitUntil(lambda: found.table.isVisible() and not found.searching, timeout=60_000)
    words = found.rows.rows[0][0].text.removeprefix("● ")
    assert "candidates solved" in found.words.text()
    bench.click(found.take)
    link = bench.session.job.link("feed")
    assert link.sections[0].topology == "sum"
    assert words.startswith("sum")
    assert not found.table.isVisible()
    assert bench.verdicts()["level"] == "good"


def test_the_lead_takes_twelve_stations_on_a_small_window(qtbot: QtBot) -> None:
    """At 700 pixels of window nothing is squeezed out: each splice is a line tall, and the cable ends below the last."""
    entries = [*REGISTER, *(Entry(f"room{k}", f"Room {k}", "to come") for k in range(12 - len(REGISTER)))]
    lead = Lead(entries)
    qtbot.addWidget(lead)
    lead.resize(164, 552)
    lead.show()
    QApplication.processEvents()
    tall = [s.height() for s in lead.splices.values()]
    assert len(tall) == 12
    assert min(tall) >= 32
    last = list(lead.splices.values())[-1]
    assert last.geometry().bottom() < lead.card.geometry().top() <= 552 - 40
    lead.resize(164, 1200)
    QApplication.processEvents()
    assert {s.height() for s in lead.splices.values()} == {70}


def test_the_supply_that_needs_most_is_shown_and_others_can_be_chosen(qtbot: QtBot, mended: Job) -> None:
    """Two modules: the one whose supply is worst is on view; another is chosen, stays chosen, and its converter is changed."""
    job = propose(edits.add_module(mended, make_module("wireless_receiver_low", "second")), "second")
    (other,) = (x for x in job.links if x.at("out") == ("second.supply",))
    job = set_converter(job, other.id, "direct")
    station = PowerStation()
    qtbot.addWidget(station)
    station.show_job(job, study_job(job))
    assert station.module.count() == 2
    assert station.module.currentData() == other.id
    station.module.setCurrentIndex(1 - station.module.currentIndex())
    station.module.activated.emit(station.module.currentIndex())
    assert station.converter.currentData() == "isolated_wide"
    told: list[Change] = []
    station.edited.connect(told.append)
    station.converter.setCurrentIndex(station.converter.findData("linear"))
    station.converter.activated.emit(station.converter.currentIndex())
    after = told[0].edit(job)
    assert [s.topology for s in after.link("supply").sections] == ["linear"]  # type: ignore[union-attr]
    station.show_job(after, study_job(after))
    assert station.module.currentData() == "supply"


def test_the_strip_says_build_only_where_nothing_is_unknown(bench: Bench) -> None:
    """A host with no plan yet asks for no reading and is not ready; a job without an open question is."""
    bench.assembly.files.start(Document(edits.new_job("Empty", make_host("public_address"))), None)
    bench.settle()
    words = bench.window.strip.next_words.text()
    assert "build" not in words
    assert "Level" in words
    bench.open_demo("tidewell")
    assert "build" in bench.window.strip.next_words.text()


def test_a_value_on_paper_that_can_hardly_be_is_asked_back_once(qtbot: QtBot) -> None:
    """47 MΩ of a line input: a question with what was probably meant; typed once more it is kept."""
    job = demo("larkmoor").job
    station = SurveyStation()
    qtbot.addWidget(station)
    station.show_job(job, study_job(job))
    told: list[str] = []
    edits_made: list[object] = []
    station.refused.connect(told.append)
    station.edited.connect(edits_made.append)
    row = next(r for r in station.rows.rows if r[0].text == "record input" and r[1].text == "input impedance")
    assert row[2].edit is not None
    row[2].edit("47M")
    assert told
    assert "47 kΩ is likelier" in told[0]
    assert not edits_made
    row[2].edit("47M")
    assert len(edits_made) == 1
