"""The Power station and the sources in Survey, driven as a person does."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise

import pytest
from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QPushButton
from pytestqt.qtbot import QtBot

from conftest import Bench
from pigtail.desktop import ask
from pigtail.desktop.fields import ValueField
from pigtail.desktop.stations.options import told_of
from pigtail.desktop.stations.power.bars import bars_of
from pigtail.desktop.stations.power.found import SupplyFound
from pigtail.desktop.stations.power.river import steps_of
from pigtail.desktop.stations.power.station import PowerStation
from pigtail.desktop.stations.survey.sources import SourcesTable
from pigtail.edits.change import Change
from pigtail.job.document import Job
from pigtail.job.energy import Chemistry, Earthed, KeptBy
from pigtail.job.file import Document
from pigtail.studies.all import study_job
from pigtail.studies.power.found import PowerFound
from supplying import battery_job, rail_job, volts, winding_job


def shown(qtbot: QtBot, job: Job) -> PowerStation:
    """The station with a job on view."""
    station = PowerStation()
    qtbot.addWidget(station)
    station.resize(790, 560)
    station.show_job(job, study_job(job))
    station.show()
    return station


def test_a_winding_shows_its_way_its_period_and_its_reservoir(qtbot: QtBot) -> None:
    """Winding, rectifier, regulator and module in a row; the valley is told; C1 stands in the drawing."""
    job = winding_job()
    station = shown(qtbot, job)
    names = [s.name for s in station.picture.steps]
    assert names[0] == "heater winding"
    assert len(names) == 4
    assert "valley" in station.course.accessibleName()
    assert not station.course.isHidden()
    assert station.findChild(ValueField, "part_0_c1") is not None
    assert station.rail.currentData() == "ac"
    assert station.rectifier.currentData() == "half_wave_schottky"
    assert station.converter.currentData() == "ldo"
    assert "module on" in station.strip.accessibleName()


def test_what_is_chosen_becomes_an_edit(qtbot: QtBot) -> None:
    """Another rectifier keeps the converter, another converter the rectifier."""
    job = winding_job()
    station = shown(qtbot, job)
    told: list[Change] = []
    station.edited.connect(told.append)
    station.rectifier.setCurrentIndex(station.rectifier.findData("doubler"))
    station.rectifier.activated.emit(station.rectifier.currentIndex())
    station.converter.setCurrentIndex(station.converter.findData("buck"))
    station.converter.activated.emit(station.converter.currentIndex())
    keys = [[s.topology for s in c.edit(job).link("supply").sections] for c in told]  # type: ignore[union-attr]
    assert keys == [["doubler", "ldo"], ["half_wave_schottky", "buck"]]


def test_a_fuse_is_added_before_the_converter_and_taken_out_again(qtbot: QtBot) -> None:
    """By the menu: behind the rectifier, before the regulator; a filter at the module's end."""
    job = winding_job()
    station = shown(qtbot, job)
    told: list[Change] = []
    station.edited.connect(told.append)

    def press(text: str) -> Job:
        station.menu.aboutToShow.emit()
        next(a for a in station.menu.actions() if a.text() == text).trigger()
        return told[-1].edit(job)

    def keys(of: Job) -> list[str]:
        link = of.link("supply")
        assert link is not None
        return [s.topology for s in link.sections]

    assert keys(press("Ferrite bead and reservoir at the module")) == [
        "half_wave_schottky",
        "ldo",
        "supply_bead",
    ]
    fused = press("Fuse, slow")
    assert keys(fused) == ["half_wave_schottky", "supply_fuse", "ldo"]
    station.show_job(fused, study_job(fused))
    job = fused
    assert keys(press("Take out: fuse, slow")) == ["half_wave_schottky", "ldo"]


@pytest.mark.parametrize(("make", "words"), [(battery_job, "Discharge of cell"), (rail_job, "")])
def test_a_battery_shows_its_discharge_and_a_rail_neither(
    qtbot: QtBot, make: Callable[[], Job], words: str
) -> None:
    """The middle is what there is to show."""
    station = shown(qtbot, make())
    assert station.course.accessibleName() == words
    assert station.course.isHidden() is not bool(words)


def test_what_goes_in_comes_out_as_heat_or_at_the_module() -> None:
    """Each step passes on what it gets less its heat."""
    job = winding_job()
    (supply,) = study_job(job).of(PowerFound).supplies
    steps = steps_of(job, supply)
    for before, after in pairwise(steps):
        assert before.passes == pytest.approx(after.passes + after.heat)
    assert {b.words for b in bars_of(job, supply)} >= {
        "module's pins",
        "converter's junction",
        "heater winding, r.m.s.",
    }


