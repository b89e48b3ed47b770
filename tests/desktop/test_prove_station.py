"""Prove through the real window: three journeys from a plan to a closed record, each with a hold point that fails on the way."""

from __future__ import annotations

import wave
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QApplication, QPushButton
from tests.desktop.conftest import Bench

from pigtail.bench.truth import StandIn, encode
from pigtail.bench.walked import right_value, walked
from pigtail.catalogue.demo import demo
from pigtail.catalogue.kinds import make_host, make_module
from pigtail.desktop.runmode import RunMode
from pigtail.desktop.steppanel import StepPanel
from pigtail.edits.build import put_fitting, set_panel
from pigtail.edits.control import add_control
from pigtail.edits.host import add_point
from pigtail.edits.plan import put_supply, set_converter
from pigtail.edits.record import put_alteration, put_cover, put_sound, set_money
from pigtail.edits.values import add_module, new_job, set_value
from pigtail.job.build import Fitting, Panel
from pigtail.job.control import Stand, Switch, SwitchKind
from pigtail.job.document import Job, Pin
from pigtail.job.file import Document, load
from pigtail.job.logbook import Alteration, Alters, Cover, Done, Filed, Noted, Original, Passed, Spent
from pigtail.job.reading_import import text_of
from pigtail.studies.prove.found import ProveFound
from pigtail.units import Basis
from pigtail.units.entry import parse_known


def amplifier() -> Job:
    """A wireless receiver in a mains amplifier, by the paper-first way."""
    return set_money(
        set_converter(demo("larkmoor").job, "supply", "isolated_wide"), budget=40.0, currency="€"
    )


def toy() -> Job:
    """A battery toy whose old sound board comes out and a new one goes in."""
    job = new_job("Quackling, new sounds", make_host("toy", "Quackling"))
    known = {f: parse_known(t, u, Basis.DOCUMENTED, "papers") for f, t, u in (
        ("voltage", "4.6 V ±5 %", "V"), ("resistance", "0.5 Ω ±20 %", "Ω"), ("limit", "0.5 A", "A"), ("used", "20 mA", "A"))}  # fmt: skip
    rail = next(t.id for t in job.host.terminals if type(t).__name__ == "Rail")
    for field, value in known.items():
        job = set_value(job, f"host.{rail}", field, value)
    for point in ("beak", "ground"):
        job = add_point(job, Pin(id=point, name=f"{point} contact"))
    ways = Switch(id="press", name="beak", kind=SwitchKind.BUTTON, common="beak", ways=("ground",), stands=tuple(
        Stand(state=s.id) for s in job.host.states))  # fmt: skip
    job = add_module(
        replace(job, host=replace(job.host, switches=(ways,))), make_module("sound_board_4", "snd")
    )
    job = put_supply(job, "snd.supply", f"host.{rail}", ("direct",))
    job = add_control(job, "wire", "host.beak", "snd.one", "First sound")
    job = put_alteration(
        job, Alteration(id="old", kind=Alters.LIFT, what="the old sound board", back=True, way_round=True)
    )
    return put_sound(
        put_cover(job, Cover(id="back", name="the back shell", screws="5 short")),
        Original(id="quack", name="the quack"),
    )


def panelled() -> Job:
    """The quiet demo with a socket of its own in a panel."""
    job = set_panel(
        demo("tidewell").job,
        Panel(width=120, height=40, thickness=1.5, depth=40, metal=False, comes_off=True),
    )
    return put_fitting(job, Fitting(id="jack_1", kind="jack_3_5", name="line output", x=60, y=20))


