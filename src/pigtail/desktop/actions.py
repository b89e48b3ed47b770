"""All actions of the window as one table: menus, the key sheet and the tests read it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING, NamedTuple

from PyQt6.QtCore import Qt

from pigtail.language import LANGUAGES, SYSTEM, tr
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
        yield Action(f"go_{study.key}", study.words, keys, tr("Go"), _going(study.key), _has_job)


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


def _spoken(code: str) -> Callable[[Assembly], object]:
    def speak(a: Assembly) -> None:
        from pigtail.desktop.looks import set_language

        set_language(a, code)

    return speak


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
    Action("new", tr("&New job…"), "Ctrl+N", tr("Job"), lambda a: a.files.new_job()),
    Action("open", tr("&Open…"), "Ctrl+O", tr("Job"), lambda a: a.files.ask_open()),
    Action("close", tr("&Close the job"), "Ctrl+W", tr("Job"), lambda a: a.close_job(), _has_job),
    Action("save", tr("&Save"), "Ctrl+S", tr("Job"), lambda a: a.files.save_job(), _has_job),
    Action("save_as", tr("Save &as…"), "Ctrl+Shift+S", tr("Job"), lambda a: a.files.ask_save_as(), _has_job),
    Action("sheet", tr("&Write the sheet…"), "Ctrl+E", tr("Job"), lambda a: a.output.ask_sheet(), _has_job),
    Action("print", tr("&Print the sheet…"), "Ctrl+P", tr("Job"), lambda a: a.output.ask_print(), _has_job),
    Action("preview", tr("Loo&k at the sheet first…"), "Ctrl+Shift+P", tr("Job"), lambda a: a.output.preview(), _has_job),
    Action("pack", tr("Wr&ite a pack…"), "Ctrl+Shift+E", tr("Job"), lambda a: a.passing.ask_pack(), _has_job),
    Action("again", tr("&Build it again…"), "", tr("Job"), lambda a: a.passing.ask_again(), _has_job),
    Action("own", tr("Your own &modules and hosts…"), "", tr("Job"), _own),
    Action("quit", tr("&Quit"), "Ctrl+Q", tr("Job"), lambda a: a.window.close()),
    Action("undo", tr("Undo"), "Ctrl+Z", tr("Edit"), lambda a: a.session.undo(), lambda a: bool(a.session.undo_words)),
    Action("redo", tr("Redo"), "Ctrl+Shift+Z", tr("Edit"), lambda a: a.session.redo(), lambda a: bool(a.session.redo_words), "Ctrl+Y"),
    Action("story", tr("Copy the &story as Markdown"), "Ctrl+Shift+C", tr("Edit"), lambda a: a.passing.copy_markdown(), _has_job),
    Action("story_text", tr("Copy the story as &text"), "", tr("Edit"), lambda a: a.passing.copy_text(), _has_job),
    Action("brief", tr("&Name and brief…"), "Ctrl+I", tr("Edit"), lambda a: a.ask_brief(), _has_job),
    Action("propose", tr("&Propose a plan"), "Ctrl+R", tr("Edit"), lambda a: a.propose_plan(), lambda a: a.can_propose()),
    Action("module", tr("Add a &module…"), "Ctrl+Shift+M", tr("Edit"), lambda a: a.add_module(), _has_job),
    Action("strike", tr("Stri&ke the chosen reading"), "Ctrl+D", tr("Edit"), _reading("strike"), _has_job),
    Action("copy_finding", tr("Copy the &finding as Markdown"), "Ctrl+Alt+C", tr("Edit"), _copying("finding", "markdown"), _has_job),
    Action("copy_finding_text", tr("Copy the finding as te&xt"), "", tr("Edit"), _copying("finding", "text"), _has_job),
    Action("copy_station", tr("Copy the stat&ion as Markdown"), "", tr("Edit"), _copying("station", "markdown"), _has_job),
    Action("copy_station_text", tr("Copy the station as t&ext"), "", tr("Edit"), _copying("station", "text"), _has_job),
    Action("copy_picture", tr("Copy the station as a pi&cture"), "Ctrl+Alt+P", tr("Edit"), _copying("station", "picture"), _has_job),
    *_stations(),
    Action("go_findings", tr("&Findings"), "Ctrl+F", tr("Go"), lambda a: a.why.list.setFocus(), _has_job),
    Action("go_bench", tr("&Bench strip"), "Ctrl+B", tr("Go"), lambda a: a.strip.reading.setFocus(), _has_job),
    Action("meter", tr("&The meter…"), "Ctrl+M", tr("Bench"), lambda a: a.ask_meter()),
    Action("read", tr("&Read the meter"), "F9", tr("Bench"), lambda a: a.strip.ask_meter(), _has_job),
    Action("probes", tr("&Set the probes to what is next"), "F7", tr("Bench"), lambda a: a.strip.take_next(), _has_job),
    Action("mode", tr("&Bench mode"), "F8", tr("Bench"), lambda a: a.bench.open_mode(), _has_job),
    Action("run", tr("R&unbook, step by step"), "Shift+F8", tr("Bench"), lambda a: a.run_book(), _has_job),
    Action("import", tr("&Import readings from a file…"), "", tr("Bench"), _reading("import"), _has_job),
    Action("paste", tr("&Paste readings"), "Ctrl+Shift+V", tr("Bench"), _reading("paste"), _has_job),
    Action("correct", tr("&Correct the chosen reading…"), "Ctrl+Shift+D", tr("Bench"), _reading("correct"), _has_job),
    Action("as_system", tr("&As the system"), "", tr("View"), _dressed("system")),
    Action("light", tr("&Light"), "", tr("View"), _dressed("light")),
    Action("dark", tr("&Dark"), "", tr("View"), _dressed("dark")),
    Action("larger", tr("Lar&ger"), "Ctrl++", tr("View"), _sized(1), more_keys="Ctrl+="),
    Action("smaller", tr("&Smaller"), "Ctrl+-", tr("View"), _sized(-1)),
    Action("usual", tr("&Usual size"), "Ctrl+0", tr("View"), _sized(0)),
    Action("speak_system", tr("Language of the s&ystem"), "", tr("View"), _spoken(SYSTEM)),
    *(Action(f"speak_{code}", name, "", tr("View"), _spoken(code)) for code, name in LANGUAGES.items()),
    Action("full", tr("&Full screen"), "F11", tr("View"), _full_screen),
    Action("help", tr("&Help"), "F1", tr("Help"), _help),
    Action("keys", tr("&Keys"), "Shift+F1", tr("Help"), _keys),
    Action("about", tr("&About Pigtail"), "", tr("Help"), _about),
)  # fmt: skip
MENUS = (tr("Job"), tr("Edit"), tr("Go"), tr("Bench"), tr("View"), tr("Help"))
