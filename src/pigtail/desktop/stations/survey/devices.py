"""Host and modules of the job: added, changed, doubled, taken out, kept in the person's library, passed on as files."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from pigtail.desktop import ask
from pigtail.desktop.tables import Cell, RowsModel, lay_out_page, make_table, set_widths
from pigtail.edits import modules as module_edits
from pigtail.edits.change import Change, Edit
from pigtail.job.document import HOST, Job, SupplyClass
from pigtail.job.errors import JobError
from pigtail.job.roles import role_of
from pigtail.language import tr, trn

if TYPE_CHECKING:
    from pigtail.job.document import Host, Module

HINT = tr(
    "What the job joins. Add a module, then plan it; keep one of your own for the next job, "
    "or pass it on as a small file."
)


class Devices(QWidget):
    """The table of host and modules. `edited` carries a Change; `refused` one sentence."""

    edited = pyqtSignal(object)
    refused = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.rows = RowsModel((tr("name"), tr("what"), tr("joined by"), tr("points")))
        self.table = make_table(
            self.rows, "devices_table", tr("Host and modules; the name is edited in place"), 3
        )
        set_widths(self.table, (220, 190, 150))
        self._job: Job | None = None
        buttons = (
            (tr("Add a module…"), "add_module", self.ask_for_one),
            (tr("Change…"), "change_module", self._change),
            (tr("Another like it"), "double_module", self._double),
            (tr("Take out"), "remove_module", self._remove),
            (tr("Plan it"), "plan_module", self._plan),
            (tr("Keep it"), "keep_device", self._keep),
            (tr("To a file…"), "write_device", self._write),
            (tr("From a file…"), "read_device", self._read),
        )
        lay_out_page(self, self.table, HINT, buttons)
        tips = {
            "add_module": tr("Another module, from the catalogue or one of your own"),
            "change_module": tr("Another kind in the place of the module chosen; links that fit it stay"),
            "double_module": tr("A second module of the same kind"),
            "remove_module": tr(
                "Take the module out with its links and what was read at it; Ctrl+Z brings it back"
            ),
            "plan_module": tr("Propose links for the module chosen"),
            "keep_device": tr("Put it among your own modules and hosts, with the values that it has here"),
            "write_device": tr("Write it to a small file that others can read in"),
            "read_device": tr("Read a module that somebody passed on"),
        }
        for name, tip in tips.items():
            button = self.findChild(QWidget, name)
            assert button is not None
            button.setToolTip(tip)

    def show_job(self, job: Job) -> None:
        """Show what a job joins."""
        self._job = job
        rows = []
        for device_id, device in job.devices():
            links = len(module_edits.joined_to(job, device_id))
            joined = trn("{count} link", "{count} links", links) if links else tr("nothing yet")
            name = Cell(device.name, edit=partial(self._named, device_id))
            what = tr("the host") if device_id == HOST else _kind_words(device)
            points = ", ".join(f"{t.name} ({role_of(t)})" for t in device.terminals)
            rows.append(
                (
                    name,
                    Cell(what, use="dim"),
                    Cell(joined, use="ink" if links else "unknown"),
                    Cell(points, use="dim"),
                )
            )
        before, count = self.chosen(), self.rows.rowCount()
        self.rows.show_rows(rows)
        if len(rows) > max(count, 1):  # the one that came is the one to be planned
            self.table.selectRow(len(rows) - 1)
        elif not before and len(rows) > 1:
            self.table.selectRow(1)

    def chosen(self) -> str:
        """Id of the device chosen, empty for none."""
        row = self.table.currentIndex().row()
        devices = self._job.devices() if self._job is not None else ()
        return devices[row][0] if 0 <= row < len(devices) else ""

    # -- what is done -----------------------------------------------------------------------------------------

    def _tell(self, words: str, edit: Edit) -> None:
        self.edited.emit(Change(words, edit))

    def _named(self, device_id: str, text: str) -> None:
        self._tell(
            tr("call it {text}", text=text), partial(module_edits.name_device, device_id=device_id, name=text)
        )

    def _module(self) -> Module | None:
        """The module chosen; None, and told, where the host or nothing is."""
        device_id = self.chosen()
        module = next((m for m in self._job.modules if m.id == device_id), None) if self._job else None
        if module is None:
            self.refused.emit(tr("choose a module in the table first"))
        return module

    def _pick(self, title: str, go: str) -> str:
        from pigtail.desktop.pickmodule import PickDevice

        dialog = PickDevice(title, go, parent=self)
        return dialog.key if dialog.exec() else ""

    def ask_for_one(self) -> None:
        """Ask for a module and add it."""
        if self._job is not None and (key := self._pick(tr("Add a module"), tr("Add it"))):
            self.add(key)

    def add(self, key: str) -> None:
        """Add a module by its key in the list, planned where that can be."""
        from pigtail.catalogue.library import made_module

        if self._job is None:
            return
        try:
            made = made_module(key, module_edits.new_id(self._job))
        except (JobError, KeyError) as error:
            self.refused.emit(str(error))
            return
        self._tell(tr("add {made}", made=made.name), partial(_added_and_planned, module=made))

    def _change(self) -> None:
        from pigtail.catalogue.library import made_module

        module = self._module()
        if module is None or not (
            key := self._pick(
                tr("Another kind in the place of {module}", module=module.name), tr("Put it there")
            )
        ):
            return
        try:
            made = made_module(key, module.id)
        except (JobError, KeyError) as error:
            self.refused.emit(str(error))
            return
        self._tell(
            tr("{made} in the place of {module}", made=made.name, module=module.name),
            partial(module_edits.change_module, module_id=module.id, made=made),
        )

    def _double(self) -> None:
        module = self._module()
        if module is not None:
            self._tell(
                tr("another {module}", module=module.name),
                partial(module_edits.duplicate_module, module_id=module.id),
            )

    def _remove(self) -> None:
        module = self._module()
        if module is None or self._job is None:
            return
        more = module_edits.goes_with(self._job, module.id)
        words = tr("take out {module}", module=module.name) + (tr(" with {more}", more=more) if more else "")
        self._tell(words, partial(module_edits.remove_module, module_id=module.id))

    def _plan(self) -> None:
        from pigtail.advice.proposing import propose_plan

        module = self._module()
        if module is None or self._job is None:
            return
        if self._job.host.supply in (SupplyClass.LIVE_CHASSIS, SupplyClass.UNKNOWN):
            self.refused.emit(
                tr("nothing may be joined to this host as it is told to be fed; say at the top how it is fed")
            )
            return
        self._tell(
            tr("propose a plan for {module}", module=module.name), partial(propose_plan, module_id=module.id)
        )

    # -- the library ------------------------------------------------------------------------------------------

    def _device(self) -> Host | Module | None:
        return self._job.device(self.chosen() or HOST) if self._job is not None else None

    def _keep(self) -> None:
        from pigtail.catalogue.library import keep

        device = self._device()
        if device is None or self._job is None:
            return
        try:
            keep(device, tr("from the job “{job}”", job=self._job.name))
        except JobError as error:
            self.refused.emit(str(error))
            return
        self.refused.emit(
            tr(
                "{device} is among your own now, and offered wherever a module or host is chosen.",
                device=device.name,
            )
        )

    def _write(self) -> None:
        from pigtail.catalogue.library import write_device

        device = self._device()
        path = ask.device_target(self, device.name) if device is not None else None
        if device is None or path is None:
            return
        try:
            write_device(device, path)
        except JobError as error:
            self.refused.emit(str(error))
            return
        self.refused.emit(tr("{device} is written to {path}.", device=device.name, path=path))

    def _read(self) -> None:
        path = ask.device_source(self)
        if path is not None:
            self.read(path)

    def read(self, path: Path) -> None:
        """Add the module in a file; a host goes into the library, since a job has one already."""
        from pigtail.catalogue.library import keep, read_device
        from pigtail.job.document import Host

        if self._job is None:
            return
        try:
            device = read_device(path)
            if isinstance(device, Host):
                keep(device, tr("from the file {path}", path=path.name))
        except JobError as error:
            self.refused.emit(str(error))
            return
        if isinstance(device, Host):
            self.refused.emit(
                tr("{device} is among your own hosts now; a new job offers it.", device=device.name)
            )
        else:
            self._tell(tr("add {device}", device=device.name), partial(module_edits.add_another, made=device))


def _kind_words(module: Host | Module) -> str:
    """What kind of module it is, as the catalogue calls it."""
    from pigtail.catalogue.kinds import adapter_kinds, module_kinds

    known = {k.key: k.name for k in (*module_kinds(), *adapter_kinds())}
    return known.get(module.kind, tr("a module of its own kind"))


def _added_and_planned(job: Job, module: Module) -> Job:
    """Add a module, and the plan that is proposed for it where there is one."""
    from pigtail.advice.plan import propose
    from pigtail.job.errors import EditError

    before = len(job.modules)
    job = module_edits.add_another(job, module)
    try:
        return propose(job, job.modules[before].id)
    except EditError:
        return job
