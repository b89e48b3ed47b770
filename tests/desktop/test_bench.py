"""The bench in the real window: both schools carried to confirmed taps over the SCPI road, bench mode, a lost meter."""

from __future__ import annotations

import itertools
import socket
import threading
from collections.abc import Callable, Iterator

import pytest
from msgspec.structs import replace
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QApplication, QPushButton
from tests.desktop.conftest import Bench

from pigtail.bench.address import Address
from pigtail.bench.host import StandInHost
from pigtail.bench.server import Server
from pigtail.bench.truth import StandIn, load, shipped
from pigtail.catalogue.kinds import make_module
from pigtail.desktop import ask, theme
from pigtail.desktop.looks import set_theme
from pigtail.desktop.meterdialog import STAND_IN, MeterDialog
from pigtail.edits.change import Change
from pigtail.edits.values import add_module
from pigtail.job.document import Function, Job, Rail, SupplyClass
from pigtail.job.file import Document
from pigtail.studies.survey.found import SurveyFound
from pigtail.studies.survey.sweep import sweep
from pigtail.studies.taps.found import TapsFound
from pigtail.studies.taps.protocol import open_checks
from practising import practised


def wait_meter(bench: Bench) -> None:
    """Wait until the meter is there or told to be lost."""
    bench.qtbot.waitUntil(lambda: bench.assembly.bench.meter.idle, timeout=60_000)
    bench.settle()


def read_and_log(bench: Bench) -> None:
    """F9, wait for the value, Enter."""
    strip = bench.assembly.strip
    bench.assembly.actions["read"].trigger()
    bench.qtbot.waitUntil(lambda: bool(strip.reading.text()), timeout=60_000)
    bench.qtbot.keyClick(strip.reading, Qt.Key.Key_Return)
    bench.settle()


def follow(bench: Bench, most: int = 60) -> int:
    """Take what is asked for next until nothing is; how many readings that were."""
    asked: set[tuple] = set()  # type: ignore[type-arg]
    strip = bench.assembly.strip
    for count in range(most):
        m = strip._next
        if m is None or m.key in asked:
            return count
        asked.add(m.key)
        bench.assembly.actions["probes"].trigger()
        read_and_log(bench)
    raise AssertionError("the questions do not end")


@pytest.fixture
def chosen_stand_in(bench: Bench) -> Callable[[str], None]:
    """Choose a stand-in in the dialog, with its papers as the job."""

    def choose(name: str) -> None:
        def drive() -> None:
            dialog = QApplication.activeModalWidget()
            assert isinstance(dialog, MeterDialog)
            dialog.roads.setCurrentIndex(dialog.roads.findData(STAND_IN))
            index = next(k for k in range(dialog.stand_ins.count()) if dialog.stand_ins.itemData(k) == name)
            dialog.stand_ins.setCurrentIndex(index)
            bench.qtbot.mouseClick(dialog.use, Qt.MouseButton.LeftButton)

        QTimer.singleShot(0, drive)
        bench.assembly.actions["meter"].trigger()
        wait_meter(bench)

    return choose


@pytest.mark.long
def test_paper_first_from_an_empty_window_to_confirmed_taps(
    bench: Bench, chosen_stand_in: Callable[[str], None]
) -> None:
    """Papers of a receiver-amplifier: its inputs ring out to the chip, its standby rail is there in every state."""
    bench.assembly.show_empty()
    chosen_stand_in("brindle")
    assert bench.session.job.name == "Brindle Nine, wireless in"
    assert "PIGTAIL STAND-IN" in bench.assembly.bench.meter.words
    bench.session.edit(
        Change("add a module", lambda job: add_module(job, make_module("wireless_receiver_5v", "rx")))
    )
    bench.settle()
    bench.run("propose")
    assert bench.verdicts()["taps"] == "unknown"
    strip = bench.assembly.strip
    for _ in range(5):
        bench.assembly.actions["probes"].trigger()
        assert strip.setup() == replace(strip._next, reason="", settles="", expected=None, caution="")
        read_and_log(bench)
    bench.session.edit(Change("the rest", lambda job: practised(job, load(shipped()["brindle"])).job))
    bench.settle()
    job: Job = bench.session.job
    assert len({r.when for r in job.readings}) > 1
    assert bench.verdicts()["taps"] == "good"
    assert not open_checks(job, "host.aux_left")
    assert not open_checks(job, "host.rail_5v")
    bench.run("go_taps")
    view = bench.assembly.views.of("taps")
    bench.choose(view.wanted, "supply_permanent")
    assert view.candidate().address == "host.rail_5v"
    assert "every check" in view.marks.rows[2][3].text


