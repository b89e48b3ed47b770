"""`pigtail shots DIR`: one PNG of each main view, from the demo, with no screen needed."""

from __future__ import annotations

import os
import sys
import tempfile
from collections.abc import Callable
from datetime import datetime
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QDeadlineTimer, QPointF, QRectF, QSettings, QThread
from PyQt6.QtWidgets import QApplication, QWidget

from pigtail.desktop import theme
from pigtail.desktop.looks import set_theme
from pigtail.edits.change import Change

if TYPE_CHECKING:
    from pigtail.bench.truth import StandIn
    from pigtail.desktop.assemble import Assembly
    from pigtail.job.document import Job

SIZE = (1280, 800)
WAIT_MS = 60_000
WHEN = datetime(2026, 11, 25, 10, 30)


def run_shots(folder: Path) -> int:
    """Paint the views into PNG files of a folder; returns the exit code."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        print(
            f"pigtail: {folder}: the folder cannot be made ({error.strerror}); choose another",
            file=sys.stderr,
        )
        return 2
    from pigtail.desktop.start import make_application

    application = make_application(["pigtail"])
    with tempfile.TemporaryDirectory() as state:
        shoot(application, folder, Path(state))
    return 0


def shoot(application: QApplication, folder: Path, state: Path, *, supplies: bool = True) -> None:
    """Take all pictures, those of supplies too unless said otherwise; `state` holds the recovery and settings files meanwhile."""
    from pigtail.catalogue.demo import demo
    from pigtail.desktop.assemble import Assembly
    from pigtail.desktop.newjob import NewJob
    from pigtail.desktop.window import MainWindow
    from pigtail.job.recovery import Keeper

    settings = QSettings(str(state / "settings.ini"), QSettings.Format.IniFormat)
    window = MainWindow("the demo")
    window.resize(*SIZE)
    assembly = Assembly(window, Keeper(state / "recovery"), settings)
    assembly.finish()
    window.show()
    set_theme(assembly.settings, "light")

    def settled() -> bool:
        return assembly.quiet and assembly.session.studies is not None

    assembly.show_empty()
    take(application, window, folder / "beginning.png")
    assembly.files.start(demo("larkmoor"), None)
    wait(application, settled)
    for name in ("survey", "level", "power", "returns", "build"):
        assembly.views.go(name)
        wait(application, settled)
        if name == "level":
            search_networks(application, assembly)
        take(application, window, folder / f"{name}.png")
    shoot_build(application, assembly, folder)
    shoot_bench(application, assembly, folder, state)
    assembly.files.start(demo("larkmoor"), None)
    wait(application, settled)
    set_theme(assembly.settings, "dark")
    assembly.views.go("level")
    wait(application, settled)
    take(application, window, folder / "level-dark.png")
    set_theme(assembly.settings, "light")
    assembly.files.start(demo("tidewell"), None)
    wait(application, settled)
    dialog = NewJob(window)
    dialog.show()
    take(application, dialog, folder / "new-job.png")
    dialog.close()
    if supplies:
        shoot_supplies(application, assembly, folder)
        shoot_control(application, assembly, folder)
    window.may_close = lambda: True
    window.close()
    assembly.close()


def search_networks(application: QApplication, assembly: Assembly) -> None:
    """Find the networks of the feed on view."""
    view: Any = assembly.views.of("level")
    view.found.seek.click()
    wait(application, lambda: assembly.quiet and not view.found.searching)


def shoot_build(application: QApplication, assembly: Assembly, folder: Path) -> None:
    """The little board and the panel."""
    view: Any = assembly.views.of("build")
    for number, name in ((1, "build-board"), (2, "build-panel")):
        view.turn_to(number)
        wait(application, lambda: assembly.quiet and not view.board.busy)
        take(application, assembly.window, folder / f"{name}.png")
    view.turn_to(0)


def shoot_bench(application: QApplication, assembly: Assembly, folder: Path, state: Path) -> None:
    """What belongs to probing: taps, a pinned photo, bench mode and a swept connector, on the stand-ins that ship."""
    from pigtail.advice.plan import propose
    from pigtail.bench.truth import load, shipped
    from pigtail.catalogue.kinds import make_module
    from pigtail.edits.host import pin_point, set_scale
    from pigtail.edits.values import add_module
    from pigtail.job.file import Document

    def settled() -> bool:
        return assembly.quiet and assembly.session.studies is not None

    window = assembly.window
    stand_in = load(shipped()["brindle"])
    job = propose(add_module(stand_in.papers, make_module("wireless_receiver_5v", "rx")), "rx")
    assembly.files.start(Document(probed(stand_in, job, "aux_left", "rail_5v")), None, unsaved=True)
    wait(application, settled)
    assembly.views.go("taps")
    wait(application, settled)
    take(application, window, folder / "taps.png")
    assembly.session.save(state / "brindle.pigtail")
    assembly.views.go("survey")
    view: Any = assembly.views.of("survey")
    view.view.setCurrentIndex(5)
    view.pictures.add_file(made_up_board(state / "input board.png"))
    wait(application, settled)
    picture = view.pictures.picture().id
    for point, x, y in (
        ("aux_left", 0.085, 0.33),
        ("aux_right", 0.085, 0.45),
        ("input_return", 0.085, 0.57),
        ("u7_43", 0.44, 0.5),
    ):
        assembly.session.edit(
            Change("pin", partial(pin_point, picture_id=picture, address=f"host.{point}", x=x, y=y))
        )
    assembly.session.edit(
        Change("scale", partial(set_scale, picture_id=picture, part_of_width=0.5, millimetres=60.0))
    )
    wait(application, settled)
    take(application, window, folder / "photo.png")
    assembly.bench.open_mode()
    assert assembly.bench.mode is not None
    assembly.bench.mode.value.setText("open")
    take(application, assembly.bench.mode, folder / "bench-mode.png")
    assembly.bench.mode.reject()
    shoot_prove(application, assembly, folder)
    bare = load(shipped()["pellow"])
    assembly.files.start(
        Document(probed(bare, bare.papers, *(f"j2_{k}" for k in range(1, 8)))), None, unsaved=True
    )
    wait(application, settled)
    assembly.views.go("survey")
    view.view.setCurrentIndex(4)
    wait(application, settled)
    take(application, window, folder / "sweep.png")
    view.view.setCurrentIndex(0)


def shoot_prove(application: QApplication, assembly: Assembly, folder: Path) -> None:
    """The runbook at a hold point of the clean demo, and in bench mode at a wire, with the photo of its place."""
    from pigtail.bench.walked import walked
    from pigtail.catalogue.demo import demo
    from pigtail.job.file import Document

    def settled() -> bool:
        return assembly.quiet and assembly.session.studies is not None

    pinned, path = assembly.session.job, assembly.session.path
    assert pinned is not None
    for name, job, step in (
        ("prove-bench", pinned, "wire:feed_left:out"), ("prove", demo("tidewell").job, "plug_open:rx.supply"),
    ):  # fmt: skip
        done = walked(job, lambda s, step=step: s.step.id == step)  # type: ignore[misc]
        assembly.files.start(Document(done), path, unsaved=True)
        wait(application, settled)
        assembly.views.go("prove")
        wait(application, settled)
        if name == "prove":
            take(application, assembly.window, folder / f"{name}.png")
            continue
        assembly.run_book()
        assert assembly.bench.run is not None
        take(application, assembly.bench.run, folder / f"{name}.png")
        assembly.bench.run.reject()


def shoot_supplies(application: QApplication, assembly: Assembly, folder: Path) -> None:
    """Where the energy comes from: an AC adapter and its course, a cell and how long it lasts."""
    from pigtail.advice.plan import propose
    from pigtail.bench.truth import load, shipped
    from pigtail.catalogue.kinds import make_module
    from pigtail.edits.plan import put_supply
    from pigtail.edits.values import add_module
    from pigtail.job.file import Document

    def settled() -> bool:
        return assembly.session.studies is not None  # remedies may come later

    for name, kind, points in (
        ("tarnhow", "wireless_receiver_low", ("cell",)),
        ("marrowby", "wireless_receiver_5v", ("leg_a", "leg_b")),
    ):
        stand_in = load(shipped()[name])
        job = propose(add_module(stand_in.papers, make_module(kind, "rx")), "rx")
        job = probed(stand_in, job, *points)
        if name == "marrowby":
            job = put_supply(job, "rx.supply", "adapter", ("half_wave", "linear_cooled"), 2200e-6)
        assembly.files.start(Document(job), None, unsaved=True)
        wait(application, settled)
        assembly.views.go("power")
        wait(application, settled)
        take(application, assembly.window, folder / f"power-{'ac' if name == 'marrowby' else 'battery'}.png")


def shoot_control(application: QApplication, assembly: Assembly, folder: Path) -> None:
    """A line that turned out weaker than its papers say."""
    from pigtail.bench.truth import load, shipped
    from pigtail.job.file import Document

    def settled() -> bool:
        return assembly.session.studies is not None

    view: Any = assembly.views.of("control")
    stand_in = load(shipped()["corvale"])
    weak = probed(stand_in, stand_in.papers, "on_line")
    assembly.files.start(Document(weak), None, unsaved=True)
    wait(application, settled)
    assembly.views.go("control")
    wait(application, lambda: assembly.quiet and bool(view.course.transitions))
    view.table.pick(3, 1)
    wait(application, settled)
    take(application, assembly.window, folder / "control.png")


def probed(stand_in: StandIn, job: Job, *points: str) -> Job:
    """A job with the checks of some points read off a stand-in."""
    from pigtail.bench.host import StandInHost
    from pigtail.edits.readings import log_reading
    from pigtail.studies.taps.protocol import open_checks

    host = StandInHost(stand_in)
    for point in points:
        for check in open_checks(job, f"host.{point}"):
            value = host.take(check)
            job = log_reading(
                job, value=min(value, 1e9), when=WHEN, **check.setup(),
            )  # fmt: skip
    return job


def made_up_board(path: Path) -> Path:
    """A picture of a board that does not exist."""
    from PyQt6.QtGui import QColor, QImage, QPainter, QPen

    image = QImage(1600, 1000, QImage.Format.Format_RGB32)
    image.fill(QColor("#24503c"))
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(QColor("#b98f3d"), 7))
    for k in range(3):
        y = 330 + 120 * k
        painter.drawPolyline(
            QPointF(140, y),
            QPointF(420 + 60 * k, y),
            QPointF(520 + 60 * k, 440 + 40 * k),
            QPointF(700, 440 + 40 * k),
        )
    for k in range(9):
        across, down = 1180 + 20 * k, 400 + 22 * k
        painter.drawPolyline(QPointF(1000, down), QPointF(across, down), QPointF(across, 120 + 700 * (k % 2)))
    painter.setPen(QPen(QColor("#e8e2d2"), 3))
    font = theme.font(34, bold=True)
    painter.setFont(font)
    painter.fillRect(QRectF(700, 380, 300, 230), QColor("#1c1c1c"))
    painter.drawText(QPointF(820, 510), "U7")
    painter.drawText(QPointF(60, 250), "J4")
    for k in range(3):
        painter.fillRect(QRectF(106, 300 + 120 * k, 60, 60), QColor("#cfc6b0"))
        painter.drawText(QPointF(50, 345 + 120 * k), str(k + 1))
    painter.end()
    image.save(str(path))
    return path


def take(application: QApplication, widget: QWidget, path: Path) -> None:
    """Grab a widget into a PNG file."""
    application.processEvents()
    widget.grab().save(str(path))
    print(path)


def wait(application: QApplication, done: Callable[[], bool]) -> None:
    """Run the event loop until something is done; raises TimeoutError when it is not in time."""
    deadline = QDeadlineTimer(WAIT_MS)
    while True:
        application.processEvents()
        if done():
            application.processEvents()
            if done():
                return
        if deadline.hasExpired():
            raise TimeoutError("the window did not settle")
        QThread.msleep(2)  # the work that is waited for runs in a thread of this process
