"""Things that belong together by whatever joins them, two by two."""

from __future__ import annotations


class Groups:
    """Names in groups: joining two names makes their groups one."""

    def __init__(self) -> None:
        self._parent: dict[str, str] = {}

    def of(self, name: str) -> str:
        """The name that stands for the group of a name, which is its own while nothing joins it."""
        parent = self._parent
        while parent.setdefault(name, name) != name:
            parent[name] = parent[parent[name]]
            name = parent[name]
        return name

    def join(self, a: str, b: str) -> bool:
        """Make the groups of two names one; whether they were two."""
        a, b = self.of(a), self.of(b)
        self._parent[a] = b
        return a != b

    def all(self) -> dict[str, str]:
        """Every name that was asked for, with the name that stands for its group."""
        return {name: self.of(name) for name in self._parent}