def test_probe_first_from_an_empty_window_to_confirmed_taps(
    bench: Bench, chosen_stand_in: Callable[[str], None], monkeypatch: pytest.MonkeyPatch
) -> None:
    """No papers: a connector is swept, its pins are classed, and the classes become an input and a switched supply."""
    bench.assembly.show_empty()
    chosen_stand_in("pellow")
    assert follow(bench) > 16
    bench.run("go_survey")
    survey = bench.assembly.views.of("survey")
    survey.view.setCurrentIndex(4)
    kinds = [row.kind.value for row in survey.sweep._rows]
    assert kinds == [
        "permanent supply",
        "return",
        "signal at 0 V",
        "signal at 0 V",
        "switched supply",
        "logic",
        "logic",
        "signal at 0 V",
    ]
    for row in (4, 2):
        survey.sweep.table.selectRow(row)
        bench.click(bench.find(QPushButton, "accept_class"))
    job: Job = bench.session.job
    supply = job.terminal("host.j2_5")
    assert isinstance(supply, Rail)
    assert supply.states == ("playing",)
    bench.session.edit(
        Change("add a module", lambda job: add_module(job, make_module("wireless_receiver_5v", "rx")))
    )
    bench.settle()
    bench.run("propose")
    follow(bench)
    job = bench.session.job
    used = {j.terminal for x in job.links for j in x.joins}
    assert {"host.j2_3", "host.j2_5"} <= used
    assert not open_checks(job, "host.j2_3")
    assert not open_checks(job, "host.j2_5")
    assert {
        f.code
        for f in bench.session.studies.of(TapsFound).findings
        if f.subject in ("host.j2_3", "host.j2_5")
    } == {"tap.confirmed"}


@pytest.fixture
def server() -> Iterator[Server]:
    """The receiver-amplifier on the loopback address, as a meter that was there before."""
    made = Server(StandInHost(load(shipped()["brindle"])))
    thread = threading.Thread(target=made.run, daemon=True, name="stand-in")
    thread.start()
    yield made
    made.stop()
    thread.join(5)


def open_papers(bench: Bench, name: str = "brindle") -> StandIn:
    """The papers of a stand-in as the job."""
    stand_in = load(shipped()[name])
    bench.assembly.files.start(Document(stand_in.papers), None, unsaved=True)
    bench.settle()
    return stand_in


def test_a_lost_meter_is_told_and_found_again(bench: Bench, server: Server) -> None:
    """It is unplugged and plugged in again; the window says so and never waits."""
    open_papers(bench)
    strip, meter = bench.assembly.strip, bench.assembly.bench.meter
    meter.connect_to(Address("127.0.0.1", server.port))
    wait_meter(bench)
    assert strip.meter_button.text() == "Meter: there"
    for client in list(server._clients):
        client.socket.shutdown(socket.SHUT_RDWR)
    bench.choose(strip.point, "host.rail_5v").choose(strip.function, Function.DC_VOLTS)
    bench.assembly.actions["read"].trigger()
    assert bench.window.isEnabled()
    wait_meter(bench)
    assert strip.meter_button.text() == "Meter: lost"
    assert "does not answer" in bench.message()
    read_and_log(bench)
    assert strip.meter_button.text() == "Meter: there"
    assert bench.session.job.readings[-1].point == "host.rail_5v"


def test_a_meter_that_is_not_there_is_told_in_one_sentence(bench: Bench) -> None:
    """A port at which nothing listens."""
    open_papers(bench)
    with socket.create_server(("127.0.0.1", 0)) as unused:
        port = unused.getsockname()[1]
    bench.assembly.bench.meter.connect_to(Address("127.0.0.1", port))
    wait_meter(bench)
    assert "no meter answers" in bench.message()
    assert bench.assembly.strip.meter_button.text() == "Meter: lost"