def test_the_reservoir_is_turned_in_the_drawing(bench: Bench, qtbot: QtBot) -> None:
    """A notch up on C1: the job holds more, and the course on view has a shallower valley."""
    bench.assembly.files.start(Document(winding_job()), None, unsaved=True)
    bench.settle()
    bench.assembly.views.go("power")
    bench.settle()
    field = bench.find(ValueField, "part_0_c1")
    station = bench.window.findChild(PowerStation)
    assert station is not None
    assert station._supply is not None
    before = station._supply.numbers["ripple_v"].value
    field.setFocus()
    qtbot.keyClick(field, Qt.Key.Key_Up)
    bench.settle()
    assert bench.session.job is not None
    link = bench.session.job.link("supply")
    assert link is not None
    c1 = next(p.value.nominal for p in link.sections[0].parts if p.name == "c1")
    assert c1 > 2.2e-3
    after = station._supply.numbers["ripple_v"].value
    assert before is not None
    assert after is not None
    assert after < before


def test_a_search_offers_supplies_and_one_is_used(bench: Bench, qtbot: QtBot) -> None:
    """A 5 V rail and a module that takes it: direct is found, chosen and put into the plan."""
    bench.assembly.files.start(Document(rail_job("buck", "5 V ±1 %")), None, unsaved=True)
    bench.settle()
    bench.assembly.views.go("power")
    bench.settle()
    found = bench.window.findChild(SupplyFound)
    assert found is not None
    qtbot.mouseClick(bench.find(QPushButton, "find_supplies"), Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not found.searching, timeout=60_000)
    assert found.rows.rows
    assert "direct" in found.rows.rows[0][0].text.lower()
    first = replace(found._found.options[0], unknown=("the current of the rail",))  # type: ignore[union-attr]
    assert "Not known: the current of the rail." in told_of(first, "")
    qtbot.mouseClick(found.take, Qt.MouseButton.LeftButton)
    bench.settle()
    assert bench.session.job is not None
    assert [s.topology for s in bench.session.job.link("supply").sections] == ["direct"]  # type: ignore[union-attr]


def sources(qtbot: QtBot, job: Job) -> tuple[SourcesTable, list[Change], list[str]]:
    """The sources of a job, with what they emit."""
    page = SourcesTable()
    qtbot.addWidget(page)
    page.show_job(job)
    edited: list[Change] = []
    refused: list[str] = []
    page.edited.connect(edited.append)
    page.refused.connect(refused.append)
    return page, edited, refused


def typed(page: SourcesTable, words: str, text: str) -> None:
    """Type over the value of a row."""
    row = next(r for r in page.rows.rows if r[1].text == words)
    assert row[2].edit is not None
    row[2].edit(text)


def test_what_feeds_a_host_is_typed_in_place(qtbot: QtBot) -> None:
    """The earthed end, volts, what the cell is made of, its cells, what keeps a rail, a marking."""
    job = winding_job(earthed=Earthed.UNKNOWN)
    page, edited, refused = sources(qtbot, job)
    typed(page, "end that the host earths", "other end")
    typed(page, "volts with nothing drawn", "7.1 V ±2 %")
    typed(page, "marking behind it", "78M05")
    assert [c.edit(job) != job for c in edited] == [True] * 3
    assert edited[0].edit(job).host.windings[0].earthed is Earthed.SECOND
    typed(page, "end that the host earths", "left")
    typed(page, "volts with nothing drawn", "much")
    assert len(refused) == 2
    assert all(x.endswith((".", "?")) or "write" in x for x in refused)


def test_a_battery_and_a_rail_are_told(qtbot: QtBot) -> None:
    """Chemistry by its beginning, cells as 2s1p, protection yes or no, hours of a day, kept by."""
    job = battery_job()
    page, edited, _ = sources(qtbot, job)
    typed(page, "made of", "nickel")
    typed(page, "cells in series and parallel", "2s3p")
    typed(page, "has a protection", "no")
    typed(page, "hours while “on”", "1.5")
    typed(page, "kept by", "linear")
    made = [c.edit(job) for c in edited]
    assert made[0].host.batteries[0].chemistry is Chemistry.NICKEL
    assert (made[1].host.batteries[0].series, made[1].host.batteries[0].parallel) == (2, 3)
    assert made[2].host.batteries[0].protected is False
    assert {h.state: h.hours for h in made[3].day}["on"] == 1.5
    assert made[4].host.terminals[1].kept is KeptBy.LINEAR  # type: ignore[union-attr]