def opened(bench: Bench, job: Job, folder: Path, *, meter: bool = False) -> Path:
    """A job opened from its file, at Prove; with a stand-in that is what the job says."""
    path = folder / "job.pigtail"
    bench.assembly.files.start(Document(job), None, unsaved=True)
    assert bench.session.save(path)
    bench.settle()
    if meter:
        truth = folder / "truth.standin"
        host = replace(job.host, terminals=tuple(t for t in job.host.terminals))
        truth.write_bytes(
            encode(StandIn(title="as planned", papers=job, truth=host, modules=job.modules, links=job.links))
        )
        bench.assembly.bench.use_stand_in(str(truth), with_papers=False)
        bench.qtbot.waitUntil(lambda: bench.assembly.bench.meter.there, timeout=20_000)
    bench.run("go_prove")
    return path


def found_of(bench: Bench) -> ProveFound:
    assert bench.session.studies is not None
    return bench.session.studies.of(ProveFound)


class Hands:
    """Someone at the Prove station with a mouse."""

    def __init__(self, bench: Bench, *, meter: bool = True) -> None:
        self.bench, self.meter = bench, meter
        self.view: Any = bench.assembly.views.of("prove")
        self.seen: list[str] = []

    @property
    def panel(self) -> StepPanel:
        found: StepPanel = (
            self.view.back if self.view.pages.currentWidget() is self.view.back else self.view.run
        ).panel
        return found

    def click(self, button: QPushButton) -> None:
        self.bench.qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
        self.bench.settle()

    def step(self) -> None:
        """One step as it asks."""
        panel = self.panel
        assert panel.stand is not None
        self.seen.append(panel.stand.step.id)
        if panel.reading and not self.meter:
            panel.value.setText(f"{right_value(panel.stand):.6g}")
        elif panel.reading:
            self.click(panel.read)
            self.bench.qtbot.waitUntil(lambda: bool(panel.value.text()), timeout=20_000)
        if not panel.where.isHidden():
            panel.where.setText(f"bag of {panel.stand.step.of}")
        self.click(panel.done)

    def until(self, kind: str) -> None:
        """Steps up to a kind of step, which is then on view."""
        for _ in range(200):
            stand = self.panel.stand
            if stand is None or not stand.open or stand.step.kind == kind:
                return
            self.step()
        raise AssertionError(
            f"it does not end: {self.seen[-3:]}, {self.panel.told.text()}, {self.bench.message()}"
        )


