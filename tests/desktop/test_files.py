"""The files of the window: what is saved over, what is open elsewhere, what a killed program left, and an end that waits for nothing."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from functools import partial
from pathlib import Path

import pytest
from msgspec.structs import replace
from PyQt6.QtWidgets import QDialog, QMessageBox, QPlainTextEdit, QPushButton
from tests.desktop.conftest import Bench

from pigtail.catalogue.demo import demo
from pigtail.desktop import ask
from pigtail.edits import rename
from pigtail.edits.change import Change
from pigtail.job.document import Picture
from pigtail.job.file import Document, load, save
from pigtail.job.held import OpenFile, owner_of
from pigtail.job.recovery import Keeper, leftovers
from pigtail.job.saving import Obstacle


def called(name: str) -> Change:
    """An edit that can be seen in the file."""
    return Change("rename", partial(rename, name=name))


@pytest.fixture
def opened(bench: Bench, tmp_path: Path) -> tuple[Bench, Path]:
    """A job opened from its file and edited, and the file then written by another program."""
    path = tmp_path / "job.pigtail"
    save(demo("larkmoor"), path)
    bench.assembly.files.open_path(path)
    bench.session.edit(called("mine"))
    save(Document(rename(demo("larkmoor").job, "theirs")), path)
    bench.settle()
    return bench, path


def answers(monkeypatch: pytest.MonkeyPatch, *wanted: str) -> list[Obstacle]:
    """Answer the question about a save so; what was asked is kept."""
    asked: list[Obstacle] = []
    left = list(wanted)

    def answer(_parent: object, _name: str, obstacle: Obstacle) -> str:
        asked.append(obstacle)
        return left.pop(0)

    monkeypatch.setattr(ask, "about_obstacle", answer)
    return asked


def test_what_another_program_wrote_is_left_until_something_is_said(
    opened: tuple[Bench, Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Leave it: nothing is written, the job stays open and unsaved."""
    bench, path = opened
    asked = answers(monkeypatch, "stay")
    assert not bench.assembly.files.save_job()
    assert asked == [Obstacle.CHANGED]
    assert load(path).job.name == "theirs"
    assert bench.window.isWindowModified()


def test_mine_is_kept_as_a_copy(opened: tuple[Bench, Path], monkeypatch: pytest.MonkeyPatch) -> None:
    """Both are there afterwards, and work goes on in the copy."""
    bench, path = opened
    answers(monkeypatch, "copy")
    assert bench.assembly.files.save_job()
    copy = path.with_name("job (2).pigtail")
    assert (load(path).job.name, load(copy).job.name, bench.session.path) == ("theirs", "mine", copy)
    assert not bench.window.isWindowModified()


