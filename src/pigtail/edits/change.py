"""What an edit is: a function that takes a job and gives a new one, or raises EditError with the offending value.

Every edit ends in `checked`, so a job that has been edited can always be saved and opened again.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec
from msgspec.structs import replace

from pigtail.job.check import check_job
from pigtail.job.document import HOST, Host, Job, Module, SupplyClass
from pigtail.job.errors import EditError, JobError, LiveChassisError
from pigtail.job.safety import live_reading, reaches_host
from pigtail.job.texts import UnstorableError, made_storable
from pigtail.language import tr
from pigtail.units import format_quantity

Edit = Callable[[Job], Job]


class Change(msgspec.Struct, frozen=True):
    """An edit as the person makes it: what it is called in the history, what it does, and what it turns.

    Changes that turn the same thing in quick succession are one step of the history.
    """

    words: str
    edit: Edit
    turning: str = ""


class FeedChange(msgspec.Struct, frozen=True):
    """A change that can be made to one feed or to those of both channels: `change` takes a job and a keyword `link_id`."""

    words: str
    change: Callable[..., Job]
    turning: str = ""

    def on(self, links: tuple[str, ...]) -> Change:
        """The change made to some feeds, as one step of the history."""

        def edit(job: Job) -> Job:
            for link_id in links:
                job = self.change(job, link_id=link_id)
            return job

        both = tr(" in both channels") if len(links) > 1 else ""
        return Change(self.words + both, edit, self.turning)


def wired(job: Job) -> Job:
    """A job whose links were changed, checked; raises LiveChassisError where nothing may be joined to its host."""
    if reaches_host(job):
        read = live_reading(job)
        if read is not None:
            volts = format_quantity(read.value.nominal, read.value.unit)
            raise LiveChassisError(
                tr(
                    "{volts} were read between {point} and {against}: join nothing to the host; a qualified "
                    "person may read it again behind an isolation transformer and note that with the reading",
                    volts=volts,
                    point=job.label(read.point),
                    against=job.label(read.against),
                ),
                value=read.id,
            )
        if job.host.supply is SupplyClass.UNKNOWN:
            raise LiveChassisError(
                tr(
                    "how the host is fed is not known, so nothing may be joined to it yet; unplug it, read "
                    "its rating plate and power entry, and say how it is fed in Survey"
                ),
            )
    return checked(job)


def checked(job: Job) -> Job:
    """The job itself, its texts made storable; raises EditError, or LiveChassisError for a wire to a live chassis."""
    try:
        check_job(job)
    except UnstorableError:
        return checked(made_storable(job))
    except LiveChassisError:
        raise
    except JobError as error:
        raise EditError(str(error), value=error.value) from error
    return job


def device_of(job: Job, device_id: str) -> Host | Module:
    """The host or a module by its id; raises EditError for one that is not there."""
    device = job.device(device_id)
    if device is None:
        raise EditError(tr("there is no device {device_id}", device_id=device_id), value=device_id)
    return device


def with_device(job: Job, device_id: str, **changes: Any) -> Job:
    """The job with some fields of the host or of a module changed, checked."""
    if device_id == HOST:
        return checked(replace(job, host=replace(job.host, **changes)))
    return checked(
        replace(job, modules=tuple(replace(m, **changes) if m.id == device_id else m for m in job.modules))
    )
