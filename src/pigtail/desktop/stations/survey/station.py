"""Survey: the host's chain with its points, the pigtail hanging from those that are used, and all that is known."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, NamedTuple

from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF, QSize
from PyQt6.QtGui import QPainter, QPen, QResizeEvent
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QSizePolicy, QStackedWidget, QVBoxLayout

from pigtail.catalogue.glossary import how_to_find, tip_for
from pigtail.desktop import theme
from pigtail.desktop.fields import read_known
from pigtail.desktop.labels import OneLine
from pigtail.desktop.stations.base import Align, Painting, Station, say, wire
from pigtail.desktop.stations.survey.chain import ChainTables
from pigtail.desktop.stations.survey.devices import Devices
from pigtail.desktop.stations.survey.hazard import Hazard
from pigtail.desktop.stations.survey.pictures import Pictures
from pigtail.desktop.stations.survey.points import Points
from pigtail.desktop.stations.survey.sources import SourcesTable
from pigtail.desktop.stations.survey.sweep import SweepTable
from pigtail.desktop.tables import Cell, Lazy, RowsModel, make_table, set_widths
from pigtail.desktop.wants import Probes
from pigtail.edits.change import Change, Edit
from pigtail.edits.values import set_ambient, set_path, set_supply, set_value
from pigtail.job.ask import IN_SERIES, Ask
from pigtail.job.derive import observed
from pigtail.job.document import HOST, Job, Reading, SupplyClass
from pigtail.job.quantities import AMBIENT, PATH_RESISTANCE, Quantity, quantities
from pigtail.job.reading_import import text_of
from pigtail.language import tr
from pigtail.studies.survey.found import SurveyFound
from pigtail.units import Basis, KnownError, UnreadableError, format_known, format_quantity
from pigtail.units.known import Known

if TYPE_CHECKING:
    from pigtail.studies.found import Studies

#: How strong a value's basis is, as a word of colour: what was measured stands out, what is not known too.
BASIS_USES = {
    "measured": "good",
    "documented": "accent",
    "typical": "dim",
    "guessed": "watch",
    "unknown": "unknown",
}


class ChainPicture(Painting):
    """The stages in order, their points beneath, marked by whether they are used and whether they were read."""

    def __init__(self) -> None:
        super().__init__("chain", QSize(420, 190))
        self.job: Job | None = None
        self.used: frozenset[str] = frozenset()
        self.read: frozenset[str] = frozenset()

    def show_chain(self, job: Job) -> None:
        """Show the chain of a job's host."""
        from pigtail.job.wiring import confirmed, used_points

        self.job = job
        self.used = frozenset(used_points(job))
        self.read = frozenset(a for a in job.addresses() if confirmed(job, a))
        stages = ", ".join(s.name for s in job.host.stages)
        most = max((len(s.points) for s in job.host.stages), default=0)
        self.setMaximumHeight(CHAIN_HEIGHT + POINT_HEIGHT * most)
        self.describe(
            tr(
                "{host}: {stages}. Points of the plan: {count}, read: {count2}",
                host=job.host.name,
                stages=stages,
                count=len(self.used),
                count2=len(self.used & self.read),
            )
        )

    def paint(self, painter: QPainter, box: QRectF) -> None:
        if self.job is None:
            return
        job, t = self.job, theme.current()
        say(
            painter,
            QRectF(box.left(), box.top(), box.width(), 16),
            tr("{host} and the pigtail", host=job.host.name),
            bold=True,
            px=12,
        )
        legend = QRectF(box.left(), box.top(), box.width(), 16)
        say(
            painter,
            legend,
            tr("filled: read with the meter · hollow: on paper only"),
            use="dim",
            px=10,
            align=Align.AlignRight | Align.AlignVCenter,
        )
        stages = job.host.stages
        if not stages:
            return
        gap = 18.0
        width = (box.width() - gap * (len(stages) - 1)) / len(stages)
        top, height = box.top() + 24, 34.0
        bus = box.bottom() - 34
        painter.setPen(QPen(t.color("line"), 2))
        painter.drawLine(QPointF(box.left(), top + height / 2), QPointF(box.right(), top + height / 2))
        hanging: list[QPointF] = []
        for k, stage in enumerate(stages):
            rect = QRectF(box.left() + k * (width + gap), top, width, height)
            painter.setPen(QPen(t.color("dim"), 1.5))
            painter.setBrush(t.color("field"))
            painter.drawRoundedRect(rect, 4, 4)
            say(painter, rect.adjusted(4, 0, -4, 0), stage.name, bold=True, px=12, align=Align.AlignCenter)
            hanging += self._points(painter, rect, stage.points, bus)
        self._pigtail(painter, box, bus, hanging)

    def _points(self, painter: QPainter, rect: QRectF, points: tuple[str, ...], bus: float) -> list[QPointF]:
        """The points of a stage under it; returns where the used ones hang down."""
        assert self.job is not None
        t = theme.current()
        hanging = []
        for k, point in enumerate(points):
            address = f"{HOST}.{point}"
            y = rect.bottom() + 15 + POINT_HEIGHT * k
            at = QPointF(rect.left() + 12, y)
            used, read = address in self.used, address in self.read
            color = t.color("copper") if used else t.color("dim")
            if used:
                wire(painter, [at, QPointF(at.x(), bus)], width=2.0)
                hanging.append(QPointF(at.x(), bus))
            painter.setPen(QPen(color, 2))
            painter.setBrush(color if read else t.color("panel"))
            painter.drawEllipse(at, 5, 5)
            name = self.job.label(address)
            say(
                painter,
                QRectF(at.x() + 10, y - 9, rect.width() - 24, 18),
                name,
                px=11,
                bold=used,
                use="ink" if used else "dim",
                middle=True,
            )
        return hanging

    def _pigtail(self, painter: QPainter, box: QRectF, bus: float, hanging: list[QPointF]) -> None:
        assert self.job is not None
        names = " + ".join(m.name for m in self.job.modules) or tr("no module yet")
        label = QRectF(box.left(), bus + 6, box.width(), 26)
        if hanging:
            first, last = min(p.x() for p in hanging), max(p.x() for p in hanging)
            wire(painter, [QPointF(first, bus), QPointF(max(last, first + 60), bus)], width=4.0)
            label = QRectF(first, bus + 8, box.right() - first, 22)
        say(
            painter,
            label,
            tr("pigtail to: {names}", names=names),
            bold=True,
            px=12,
            use="ink" if hanging else "dim",
        )


