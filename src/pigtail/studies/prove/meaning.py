"""What a reading out of its range most likely means, what must not be done now, and where to look: said the moment it is read."""

from __future__ import annotations

import msgspec

from pigtail.job.steps import Hold
from pigtail.language import tr
from pigtail.studies.prove.expecting import CLEAR_OHM, OFF_V, SHORT_OHM
from pigtail.studies.prove.kinds import Meaning, meanings
from pigtail.units import format_quantity
from pigtail.units.known import Known

#: Volts below this where some are expected are none, and beyond it the other way round are reversed [V].
NONE_V = 0.3


class Explained(msgspec.Struct, frozen=True):
    """A reading held against its hold point: whether it passes, how it is off in a word, and what is said of it."""

    passes: bool
    off: str
    sentence: str
    not_now: str = ""
    look: str = ""


def how_off(hold: Hold, value: Known) -> str:
    """In a word how a reading lies against its hold point: empty where it passes."""
    if hold.low is None or hold.high is None or hold.unknown:
        return "unknown"
    number = value.nominal
    if hold.kind == "no_short":
        return "" if value.low >= CLEAR_OHM else "short" if number < SHORT_OHM else "low"
    wants = hold.low > NONE_V
    if wants and number < -NONE_V:
        return "reversed"
    if wants and abs(number) <= NONE_V:
        return "none"
    if hold.kind == "empty" and number < hold.low:
        return "reversed"
    if hold.kind == "plug" and hold.low == -OFF_V and not hold.low <= number <= hold.high:
        return "awake"
    if not hold.low <= number <= hold.high:
        return "low" if number < hold.low else "high"
    return "" if hold.least <= value.low and value.high <= hold.most else "near"


def explained(hold: Hold, value: Known) -> Explained:
    """A reading held against its hold point, in words."""
    off = how_off(hold, value)
    shown = format_quantity(value.nominal, value.unit)
    if off == "unknown":
        return Explained(
            False,
            off,
            tr("Nobody can tell whether {shown} is right: {unknown}.", shown=shown, unknown=hold.unknown),
            tr("Pass it only with a written reason."),
        )
    if not off:
        about = _against_model(hold, value)
        return Explained(True, off, tr("In range, {hold}.{about}", hold=hold.words, about=about))
    if off == "near":
        words = tr(
            "{shown} lies so near the limit that the meter's own error reaches past it ({hold}).",
            shown=shown,
            hold=hold.words,
        )
        finer = tr("Read it with a finer meter, or turn the supply to the middle of its range.")
        return Explained(False, off, words, tr("Do not go on by this reading."), finer)
    meaning = meanings().get(hold.kind, {}).get(off) or meanings()["plug"]["off"]
    return Explained(
        False,
        off,
        tr("Out of range, {hold}: {means}.", hold=hold.words, means=meaning.means),
        meaning.not_now,
        meaning.look,
    )


def not_so(hold: Hold) -> Meaning | None:
    """What it means where a question is answered with no; None for a hold point that is read."""
    _, _, which = hold.kind.partition(".")
    return meanings()["look"].get(which) if hold.kind.startswith("look.") else None


def _against_model(hold: Hold, value: Known) -> str:
    """What a reading that passes says of the model."""
    if hold.expected is None or hold.kind not in ("plug", "joined"):
        return ""
    off = value.nominal - hold.expected
    if abs(off) <= 1e-3:
        return ""
    size = format_quantity(abs(off), value.unit)
    if off > 0:
        return tr(" {size} above what the model says.", size=size)
    return tr(" {size} below what the model says.", size=size)
