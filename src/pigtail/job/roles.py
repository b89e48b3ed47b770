"""The roles that a point of a host can have, by the words that screens and tables use."""

from __future__ import annotations

from pigtail.job.document import (
    AnyTerminal,
    AudioIn,
    AudioOut,
    Control,
    ControlIn,
    Digital,
    Pin,
    Rail,
    Return,
    Video,
    WindingEnd,
)

ROLES: dict[str, type[AnyTerminal]] = {
    "not known yet": Pin,
    "audio in": AudioIn,
    "audio out": AudioOut,
    "rail": Rail,
    "return": Return,
    "control": Control,
    "control in": ControlIn,
    "digital": Digital,
    "video": Video,
    "winding end": WindingEnd,
}


def role_of(terminal: AnyTerminal) -> str:
    """The role of a point in words."""
    return next((w for w, kind in ROLES.items() if type(terminal) is kind), "supply in")