#: What the picture of the chain takes, and each point under a stage [px].
CHAIN_HEIGHT, POINT_HEIGHT = 122, 21
#: The least height of a list beneath it [px]; where less is left, the picture gives way.
LIST_HEIGHT = 150
SPACING = 8
#: What the Survey can show besides its picture: words, and the page they stand for.
PAGES = (
    tr("what is known"),
    tr("readings taken"),
    tr("chain and states"),
    tr("points and places"),
    tr("connector sweep"),
    tr("photos and papers"),
    tr("before touching"),
    tr("windings, batteries, rails"),
    tr("host and modules"),
)
KNOWN, LOG, STAGES, POINTS, SWEEP, PICTURES, HAZARD, SOURCES, DEVICES = range(len(PAGES))


class SurveyStation(Station):
    """The Survey station. It wants the probes set."""

    key = "survey"

    def __init__(self) -> None:
        super().__init__()
        self.chain = ChainPicture()
        self.supply = QComboBox()
        self.supply.setObjectName("supply_class")
        self.supply.setAccessibleName(tr("How the host is fed"))
        for item in SupplyClass:
            self.supply.addItem(tr(item.value), item)
        self.supply.activated.connect(self._supply_chosen)
        self.caution = QLabel()
        self.caution.setObjectName("caution")
        self.caution.setWordWrap(True)
        self.rows = RowsModel(
            (tr("terminal"), tr("what"), tr("on paper"), tr("counts"), tr("basis"), tr("from"))
        )
        self._doubted = ""
        self.table = make_table(
            self.rows, "known_table", tr("What is known of each terminal; edit the column on paper"), 5
        )
        set_widths(self.table, (138, 160, 150, 144, 88))
        self.view = QComboBox()
        self.view.setObjectName("survey_view")
        self.view.setAccessibleName(tr("What the table lists"))
        for words in PAGES:
            self.view.addItem(words)
        self.view.currentIndexChanged.connect(lambda _k: self._fill())
        self.log = RowsModel(
            (tr("no."), tr("when"), tr("point"), tr("against"), tr("state"), tr("reading"), tr("note"))
        )
        self.log_table = make_table(
            self.log, "log_table", tr("Readings taken; Ctrl+D strikes the chosen one"), 6
        )
        set_widths(self.log_table, (42, 130, 130, 130, 96, 176))
        self.stages, self.points, self.sweep = ChainTables(), Points(), SweepTable()
        self.pictures, self.hazard = Pictures(), Hazard()
        self.sources, self.devices = SourcesTable(), Devices()
        panels = (
            self.stages, self.points, self.sweep, self.pictures, self.hazard, self.sources, self.devices,
        )  # fmt: skip
        for panel in panels:
            panel.edited.connect(self.edited)
            panel.refused.connect(self.refused)
        self.sweep.probe.connect(lambda ask: self.wants.emit(Probes(ask)))
        self.pictures.point_picked.connect(self._point_picked)
        self.pictures.wants.connect(self.wants)
        self.pages = QStackedWidget()
        for page in (self.table, self.log_table, *panels):
            self.pages.addWidget(page)
        self._job: Job | None = None
        self._measured: Job | None = None
        self._lay_out()

    def _lay_out(self) -> None:
        row = QHBoxLayout()
        fed = QLabel(tr("Fed by"))
        fed.setBuddy(self.supply)
        row.addWidget(fed)
        row.addWidget(self.supply)
        row.addWidget(self.caution, 1)
        below = QHBoxLayout()
        words = QLabel(tr("List"))
        words.setBuddy(self.view)
        below.addWidget(words)
        self.view.setMinimumWidth(180)
        below.addWidget(self.view)
        self.note = OneLine(
            tr("Type over a value on paper (47k ±10 %, 22.8 .. 24 .. 25.2 V); readings come in below.")
        )
        self.note.setObjectName("dim")
        below.addWidget(self.note, 1)
        below.addStretch(0)
        self.view.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        words.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Preferred)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(SPACING)
        layout.addLayout(row)
        layout.addWidget(self.chain, 4)
        layout.addLayout(below)
        layout.addWidget(self.pages, 5)

    def show_job(self, job: Job, studies: Studies) -> None:
        from pigtail.catalogue.cautions import CAUTIONS

        self._job, self._measured = job, studies.of(SurveyFound).job or job
        self.supply.setCurrentIndex(self.supply.findData(job.host.supply))
        cautions = CAUTIONS[job.host.supply]
        self.caution.setText(cautions[0])
        self.caution.setToolTip("\n".join(cautions))
        theme.wear(self.caution, "stop", bold=True)
        self.chain.show_chain(job)
        self._fill()

    def _fill(self) -> None:
        page = self.view.currentIndex()
        self.pages.setCurrentIndex(page)
        self._room_for_chain()
        self.note.setVisible(page == KNOWN)
        if self._job is None or self._measured is None:
            return
        fill: dict[int, Callable[[], None]] = {
            KNOWN: partial(self._show_known, self._job, self._measured),
            LOG: partial(self._show_log, self._job),
            STAGES: partial(self.stages.show_job, self._job),
            POINTS: partial(self.points.show_job, self._job),
            SWEEP: partial(self.sweep.show_job, self._job),
            PICTURES: partial(self.pictures.show_job, self._job, self.folder()),
            HAZARD: partial(self.hazard.show_job, self._job),
            SOURCES: partial(self.sources.show_job, self._job),
            DEVICES: partial(self.devices.show_job, self._job),
        }
        fill[page]()

    def _room_for_chain(self) -> None:
        """The picture only beside lists it helps, and only where it leaves them room: it never covers them."""
        page = self.pages.currentWidget()
        own = page.minimumSizeHint().height() if page is not None else 0
        taken = self.caution.height() + self.view.height() + 3 * SPACING
        fits = self.height() >= self.chain.minimumHeight() + max(own, LIST_HEIGHT) + taken
        self.chain.setVisible(fits and self.pages.currentIndex() in (KNOWN, LOG, STAGES, HAZARD, DEVICES))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._room_for_chain()

    def _show_known(self, job: Job, measured: Job) -> None:
        self.rows.show_rows(self._known_rows(job, measured))

    def _show_log(self, job: Job) -> None:
        self.log.show_rows(Lazy(len(job.readings), lambda row: self._log_row(job, job.readings[row])))

    def _point_picked(self, address: str) -> None:
        from pigtail.job.wiring import first_function, probe_against
        from pigtail.studies.taps.protocol import open_checks

        if self._job is None:
            return
        still = open_checks(self._job, address)
        if still:
            self.wants.emit(Probes(still[0]))
        else:
            function = first_function(self._job, address)
            against = probe_against(self._job, address)
            again = Ask(address, against, self._job.working_state(), function, tr("read it again"))
            self.wants.emit(Probes(again))

    def _known_rows(self, job: Job, measured: Job) -> list[tuple[Cell, ...]]:
        rows = []
        for device_id, device in job.devices():
            for terminal in device.terminals:
                address = f"{device_id}.{terminal.id}"
                real = measured.terminal(address)
                for item in quantities(terminal):
                    make = partial(_value_edit, address, item.field)
                    paper, counts = getattr(terminal, item.field), item.of(real) if real is not None else None
                    edits = self._edits(item, paper, make)
                    rows.append(_row(job.label(address), item.words, paper, counts, edits))
            for path in device.paths:
                real_device = measured.device(device_id)
                real_path = next(p for p in real_device.paths if p.id == path.id) if real_device else path
                names = {t.id: t.name for t in device.terminals}
                words = tr("{names} to {names2}", names=names[path.a], names2=names[path.b])
                make = partial(_path_edit, device_id, path.id)
                edits = self._edits(PATH_RESISTANCE, path.resistance, make)
                rows.append(_row(device.name, words, path.resistance, real_path.resistance, edits))
        for o in observed(job):
            ends = tr("{a} to {b}", a=job.label(o.a), b=job.label(o.b))
            cells = _row(ends, o.words, None, o.value, None)
            rows.append((*cells[:2], Cell("–", use="dim"), *cells[3:]))
        edits = self._edits(AMBIENT, job.ambient, _ambient_edit)
        ambient = _row(tr("inside the case"), tr("temperature"), job.ambient, job.ambient, edits)
        return [*rows, ambient]

    def _log_row(self, job: Job, r: Reading) -> tuple[Cell, ...]:
        state = job.state(r.state)
        value = f"{tr(r.function.value)} {text_of(r.function, r.value.nominal)}{_clipped(r)}"
        use = "dim" if r.struck else "ink"
        note = tr("struck; {note}", note=r.note).strip("; ") if r.struck else r.note
        if r.corrects:
            note = tr("corrects {reading}; {note}", reading=r.corrects, note=note).strip("; ")
        texts = (
            r.id,
            r.when.replace("T", " "),
            job.label(r.point),
            job.label(r.against) or IN_SERIES,
            state.name if state else "?",
            value,
            note,
        )
        return tuple(Cell(text, use=use) for text in texts)

    def show_pictures(self) -> Pictures:
        """Show the page of photos and papers."""
        self.view.setCurrentIndex(PICTURES)
        return self.pictures

    def show_devices(self) -> Devices:
        """Show the page of host and modules."""
        self.view.setCurrentIndex(DEVICES)
        return self.devices

    def chosen_reading(self) -> Reading | None:
        """The reading chosen in the log, None while the log is not on view."""
        row = self.log_table.currentIndex().row()
        if self._job is not None and self.log_table.isVisible() and 0 <= row < len(self._job.readings):
            return self._job.readings[row]
        return None

    def _supply_chosen(self, index: int) -> None:
        item = self.supply.itemData(index)
        self.edited.emit(Change(tr("fed by {item}", item=item.value), partial(set_supply, supply=item)))

    def _edits(self, what: Quantity, paper: Known | None, make: Callable[[Known | None], Edit]) -> Edits:
        """What is done with what is typed over a value, its basis, its source."""
        return Edits(
            partial(self._typed, what, paper, make),
            partial(self._based, what, paper, make),
            partial(self._sourced, what, paper, make),
        )

    def _based(
        self, what: Quantity, paper: Known | None, make: Callable[[Known | None], Edit], text: str
    ) -> None:
        """Say what a value on paper rests on."""
        word = text.strip().lower()
        basis = next((b for b in ON_PAPER if word and b.value.startswith(word)), None)
        if paper is None:
            self.refused.emit(tr("nobody told {what} yet; type the value first", what=what.words))
        elif basis is None:
            allowed = ", ".join(b.value for b in ON_PAPER)
            self.refused.emit(
                tr(
                    "“{text}” is no basis that can be typed; write {allowed}, or log a reading",
                    text=text[:30],
                    allowed=allowed,
                )
            )
        else:
            self.edited.emit(Change(f"{what.words}: {tr(basis.value)}", make(replace(paper, basis=basis))))

    def _sourced(
        self, what: Quantity, paper: Known | None, make: Callable[[Known | None], Edit], text: str
    ) -> None:
        """Say where a value on paper comes from."""
        if paper is None:
            self.refused.emit(tr("nobody told {what} yet; type the value first", what=what.words))
        else:
            self.edited.emit(
                Change(
                    tr("{what}: from {strip}", what=what.words, strip=text.strip()),
                    make(replace(paper, source=text.strip())),
                )
            )

    def _typed(
        self, what: Quantity, paper: Known | None, make: Callable[[Known | None], Edit], text: str
    ) -> None:
        """Make an edit of a value typed into the table; “?” and nothing stand for not known. One that can hardly be is asked back once."""
        from pigtail.studies.survey.slips import slip_of_value

        try:
            known = read_known(text, what.unit, Basis.DOCUMENTED, "typed", what.sort)
        except (UnreadableError, KnownError) as error:
            self.refused.emit(str(error))
            return
        known = _as_told(paper, known)
        slip = slip_of_value(what, known) if known is not None and text != self._doubted else None
        self._doubted = text if slip is not None else ""
        if slip is not None:
            self.refused.emit(
                tr("{question} Type that, or {text} once more to keep it.", question=slip.question, text=text)
            )
            return
        self.edited.emit(Change(f"{what.words} {text}", make(known)))


