"""Packages that an installation may leave out: loaded when first needed, and told in one sentence where they are missing."""

from __future__ import annotations

import importlib
from importlib.util import find_spec
from typing import Any

from pigtail.job.errors import JobError
from pigtail.language import tr


class MissingPackageError(JobError):
    """A package that is not installed; says what it is for and how it comes in."""


def loaded(module: str, extra: str, what: str) -> Any:
    """A module of an extra; raises MissingPackageError, which tells what it is needed for and the command."""
    try:
        return importlib.import_module(module)
    except ModuleNotFoundError as error:
        raise MissingPackageError(
            tr("{what} needs one more package: {command}", what=what, command=command(extra))
        ) from error


def there(module: str) -> bool:
    """Whether a module can be loaded."""
    return find_spec(module) is not None


def command(extra: str) -> str:
    """What brings an extra in."""
    return tr("pip install 'pigtail[{extra}]'", extra=extra)