def recording(path: Path) -> Path:
    with wave.open(str(path), "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(8000)
        file.writeframes(bytes(1600))
    return path


@pytest.mark.long
def test_a_receiver_in_a_mains_amplifier(bench: Bench, answers: Callable[..., None], tmp_path: Path) -> None:
    """By the mouse, with the stand-in meter: every step of the runbook; a hold point fails, is mended and read again; cost and note;
    the way back to its end; packed, and the pack opened in another folder."""
    path = opened(bench, amplifier(), tmp_path, meter=True)
    hands = Hands(bench)
    hands.until("plug_open")
    assert not [s for s in found_of(bench).stands if s.step.kind == "join" and not s.open]

    hands.panel.value.setText("24.1")
    assert "Do not join the module" in hands.panel.told.text()
    hands.click(hands.panel.done)
    hands.click(hands.panel.done)
    assert bench.session.job.readings[-1].value.nominal == pytest.approx(24.1)
    assert hands.panel.stand.step.kind == "plug_open"
    assert bench.verdicts()["prove"] != "good"

    hands.until("nothing")
    assert {s for s in hands.seen if s.startswith(("plug_loaded", "tap_dc", "joined_v", "warm", "close"))}
    assert bench.verdicts()["prove"] == "good", [f.sentence for f in found_of(bench).findings]

    answers(number=2)
    hands.view.turn_to(2)
    hands.view.record.what.setText("receiver, burnt")
    hands.view.record.price.setText("12,50")
    hands.click(hands.view.record.add_cost)
    hands.view.record.text.setText("drill first")
    hands.click(hands.view.record.add_otherwise)
    spent, noted = bench.session.job.record[-2:]
    assert isinstance(spent, Spent)
    assert spent.amount == 12.5
    assert isinstance(noted, Noted)
    bench.run("save")
    packed = tmp_path / "away" / "out.pigtail.zip"
    packed.parent.mkdir()
    bench.assembly.passing.write_pack(packed)
    bench.settle()
    assert "The pack is written" in bench.message()

    hands.view.turn_to(1)
    hands.until("nothing")
    assert found_of(bench).back == ()
    assert bench.assembly.views.of("prove").back.stays.text().startswith("What stays: the hole")
    bench.run("save")
    assert load(path).job.record == bench.session.job.record

    bench.assembly.files.open_path(packed)
    bench.settle()
    assert bench.session.path == tmp_path / "away" / "out" / "job.pigtail"
    assert found_of(bench).next is None
    assert (tmp_path / "away" / "out" / "sheet" / "record.pdf").read_bytes().startswith(b"%PDF")
    bench.assembly.passing.again(2)
    bench.settle()
    assert bench.session.job.record == ()
    assert bench.session.job.build.copies == 2
    assert "drill first" in bench.session.job.brief.notes


@pytest.mark.long
def test_a_toy_with_a_sound_board(bench: Bench, answers: Callable[..., None], tmp_path: Path) -> None:
    """Its old sound must be recorded before the board is out; a reversed supply is caught at the plug; what was taken out is kept."""
    opened(bench, toy(), tmp_path)
    hands = Hands(bench, meter=False)
    panel = hands.panel
    hands.until("sound")
    hands.click(panel.done)
    assert "file the recording" in bench.message()
    answers(record_paths=[recording(tmp_path.parent / f"{tmp_path.name}-quack.wav")])
    hands.click(panel.attach)
    assert panel.attach.text() == "1 filed"
    hands.click(panel.done)
    filed = next(e for e in bench.session.job.record if isinstance(e, Filed))
    assert (tmp_path / filed.file).is_file()

    hands.until("lift")
    hands.click(panel.done)
    assert "where it is kept" in bench.message()
    panel.where.setText("bag “old sound board”, taped inside")
    hands.click(panel.done)
    assert any(isinstance(e, Done) and e.step == "lift:old" for e in bench.session.job.record)

    hands.until("plug_open")
    panel.value.setText("-4.6")
    assert "plus and minus are swapped" in panel.told.text()
    assert "dead at once" in panel.told.text()
    hands.click(panel.done)
    hands.click(panel.done)
    assert panel.stand.step.kind == "plug_open"
    stand = panel.stand
    panel.value.setText(text_of(stand.step.hold.ask.function, right_value(stand)))
    hands.click(panel.done)
    assert isinstance(bench.session.job.record[-1], Passed)
    hands.until("nothing")
    assert {f.code for f in found_of(bench).findings} == {"prove.waits", "prove.holds", "prove.done"}
    assert any(s.startswith("trigger:snd") for s in hands.seen)
    hands.view.turn_to(1)
    hands.until("nothing")
    assert found_of(bench).back == ()
    assert any(s.startswith("lift:old") for s in hands.seen[hands.seen.index("again:job") + 1 :])


def press(bench: Bench, mode: RunMode, *keys: Qt.Key) -> None:
    for key in keys:
        bench.qtbot.keyClick(mode.focusWidget() or mode, key)
    bench.settle()


def by_keys(bench: Bench, mode: RunMode, until: str) -> None:
    """The runbook in bench mode, by keys alone, up to a kind of step."""
    for _ in range(200):
        stand = mode.panel.stand
        if stand is None or stand.step.kind == until:
            return
        target = mode.focusWidget() or mode
        if mode.panel.reading:
            bench.qtbot.keyClicks(target, f"{right_value(stand):.6g}")
            press(bench, mode, Qt.Key.Key_Return)
        elif not mode.panel.where.isHidden():
            bench.qtbot.keyClicks(target, "bag")
            press(bench, mode, Qt.Key.Key_Return)
        else:
            press(bench, mode, Qt.Key.Key_Space)
        after = mode.panel.stand
        told = (
            stand.step.id,
            mode.told.text(),
            mode.panel.where.text(),
            target.objectName(),
            bench.message(),
        )
        assert after is None or after.step.id != stand.step.id, told
    raise AssertionError("it does not end")


@pytest.mark.long
def test_an_output_on_a_panel_by_keys_alone(bench: Bench, tmp_path: Path) -> None:
    """Bench mode from the first step to the record, and back: by keys; a look that is not right, a reason, an interruption in between."""
    opened(bench, panelled(), tmp_path)
    bench.run("run")
    mode = bench.assembly.bench.run
    assert mode is not None
    by_keys(bench, mode, "drill")
    assert "This cannot be undone: the hole of line output" in mode.panel.heed.text()
    by_keys(bench, mode, "second_look")
    press(bench, mode, Qt.Key.Key_N)
    assert mode.panel.stand.step.kind == "second_look"
    assert "Give it no power." in mode.panel.told.text()
    by_keys(bench, mode, "plug_open")
    bench.qtbot.keyClicks(mode.panel.value, "0")
    press(bench, mode, Qt.Key.Key_Return, Qt.Key.Key_Return)
    assert mode.panel.stand.step.kind == "plug_open"
    press(bench, mode, Qt.Key.Key_R)
    bench.qtbot.keyClicks(mode.panel.reason, "the bench supply is read instead")
    press(bench, mode, Qt.Key.Key_Return)
    assert mode.panel.stand.step.kind == "plug_loaded"
    press(bench, mode, Qt.Key.Key_Escape)
    assert not mode.isVisible()

    bench.run("run")
    mode = bench.assembly.bench.run
    assert mode.panel.stand.step.kind == "plug_loaded"
    by_keys(bench, mode, "nothing")
    assert mode.panel.says.text() == "Nothing is left to do."
    assert bench.verdicts()["prove"] == "watch"
    assert [f.code for f in found_of(bench).findings if f.code == "prove.waived"]
    press(bench, mode, Qt.Key.Key_Escape)
    bench.assembly.run_book(back=True)
    mode = bench.assembly.bench.run
    by_keys(bench, mode, "nothing")
    assert found_of(bench).back == ()
    press(bench, mode, Qt.Key.Key_Escape)


def test_bench_mode_runs_by_keys_and_goes_on_where_it_was_left(bench: Bench, tmp_path: Path) -> None:
    """The short form of the journey by keys: from the last wire over a hold point that fails, past an interruption, to the module."""
    opened(bench, walked(panelled(), lambda s: s.step.kind == "inspect"), tmp_path)
    bench.run("run")
    mode = bench.assembly.bench.run
    press(bench, mode, Qt.Key.Key_N)
    assert mode.panel.stand.step.kind == "inspect"
    by_keys(bench, mode, "plug_open")
    bench.qtbot.keyClicks(mode.panel.value, "12.1")
    press(bench, mode, Qt.Key.Key_Return)
    assert "Once more logs it" in mode.panel.told.text()
    press(bench, mode, Qt.Key.Key_Return)
    assert mode.panel.stand.step.kind == "plug_open"
    press(bench, mode, Qt.Key.Key_Escape)
    bench.run("run")
    mode = bench.assembly.bench.run
    by_keys(bench, mode, "join")
    assert "Join Wireless receiver" in mode.panel.says.text()
    press(bench, mode, Qt.Key.Key_Escape)


def test_hands_free_the_meter_goes_on_by_itself(bench: Bench, tmp_path: Path) -> None:
    """With the stand-in: what stands still in range is logged, one reading after the other; out of range it waits."""
    job = walked(demo("tidewell").job, lambda s: s.step.kind == "plug_open")
    opened(bench, job, tmp_path, meter=True)
    bench.run("run")
    mode = bench.assembly.bench.run
    mode.auto.click()
    bench.qtbot.waitUntil(lambda: mode.panel.stand is not None and not mode.panel.reading, timeout=30_000)
    bench.settle()
    assert [e.step.partition(":")[0] for e in bench.session.job.record if isinstance(e, Passed)][-4:] == [
        "plug_open", "plug_loaded", "tap_dc", "tap_dc",
    ]  # fmt: skip
    press(bench, mode, Qt.Key.Key_Escape)


def test_the_photo_with_its_pin_is_beside_the_step(bench: Bench, tmp_path: Path) -> None:
    """The point of the step is pinned on a photo: it is shown near its pin; a step without a pin has none."""
    from pigtail.edits.host import add_picture, pin_point
    from pigtail.job.document import Picture

    image = QImage(400, 300, QImage.Format.Format_RGB32)
    image.fill(Qt.GlobalColor.darkGreen)
    image.save(str(tmp_path / "board.png"))
    job = add_picture(demo("tidewell").job, Picture(id="board", name="board", file="board.png", sha256=""))
    job = pin_point(job, "board", "host.line_left", 0.25, 0.75)
    opened(bench, walked(job, lambda s: s.step.id == "wire:feed_left:out"), tmp_path)
    bench.run("run")
    mode = bench.assembly.bench.run
    photo: Any = mode.findChild(type(mode._photo), "run_photo")
    assert photo.isVisible()
    at = photo.place(0.25, 0.75)
    assert abs(at.x() - photo.width() / 2) < 2
    assert abs(at.y() - photo.height() / 2) < 2
    press(bench, mode, Qt.Key.Key_Space)
    assert mode.panel.stand.step.id != "wire:feed_left:out"
    assert not photo.isVisible()
    press(bench, mode, Qt.Key.Key_Escape)


def test_the_work_is_told_in_its_page(bench: Bench, tmp_path: Path) -> None:
    """A cover, a part out, a sound, the budget: each becomes part of the runbook, or of the sums; refused text is told."""
    opened(bench, demo("tidewell").job, tmp_path)
    view: Any = bench.assembly.views.of("prove")
    view.turn_to(3)
    work = view.work
    bench.click(bench.find(QPushButton, "add_lift"))
    bench.type(work.name, "R12, 10 k")
    bench.choose(work.back, False)
    assert "R12, 10 k: part taken out, and it cannot be put back" in next(
        s.step.stays for s in found_of(bench).stands if s.step.kind == "lift")  # fmt: skip
    bench.click(bench.find(QPushButton, "add_sound"))
    bench.type(work.name, "chime")
    assert [s.step.says for s in found_of(bench).stands if s.step.kind == "sound"] == [
        "Record the original sound “chime”, and listen to the recording."]  # fmt: skip
    bench.type(work.sums["budget"], "25,5")
    assert bench.session.job.work.budget == 25.5
    bench.type(work.sums["budget"], "lots")
    assert "is no sum" in bench.message()
    bench.click(bench.find(QPushButton, "work_away"))
    assert not bench.session.job.work.sounds


def test_undo_keeps_the_record(bench: Bench, tmp_path: Path) -> None:
    """Ctrl+Z after a step strikes its entry and leaves it on the record; redo brings it again."""
    opened(bench, demo("tidewell").job, tmp_path)
    hands = Hands(bench)
    hands.step()
    entry = bench.session.job.record[-1]
    bench.run("undo")
    assert [e.struck for e in bench.session.job.record if e.id == entry.id] == [True]
    assert found_of(bench).next.step.kind == "heed"
    bench.run("redo")
    assert bench.session.job.record[-1] == entry


def test_the_story_is_on_the_clipboard(bench: Bench, tmp_path: Path) -> None:
    """As Markdown with its table of readings, and as text."""
    opened(bench, walked(demo("tidewell").job, lambda s: s.step.kind == "join"), tmp_path)
    bench.run("story")
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    words = clipboard.text()
    assert words.startswith("# Tidewell Minor")
    assert "| hold point | reading | expected |" in words
    bench.run("story_text")
    assert "hold point" in clipboard.text()
    assert "|" not in clipboard.text().split("What was read")[1].split("What came off")[0]
