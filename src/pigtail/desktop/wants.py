"""What a station can want of the window, each a type of its own: the window answers a want by its type, whoever has it."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any, NamedTuple, ParamSpec, TypeVar

if TYPE_CHECKING:
    from pathlib import Path

    from PyQt6.QtGui import QImage

    from pigtail.job.ask import Ask

P = ParamSpec("P")
R = TypeVar("R")


class Answer(NamedTuple):
    """An answer of the studies' process: the service, what it is given, what is done with its answer or its failure (which is
    told in the message line unless said otherwise). A quick one goes through a process that nothing else holds up."""

    service: Callable[..., Any]
    arguments: tuple[Any, ...]
    done: Callable[[Any], None]
    failed: Callable[[BaseException], None] | None = None
    quick: bool = False


class Probes(NamedTuple):
    """The probes of the bench strip set to a reading."""

    ask: Ask


class Paper(NamedTuple):
    """The sheet: into a folder, or printed; what is printed: the sheet, the runbook, the way back or the record."""

    printed: bool
    what: str = "sheet"


class MeterRead(NamedTuple):
    """A reading of the meter, for whoever asks; its failure is told in the message line."""

    ask: Ask
    done: Callable[[float], None]


class AtBench(NamedTuple):
    """The runbook at the bench, in large type, one step at a time; back: the way back."""

    back: bool = False


class Leave(NamedTuple):
    """What leaves of the work: a `pack`, the story to the clipboard as `markdown` or `text`, or the next copy of the job (`again`)."""

    how: str


class Shown(NamedTuple):
    """A picture beside the job by its file and hash, or a page of it counted from 1: given to `done` once it is decoded, as a null image
    where it cannot be."""

    file: str
    sha256: str
    page: int
    done: Callable[[QImage], None]


class Looked(NamedTuple):
    """How many pages a file has, 0 for a picture, or why it is neither."""

    path: Path
    done: Callable[[int], None]
    failed: Callable[[BaseException], None]


Want = Answer | Shown | Looked | Probes | Paper | MeterRead | AtBench | Leave


def answer(
    service: Callable[P, R], done: Callable[[R], None], *arguments: P.args, **named: P.kwargs
) -> Answer:
    """The want of a service's answer, its arguments checked against the service's own."""
    assert not named, "services are asked by position"
    return Answer(service, arguments, done)