def test_windings_and_batteries_are_added_and_removed(qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    """A winding brings its two ends, a tapped one three; what is used is not removed."""
    job = rail_job()
    page, edited, refused = sources(qtbot, job)
    monkeypatch.setattr(ask, "line", lambda *_: "Heater winding")
    for name in ("add_winding", "add_tapped"):
        button = page.findChild(QPushButton, name)
        assert button is not None
        button.click()
    plain, tapped = (c.edit(job) for c in edited)
    assert len(plain.host.terminals) == len(job.host.terminals) + 2
    assert len(tapped.host.terminals) == len(job.host.terminals) + 3
    assert page.findChild(QPushButton, "add_battery") is not None
    page.table.selectRow(0)
    page.findChild(QPushButton, "add_battery").click()  # type: ignore[union-attr]
    assert len(edited[-1].edit(job).host.batteries) == 1
    page.show_job(plain)
    page.table.selectRow(0)
    page.findChild(QPushButton, "remove_source").click()  # type: ignore[union-attr]
    assert edited[-1].edit(plain).host == job.host
    assert not refused
    page.table.clearSelection()
    page.table.setCurrentIndex(page.rows.index(-1, -1))


def test_the_survey_lists_the_sources(bench: Bench) -> None:
    """The page is there in the window."""
    bench.assembly.files.start(Document(winding_job()), None, unsaved=True)
    bench.settle()
    bench.assembly.views.go("survey")
    bench.settle()
    view = bench.find(QComboBox, "survey_view")
    view.setCurrentIndex(view.findText("windings, batteries, rails"))
    page = bench.window.findChild(SourcesTable)
    assert page is not None
    assert page.isVisible()
    assert page.rows.rows


def test_a_second_rail_is_added_from_the_menu_and_shown(bench: Bench) -> None:
    """The river names both rails and the diodes, the bars what each gives in the other state; taken out again it is gone."""
    job = rail_job(
        "direct", "5.5 V ±1 %", states=("on",), pin={"minimum": volts("4.2 V"), "maximum": volts("5.6 V")}
    )
    rail = next(t for t in job.host.terminals if t.id == "rail")
    second = replace(rail, id="second", name="standby", states=("off", "on"), voltage=volts("5 V ±1 %"))
    job = replace(job, host=replace(job.host, terminals=(*job.host.terminals, second)))
    bench.assembly.files.start(Document(job), None, unsaved=True)
    bench.settle()
    bench.assembly.views.go("power")
    station = bench.window.findChild(PowerStation)
    assert station is not None

    def choose(start: str) -> None:
        station.menu.aboutToShow.emit()
        next(a for a in station.menu.actions() if a.text().startswith(start)).trigger()
        bench.settle()

    choose("Second rail by diodes: ")
    assert bench.session.job is not None
    assert bench.session.job.links[0].starts == ("host.rail", "host.second")
    assert "standby" in station.picture.steps[0].name
    assert station.picture.steps[1].name == "two diodes"
    assert any("while “off”" in b.words for b in station.bars.bars)
    assert "V at" in station.strip.cells[0][4]
    assert station.strip.cells[0][1]
    choose("Take out: two rails")
    assert bench.session.job.links[0].starts == ("host.rail",)


def test_heat_is_told_at_three_heights_of_the_mains(qtbot: QtBot) -> None:
    """A linear regulator behind a rectifier: hotter the higher the mains; one that chops has none of it."""
    station = shown(qtbot, winding_job("bridge", "linear_large", open_v="12 V", earthed=Earthed.NONE))
    (junction,) = [b for b in station.bars.bars if b.words.startswith("converter's junction")]
    assert [name for name, _ in junction.heights] == ["low", "nominal", "high"]
    low, nominal, high = (at for _, at in junction.heights)
    assert low < nominal < high
    assert "at high mains" in station.bars.accessibleName()
    chopped = shown(qtbot, winding_job("bridge", "buck", open_v="12 V", earthed=Earthed.NONE))
    assert not [b for b in chopped.bars.bars if b.heights]


def test_what_is_told_besides_is_typed_in_place(qtbot: QtBot) -> None:
    """What a module draws while it searches, its capacitors, what a rail can give in a state, what the host needs of it."""
    page, edited, refused = sources(qtbot, rail_job())
    for words, text in (
        ("current while searching", "180 mA"),
        ("capacitance on its board", "470 µF"),
        ("what it can give while “off”", "60 mA"),
        ("the least that the host needs", "4.5 V"),
    ):
        typed(page, words, text)
    pin = edited[0].edit(rail_job()).terminal("rx.supply")
    assert pin.searching.nominal == pytest.approx(0.18)  # type: ignore[union-attr]
    rail = edited[2].edit(rail_job()).terminal("host.rail")
    assert rail.in_state("off").limit.nominal == pytest.approx(0.06)  # type: ignore[union-attr]
    typed(page, "capacitance on its board", "much")
    assert len(refused) == 1
