"""All actions of the window as one table: menus, the key sheet and the tests read it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING, NamedTuple

from PyQt6.QtCore import Qt

from pigtail.studies.register import REGISTER

if TYPE_CHECKING:
    from pigtail.desktop.assemble import Assembly


class Action(NamedTuple):
    """An action: its id, words, keys, menu, what it does to the assembly, and when it can be used."""

    id: str
    words: str
    keys: str
    menu: str
    run: Callable[[Assembly], object]
    enabled: Callable[[Assembly], bool] = lambda _a: True
    #: Other keys that do the same.
    more_keys: str = ""

    @property
    def plain(self) -> str:
        """Its words without the mark of the letter that is underlined."""
        return self.words.replace("&", "")


def _has_job(a: Assembly) -> bool:
    return a.session.job is not None


def _stations() -> Iterator[Action]:
    """Going to each station of the register: Alt and its number, from the tenth on Alt, Shift and its last digit."""
    for number, study in enumerate(REGISTER, start=1):
        keys = f"Alt+{number}" if number < 10 else f"Alt+Shift+{number % 10}"
        yield Action(f"go_{study.key}", study.words, keys, "Go", _going(study.key), _has_job)


def _going(key: str) -> Callable[[Assembly], object]:
    return lambda a: a.views.go(key)


def _dressed(name: str) -> Callable[[Assembly], object]:
    def dress(a: Assembly) -> None:
        from pigtail.desktop.looks import set_theme

        set_theme(a.settings, name)
        a.window.update()
        a.views.refresh()

    return dress


def _sized(by: int) -> Callable[[Assembly], object]:
    def size(a: Assembly) -> None:
        from pigtail.desktop.looks import set_text_size

        set_text_size(a, by)

    return size


def _help(a: Assembly) -> None:
    from pigtail.desktop.helping import show_help

    show_help(a.window, a.views.here if a.session.job is not None else "")


def _full_screen(a: Assembly) -> None:
    a.window.setWindowState(a.window.windowState() ^ Qt.WindowState.WindowFullScreen)


def _copying(what: str, how: str) -> Callable[[Assembly], object]:
    def copy(a: Assembly) -> None:
        from pigtail.desktop import copying

        copying.copy(a, what, how)

    return copy


def _keys(a: Assembly) -> None:
    from pigtail.desktop.looks import show_keys

    show_keys(a, ((e.keys, f"{e.menu}: {e.plain}") for e in TABLE if e.keys))


def _own(a: Assembly) -> None:
    from pigtail.desktop.owndevices import OwnDevices

    OwnDevices(a.window).exec()


def _about(a: Assembly) -> None:
    from pigtail.desktop.looks import show_about

    show_about(a)


def _reading(name: str) -> Callable[[Assembly], object]:
    """An errand of the readings, by its name; its file is loaded when it is first run."""

    def run(a: Assembly) -> None:
        from pigtail.desktop import readings

        readings.ERRANDS[name](a)

    return run


TABLE: tuple[Action, ...] = (
    Action("new", "&New job…", "Ctrl+N", "Job", lambda a: a.files.new_job()),
    Action("open", "&Open…", "Ctrl+O", "Job", lambda a: a.files.ask_open()),
    Action("close", "&Close the job", "Ctrl+W", "Job", lambda a: a.close_job(), _has_job),
    Action("save", "&Save", "Ctrl+S", "Job", lambda a: a.files.save_job(), _has_job),
    Action("save_as", "Save &as…", "Ctrl+Shift+S", "Job", lambda a: a.files.ask_save_as(), _has_job),
    Action("sheet", "&Write the sheet…", "Ctrl+E", "Job", lambda a: a.output.ask_sheet(), _has_job),
    Action("print", "&Print the sheet…", "Ctrl+P", "Job", lambda a: a.output.ask_print(), _has_job),
    Action("preview", "Loo&k at the sheet first…", "Ctrl+Shift+P", "Job", lambda a: a.output.preview(), _has_job),
    Action("pack", "Wr&ite a pack…", "Ctrl+Shift+E", "Job", lambda a: a.passing.ask_pack(), _has_job),
    Action("again", "&Build it again…", "", "Job", lambda a: a.passing.ask_again(), _has_job),
    Action("own", "Your own &modules and hosts…", "", "Job", _own),
    Action("quit", "&Quit", "Ctrl+Q", "Job", lambda a: a.window.close()),
    Action("undo", "Undo", "Ctrl+Z", "Edit", lambda a: a.session.undo(), lambda a: bool(a.session.undo_words)),
    Action("redo", "Redo", "Ctrl+Shift+Z", "Edit", lambda a: a.session.redo(), lambda a: bool(a.session.redo_words), "Ctrl+Y"),
    Action("story", "Copy the &story as Markdown", "Ctrl+Shift+C", "Edit", lambda a: a.passing.copy_markdown(), _has_job),
    Action("story_text", "Copy the story as &text", "", "Edit", lambda a: a.passing.copy_text(), _has_job),
    Action("brief", "&Name and brief…", "Ctrl+I", "Edit", lambda a: a.ask_brief(), _has_job),
    Action("propose", "&Propose a plan", "Ctrl+R", "Edit", lambda a: a.propose_plan(), lambda a: a.can_propose()),
    Action("module", "Add a &module…", "Ctrl+Shift+M", "Edit", lambda a: a.add_module(), _has_job),
    Action("strike", "Stri&ke the chosen reading", "Ctrl+D", "Edit", _reading("strike"), _has_job),
    Action("copy_finding", "Copy the &finding as Markdown", "Ctrl+Alt+C", "Edit", _copying("finding", "markdown"), _has_job),
    Action("copy_finding_text", "Copy the finding as te&xt", "", "Edit", _copying("finding", "text"), _has_job),
    Action("copy_station", "Copy the stat&ion as Markdown", "", "Edit", _copying("station", "markdown"), _has_job),
    Action("copy_station_text", "Copy the station as t&ext", "", "Edit", _copying("station", "text"), _has_job),
    Action("copy_picture", "Copy the station as a pi&cture", "Ctrl+Alt+P", "Edit", _copying("station", "picture"), _has_job),
    *_stations(),
    Action("go_findings", "&Findings", "Ctrl+F", "Go", lambda a: a.why.list.setFocus(), _has_job),
    Action("go_bench", "&Bench strip", "Ctrl+B", "Go", lambda a: a.strip.reading.setFocus(), _has_job),
    Action("meter", "&The meter…", "Ctrl+M", "Bench", lambda a: a.ask_meter()),
    Action("read", "&Read the meter", "F9", "Bench", lambda a: a.strip.ask_meter(), _has_job),
    Action("probes", "&Set the probes to what is next", "F7", "Bench", lambda a: a.strip.take_next(), _has_job),
    Action("mode", "&Bench mode", "F8", "Bench", lambda a: a.bench.open_mode(), _has_job),
    Action("run", "R&unbook, step by step", "Shift+F8", "Bench", lambda a: a.run_book(), _has_job),
    Action("import", "&Import readings from a file…", "", "Bench", _reading("import"), _has_job),
    Action("paste", "&Paste readings", "Ctrl+Shift+V", "Bench", _reading("paste"), _has_job),
    Action("correct", "&Correct the chosen reading…", "Ctrl+Shift+D", "Bench", _reading("correct"), _has_job),
    Action("as_system", "&As the system", "", "View", _dressed("system")),
    Action("light", "&Light", "", "View", _dressed("light")),
    Action("dark", "&Dark", "", "View", _dressed("dark")),
    Action("larger", "Lar&ger", "Ctrl++", "View", _sized(1), more_keys="Ctrl+="),
    Action("smaller", "&Smaller", "Ctrl+-", "View", _sized(-1)),
    Action("usual", "&Usual size", "Ctrl+0", "View", _sized(0)),
    Action("full", "&Full screen", "F11", "View", _full_screen),
    Action("help", "&Help", "F1", "Help", _help),
    Action("keys", "&Keys", "Shift+F1", "Help", _keys),
    Action("about", "&About Pigtail", "", "Help", _about),
)  # fmt: skip
MENUS = ("Job", "Edit", "Go", "Bench", "View", "Help")