def test_the_difference_is_looked_at_and_then_mine_is_saved_over(
    opened: tuple[Bench, Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    """The lines name what differs; what was asked once is not asked again."""
    bench, path = opened
    told: list[tuple[str, ...]] = []
    monkeypatch.setattr(ask, "tell_lines", lambda _p, _t, lines: told.append(lines))
    asked = answers(monkeypatch, "difference", "over")
    assert bench.assembly.files.save_job()
    assert told == [("name: “mine” here, “theirs” in the file",)]
    assert asked == [Obstacle.CHANGED] * 2
    assert load(path).job.name == "mine"
    bench.session.edit(called("mine again"))
    assert bench.assembly.files.save_job()
    assert len(asked) == 2


def test_theirs_is_loaded_and_mine_lies_beside_it(
    opened: tuple[Bench, Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Reload: the file as it is now is on view; nothing of mine is lost."""
    bench, path = opened
    answers(monkeypatch, "reload")
    assert bench.assembly.files.save_job()
    bench.settle()
    assert bench.session.job.name == "theirs"
    assert load(path.with_name("job (2).pigtail")).job.name == "mine"
    assert "job (2).pigtail" in bench.message()


def test_the_question_offers_what_can_be_done(bench: Bench, qtbot: object) -> None:
    """The real dialog: five ways for a changed file, none of which is taken by Escape."""
    from PyQt6.QtCore import QTimer

    seen: list[str] = []

    def look() -> None:
        box = bench.window.findChild(QMessageBox)
        assert box is not None
        seen.extend(b.text() for b in box.buttons())
        box.reject()

    QTimer.singleShot(50, look)
    assert ask.about_obstacle(bench.window, "a.pigtail", Obstacle.CHANGED) == "stay"
    assert seen
    assert set(ask.SAVING.values()) <= {s.replace("&", "") for s in seen}

    def read() -> None:
        dialog = next(d for d in bench.window.findChildren(QDialog) if d.isVisible())
        text = dialog.findChild(QPlainTextEdit)
        assert text is not None
        seen.append(text.toPlainText())
        dialog.reject()

    QTimer.singleShot(50, read)
    ask.tell_lines(bench.window, "What differs", ("a", "b"))
    assert seen[-1] == "a\nb"


def test_a_file_open_elsewhere_is_told(bench: Bench, tmp_path: Path) -> None:
    """By the process that has it; it opens all the same."""
    path = tmp_path / "job.pigtail"
    save(demo("larkmoor"), path)
    other = OpenFile(path)
    bench.assembly.files.open_path(path)
    bench.settle()
    assert f"process {os.getpid()}" in bench.message()
    assert bench.session.path == path
    other.close()


def test_a_second_window_shows_the_first(bench: Bench, tmp_path: Path) -> None:
    """`pigtail open FILE` on a file that is open: the first window comes up, the second ends at once."""
    path = tmp_path / "job.pigtail"
    save(demo("larkmoor"), path)
    bench.assembly.files.open_path(path)
    bench.settle()
    bench.window.showMinimized()
    process = subprocess.Popen(
        [sys.executable, "-m", "pigtail", "open", str(path)],
        stderr=subprocess.PIPE,
        text=True,
        env=os.environ | {"QT_QPA_PLATFORM": "offscreen"},
    )
    bench.qtbot.waitUntil(lambda: process.poll() is not None, timeout=30_000)
    assert process.returncode == 0
    assert process.stderr is not None
    assert "is open already" in process.stderr.read()
    process.stderr.close()
    assert not bench.window.isMinimized()
    bench.assembly.files.start(demo("larkmoor"), None)
    bench.settle()
    assert owner_of(path) is None


def test_a_leftover_stays_where_the_disk_is_full(
    bench: Bench, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Taken over while nothing can be written: the old recovery file is not given up until another copy is on disk."""
    folder = tmp_path / "left"
    keeper = Keeper(folder)
    keeper.keep(demo("tidewell"), 5)
    os.close(keeper._lock)
    full = [True]
    keep = Keeper.keep

    def kept(self: Keeper, document: Document, number: int, saved_as: str = "") -> None:
        if full[0]:
            raise OSError(28, "No space left on device")
        keep(self, document, number, saved_as)

    monkeypatch.setattr(Keeper, "keep", kept)
    (left,) = leftovers(folder).jobs
    bench.session.recover(left)
    bench.settle()
    assert "cannot be written" in bench.message()
    assert keeper.file.exists()
    full[0] = False
    bench.session.edit(called("there is room again"))
    bench.settle()
    assert not keeper.file.exists()
    assert bench.session._keeper.file.exists()


def test_an_older_leftover_asks_before_it_is_saved_over_a_newer_file(
    bench: Bench, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The recovery file knows how its file was; one that names a file it never saw asks too."""
    path = tmp_path / "job.pigtail"
    save(demo("tidewell"), path)
    folder = tmp_path / "left"
    keeper = Keeper(folder)
    keeper.keep(load(path), 5, str(path))
    os.close(keeper._lock)
    save(Document(rename(demo("tidewell").job, "newer")), path)
    bench.session.recover(leftovers(folder).jobs[0])
    asked = answers(monkeypatch, "stay")
    assert not bench.assembly.files.save_job()
    assert asked == [Obstacle.CHANGED]
    forged = Keeper(folder)
    forged.keep(Document(demo("tidewell").job), 1, str(path))
    os.close(forged._lock)
    bench.session.recover(leftovers(folder).jobs[0])
    asked = answers(monkeypatch, "stay")
    assert not bench.assembly.files.save_job()
    assert asked == [Obstacle.STRANGE]
    assert load(path).job.name == "newer"


def test_leftovers_that_cannot_be_read_are_told(bench: Bench, tmp_path: Path) -> None:
    """With where they are; beside one that can be taken over."""
    (tmp_path / "bad.json").write_bytes(b"{")
    bench.assembly.files.offer_leftovers(leftovers(tmp_path))
    assert str(tmp_path / "bad.json") in bench.message()
    keeper = Keeper(tmp_path)
    keeper.keep(demo("tidewell"), 5)
    os.close(keeper._lock)
    bench.assembly.files.offer_leftovers(leftovers(tmp_path))
    assert "Tidewell" in bench.message()
    assert str(tmp_path / "bad.json") in bench.message()
    assert [b.text() for b in bench.window.findChildren(QPushButton, "message_action")][-2:] == [
        "Recover it",
        "Discard it",
    ]


SLOW = """
import os, sys, time
os.environ["QT_QPA_PLATFORM"] = "offscreen"
from pigtail.service import client, services
if sys.argv[1] == "process":
    helper = client.Helper()
else:
    helper = client.Inside()
from PyQt6.QtWidgets import QApplication
app = QApplication([])
from pathlib import Path
from pigtail.desktop.session import Session
from pigtail.catalogue.demo import demo
from pigtail.job.recovery import Keeper
session = Session(Keeper(Path(sys.argv[2])), helper)
if sys.argv[1] == "process":
    os.kill(helper._pid, 19)  # it does not answer
else:
    def study(job):
        time.sleep(30)
    services.study = study
session.start(demo("larkmoor"), None, unsaved=True)
time.sleep(0.3)
began = time.monotonic()
session.close()
print(time.monotonic() - began, flush=True)
os._exit(0)
"""


@pytest.mark.parametrize("where", ["process", "inside"])
def test_closing_waits_for_no_study(where: str, tmp_path: Path) -> None:
    """A study that does not come to an end holds the window up for a quarter of a second at most."""
    told = subprocess.run(
        [sys.executable, "-c", SLOW, where, str(tmp_path)],
        capture_output=True,
        text=True,
        timeout=60,
        check=True,
    )
    assert float(told.stdout) < 0.25 + 0.1  # the second is the machine's


def test_a_newer_edit_gives_up_a_long_study() -> None:
    """What was asked raises that it is no longer wanted; what is asked next is answered."""
    import threading

    from pigtail.service import services
    from pigtail.service.client import CancelledError, Helper

    helper = Helper()
    job = demo("larkmoor").job
    helper.call(services.study, job)
    os.kill(helper._pid, 19)
    found: list[object] = []

    def asks() -> None:
        try:
            found.append(helper.call(services.study, job))
        except CancelledError as error:
            found.append(error)

    thread = threading.Thread(target=asks)
    thread.start()
    time.sleep(0.2)
    assert not helper.cancel(5.0)
    assert helper.cancel(0.1)
    thread.join(10)
    assert [type(x) for x in found] == [CancelledError]
    assert helper.call(services.study, job).findings
    helper.close()


def test_pictures_before_the_first_save_find_their_place_or_are_told(bench: Bench, tmp_path: Path) -> None:
    """Two photos of one name, one folder full of another job's: nothing is mixed up; where there is no room, all are kept."""
    from pigtail.desktop.beside import copy_missing, keep_beside

    bench.open_demo("tidewell")
    folder = bench.session.folder
    assert folder is not None
    photos = []
    for k in range(2):
        (tmp_path / str(k)).mkdir()
        photo = tmp_path / str(k) / "board.png"
        photo.write_bytes(b"photo %d" % k)
        photos.append(keep_beside(photo, folder, "pictures")[0])
    assert len(set(photos)) == 2
    other = tmp_path / "other"
    (other / "pictures").mkdir(parents=True)
    (other / photos[0]).write_bytes(b"another")
    assert copy_missing(tuple(photos), folder, other) == (photos[0],)
    assert (other / photos[0]).read_bytes() == b"another"
    bench.session.edit(
        Change(
            "pictures",
            lambda j: replace(
                j,
                pictures=tuple(
                    Picture(id=f"p{k}", name="x", file=f, sha256="0") for k, f in enumerate(photos)
                ),
            ),
        )
    )
    assert bench.session.save(other / "mine.pigtail")
    assert "No room beside the job" in bench.message()
    (kept,) = (bench.folder / "recovery").glob("*.left")
    assert (kept / photos[0]).read_bytes() == b"photo 0"
    bench.assembly.close_job()
    bench.settle()
    assert (kept / photos[0]).is_file()