def _clipped(r: Reading) -> str:
    """What was clipped on for a reading, in words."""
    words = [
        f"{format_quantity(known.nominal, known.unit)} {how}"
        for known, how in ((r.load, tr("across")), (r.series, tr("in series")), (r.current, tr("through")))
        if known is not None
    ]
    words += [tr("playing {drive}", drive=r.drive)] if r.drive else []
    return f" ({', '.join(words)})" if words else ""


def _value_edit(address: str, field: str, value: Known | None) -> Edit:
    return partial(set_value, address=address, field=field, value=value)


def _path_edit(device_id: str, path_id: str, value: Known | None) -> Edit:
    return partial(set_path, device_id=device_id, path_id=path_id, resistance=value)


def _ambient_edit(value: Known | None) -> Edit:
    return partial(set_ambient, ambient=value)


class Edits(NamedTuple):
    """What typing over a value, its basis and its source does."""

    value: Callable[[str], None]
    basis: Callable[[str], None]
    source: Callable[[str], None]


#: What a value on paper may rest on; what is measured comes from the log alone.
ON_PAPER = (Basis.DOCUMENTED, Basis.TYPICAL, Basis.GUESSED)
#: Sources that say nothing of their own, which typing over a value replaces.
PLAIN_SOURCES = ("", "catalogue", "typed", "given at the start")


