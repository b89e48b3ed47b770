"""At which level a feed aims: where full scale lies over what an input wants.

What an input wants is programme, and programme lies 8 to 18 dB under full scale (its crest; common practice), so that full scale
belongs in the middle of that range, but no nearer to the overload level than keeps full scale clear of it.
"""

from __future__ import annotations

import math

from pigtail.job.document import AudioIn, Use
from pigtail.studies.judging import judgements

#: What full scale is kept below the overload level where the aim is chosen [dB]: the room that is good, and something for the spread.
CLEAR_DB = 4.5


def aim_db(sink: AudioIn) -> float:
    """Where full scale is aimed at over the level wanted of an input [dB]; of what makes the sound itself, at that level."""
    if sink.use is not Use.LINE:
        return 0.0
    middle = judgements()["level.fits"].middle
    if sink.wanted is None or sink.overload is None:
        return middle
    room = 20 * math.log10(sink.overload.nominal / sink.wanted.nominal) - CLEAR_DB
    return min(max(room, 0.0), middle)
