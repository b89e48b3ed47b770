"""A plan that cannot be made into a netlist."""

from __future__ import annotations

from pigtail.job.document import Link


class CompileError(ValueError):
    """A plan that cannot be made into a netlist: the link and what is wrong with it."""

    def __init__(self, link: Link, sentence: str) -> None:
        super().__init__(f"{link.name}: {sentence}")
        self.link = link