def test_bench_mode_reads_and_logs_with_one_key(bench: Bench, server: Server) -> None:
    """Space reads, Space logs, the next point is announced; N goes on to another; Esc goes back."""
    open_papers(bench)
    bench.session.edit(
        Change("add a module", lambda job: add_module(job, make_module("wireless_receiver_5v", "rx")))
    )
    bench.settle()
    bench.run("propose")
    bench.assembly.bench.meter.connect_to(Address("127.0.0.1", server.port))
    wait_meter(bench)
    bench.assembly.actions["mode"].trigger()
    mode = bench.assembly.bench.mode
    bench.qtbot.waitUntil(mode.isVisible)
    assert mode.point.text() == "red on 0 V star at the reservoir"
    assert mode.against.text() == "black on both blades of its mains plug"
    assert "POWER OFF" in mode.state.text()
    assert "readings, about" in mode.round.text()
    assert mode.coming.text().startswith("then ")
    left = int(mode.round.text().split()[1])
    bench.qtbot.keyClick(mode.value, Qt.Key.Key_Space)
    bench.qtbot.waitUntil(lambda: bool(mode.value.text()), timeout=60_000)
    assert "apart from the mains" in mode.verdict.text()
    bench.qtbot.keyClick(mode.value, Qt.Key.Key_Return)
    bench.settle()
    assert bench.session.job.readings[-1].function is Function.RESISTANCE
    assert int(mode.round.text().split()[1]) == left - 1
    assert mode.value.text() == ""
    first = mode.reason.text() + mode.state.text()
    bench.qtbot.keyClick(mode.value, Qt.Key.Key_N)
    assert mode.reason.text() + mode.state.text() != first
    bench.qtbot.keyClicks(mode.value, "4.7")
    bench.qtbot.keyClick(mode.value, Qt.Key.Key_Return)
    bench.settle()
    assert bench.session.job.readings[-1].value.nominal == 4.7
    bench.qtbot.keyClick(mode, Qt.Key.Key_Escape)
    assert not mode.isVisible()


@pytest.mark.long
def test_bench_mode_can_log_by_itself(bench: Bench, server: Server) -> None:
    """With the tick it goes through every check without a key."""
    open_papers(bench)
    bench.session.edit(
        Change("add a module", lambda job: add_module(job, make_module("wireless_receiver_5v", "rx")))
    )
    bench.settle()
    bench.run("propose")
    bench.assembly.bench.meter.connect_to(Address("127.0.0.1", server.port))
    wait_meter(bench)
    bench.assembly.actions["mode"].trigger()
    mode = bench.assembly.bench.mode
    bench.qtbot.waitUntil(mode.isVisible)
    mode.auto.setChecked(True)
    bench.qtbot.waitUntil(
        lambda: mode.current() is None or len(bench.session.job.readings) >= 6, timeout=60_000
    )
    mode.auto.setChecked(False)
    mode.reject()
    bench.settle()
    assert len({r.point for r in bench.session.job.readings}) >= 2


def test_a_typed_value_is_judged_before_it_is_logged(bench: Bench) -> None:
    """Five volts on an audio input: a stop, in words, while it is still being typed."""
    open_papers(bench)
    strip = bench.assembly.strip
    bench.choose(strip.point, "host.aux_left").choose(strip.function, Function.DC_VOLTS)
    bench.qtbot.waitUntil(lambda: strip.verdict.text().startswith("expected: its own DC"))
    bench.qtbot.keyClicks(strip.reading, "5.02")
    bench.qtbot.waitUntil(lambda: "no audio input" in strip.verdict.text())
    assert not bench.session.job.readings
    bench.qtbot.keyClick(strip.reading, Qt.Key.Key_Return)
    bench.settle()
    assert bench.verdicts()["survey"] == "stop"


def test_two_readings_tell_an_output_impedance(bench: Bench) -> None:
    """Open, then with a kilohm across: the impedance stands in the table, told by both readings."""
    open_papers(bench)
    strip = bench.assembly.strip
    bench.choose(strip.point, "host.rec_left").choose(strip.function, Function.AC_VOLTS)
    strip.drive.setText("1 kHz")
    bench.type(strip.reading, "350m")
    strip.drive.setText("1 kHz")
    strip.clipped.setCurrentIndex(strip.clipped.findData("load"))
    strip.clip_value.setText("1k")
    strip.clip_value.setModified(True)
    bench.type(strip.reading, "192m")
    rows = bench.assembly.views.of("survey")
    bench.run("go_survey")
    row = next(
        r for r in rows.rows.rows if r[0].text == "record output, left" and r[1].text == "output impedance"
    )
    assert row[4].text == "measured"
    assert row[5].text == "readings r1 and r2"
    assert bench.session.studies.of(SurveyFound).job.terminal(
        "host.rec_left"
    ).impedance.nominal == pytest.approx(823, rel=0.01)


