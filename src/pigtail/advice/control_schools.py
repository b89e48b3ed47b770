"""Where modders disagree about control: both ways solved for the job in hand, side by side, with our pick and its reason.

Bipolar or MOSFET; a relay or a semiconductor; muting at the speaker's enable or in the signal itself.
"""

from __future__ import annotations

from collections.abc import Iterator

from pigtail.advice.controls import search_controls
from pigtail.advice.found import Contest, Controlled, Side
from pigtail.advice.telling import of_module
from pigtail.catalogue.topologies import Does, topology
from pigtail.job.document import Job
from pigtail.job.errors import JobError
from pigtail.language import tr
from pigtail.studies.findings import ORDER
from pigtail.units import format_quantity

#: A line may lose so much more to a bipolar switch before a MOSFET is worth its care [A].
WORTH_A = 1e-4


def control_contests(job: Job, of: str) -> tuple[Contest, ...]:
    """What is argued about what wakes a module or mutes an output; none where fewer than two ways fit."""
    try:
        options = search_controls(job, of).options
    except JobError:
        return ()
    return tuple(_contests(options, wakes=of_module(job, of) is not None))


def _contests(options: tuple[Controlled, ...], *, wakes: bool) -> Iterator[Contest]:
    def best(*schools: str, coil: bool | None = None) -> Controlled | None:
        for option in options:
            shapes = [topology(s.topology) for s in option.link.sections]
            if any(s.school in schools and (coil is None or (Does.COILS in s.does) is coil) for s in shapes):
                return option
        return None

    bipolar, mosfet, relay = best("bipolar"), best("MOSFET"), best("relay")
    if bipolar is not None and mosfet is not None:
        gate = _sound(mosfet) and (bipolar.stolen_a - mosfet.stolen_a > WORTH_A or not _sound(bipolar))
        why = (
            tr("it takes next to nothing from the host's line, and loses next to nothing")
            if gate
            else tr(
                "the line has the current to spare, and a bipolar transistor dies of nothing that a gate "
                "dies of"
            )
        )
        yield Contest(
            tr("Bipolar or MOSFET"), (_side("Bipolar", bipolar), _side("MOSFET", mosfet)), int(gate), why
        )
    solid = mosfet if mosfet is not None and _sound(mosfet) else bipolar or mosfet
    if relay is not None and solid is not None and wakes:
        why = tr(
            "it draws nothing while it is on and makes no click; a relay is for more current, or for "
            "another ground"
        )
        yield Contest(
            tr("Relay or semiconductor"), (_side("Relay", relay), _side("Semiconductor", solid)), 1, why
        )
    apart = next(
        (o for o in options if any(Does.APART in topology(s.topology).does for s in o.link.sections)), None
    )
    if apart is not None and solid is not None and not wakes:
        why = tr("one ground is enough where module and amplifier share theirs anyway")
        yield Contest(
            tr("One ground or an isolator"),
            (_side(tr("One ground"), solid), _side("Isolator", apart)),
            0,
            why,
        )


def _sound(option: Controlled) -> bool:
    return ORDER.index(option.severity) >= ORDER.index(ORDER[3])


def _side(label: str, o: Controlled) -> Side:
    figures = (
        ("verdict", o.severity.value),
        (tr("from the line"), format_quantity(o.stolen_a, "A", 2)),
        (tr("lost in it"), format_quantity(o.lost_v, "V", 2) if o.lost_v else "–"),
        (tr("while off"), format_quantity(o.drain_a, "A", 2)),
        ("parts", str(o.parts)),
        ("by", o.line),
    )
    return Side(label, figures, o.edit)
