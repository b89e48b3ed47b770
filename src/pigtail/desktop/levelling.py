"""What the Level station asks for, run in the background: the quick look, the search, two ways, a match, the parts."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject

from pigtail.desktop.work import Lane
from pigtail.job.edits import set_values
from pigtail.job.model import Job

if TYPE_CHECKING:
    from pigtail.desktop.desk import Desk
    from pigtail.desktop.helper import Helper, Inside
    from pigtail.desktop.stations.level import LevelStation
    from pigtail.studies.results import FeedDetail


class Levelling(QObject):
    """Serves one Level station of a window.

    A search goes step by step through the studies' process, so that it can be stopped between any two and the first answers
    are seen early. Quick looks at a value being turned go through a process of their own, which nothing else holds up.
    """

    def __init__(self, desk: Desk, station: LevelStation) -> None:
        super().__init__(station)
        self._desk, self._station = desk, station
        self._turn = 0
        self._quick = Lane("quick", self)
        self._helper: Helper | Inside = type(desk.session.helper)()
        found = station.found
        found.search_wanted.connect(self._search)
        found.stop_wanted.connect(self._stop)
        found.schools_wanted.connect(self._schools)
        found.match_wanted.connect(self.ask_match)
        found.stock_wanted.connect(self.ask_stock)
        desk.session.changed.connect(self._glance)

    # -- the quick look -------------------------------------------------------------------------------------

    def _glance(self, job: Job) -> None:
        """Another job is current: show what can be shown at once, ahead of the studies."""
        link = self._station.feed_on_view
        if not link or job.link(link) is None or not self._station.isVisible():
            return

        def show(detail: FeedDetail | None) -> None:
            if detail is not None and job is self._desk.session.job:
                self._station.show_glance(job, detail)

        self._desk.session.postpone()
        # a quick look that fails is left to the studies, which tell why
        self._quick.submit("glance", lambda: self._helper.call("glance", job, link), show, lambda _e: None)

    # -- the search -----------------------------------------------------------------------------------------

    def _search(self, job: Job, link: str, series: str, only_stock: bool) -> None:
        self._turn += 1
        turn = self._turn

        def step(steps: tuple[int, ...], done: int, before: bytes) -> None:
            if turn != self._turn or done >= len(steps):
                return

            def show(answer: Any) -> None:
                after, found = answer
                if turn == self._turn:
                    self._station.found.show_search(job, found, done + 1, len(steps))
                    step(steps, done + 1, after)

            self._ask(
                "suggest_step", show, job, link, steps[done], series, only_stock, before, failed=self._lost
            )

        self._ask("suggest_steps", lambda steps: step(steps, 0, b""), job, link, failed=self._lost)

    def _lost(self, error: BaseException) -> None:
        self._stop()
        self._station.found.show_trouble()
        self._desk.tell(str(error))

    def _stop(self) -> None:
        self._turn += 1

    # -- two ways, a match, the parts -----------------------------------------------------------------------

    def _schools(self, job: Job, link: str) -> None:
        show = partial(self._station.found.show_schools, job, link)
        self._ask("level_schools", show, job, link, failed=self._lost)

    def ask_match(self, job: Job, link_id: str) -> None:
        """Ask how much louder another source is, and want that level."""
        from pigtail.desktop.matchdialog import MatchDialog
        from pigtail.job.readings import levels_read

        link = job.link(link_id)
        if link is None:
            return
        readings = next((r for a in link.at("out") if (r := levels_read(job, a))), ())
        dialog = MatchDialog(link.name, readings, self._desk.window)
        dialog.measure_wanted.connect(
            lambda now, other: self._judge(now, other, dialog.show_louder, dialog.show_trouble)
        )
        if dialog.exec() and dialog.louder_db is not None:
            self.match(job, link_id, dialog.louder_db, dialog.source)

    def _judge(
        self, now: Path, other: Path, done: Callable[[float], None], failed: Callable[[str], None]
    ) -> None:
        self._ask("louder", done, now, other, failed=lambda error: failed(str(error)))

    def match(self, job: Job, link: str, louder_db: float, source: str) -> None:
        """Want at a feed's input what is so much louder [dB] than what arrives now."""

        def apply(values: Any) -> None:
            self._desk.session.edit(f"want it {source}", partial(set_values, values=values))

        self._ask("matched", apply, job, link, louder_db, source)

    def ask_stock(self) -> None:
        """Ask which parts the person has."""
        from pigtail.desktop.stockdialog import StockDialog

        StockDialog(self._desk.window).exec()

    def _ask(
        self,
        service: str,
        done: Callable[[Any], None],
        *arguments: object,
        failed: Callable[[BaseException], None] | None = None,
    ) -> None:
        self._desk.side.submit(
            service,
            lambda: self._desk.session.helper.call(service, *arguments),
            done,
            failed or (lambda e: self._desk.tell(str(e))),
        )

    @property
    def idle(self) -> bool:
        """Whether no quick look is under way."""
        return self._quick.idle

    def close(self) -> None:
        """End the background work."""
        self._stop()
        self._quick.close()
        self._helper.close()