def test_readings_are_pasted_and_corrected(
    bench: Bench, answers: Callable[..., None], monkeypatch: pytest.MonkeyPatch
) -> None:
    """A table from the clipboard; one of its rows is corrected: the old stays, struck."""
    open_papers(bench)
    clipboard = QApplication.clipboard()
    clipboard.setText(
        "point\tfunction\tstate\tvalue\n12 V rail\tDC volts\ton, tuner\t12.2\nrail_5v\tdc\tstandby\t5.01\n"
    )
    bench.run("paste")
    assert [(r.point, r.state) for r in bench.session.job.readings] == [
        ("host.rail_12v", "tuner"),
        ("host.rail_5v", "standby"),
    ]
    bench.run("go_survey")
    view = bench.assembly.views.of("survey")
    view.view.setCurrentIndex(1)
    view.log_table.selectRow(0)
    monkeypatch.setattr(ask, "line", lambda *_a, **_k: "12.1")
    bench.run("correct")
    readings = bench.session.job.readings
    assert (readings[0].struck, readings[2].corrects, readings[2].value.nominal) == (True, "r1", 12.1)
    clipboard.setText("point,value\nnowhere,5\n")
    bench.run("paste")
    assert "row 2: there is no point “nowhere”" in bench.message()
    assert len(bench.session.job.readings) == 3


def test_the_strip_reads_a_current_in_series(bench: Bench) -> None:
    """With a current chosen the black probe has no second point, and the reading is logged in series; volts have both again."""
    bench.open_demo()
    strip = bench.assembly.strip
    rail = next(a for a in bench.session.job.addresses() if isinstance(bench.session.job.terminal(a), Rail))  # type: ignore[union-attr]
    bench.choose(strip.point, rail).choose(strip.function, Function.CURRENT)
    assert not strip.against.isVisible()
    assert strip.series_words.isVisible()
    assert "dead short" in strip.series_words.toolTip()
    bench.qtbot.keyClicks(strip.reading, "31 mA")
    bench.qtbot.keyClick(strip.reading, Qt.Key.Key_Return)
    bench.settle()
    assert bench.session.job is not None
    logged = bench.session.job.readings[-1]
    assert (logged.point, logged.against, logged.function) == (rail, "", Function.CURRENT)
    bench.choose(strip.function, Function.DC_VOLTS)
    assert strip.against.isVisible()
    assert not strip.series_words.isVisible()


def test_what_the_strip_says_follows_the_theme(bench: Bench) -> None:
    """Said in light, read in dark: the colour of its use in the theme that is worn, and bold only for a verdict."""
    bench.open_demo()
    strip = bench.assembly.strip
    bench.choose(strip.point, "host.rail_low").choose(strip.function, Function.DC_VOLTS)
    bench.qtbot.waitUntil(lambda: strip.verdict.text().startswith("expected"))
    for name, worn in (("light", theme.LIGHT), ("dark", theme.DARK)):
        set_theme(bench.assembly.settings, name)
        colour = strip.verdict.palette().color(strip.verdict.foregroundRole())
        assert colour == worn.color("dim")
    assert not strip.verdict.font().bold()
    bench.qtbot.keyClicks(strip.reading, "24")
    bench.qtbot.waitUntil(lambda: strip.verdict.font().bold())
    assert strip.verdict.palette().color(strip.verdict.foregroundRole()) == theme.DARK.color("good")
    set_theme(bench.assembly.settings, "light")


def test_a_slip_of_the_hand_is_asked_back_and_one_key_takes_what_was_meant(bench: Bench) -> None:
    """24 kV at a rail of 24 V: Y takes 24 V; Enter a second time keeps what was typed, and that is never good."""
    bench.open_demo()
    strip = bench.assembly.strip
    bench.choose(strip.point, "host.rail_low").choose(strip.function, Function.DC_VOLTS)
    before = len(bench.session.job.readings)
    bench.qtbot.keyClicks(strip.reading, "24k")
    bench.qtbot.keyClick(strip.reading, Qt.Key.Key_Return)
    assert "24 V is likelier" in strip.verdict.text()
    assert len(bench.session.job.readings) == before
    bench.qtbot.keyClick(strip.reading, Qt.Key.Key_Y)
    bench.settle()
    assert bench.session.job.readings[-1].value.nominal == pytest.approx(24.0)
    bench.qtbot.keyClicks(strip.reading, "24k")
    for _ in range(2):
        bench.qtbot.keyClick(strip.reading, Qt.Key.Key_Return)
    bench.settle()
    assert bench.session.job.readings[-1].value.nominal == pytest.approx(24_000.0)
    assert bench.verdicts()["survey"] in ("unknown", "stop")


