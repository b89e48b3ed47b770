"""The demo jobs that ship with the program: one with faults to find, one clean."""

from __future__ import annotations

from pathlib import Path

from pigtail.catalogue.errors import CatalogueError
from pigtail.catalogue.topologies import DATA
from pigtail.job.disk import write_atomically
from pigtail.job.file import Document, decode

#: Name on the command line -> file.
DEMOS = {"larkmoor": "larkmoor-forty.pigtail", "tidewell": "tidewell-minor.pigtail"}


def demo_bytes(name: str) -> bytes:
    """The file of a demo job; raises CatalogueError."""
    if name not in DEMOS:
        raise CatalogueError("demo", name, list(DEMOS))
    return (DATA / "demo" / DEMOS[name]).read_bytes()


def demo(name: str = "larkmoor") -> Document:
    """A demo job; raises CatalogueError."""
    return decode(demo_bytes(name))


def export_demos(folder: Path) -> list[Path]:
    """Write all demo jobs into a folder, which is made if need be; raises FileError."""
    written = []
    for name, file in DEMOS.items():
        write_atomically(folder / file, demo_bytes(name))
        written.append(folder / file)
    return written
