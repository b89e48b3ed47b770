"""At which level a feed aims: where full scale lies over what an input wants.

What an input wants is programme, and programme lies 8 to 18 dB under full scale (its crest; common practice), so that full scale
belongs in the middle of that range, but no nearer to the overload level than keeps full scale clear of it.
"""

from __future__ import annotations

import math

from pigtail.job.document import AudioIn, Use
from pigtail.studies.judging import Judgement, judgements

#: What full scale is kept below the overload level where the aim is chosen [dB]: the room that is good, and something for the spread.
CLEAR_DB = 4.5

#: How far programme lies under full scale, on average [dB]. Common practice.
PROGRAMME_DB = 18.0
#: What counts as an input's own DC [V].
OWN_DC_V = 0.1


def has_own_dc(sink: AudioIn) -> bool:
    """Whether an input is known to have a DC of its own that counts; else what is read there is all forced on it."""
    return sink.dc is not None and abs(sink.dc.nominal) > OWN_DC_V


def fits_of(sink: AudioIn) -> Judgement:
    """How the level at an input is judged: of a line against programme, of what makes the sound itself at its level."""
    return judgements()["level.fits" if sink.use is Use.LINE else "level.turned"]


def aim_db(sink: AudioIn) -> float:
    """Where full scale is aimed at over the level wanted of an input [dB]; of what makes the sound itself, at that level."""
    middle = fits_of(sink).middle
    if sink.use is not Use.LINE or sink.wanted is None or sink.overload is None:
        return middle
    room = 20 * math.log10(sink.overload.nominal / sink.wanted.nominal) - CLEAR_DB
    return min(max(room, 0.0), middle)
