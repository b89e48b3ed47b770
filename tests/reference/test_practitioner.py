"""What is asked against what somebody who does this daily would take, on five hosts: lists of common practice, with no source.

Written from the trade: what feeds it and whether it is apart from the mains; unplugged, whatever an ohmmeter tells; then state by state DC at
every point, silence where silence should be, a tone from its own side, one side of a pair loaded or fed through a resistor where the other is
its twin, a rail under a dummy load. All that is on a list is asked, and no more than a fifth beside it.
"""

from __future__ import annotations

import pytest

from pigtail.bench.made import make_stand_in
from pigtail.job.ask import Ask
from pigtail.job.document import BLADES, EARTH, Function, Job
from pigtail.job.tone import tone_of
from practising import plan_of, practised

MAINS = ["star blades", "star earth", "star off-earth"]
TAKES, GIVES = "wireless_transmitter_5v", "wireless_receiver_5v"
#: Host, module, and the list: a point and what is read there, a state where it is not the working one.
LISTS: dict[str, tuple[str, str, list[str]]] = {
    "line out of a tape recorder": ("tape_recorder", TAKES, [
        *MAINS, "rail_12v empty", "out_left twin", "input_return ohms", "rail_12v ohms",
        "out_left dc stop", "out_right dc stop", "rail_12v dc stop", "out_left tone stop", "out_right tone stop",
        "out_left dc", "out_right dc", "input_return dc", "rail_12v dc", "out_left tone", "out_right tone", "out_left loaded",
        "input_return hum", "rail_12v hum", "rail_12v loaded",
    ]),
    "wireless into a receiver-amplifier": ("receiver_amplifier", GIVES, [
        *MAINS, "rail_12v empty", "aux_left twin", "input_return ohms", "rail_5v ohms",
        "aux_left dc standby", "aux_right dc standby", "rail_5v dc standby", "aux_left dc tuner", "aux_right dc tuner", "rail_5v dc tuner",
        "aux_left dc", "aux_right dc", "input_return dc", "rail_5v dc", "aux_left hum", "aux_right hum", "aux_left tone", "aux_left series",
        "aux_left heard", "aux_right heard", "input_return hum", "rail_5v hum", "rail_5v loaded",
    ]),
    "wireless into a powered speaker": ("powered_speaker", GIVES, [
        "line_left twin", "input_return ohms", "rail_5v ohms", "line_left dc", "line_right dc", "input_return dc", "rail_5v dc",
        "line_left hum", "line_right hum", "line_left tone", "line_left series", "line_left heard", "line_right heard",
        "input_return hum", "rail_5v hum", "rail_5v loaded",
    ]),
    "wireless into a portable radio": ("portable_radio", GIVES, [
        "volume_foot ohms", "battery ohms", "volume_top dc", "volume_foot dc", "battery dc", "volume_top hum", "volume_top tone",
        "volume_top series", "volume_foot hum", "battery hum", "battery loaded",
    ]),
    "line out of a two-way speaker": ("two_way_speaker", TAKES, [
        *MAINS, "analog_return ohms", "rail_5v ohms", "low_out dc", "high_out dc", "analog_return dc", "rail_5v dc",
        "low_out tone", "low_out other", "high_out tone", "high_out other", "low_out turned", "low_out loaded",
        "analog_return hum", "rail_5v hum", "rail_5v loaded",
    ]),
}  # fmt: skip


def said(job: Job, ask: Ask) -> str:
    """A request as the lists have it."""
    point, working = ask.point.partition(".")[2], job.working_state()
    state = "" if ask.unpowered or ask.state in (working, job.off_state()) else f" {ask.state}"
    return f"{point} {_kind(job, ask)}{state}"


def _kind(job: Job, ask: Ask) -> str:
    tone = tone_of(ask.drive)
    ends, terminal = {ask.point, ask.against}, job.terminal(ask.point)
    simple = {Function.DC_VOLTS: "dc", Function.AC_VOLTS: "hum", Function.RESISTANCE: "ohms", Function.CONTINUITY: "rung", Function.HEARD: "heard",
              Function.CURRENT: "current"}[ask.function]  # fmt: skip
    first = [
        (BLADES in ends, "blades"),
        (EARTH in ends, "earth" if ask.load is None else "off-earth"),
        (ask.current is not None, "four wires"),
        (simple == "dc" and ask.state == job.off_state(), "empty"),
        (simple == "ohms" and getattr(terminal, "channel", None) is not None, "twin"),
        (simple == "heard", "heard"),
        (ask.series is not None, "series"),
        (ask.load is not None, "loaded"),
        (tone is not None and tone.down, "turned"),
        (tone is not None and "way" in ask.reason and "not the other" in ask.reason, "other"),
        (tone is not None, "tone"),
    ]
    return next((word for holds, word in first if holds), simple)


@pytest.mark.one_of(3)
@pytest.mark.parametrize("name", LISTS)
def test_a_practitioner_would_ask_the_same(name: str) -> None:
    """Everything on the list, and at most 1.2 times as many readings; the host is switched no more than it must."""
    kind, module, wanted = LISTS[name]
    stand_in = make_stand_in(kind)
    job = plan_of(stand_in, module)
    assert job is not None
    came = practised(job, stand_in)
    asked = [said(came.job, a) for a in came.asked]
    assert set(wanted) <= set(asked), set(wanted) - set(asked)
    assert len(asked) <= 1.2 * len(wanted), sorted(set(asked) - set(wanted))
    assert came.switches <= 1.3 * came.least
