"""What is copied for others: a finding or a station, as Markdown, as text or as a picture."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QApplication

from pigtail.language import tr

if TYPE_CHECKING:
    from pigtail.desktop.assemble import Assembly


def copy(a: Assembly, what: str, how: str) -> None:
    """Copy the finding picked or the station on view: as `markdown`, `text` or `picture`."""
    job, studies, clipboard = a.session.job, a.session.studies, QApplication.clipboard()
    view = a.views.made.get(a.views.here)
    if job is None or studies is None or clipboard is None or view is None:
        return
    if how == "picture":
        clipboard.setPixmap(view.grab())
        a.tell(tr("The station is on the clipboard as a picture."))
        return
    from pigtail.sheet.forum import finding_words, station_words

    markdown = how == "markdown"
    if what == "finding":
        finding = a.why.picked_finding
        if finding is None:
            a.tell(tr("Pick a finding at the right first."))
            return
        clipboard.setText(finding_words(job, studies, finding, markdown=markdown))
    else:
        study = next(s for s in studies.each() if s.name == a.views.here)
        words = a.window.lead.splices[a.views.here].words
        clipboard.setText(station_words(job, studies, words, study, markdown=markdown))
    told = {
        ("finding", True): tr("The finding is on the clipboard as Markdown."),
        ("finding", False): tr("The finding is on the clipboard as text."),
        ("station", True): tr("The station is on the clipboard as Markdown."),
        ("station", False): tr("The station is on the clipboard as text."),
    }
    a.tell(told[what, markdown])
