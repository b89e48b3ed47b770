"""Columns of what is fed: modules, and the rails of the host that feed them."""

from __future__ import annotations

import numpy as np

from pigtail.catalogue.topologies import Does, does
from pigtail.circuit import Solution
from pigtail.job.control import WAKES, WantedOf
from pigtail.job.document import Mode, Module
from pigtail.job.wiring import return_links, supply_links
from pigtail.language import tr
from pigtail.model import names, subjects
from pigtail.model.estimate import Wanted
from pigtail.model.spread import Samples
from pigtail.studies.control.asked import Array, Asked, Judged, Numbers, Scene, shown
from pigtail.studies.control.found import ColumnKind
from pigtail.studies.control.meant import StateMoment, meant, steered
from pigtail.studies.findings import Severity
from pigtail.studies.judging import judge

#: A rail of less than this is off [V].
THERE_V = 0.5
#: Why a cell is open where nothing of control decides it.
ASK_POWER = tr("What its rail gives is not known: Power tells what to measure.")


class ModuleColumn(Asked):
    """Whether a module is fed: the volts at its pins, what is left there while it is off, what flows into it by its other pins."""

    kind = ColumnKind.MODULE

    def __init__(self, scene: Scene, module: Module, pin: str) -> None:
        super().__init__(scene, f"module.{module.id}", module.id, module.name)
        self.module, self.pin = module, pin
        links = supply_links(self.job, pin)
        homes = [
            x for x in return_links(self.job, module.id) if any(does(s, Does.SWITCHES) for s in x.sections)
        ]
        self.links = (*links, *homes)
        self.steered = steered(self.job, module)
        lines = tuple(a for x in self.links for a in x.at("ctl"))
        self.lit = (*(x.id for x in self.links), *lines, *(a for x in links for a in x.starts))
        clamps = {f"bu.x{names.named(module.id, t.id, 'clamp')}" for t in module.terminals}
        self.diodes = [e.name for e in self.net.circuit.elements if e.name in clamps]

    def wanted(self) -> dict[str, Wanted]:
        return {
            "v": Wanted("V", tr("the supply of {module}", module=self.module.name)),
            "low_margin": Wanted(
                "V", tr("the room above the lowest supply of {module}", module=self.module.name)
            ),
            "off_margin": Wanted("V", tr("the room below what wakes {module}", module=self.module.name)),
            "injected": Wanted(
                "A", tr("what flows into {module} by its other pins", module=self.module.name)
            ),
        }

    def solve(self, samples: Samples, solved: Solution) -> dict[str, Array]:
        """Its numbers of every sample: arrays [S]."""
        least = samples[subjects.terminal(self.pin).parameter("minimum")]
        volts = np.asarray(solved.v(self.net.node(self.pin), self.net.reference(self.pin)))
        injected = sum((np.maximum(np.asarray(solved.i(d)), 0.0) for d in self.diodes), np.zeros_like(volts))
        return {
            "v": volts,
            "low_margin": volts - least,
            "off_margin": WAKES * least - volts,
            "injected": injected,
        }

    def said(self, moment: StateMoment) -> bool:
        """Whether the person said if it is to be fed in a moment."""
        return self.scene.wanted(self.module.id, WantedOf.POWERED, moment) is not None

    def expected(self, moment: StateMoment) -> bool | None:
        """Whether it is to be fed in a moment; None where nothing tells."""
        return meant(self.job, self.module, moment)

    @staticmethod
    def word(n: Numbers) -> str:
        """On, off, or half on, by its numbers [their units]."""
        if n["low_margin"].value is not None and n["low_margin"].low >= 0:
            return "on"
        if n["v"].value is None or n["off_margin"].value is None:
            return "?"
        return tr("half on") if n["off_margin"].low < 0 else "off"

    def judged(self, moment: StateMoment, n: Numbers) -> Judged:
        """Its cell by its numbers [their units], and what is said of it."""
        want, volts = self.expected(moment), n["v"]
        up = n["low_margin"].value is not None and n["low_margin"].low >= 0
        words = {"name": self.module.name, "when": self.scene.when(moment), "volts": shown(volts)}
        on = (
            want
            if want is not None
            else bool(up or (n["off_margin"].value is None or n["off_margin"].low < 0))
        )
        if on:
            code = "control.powered" if self.steered or want else "control.half_fed"
            found = [judge(code, n, self.module.id, words)]
            if found[0].severity is Severity.UNKNOWN and not self.steered and not self.said(moment):
                # nothing but the rail decides it, and Power tells what is not known of that
                why = found[0].sentence if volts.value is not None else ASK_POWER
                return self.made(
                    self.word(n), shown(volts), [], self.lit, yes=None, severity=Severity.UNKNOWN, why=why
                )
            if code == "control.half_fed" and found[0].severity is Severity.GOOD:
                waits = self.scene.kind(moment) in (Mode.OFF, Mode.STANDBY)
                why = (
                    tr("It stays on while the host waits: Power tells what that does.")
                    if waits
                    else found[0].sentence
                )
                severity = Severity.WATCH if waits else Severity.GOOD
                return self.made("on", shown(volts), [], self.lit, yes=True, severity=severity, why=why)
        else:
            found = [judge("control.asleep", n, self.module.id, words)]
            if self.diodes and want is not True:
                found.append(judge("control.injected", n, self.module.id, words))
        return self.made(self.word(n), shown(volts), found, self.lit, yes=up)


class RailColumn(Asked):
    """What a rail of the host gives to the plan."""

    kind = ColumnKind.RAIL

    def __init__(self, scene: Scene, address: str) -> None:
        super().__init__(scene, f"rail.{address}", address, scene.job.label(address))
        self.address, self.lit = address, (address,)

    def wanted(self) -> dict[str, Wanted]:
        return {
            "given": Wanted("A", tr("the current from {column}", column=self.column.words)),
            "v": Wanted("V", tr("the volts of {column}", column=self.column.words)),
        }

    def solve(self, samples: Samples, solved: Solution) -> dict[str, Array]:
        """Its numbers of every sample: arrays [S]."""
        volts = np.asarray(solved.v(self.net.node(self.address), self.net.reference(self.address)))
        return {
            "given": np.broadcast_to(
                np.asarray(self.net.terminal_current(solved, self.address)), volts.shape
            ),
            "v": volts,
        }

    def judged(self, moment: StateMoment, n: Numbers) -> Judged:
        """Its cell by its numbers [their units], and what is said of it."""
        volts = n["v"]
        there = volts.value is not None and abs(volts.value) > THERE_V
        return self.made(shown(n["given"]) if there else "off", "", [], self.lit, yes=there)
