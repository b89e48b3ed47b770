"""Files that were dropped on the window: each goes where it belongs, by the end of its name."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from pigtail.desktop.suffixes import DEVICES, JOBS, PICTURES, SOUNDS, TABLES
from pigtail.language import tr

if TYPE_CHECKING:
    from pigtail.desktop.assemble import Assembly
    from pigtail.desktop.stations.survey.station import SurveyStation


def drop(a: Assembly, path: Path) -> None:
    """Take a file: a job is opened, a module added, readings are logged, a picture is pinned on, a recording is matched."""
    name = path.name.lower()
    if name.endswith(JOBS):
        a.files.open_path(path)
    elif a.session.job is None:
        a.tell(tr("{path} belongs to a job; open one or begin one first.", path=path.name))
    elif name.endswith(DEVICES):
        _survey(a).show_devices().read(path)
    elif name.endswith(TABLES):
        from pigtail.desktop.readings import import_file

        import_file(a, path)
    elif name.endswith(PICTURES):
        _survey(a).show_pictures().take(path)
    elif name.endswith(SOUNDS):
        _match(a, path)


def _survey(a: Assembly) -> SurveyStation:
    from pigtail.desktop.stations.survey.station import SurveyStation

    a.views.go("survey")
    view = a.views.of("survey")
    assert isinstance(view, SurveyStation)
    return view


def _match(a: Assembly, path: Path) -> None:
    """A recording: the other source that a feed is to be as loud as."""
    from pigtail.desktop.stations.level.station import LevelStation

    a.views.go("level")
    view = a.views.of("level")
    assert isinstance(view, LevelStation)
    if a.session.job is None or not view.feed_on_view:
        a.tell(tr("There is no feed yet that a recording could be compared with; plan one first."))
        return
    view.asking.ask_match(a.session.job, view.feed_on_view, path)
