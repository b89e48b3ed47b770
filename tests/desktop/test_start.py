"""Starting, ending and the studies' process, as the commands do it; and a few tests in a real window on a screen."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from pigtail.catalogue.demo import demo
from pigtail.desktop.start import Loader, Opening, told
from pigtail.desktop.window import MainWindow
from pigtail.edits.change import Change
from pigtail.edits.values import rename
from pigtail.job.document import Job
from pigtail.service import services
from pigtail.service.client import Helper

HERE = Path(__file__).parent


def test_the_demo_command_paints_first_and_is_ready_after(qtbot: QtBot) -> None:
    """The frame is painted before anything heavy is asked for; then the job is read and studied by the helper."""
    helper = Helper()
    window = MainWindow("Larkmoor Forty")
    loader = Loader(window, Opening("Larkmoor Forty", demo="larkmoor"), helper)
    with qtbot.waitSignal(window.ready, timeout=60_000):
        window.show()
        qtbot.waitExposed(window)
    assembly = loader.assembly
    assert assembly is not None
    qtbot.waitUntil(lambda: assembly.quiet, timeout=60_000)
    assert window.lead.splices["power"].verdict == "fix"
    assert assembly.views.here == "power"
    assert "Larkmoor" in window.windowTitle()
    window.close()
    loader.close()


def test_what_the_first_paint_needs_imports_no_heavy_package() -> None:
    """Neither NumPy nor the document's package is loaded before the frame is painted."""
    code = (
        "import sys; import pigtail.__main__, pigtail.service.client, pigtail.desktop.start; "
        "print([m for m in ('numpy', 'msgspec', 'scipy', 'jinja2', 'reportlab', 'argparse') if m in sys.modules])"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


def test_the_window_needs_no_numbers_package_to_show_studies() -> None:
    """Views read results; only the helper computes."""
    code = "import sys; import pigtail.desktop.assemble; print('numpy' in sys.modules)"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "False"


def no_such_service() -> None:
    """A service that the process does not have."""


def test_a_helper_that_dies_is_started_again(larkmoor: Job) -> None:
    """The next question is answered by a new process; errors come back as they were raised."""
    helper = Helper()
    try:
        first = helper.call(services.study, larkmoor)
        os.kill(helper._pid, signal.SIGKILL)
        assert helper.call(services.study, larkmoor) == first
        with pytest.raises(KeyError):
            helper.call(no_such_service)
        assert helper.call(services.study, rename(larkmoor, "x")).verdicts == first.verdicts
    finally:
        helper.close()
    assert helper._pid == 0


def test_a_recovery_folder_that_cannot_be_made_is_told_and_edits_are_kept_elsewhere(
    qtbot: QtBot,
    monkeypatch: pytest.MonkeyPatch,
    tmp_path: Path,
) -> None:
    """One sentence in the window; the job opens all the same."""
    blocked = tmp_path / "a file"
    blocked.write_text("x")
    monkeypatch.setenv("XDG_STATE_HOME", str(blocked))
    monkeypatch.setattr("tempfile.tempdir", str(tmp_path))
    window = MainWindow("x")
    loader = Loader(window, Opening("x", document=demo("tidewell")))
    with qtbot.waitSignal(window.ready, timeout=60_000):
        window.show()
        qtbot.waitExposed(window)
    assert loader.assembly is not None
    assert "cannot be written" in window.message.words.text()
    with qtbot.waitSignal(loader.assembly.session.kept, timeout=60_000):
        loader.assembly.session.edit(Change("name", lambda job: rename(job, "kept")))
    qtbot.waitUntil(lambda: loader.assembly.quiet, timeout=60_000)
    window.may_close = lambda: True
    window.close()
    loader.close()


def test_what_goes_wrong_in_a_slot_is_told_and_the_window_lives(
    qtbot: QtBot, capsys: pytest.CaptureFixture[str]
) -> None:
    """Without this Qt would end the program."""
    window = MainWindow("x")
    qtbot.addWidget(window)
    window.show()
    told(window, ValueError, ValueError("a slip"), None)
    assert "a slip" in window.message.words.text()
    assert "Nothing is lost" in window.message.words.text()
    assert "ValueError: a slip" in capsys.readouterr().err


WINDOW = """
import sys
from PyQt6.QtCore import QTimer
from pigtail.desktop import start
from pigtail.service.client import Helper
from pigtail.desktop.window import MainWindow
app = start.make_application(["pigtail"])
window = MainWindow("x")
loader = start.Loader(window, start.Opening("x", demo="larkmoor"), Helper())
number = [0]
def kept(n): print("kept edit", n - 1, flush=True)  # the demo itself is number 1
def edit():
    from pigtail.edits.values import set_brief
    number[0] += 1
    wanted = f"edit {number[0]}"
    loader.assembly.session.edit("brief", lambda job: set_brief(job, wanted, ""))
timer = QTimer(); timer.timeout.connect(edit)
def ready():
    loader.assembly.session.kept.connect(kept); print("ready", flush=True); timer.start(5)
window.ready.connect(ready)
window.show()
app.exec()
"""


def test_a_killed_window_loses_no_edit_that_it_showed_as_kept(tmp_path: Path) -> None:
    """The real window edits, keeps and is killed: what it said was kept is offered at the next start."""
    from pigtail.job.recovery import leftovers

    environment = {**os.environ, "XDG_STATE_HOME": str(tmp_path), "QT_QPA_PLATFORM": "offscreen"}
    for pause in (0.05, 0.2, 0.4):
        process = subprocess.Popen(
            [sys.executable, "-c", WINDOW], stdout=subprocess.PIPE, text=True, env=environment
        )
        assert process.stdout is not None
        assert process.stdout.readline().strip() == "ready"
        time.sleep(pause)
        process.send_signal(signal.SIGKILL)
        lines = process.stdout.read().split("\n")[:-1]
        process.stdout.close()
        process.wait()
        kept = max((int(x.split()[2]) for x in lines if x.startswith("kept edit")), default=0)
        found = leftovers(tmp_path / "pigtail" / "recovery").jobs
        numbers = [
            int(x.document.job.brief.wanted.split()[1])
            for x in found
            if x.document.job.brief.wanted.startswith("edit")
        ]
        assert max(numbers, default=0) >= kept
        for leftover in found:
            leftover.file.unlink()


@pytest.mark.long
def test_pictures_of_every_view_are_taken(tmp_path: Path, qapp: QApplication) -> None:
    """`pigtail shots DIR` paints each station from the demo, without a screen."""
    from pigtail.desktop.shots import shoot

    (tmp_path / "shots").mkdir()
    shoot(qapp, tmp_path / "shots", tmp_path, supplies=False)
    names = {p.stem for p in (tmp_path / "shots").glob("*.png")}
    assert {"survey", "level", "power", "returns", "build", "level-dark", "new-job"} <= names


def test_the_journey_works_in_a_real_window_on_a_screen() -> None:
    """The same end-to-end tests under an X server of their own."""
    server = shutil.which("Xvfb")
    if server is None:
        assert not os.environ.get("CI"), "Xvfb must be installed under CI"
        pytest.skip("Xvfb is not installed")
    if os.environ.get("PIGTAIL_TEST_PLATFORM"):
        pytest.skip("this is the run on a screen")
    reader, writer = os.pipe()
    display = subprocess.Popen(
        [server, "-displayfd", str(writer), "-screen", "0", "1400x900x24", "-nolisten", "tcp"],
        pass_fds=[writer],
        stderr=subprocess.DEVNULL,
    )
    os.close(writer)
    try:
        with os.fdopen(reader) as stream:
            number = stream.readline().strip()
        environment = {**os.environ, "DISPLAY": f":{number}", "PIGTAIL_TEST_PLATFORM": "xcb"}
        command = [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider", str(HERE / "test_journey.py"),
                   str(HERE / "test_window.py"), str(HERE / "test_build_station.py"), str(HERE / "test_prove_station.py"),
                   "-k", "demo_is_mended or crowded_panel or reached_by_alt or bench_mode_runs"]  # fmt: skip
        done = subprocess.run(
            command, env=environment, capture_output=True, text=True, check=False, timeout=400
        )
        assert done.returncode == 0, done.stdout[-3000:] + done.stderr[-1000:]
    finally:
        display.terminate()
        display.wait()


def test_demo_titles_are_those_of_the_jobs() -> None:
    """What the window says while it opens is what it opens."""
    from pigtail.desktop.start import DEMO_TITLES

    for name, title in DEMO_TITLES.items():
        assert demo(name).job.host.name == title
