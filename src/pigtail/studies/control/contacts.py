"""The contacts of the host's switches: whether they carry what flows through them and stand what lies across them, in all moments."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from pigtail.circuit import Solution
from pigtail.job.control import Switch
from pigtail.job.document import HOST
from pigtail.job.quantities import SWITCH_QUANTITIES
from pigtail.language import tr
from pigtail.model import subjects
from pigtail.model.estimate import Estimate, Input, Wanted
from pigtail.model.netlist import Netlist
from pigtail.model.spread import Samples
from pigtail.studies.control.asked import Scene, gathered
from pigtail.studies.findings import Finding
from pigtail.studies.judging import judge
from pigtail.units import format_quantity

Array = NDArray[np.float64]
#: Contacts of which nobody told the rating carry so much [A] and stand so many volts [V] whatever they are. Common practice.
ANY_CONTACT_A, ANY_CONTACT_V = 0.02, 30.0


class Contacts:
    """One switch of the host that the plan reaches."""

    def __init__(self, scene: Scene, switch: Switch) -> None:
        self.scene, self.switch, self.net = scene, switch, scene.net
        subject = subjects.switch(switch.id)
        self.made = {w: f"{subject.parameter(w)}__made" for w in switch.ways}
        self.inputs = [
            Input(
                subject.parameter(q.field),
                f"{switch.name}: {q.words}",
                q.of(switch),
                q.plausible,
                subject,
                q.field,
                in_deck=False,
            )
            for q in SWITCH_QUANTITIES
        ]

    def wanted(self) -> dict[str, Wanted]:
        """Its numbers."""
        name = self.switch.name
        return {
            "through_a": Wanted("A", tr("the current through the contacts of {name}", name=name)),
            "across_v": Wanted("V", tr("the volts across an open contact of {name}", name=name)),
            "carry_room": Wanted("A", tr("what the contacts of {name} can still carry", name=name)),
            "stand_room": Wanted("V", tr("the volts that the contacts of {name} still stand", name=name)),
        }

    def solve(self, samples: Samples, solved: Solution) -> dict[str, Array]:
        """Its numbers of every sample: arrays [S]."""
        common = self.net.node(f"{HOST}.{self.switch.common}")
        through = np.max([np.abs(np.asarray(solved.i(f"r{name}"))) for name in self.made.values()], axis=0)
        across = np.max(
            [np.abs(np.asarray(solved.v(common, self.net.node(f"{HOST}.{w}")))) for w in self.made], axis=0
        )
        volts, amperes = (samples[i.name] for i in self.inputs)
        return {
            "through_a": through,
            "across_v": across,
            "carry_room": amperes - through,
            "stand_room": volts - across,
        }

    def judged(self, every: list[Mapping[str, Estimate]]) -> list[Finding]:
        """What is said of its contacts by their numbers [A, V] in all moments; nothing of what any contact carries and stands."""
        said: list[Finding] = []
        for moment, n in zip(self.scene.moments, every, strict=True):
            for code, told, known, least, field in (
                ("control.contact_carries", n["through_a"], self.switch.amperes, ANY_CONTACT_A, "A"),
                ("control.contact_stands", n["across_v"], self.switch.volts, ANY_CONTACT_V, "V"),
            ):
                if told.value is None or (known is None and told.high <= least):
                    continue
                words = {
                    "name": self.switch.name, "when": self.scene.when(moment), "current": n["through_a"].short(),
                    "volts": n["across_v"].short(), "can": format_quantity(known.nominal, field) if known is not None else "?",
                }  # fmt: skip
                said.append(judge(code, n, self.switch.id, words))
        return gathered(said)


def contacts(scene: Scene) -> list[Contacts]:
    """The switches of the host that the deck has."""
    net: Netlist = scene.net
    return [
        c
        for s in scene.job.host.switches
        if (c := Contacts(scene, s)) and all(m in net.known for m in c.made.values())
    ]
