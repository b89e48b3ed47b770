"""The menu that changes the networks of a link, as Level and Power have it: an action for a change, the figures of what is bought whole."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QMenu, QWidget

from pigtail.catalogue.topologies import topology
from pigtail.edits.change import FeedChange
from pigtail.job.document import Job, Link
from pigtail.language import tr

#: What takes a change of the link on view.
Run = Callable[[FeedChange], None]


def add_action(
    menu: QMenu, text: str, words: str, change: Callable[..., Job], run: Run, tip: str = ""
) -> QAction:
    """An action that makes a change: its text, what the change is called, and what it is good for."""
    action = menu.addAction(text)
    assert action is not None
    action.setToolTip(tip)
    action.triggered.connect(lambda _c: run(FeedChange(words, change)))
    return action


def add_figures(menu: QMenu, link: Link, ask: Callable[[int], None]) -> None:
    """An action for each network of a link that has figures from papers; ask takes its place in the row."""
    for index, section in enumerate(link.sections):
        shape = topology(section.topology)
        if any(p.kind == "figure" for p in shape.parts):
            action = menu.addAction(tr("Figures of: {lower}…", lower=shape.title.lower()))
            assert action is not None
            action.triggered.connect(lambda _c, k=index: ask(k))


def ask_figures(link: Link | None, index: int, parent: QWidget, run: Run) -> None:
    """Ask for the figures of a network that are not bought as parts."""
    from pigtail.desktop.figuresdialog import FiguresDialog

    if link is None:
        return
    dialog = FiguresDialog(link.sections[index], parent)
    if dialog.exec() and dialog.change is not None:
        words = tr("figures of {lower}", lower=topology(link.sections[index].topology).title.lower())
        run(FeedChange(words, partial(dialog.change, section=index)))