def press(bench: Bench, key: Qt.Key, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
    """A key of the window, once it is the one that has the keyboard."""
    bench.window.activateWindow()
    bench.qtbot.waitUntil(bench.window.isActiveWindow)
    bench.qtbot.keyClick(QApplication.focusWidget() or bench.window, key, modifier)


def by_keys(bench: Bench, most: int = 60) -> list[tuple[int, str]]:
    """Bench mode by keys alone: Space reads, Enter logs, until nothing is asked; the readings left and the state at each."""
    press(bench, Qt.Key.Key_F8)
    mode = bench.assembly.bench.mode
    bench.qtbot.waitUntil(mode.isVisible)
    seen = []
    for _ in range(most):
        ask = mode.current()
        if ask is None or (seen and ask.key in {a for a, *_ in seen}):
            break
        seen.append((ask.key, int(mode.round.text().split()[1]), mode.state.text()))
        if ask.function is Function.LOOK:
            bench.qtbot.keyClicks(mode.value, "transformer")
        else:
            bench.qtbot.keyClick(mode.value, Qt.Key.Key_Space)
            bench.qtbot.waitUntil(lambda: bool(mode.value.text()), timeout=60_000)
        bench.qtbot.keyClick(mode.value, Qt.Key.Key_Return)
        bench.settle()
    bench.qtbot.keyClick(mode.value, Qt.Key.Key_Escape)
    bench.qtbot.waitUntil(lambda: not mode.isVisible())
    bench.settle()
    return [(left, state) for _, left, state in seen]


@pytest.mark.long
def test_paper_first_by_keys_from_an_unknown_supply_to_confirmed_taps(bench: Bench, server: Server) -> None:
    """Nobody knows how it is fed: the plate first, then unplugged; a plan; then state by state, the round in view, to the last check."""
    stand_in = load(shipped()["brindle"])
    host = stand_in.papers.host
    states = tuple(s for s in host.states if s.id in ("off", "aux"))
    terminals = tuple(replace(t, states=("aux",) if "aux" in t.states else ()) for t in host.terminals)
    unknown = replace(host, supply=SupplyClass.UNKNOWN, states=states, terminals=terminals)
    papers = replace(stand_in.papers, host=unknown)
    bench.assembly.files.start(
        Document(add_module(papers, make_module("wireless_receiver_5v", "rx"))), None, unsaved=True
    )
    bench.settle()
    bench.assembly.bench.meter.connect_to(Address("127.0.0.1", server.port))
    wait_meter(bench)
    first = by_keys(bench)
    assert "POWER OFF" in first[0][1]
    assert bench.session.job.host.supply is SupplyClass.MAINS_ISOLATED
    press(bench, Qt.Key.Key_R, Qt.KeyboardModifier.ControlModifier)
    bench.settle()
    assert bench.session.job.links
    second = by_keys(bench)
    off = ["POWER OFF" in state or "off, unplugged" in state for _, state in second]
    assert off == sorted(off, reverse=True)
    states = [state for _, state in second if "POWER OFF" not in state]
    switched = sum(now != before for before, now in itertools.pairwise(states))
    assert switched <= len(set(states))
    assert second[0][0] > second[-1][0]
    assert bench.verdicts()["taps"] == "good"


def test_probe_first_by_keys_from_nothing_to_classed_pins(bench: Bench) -> None:
    """No papers: every pin in every state, then what tells a supply from a line, with nothing but Space and Enter."""
    made = Server(StandInHost(load(shipped()["pellow"])))
    thread = threading.Thread(target=made.run, daemon=True, name="stand-in")
    thread.start()
    open_papers(bench, "pellow")
    bench.assembly.bench.meter.connect_to(Address("127.0.0.1", made.port))
    wait_meter(bench)
    taken = by_keys(bench, 80)
    assert len(taken) > 16
    assert bench.assembly.strip._next is None
    kinds = {row.kind.value for row in sweep(bench.session.job, "J2")}
    assert {"permanent supply", "switched supply", "return", "signal at 0 V"} <= kinds
    made.stop()
    thread.join(5)
