"""The drive of every network that switches, pulls, mutes or holds a coil: whether it is wholly on, keeps cool, and stands what is on it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from pigtail.catalogue.topologies import Does
from pigtail.circuit import Solution
from pigtail.job.document import Link, Module, Purpose
from pigtail.job.wiring import pin_of
from pigtail.language import tr
from pigtail.model.cascade import Network, networks, section_inputs
from pigtail.model.estimate import Estimate, Wanted
from pigtail.model.spread import Samples
from pigtail.studies.control.asked import Scene, gathered
from pigtail.studies.control.fed import ModuleColumn
from pigtail.studies.control.found import SwitchDetail
from pigtail.studies.findings import Finding
from pigtail.studies.judging import judge
from pigtail.studies.wording import tell
from pigtail.units import format_quantity

Array = NDArray[np.float64]
Numbers = Mapping[str, Estimate]
#: A relay is made from this part of its coil's volts on, and open below the second [1]. Common practice.
MADE, OPEN = 0.75, 0.10
#: What a coil that nothing catches throws at its driver: I·√(L/C), C of winding and transistor [F].
STRAY_F = 100e-12
#: A switch that loses more than this is open [V].
OPEN_V = 1.0
#: Above its threshold by less than this a gate is only half driven [V].
HALF_DRIVEN_V = 0.3


class SwitchDrive:
    """One network with a line or a base of its own."""

    def __init__(self, scene: Scene, link: Link, network: Network) -> None:
        self.scene, self.link, self.network, self.net = scene, link, network, scene.net
        self.shape = network.shape
        self.figures = {i.field: i for i in section_inputs(link, network.at)}
        module = self._module()
        self.column = module
        self.idle = "ctl" in self.shape.ports and not link.at("ctl")
        self.meant = [module.expected(m) if module is not None else None for m in scene.moments]

    def _module(self) -> ModuleColumn | None:
        """The module that it switches, as a column; None where it switches none."""
        job = self.scene.job
        if Does.SWITCHES not in self.shape.does:
            return None
        pin = pin_of(job, self.link)
        owner = (
            pin.partition(".")[0]
            if pin
            else next((j.terminal.partition(".")[0] for j in self.link.joins if j.port == "in"), "")
        )
        module = job.device(owner)
        if not isinstance(module, Module):
            return None
        return ModuleColumn(self.scene, module, pin or next(f"{owner}.{t.id}" for t in module.terminals))

    def probe(self, solved: Solution, name: str) -> Array:
        """What one of its probes reads, shape [S]."""
        return np.asarray(self.net.probe(solved, self.network, name))

    def wanted(self) -> dict[str, Wanted]:
        """The numbers of its drive."""
        probes, name = self.shape.probes, self.shape.short
        found: dict[str, Wanted] = {}
        if "drop_v" in probes:
            found["drop_v"] = Wanted("V", tr("what is lost in the {name}", name=name))
        if Does.SWITCHES in self.shape.does and {"load_current"} <= set(probes) and "imax" in self.figures:
            found |= {
                "load_a": Wanted("A", tr("the current through the {name}", name=name)),
                "carry_room": Wanted("A", tr("the current that the {name} can still carry", name=name)),
            }
        if "vmax" in self.figures:
            found["stand_room"] = Wanted("V", tr("the room below what the {name} stands", name=name))
        if "theta" in self.figures and "drop_v" in probes and "load_current" in probes:
            found["hot_c"] = Wanted("°C", tr("the junction of the {name}", name=name))
            found["spent_w"] = Wanted("W", tr("the heat in the {name}", name=name))
        if "drive_current" in probes and "base_v" in probes:
            found["forced"] = Wanted(
                "", tr("the current that the {name} passes over what drives it", name=name)
            )
        if "gate_v" in probes and "vdrive" in self.figures:
            found |= {
                "gate_v": Wanted("V", tr("the gate drive of the {name}", name=name)),
                "gate_room": Wanted(
                    "V", tr("the gate drive of the {name} above what its resistance is told at", name=name)
                ),
                "half_room": Wanted("V", tr("the gate drive of the {name} above its threshold", name=name)),
                "gate_stands": Wanted(
                    "V", tr("the room below what the gate of the {name} stands", name=name)
                ),
            }
        elif "gate_v" in probes:
            found["gate_v"] = Wanted("V", tr("the gate of the {name}", name=name))
            if "vgate" in self.figures:
                found["gate_stands"] = Wanted(
                    "V", tr("the room below what the gate of the {name} stands", name=name)
                )
        if "vdriver" in self.figures:
            found["driver_v"] = Wanted("V", tr("the gate of the driver of the {name}", name=name))
            found["driver_stands"] = Wanted(
                "V", tr("the room below what the gate of the driver of the {name} stands", name=name)
            )
        if "npn_base_v" in probes:
            found["base_back"] = Wanted(
                "V", tr("the volts backward on the base of the NPN of the {name}", name=name)
            )
        if "idiode" in self.figures:
            found["diode_a"] = Wanted("A", tr("the current of the diode of the {name}", name=name))
            found["diode_room"] = Wanted(
                "A", tr("the current that the diode of the {name} still stands", name=name)
            )
        if "coil_v" in probes:
            found |= {
                "coil_v": Wanted("V", tr("the volts on the coil of the {name}", name=name)),
                "coil_a": Wanted("A", tr("the current of the coil of the {name}", name=name)),
                "made_room": Wanted(
                    "V", tr("the volts on the coil of the {name} above what makes it", name=name)
                ),
                "open_room": Wanted(
                    "V", tr("the volts on the coil of the {name} below what lets it go", name=name)
                ),
            }
        return found

    def solve(self, samples: Samples, solved: Solution) -> dict[str, Array]:
        """Those numbers for samples: arrays [S]."""
        wanted, figure = self.wanted(), self.figure(samples)
        found: dict[str, Array] = {}
        if "drop_v" in wanted:
            found["drop_v"] = np.abs(self.probe(solved, "drop_v"))
        if "load_a" in wanted:
            load = np.abs(self.probe(solved, "load_current"))
            found |= {"load_a": load, "carry_room": figure["imax"] - load}
        if "stand_room" in wanted:
            found["stand_room"] = figure["vmax"] - np.abs(self.across(solved))
        if "hot_c" in wanted:
            spent = np.abs(self.probe(solved, "drop_v") * self.probe(solved, "load_current"))
            found |= {"spent_w": spent, "hot_c": samples["ambient"] + spent * figure["theta"]}
        if "forced" in wanted:
            found["forced"] = np.abs(self.probe(solved, "load_current")) / np.maximum(
                np.abs(self.probe(solved, "drive_current")), 1e-12
            )
        if "gate_v" in wanted:
            gate = np.abs(self.probe(solved, "gate_v"))
            found["gate_v"] = gate
            if "gate_room" in wanted:
                found |= {
                    "gate_room": gate - figure["vdrive"],
                    "half_room": gate - figure["vth"] - HALF_DRIVEN_V,
                }
            if "gate_stands" in wanted:
                found["gate_stands"] = figure["vgate"] - gate
        if "driver_v" in wanted:
            driver = np.abs(self.probe(solved, "driver_v"))
            found |= {"driver_v": driver, "driver_stands": figure["vdriver"] - driver}
        if "base_back" in wanted:
            found["base_back"] = -self.probe(solved, "npn_base_v")
        if "diode_a" in wanted:
            diode = np.abs(self.probe(solved, "line_current"))
            found |= {"diode_a": diode, "diode_room": figure["idiode"] - diode}
        if "coil_v" in wanted:
            coil = np.abs(self.probe(solved, "coil_v"))
            found |= {
                "coil_v": coil,
                "coil_a": np.abs(self.probe(solved, "coil_current")),
                "made_room": coil - MADE * figure["vcoil"],
                "open_room": OPEN * figure["vcoil"] - coil,
            }
        return found

    def across(self, solved: Solution) -> Array:
        """The volts that it has to stand while it is open [V], shape [S]: at its input, at what it pulls, of a muting relay its coil's."""
        inner = self.network.nodes
        if Does.PULLS in self.shape.does:
            return self.probe(solved, "drop_v")
        high = inner["sup"] if Does.MUTES in self.shape.does else self.network.before
        return np.asarray(solved.v(high, inner.get("com", inner["out"])))

    def figure(self, samples: Samples) -> dict[str, Array]:
        """Its values by their names, shape [S] each."""
        return {field: samples[i.name] for field, i in self.figures.items() if i.name in samples}

    # -- judging ---------------------------------------------------------------------------------------------

    def judged(self, every: Sequence[Numbers]) -> tuple[SwitchDetail, list[Finding]]:
        """Its numbers [their units] where it carries most, and the worst that is said of it over all moments."""
        said = [f for at, n in enumerate(every) for f in self._moment(at, n)]
        most = max(
            every,
            key=lambda n: (
                n["load_a"].value or 0.0
                if "load_a" in n
                else max((e.value or 0.0 for e in n.values()), default=0.0)
            ),
        )
        return SwitchDetail(self.link.id, self.network.at, self.shape.key, dict(most)), [
            *gathered(said),
            *self._always(every),
        ]

    def words(self, at: int, n: Numbers) -> dict[str, str]:
        """What its sentences name of its numbers [their units]."""
        figures = {
            k: format_quantity(i.ends[1], i.known.unit if i.known else "") for k, i in self.figures.items()
        }
        return {
            "name": tr("the {short} in {link}", short=self.shape.short, link=self.link.name),
            "when": self.scene.when(self.scene.moments[at]),
            **{k: e.short() for k, e in n.items()}, **{f"own_{k}": v for k, v in figures.items()},
        }  # fmt: skip

    def _moment(self, at: int, n: Numbers) -> Iterator[Finding]:
        words, meant = self.words(at, n), self.meant[at] and not self.idle
        if "stand_room" in n:
            yield judge("control.stands", n, self.link.id, words)
        if "gate_stands" in n:
            yield judge("control.gate_stands", n, self.link.id, words)
        if "driver_stands" in n:
            its = {"name": tr("the driver of {words}", words=words["name"]), "gate_v": words["driver_v"]}
            driver = dict(n) | {"gate_stands": n["driver_stands"]}
            yield judge(
                "control.gate_stands",
                driver,
                self.link.id,
                words | its | {"own_vgate": words["own_vdriver"]},
            )
        if "base_back" in n:
            yield judge("control.base_back", n, self.link.id, words)
        if "diode_room" in n:
            yield judge("control.diode_stands", n, self.link.id, words)
        if meant and Does.SWITCHES in self.shape.does:
            if "carry_room" in n:
                yield judge("control.carries", n, self.link.id, words)
            if "coil_v" in n:
                yield judge("control.coil_made", n, self.link.id, words)
            if "gate_room" in n:
                half = n["half_room"]
                yield judge(
                    "control.gate", n, self.link.id, words, watch=self._half_driven(half, n["gate_room"])
                )
            # what is open altogether is told of the module
            shut = "drop_v" in n and n["drop_v"].value is not None and n["drop_v"].low > OPEN_V
            if "hot_c" in n and not shut:
                yield judge("control.drop", n, self.link.id, words)
                yield judge(
                    "control.switch_hot", n, self.link.id, words, watch=self.figures["tj_max"].ends[1]
                )
            if "forced" in n and not shut:
                yield judge("control.forced", n, self.link.id, words)
        elif meant is False and "open_room" in n and Does.MUTES not in self.shape.does:
            yield judge("control.coil_open", n, self.link.id, words)

    @staticmethod
    def _half_driven(half: Estimate, room: Estimate) -> float:
        """The gate drive against what the resistance is told at [V] from which it is at least above its threshold."""
        if half.value is None or room.value is None:
            return 0.0
        return min(room.value - half.low, 0.0)

    def _always(self, every: Sequence[Numbers]) -> Iterator[Finding]:
        """What holds in all moments: a coil that nothing catches, a switch in the negative lead."""
        words = self.words(0, {})
        if self.idle:
            yield tell("control.nothing_works", self.link.id, words)
        if Does.COILS in self.shape.does and Does.CATCHES not in self.shape.does:
            most = max((n["coil_a"].high for n in every if n["coil_a"].value is not None), default=0.0)
            current = most or self.figures["vcoil"].ends[1] / self.figures["rcoil"].ends[1]
            henry = self.figures["lcoil"].ends[1]
            peak = current * np.sqrt(henry / STRAY_F)
            yield tell(
                "control.coil_bare", self.link.id,
                words | {"current": format_quantity(current, "A"), "peak": format_quantity(float(peak), "V"), "stands": words["own_vmax"]},
            )  # fmt: skip
        if self.link.purpose is Purpose.RETURN and Does.SWITCHES in self.shape.does:
            yield tell("control.in_negative", self.link.id, words)


def drives(scene: Scene) -> list[SwitchDrive]:
    """The drives of all networks of the plan that have one."""
    wanted = (Does.SWITCHES, Does.PULLS, Does.MUTES)
    return [
        SwitchDrive(scene, x, n) for x in scene.job.links for n in networks(x) if n.shape.does & set(wanted)
    ]
