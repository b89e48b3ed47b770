"""A long day in the window: edits of all kinds, undos, looks at every station, and what memory, handles and threads are left of it.

`soak.py EDITS [inside|process] [EVERY]`: with the studies in the window's own process, or in one of their own. Prints the curve: edits, resident
memory of the window and of the studies [MB], open handles, threads, how full the stores are; then the growth for every thousand edits
after the first.
"""

from __future__ import annotations

import faulthandler
import gc
import os
import random
import sys
import tempfile
import threading
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
PAGE_MB = os.sysconf("SC_PAGE_SIZE") / 1e6
#: So many edits come before the window is left to come to rest, and remedies are looked for so long each time [s].
BURST, ADVICE_S = 25, 0.1


def resident(pid: int) -> float:
    """Resident memory of a process [MB]."""
    try:
        return int(Path(f"/proc/{pid}/statm").read_text().split()[1]) * PAGE_MB
    except OSError:
        return 0.0


def handles() -> int:
    """Open handles of this process."""
    return len(os.listdir("/proc/self/fd"))


def soak(edits: int, where: str, every: int = 250, seed: int = 1) -> list[tuple[int, float, float, int, int]]:
    """Edit so many times; the curve: edits, memory of the window and of the studies [MB], handles, threads."""
    from pigtail.advice import remedies
    from pigtail.service.client import Helper, Inside

    remedies.BUDGET_S = ADVICE_S  # before the studies' process is made: it keeps it
    helper = Helper() if where == "process" else Inside()
    from PyQt6.QtCore import QSettings
    from PyQt6.QtWidgets import QApplication

    from pigtail.catalogue.demo import demo
    from pigtail.desktop import theme
    from pigtail.desktop.assemble import Assembly
    from pigtail.desktop.window import MainWindow
    from pigtail.job.recovery import Keeper
    from pigtail.job.saving import Obstacle
    from pigtail.units.store import stores
    from tools.strange import change_of

    app = QApplication.instance() or QApplication([""])
    theme.load_fonts()
    chance = random.Random(seed)
    curve = []
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        window = MainWindow("a long day")
        settings = QSettings(str(folder / "settings.ini"), QSettings.Format.IniFormat)
        assembly = Assembly(window, Keeper(folder / "recovery"), settings, helper)
        assembly.finish()
        window.show()
        assembly.files.start(demo("larkmoor"), None)
        stations = list(window.lead.splices)

        def rest() -> None:
            until = time.monotonic() + 600
            while time.monotonic() < until:
                app.processEvents()
                if assembly.quiet:
                    return
                time.sleep(0.002)
            busy = {
                "disk": assembly.session._disk.idle, "study": assembly.session._study.idle, "side": assembly.side.idle,
                "bench": assembly.bench.idle, "images": assembly.images.idle,
            }  # fmt: skip
            faulthandler.dump_traceback()
            raise RuntimeError(
                f"the window does not come to rest: {[k for k, idle in busy.items() if not idle]}"
            )

        rest()
        done = 0
        while done < edits:
            for _ in range(min(BURST, edits - done)):
                kind = chance.random()
                if kind < 0.15:
                    assembly.session.undo()
                elif kind < 0.2:
                    assembly.session.redo()
                else:
                    assembly.session.edit(change_of(assembly.session.job, chance))
                app.processEvents()
                done += 1
            if chance.random() < 0.3:
                assembly.views.go(chance.choice(stations))
            if chance.random() < 0.01:
                assembly.session.save(folder / "job.pigtail", frozenset(Obstacle))
            if chance.random() < 0.08:
                assembly.files.start(demo(chance.choice(("larkmoor", "tidewell"))), None)
            rest()
            if done % every < BURST:
                gc.collect()
                pid = getattr(helper, "_pid", 0)
                curve.append(
                    (
                        done,
                        resident(os.getpid()),
                        resident(pid) if pid else 0.0,
                        handles(),
                        threading.active_count(),
                    )
                )
                full = {k.rpartition(".")[2]: n for k, (n, _) in stores().items() if n}
                print(*(f"{v:.1f}" if isinstance(v, float) else v for v in curve[-1]), full, flush=True)
        window.may_close = lambda: True
        window.close()
        assembly.close()
        helper.close()
    return curve


def growth(curve: list[tuple[int, float, float, int, int]]) -> float:
    """Memory for every thousand edits after the first thousand [MB]: the slope of the best straight line."""
    import numpy as np

    later = [(n, a + b) for n, a, b, _, _ in curve if n >= 1000] or [(n, a + b) for n, a, b, _, _ in curve]
    at, size = np.array(later).T
    return float(1000 * np.polyfit(at, size, 1)[0]) if len(later) > 1 else 0.0


if __name__ == "__main__":
    sys.path.insert(0, str(Path(__file__).parents[1]))
    count, place = int(sys.argv[1]), sys.argv[2] if len(sys.argv) > 2 else "inside"
    found = soak(count, place, int(sys.argv[3]) if len(sys.argv) > 3 else 250)
    print(f"{count} edits, studies {place}: {growth(found):+.2f} MB for every thousand after the first")
