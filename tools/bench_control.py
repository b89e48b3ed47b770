"""The state table of a host of six states and a module of five doings over its whole spread, as a ratio to the Power study of the same job;
a resistor turned to the repainted table, as a ratio to two frames; ways that a search looks at in a second."""

from __future__ import annotations

import os
import statistics
import sys
import time
from pathlib import Path
from typing import TYPE_CHECKING

from timed import ROUNDS, median

if TYPE_CHECKING:
    from pigtail.job.document import Job

sys.path[:0] = [str(Path(__file__).parents[1] / "tests")]
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

FRAME_S = 1 / 60


def large() -> Job:
    """A receiver of five doings on a permanent rail, woken by a line, with an indicator, in a host of six states."""
    from msgspec.structs import replace

    from controlling import control_link, host, line, link_pin, rail, receiver, with_link, woken
    from pigtail.job.control import Doing
    from pigtail.job.document import Mode, State

    states = (
        State(id="off", name="unplugged", kind=Mode.OFF), State(id="standby", name="standby", kind=Mode.STANDBY),
        State(id="radio", name="radio"), State(id="tape", name="tape"), State(id="disc", name="disc"),
        State(id="aux", name="aux", kind=Mode.WORKING),
    )  # fmt: skip
    on = ("radio", "tape", "disc", "aux")
    doings = (
        Doing(does="searching", blinking=("link",)), *(Doing(does=d, active=("link",)) for d in ("linked", "playing", "transmitting")),
        Doing(does="fault"),
    )  # fmt: skip
    of = replace(host(rail(states=("standby", *on)), line(states=on)), states=states)
    job = woken("high_side_pnp", of=of, module=receiver(link_pin(), doings=doings))
    return with_link(job, control_link("light", "led", at_in="rx.link", out="host.star"))


def main() -> None:
    """Print the ratios."""
    from controlling import parts
    from pigtail.advice.controls import search_controls
    from pigtail.edits.control import drop_switch
    from pigtail.model.model import Model
    from pigtail.studies.control.study import glance_control, study_control
    from pigtail.studies.power.study import study_power

    job = large()
    rows = len(study_control(Model.of(job)).rows)

    def turned(k: int) -> Job:
        return parts(job, "supply", rd=47e3 * (1 + 0.01 * (k + 1)))

    table, power = [], []
    for k in range(ROUNDS):  # interleaved, since clocks drift
        for times, study in ((table, study_control), (power, study_power)):
            model = Model.of(turned(k))
            begun = time.perf_counter()
            study(model)
            times.append(time.perf_counter() - begun)
    ours, theirs = statistics.median(table), statistics.median(power)
    print(
        f"state table, {rows} rows: {ours * 1e3:.0f} ms, {ours / theirs:.2f} × the Power study of {theirs * 1e3:.0f} ms (aim 1.5)"
    )

    from PyQt6.QtWidgets import QApplication

    from pigtail.desktop.stations.control.station import ControlStation
    from pigtail.studies.all import study_job

    application = QApplication.instance() or QApplication(sys.argv)
    station = ControlStation()
    station.resize(790, 580)
    station.show_job(job, study_job(job))
    station.show()
    application.processEvents()

    def look(k: int) -> None:
        fresh = turned(k)
        station._show(fresh, glance_control(fresh))
        station.grab()

    seen = median(look)
    print(
        f"a resistor turned to the repainted table: {seen * 1e3:.0f} ms, {seen / (2 * FRAME_S):.2f} × two frames (aim 1)"
    )
    begun = time.perf_counter()
    found = search_controls(drop_switch(job, "supply"), "rx")
    spent = time.perf_counter() - begun
    print(f"search: {found.solved} ways in {spent:.1f} s, {found.solved / spent:.1f} a second")


if __name__ == "__main__":
    main()
