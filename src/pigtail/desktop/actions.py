"""All actions of the window as one table: menus, the key sheet and the tests read it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple


class Entry(NamedTuple):
    """An action: its id, words, keys, menu, what it does to the assembly, and when it can be used."""

    id: str
    words: str
    keys: str
    menu: str
    run: Callable[[Any], None]
    enabled: Callable[[Any], bool] = lambda _a: True


def _has_job(a: Any) -> bool:
    return a.session.job is not None


TABLE: tuple[Entry, ...] = (
    Entry("new", "New job…", "Ctrl+N", "Job", lambda a: a.new_job()),
    Entry("open", "Open…", "Ctrl+O", "Job", lambda a: a.ask_open()),
    Entry("save", "Save", "Ctrl+S", "Job", lambda a: a.save_job(), _has_job),
    Entry("save_as", "Save as…", "Ctrl+Shift+S", "Job", lambda a: a.ask_save_as(), _has_job),
    Entry("sheet", "Write the sheet…", "Ctrl+E", "Job", lambda a: a.ask_sheet(), _has_job),
    Entry("print", "Print the sheet…", "Ctrl+P", "Job", lambda a: a.ask_print(), _has_job),
    Entry("quit", "Quit", "Ctrl+Q", "Job", lambda a: a.quit()),
    Entry("undo", "Undo", "Ctrl+Z", "Edit", lambda a: a.session.undo(), lambda a: bool(a.session.undo_words)),
    Entry("redo", "Redo", "Ctrl+Shift+Z", "Edit", lambda a: a.session.redo(), lambda a: bool(a.session.redo_words)),
    Entry("brief", "Name and brief…", "Ctrl+I", "Edit", lambda a: a.ask_brief(), _has_job),
    Entry("propose", "Propose a plan", "Ctrl+R", "Edit", lambda a: a.propose_plan(), lambda a: a.can_propose()),
    Entry("strike", "Strike the chosen reading", "Ctrl+D", "Edit", lambda a: a.strike_reading(), _has_job),
    Entry("go_survey", "Survey", "Alt+1", "Go", lambda a: a.go("survey"), _has_job),
    Entry("go_taps", "Taps", "Alt+2", "Go", lambda a: a.go("taps"), _has_job),
    Entry("go_level", "Level", "Alt+3", "Go", lambda a: a.go("level"), _has_job),
    Entry("go_power", "Power", "Alt+4", "Go", lambda a: a.go("power"), _has_job),
    Entry("go_returns", "Returns", "Alt+5", "Go", lambda a: a.go("returns"), _has_job),
    Entry("go_build", "Build", "Alt+6", "Go", lambda a: a.go("build"), _has_job),
    Entry("go_findings", "Findings", "Ctrl+F", "Go", lambda a: a.focus_findings(), _has_job),
    Entry("go_bench", "Bench strip", "Ctrl+B", "Go", lambda a: a.focus_bench(), _has_job),
    Entry("meter", "The meter…", "Ctrl+M", "Bench", lambda a: a.ask_meter()),
    Entry("read", "Read the meter", "F9", "Bench", lambda a: a.strip.ask_meter(), _has_job),
    Entry("probes", "Set the probes to what is next", "F7", "Bench", lambda a: a.strip.take_next(), _has_job),
    Entry("mode", "Bench mode", "F8", "Bench", lambda a: a.bench.open_mode(), _has_job),
    Entry("take_in", "Take in readings from a file…", "", "Bench", lambda a: a.ask_readings(), _has_job),
    Entry("paste", "Paste readings", "Ctrl+Shift+V", "Bench", lambda a: a.paste_readings(), _has_job),
    Entry("correct", "Correct the chosen reading…", "Ctrl+Shift+D", "Bench", lambda a: a.correct_reading(), _has_job),
    Entry("light", "Light", "", "View", lambda a: a.set_theme("light")),
    Entry("dark", "Dark", "", "View", lambda a: a.set_theme("dark")),
    Entry("keys", "Keys", "F1", "Help", lambda a: a.show_keys()),
    Entry("about", "About Pigtail", "", "Help", lambda a: a.show_about()),
)  # fmt: skip
MENUS = ("Job", "Edit", "Go", "Bench", "View", "Help")