def _as_told(paper: Known | None, known: Known | None) -> Known | None:
    """A value typed over another: it keeps the source and basis that somebody gave that, unless it tells how it was given itself."""
    if paper is None or known is None or paper.source in PLAIN_SOURCES or known.source != "typed":
        return known
    return replace(known, source=paper.source, basis=paper.basis)


def _row(
    terminal: str, words: str, paper: Known | None, counts: Known | None, edits: Edits | None
) -> tuple[Cell, ...]:
    basis = counts.basis.value if counts else "unknown"
    use = BASIS_USES[basis]
    shown = format_known(counts) if counts else "?"
    value, based, sourced = edits if edits is not None else (None, None, None)
    if counts is not None and counts.basis is Basis.MEASURED:
        based = sourced = None  # the log tells these
    how = how_to_find(words) or tr("measure it, or type what the papers say")
    return (
        Cell(terminal, tip=tip_for(terminal)),
        Cell(words, use="dim", tip=tip_for(words, words)),
        Cell(format_known(paper) if paper else "?", edit=value, use="ink" if paper else "unknown"),
        Cell(shown, use=use),
        Cell(tr(basis), edit=based, use=use, tip=tip_for(tr("basis"))),
        Cell(counts.source if counts else how, edit=sourced, use="dim"),
    )


STATION = SurveyStation
