"""What can be wrong with a document, a file or an edit: one sentence each, with the place and the mend."""

from __future__ import annotations


class JobError(ValueError):
    """A document that cannot be used; `where` is the place in it, such as `links[2].joins[0].terminal`."""

    def __init__(self, sentence: str, *, where: str = "", value: object = None) -> None:
        super().__init__(f"{where}: {sentence}" if where else sentence)
        self.where, self.value = where, value


class FileError(JobError):
    """A file that cannot be read or written; `path` is its path."""

    def __init__(self, path: object, sentence: str) -> None:
        super().__init__(sentence, where=str(path))
        self.path = path


class EditError(JobError):
    """An edit that the document does not allow; carries the offending value."""


class LiveChassisError(EditError):
    """A galvanic link to a host whose chassis may be at mains potential."""
