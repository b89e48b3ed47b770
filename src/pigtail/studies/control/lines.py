"""Columns of lines and inputs: what a line stands at loaded, whether an input is plainly high or low."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from pigtail.catalogue.topologies import Does, does
from pigtail.circuit import Solution
from pigtail.job.control import PLAYING, Acts, Pull
from pigtail.job.document import (
    HOST,
    Control,
    ControlIn,
    Mode,
    Module,
    SupplyIn,
)
from pigtail.job.wiring import addresses_of
from pigtail.language import tr
from pigtail.model import names, subjects
from pigtail.model.estimate import Wanted
from pigtail.model.spread import Samples
from pigtail.studies.control.asked import Array, Asked, Judged, Numbers, Scene, shown
from pigtail.studies.control.fed import ASK_POWER
from pigtail.studies.control.found import ColumnKind
from pigtail.studies.control.meant import StateMoment
from pigtail.studies.control.moments import blinks
from pigtail.studies.findings import Finding, Severity
from pigtail.studies.judging import judge
from pigtail.studies.wording import tell
from pigtail.units import format_quantity

#: A line of less than this is not active [V].
ACTIVE_V = 0.5
#: What a pin of a chip gives or sinks without anybody having to look it up [A] (common practice), and what is nothing [A].
ANY_PIN_A, NOTHING_A = 1e-3, 1e-5
#: What a pin of a chip stands without anybody having to look it up [V] (common practice).
ANY_PIN_V = 5.5
#: A pin of a module that lies further below its negative than this is driven backward [V].
BELOW_V = 0.5
#: So much through the diodes of a pin does nothing [A], and so far above its supply they hold it [V]. Common practice.
CLAMPED_A, CLAMPED_V = 5e-4, 0.7
#: From so much on such a diode holds its pin [A].
HELD_A = 1e-6


class LineColumn(Asked):
    """A line that the plan joins: what it stands at loaded, against what the host itself needs of it, or what a pin can give."""

    kind = ColumnKind.LINE

    def __init__(self, scene: Scene, address: str, line: Control) -> None:
        super().__init__(scene, f"line.{address}", address, scene.job.label(address))
        self.address, self.line, self.node = address, line, scene.net.node(address)
        self.of_host = address.startswith(f"{HOST}.")
        self.lit = (address, *(x.id for x in scene.job.links if any(j.terminal == address for j in x.joins)))
        self.mine = subjects.terminal(address).parameter

    def wanted(self) -> dict[str, Wanted]:
        name = self.column.words
        found = {
            "v": Wanted("V", tr("the level of {name}", name=name)),
            "given": Wanted("A", tr("the current from {name}", name=name)),
        }
        if self.of_host:
            found |= {
                "moved": Wanted("", tr("the part by which {name} is moved", name=name)),
                "lifted": Wanted("V", tr("by how much {name} is lifted", name=name)),
                "room": Wanted("V", tr("what {name} has above what the host needs", name=name)),
                "share": Wanted("", tr("the part of what the host's own load takes from {name}", name=name)),
            }
        else:
            found |= {
                "source_room": Wanted("A", tr("what {name} can still source", name=name)),
                "sink_room": Wanted("A", tr("what {name} can still sink", name=name)),
                "pin_room": Wanted("V", tr("what {name} has below the most that its pin stands", name=name)),
            }
        return found

    def solve(self, samples: Samples, solved: Solution) -> dict[str, Array]:
        """Its numbers of every sample: arrays [S]."""
        net, mine = self.net, self.mine
        volts = np.asarray(solved.v(self.node, net.reference(self.address)))
        given = np.broadcast_to(np.asarray(net.terminal_current(solved, self.address)), volts.shape)
        found = {"v": volts, "given": given}
        if not self.of_host:
            return found | {
                "source_room": samples[mine("sources")] - given,
                "sink_room": samples[mine("sinks")] + given,
                "pin_room": samples[mine("most")] - volts,
            }
        opened = self.opened(samples, volts)
        sense = np.sign(opened)
        fallen = sense * (opened - volts)
        least = samples[mine("least")]
        return found | {
            "moved": np.where(
                np.abs(opened) > ACTIVE_V, np.abs(opened - volts) / np.maximum(np.abs(opened), ACTIVE_V), 0.0
            ),
            "lifted": np.where(np.abs(opened) > ACTIVE_V, np.maximum(-fallen, 0.0), np.abs(volts - opened)),
            "room": sense * volts - np.abs(least),
            "share": np.abs(given) / np.maximum(samples[mine("takes")], 1e-9),
        }

    def opened(self, samples: Samples, like: Array) -> Array:
        """What it stands at without the plan [V]."""
        level = samples[f"{self.node}__level"] * samples.get(f"{self.node}__present", np.ones(1))
        for entry in self.line.per_state:
            state = names.encoded(entry.state)
            level = (
                level + samples[f"{self.node}__in__{state}"] * samples[f"{self.mine('level')}__in__{state}"]
            )
        return np.broadcast_to(level, like.shape)

    def judged(self, moment: StateMoment, n: Numbers) -> Judged:
        """Its cell by its numbers [their units], and what is said of it."""
        volts = n["v"]
        words = {
            "name": self.column.words,
            "when": self.scene.when(moment),
            "volts": shown(volts),
            "given": shown(n["given"]),
        }
        found = list(self._of_host(n, words) if self.of_host else self._of_pin(n, words))
        high = volts.value is not None and abs(volts.value) > ACTIVE_V
        word = "?" if volts.value is None else "blinks" if self.blinking(moment) else ""
        return self.made(word, shown(volts), found, self.lit, yes=high)

    def blinking(self, moment: StateMoment) -> bool:
        """Whether it blinks in a moment."""
        device, _, line = self.address.partition(".")
        module = next((m for m in self.job.modules if m.id == device == moment.module), None)
        return module is not None and blinks(module, line, moment.doing)

    def _of_host(self, n: Numbers, words: dict[str, str]) -> Iterator[Finding]:
        volts = n["v"]
        low = volts.value is not None and max(abs(volts.low), abs(volts.high)) <= ACTIVE_V
        lifted = judge("control.line_lifted", n, self.address, words)
        if lifted.severity is not Severity.GOOD and lifted.severity is not Severity.UNKNOWN:
            yield lifted
            return
        kept = judge("control.line_kept", n, self.address, words)
        if low:
            return
        if kept.severity is Severity.GOOD:
            yield kept
        elif self.line.least is not None:
            yield judge("control.line_room", n, self.address, words)
        elif self.line.takes is not None:
            yield judge("control.line_share", n, self.address, words)
        elif kept.severity is Severity.UNKNOWN:
            yield kept
        else:
            moved = n["moved"]
            part = f"{100 * moved.high:.0f} %" if moved.value is not None else "?"
            yield tell("control.line_need", self.address, words | {"part": part})

    def _of_pin(self, n: Numbers, words: dict[str, str]) -> Iterator[Finding]:
        given = n["given"]
        for code, known, most in (
            ("control.sources", self.line.sources, given.high),
            ("control.sinks", self.line.sinks, -given.low),
        ):
            if given.value is None or (known is None and most <= ANY_PIN_A) or most <= NOTHING_A:
                continue
            yield judge(
                code, n, self.address, words | {"can": format_quantity(known.low, "A") if known else "?"}
            )
        volts = n["v"]
        if volts.value is not None and (self.line.most is not None or volts.high > ANY_PIN_V):
            yield judge("control.pin_stands", n, self.address, words)


class InputColumn(Asked):
    """An input that is switched: whether it is plainly low or high, and whether it stands what is put on it."""

    kind = ColumnKind.INPUT

    def __init__(self, scene: Scene, address: str, pin: ControlIn) -> None:
        super().__init__(scene, f"input.{address}", address, scene.job.label(address))
        self.address, self.pin, self.node = address, pin, scene.net.node(address)
        self.lit = (address, *(x.id for x in scene.job.links if any(j.terminal == address for j in x.joins)))
        self.joined = len(self.lit) > 1
        self.mine = subjects.terminal(address).parameter
        diode = f"bu.x{self.node}__clamp"
        self.diode = diode if any(e.name == diode for e in scene.net.circuit.elements) else ""
        self.of_module = not address.startswith(f"{HOST}.")
        device = scene.job.device(address.partition(".")[0])
        self.supply = (
            next(iter(addresses_of(scene.job, SupplyIn, device.id)), "") if isinstance(device, Module) else ""
        )

    def wanted(self) -> dict[str, Wanted]:
        name = self.column.words
        return {
            "v": Wanted("V", tr("the level of {name}", name=name)),
            "over_high": Wanted("V", tr("what {name} has above its high level", name=name)),
            "under_low": Wanted("V", tr("what {name} has below its low level", name=name)),
            "most_room": Wanted("V", tr("what {name} has below the most that it stands", name=name)),
            "below_room": Wanted("V", tr("what {name} has above what drives it backward", name=name)),
        }

    def solve(self, samples: Samples, solved: Solution) -> dict[str, Array]:
        """Its numbers of every sample: arrays [S]."""
        mine = self.mine
        volts = np.asarray(solved.v(self.node, self.net.reference(self.address)))
        room = samples[mine("most")] - volts
        if self.diode and self.supply:
            # a pin that its own diode holds, by little current, comes to no harm
            held = (
                np.asarray(solved.v(self.net.node(self.supply), self.net.reference(self.supply))) + CLAMPED_V
            )
            through = np.abs(np.asarray(solved.i(self.diode)))
            room = np.where(
                (through > HELD_A) & (through <= CLAMPED_A) & (volts > samples[mine("most")]),
                np.maximum(room, held - volts),
                room,
            )
        below = volts + BELOW_V
        if self.diode:  # by so little nothing comes to harm
            back = np.abs(np.asarray(solved.i(self.diode.replace("bu.", "bd."))))
            below = np.where((back > HELD_A) & (back <= CLAMPED_A), np.maximum(below, 0.0), below)
        return {
            "below_room": below,
            "v": volts,
            "over_high": volts - samples[mine("high")],
            "under_low": samples[mine("low")] - volts,
            "most_room": room,
        }

    def state(self, n: Numbers) -> bool | None:
        """Whether it is plainly high or plainly low by its numbers [V]; None where it is neither, or nobody knows."""
        over, under = n["over_high"], n["under_low"]
        if over.value is not None and over.low >= 0:
            return True
        return False if under.value is not None and under.low >= 0 else None

    def judged(self, moment: StateMoment, n: Numbers) -> Judged:
        """Its cell by its numbers [their units], and what is said of it."""
        volts, high = n["v"], self.state(n)
        words = {"name": self.column.words, "when": self.scene.when(moment), "volts": shown(volts)}
        found: list[Finding] = []
        if volts.value is None and not self.joined:
            return self.made("?", "?", [], self.lit, yes=None, severity=Severity.UNKNOWN, why=ASK_POWER)
        fed = not moment.off or self.address.startswith(f"{HOST}.")
        on = None if high is None else high is not self.pin.active_low
        if fed and self.pin.acts is not Acts.READ and self.scene.kind(moment) is not Mode.OFF:
            found.append(self.decided(n, words, high))
            if on is not None and self.works(moment) and on is not (self.pin.acts is Acts.ENABLES):
                found.append(tell("control.not_enabled", self.address, words))
        if self.joined and (self.pin.most is not None or (volts.value is not None and volts.high > ACTIVE_V)):
            found.append(judge("control.stands_level", n, self.address, words))
        if self.joined and self.of_module and volts.value is not None and volts.low < 0:
            found.append(judge("control.not_below", n, self.address, words))
        if self.pin.acts is Acts.READ:
            blinking, duty = self.averaged(moment)
            if not blinking:
                return self.made("", shown(volts), found, self.lit, yes=None)
            mean = format_quantity(volts.value * duty, "V") if volts.value is not None and duty else "?"
            return self.made("blinks", mean, found, self.lit, yes=None)
        word = (
            "?" if volts.value is None else "between" if high is None else "active" if on else tr("at rest")
        )
        return self.made(word, shown(volts), found, self.lit, yes=on)

    def averaged(self, moment: StateMoment) -> tuple[bool, float | None]:
        """Whether it reads the average of a line that blinks in a moment, and the part of the time that it is active [1]."""
        for link in self.job.links:
            if self.address not in link.at("out") or not any(does(s, Does.AVERAGES) for s in link.sections):
                continue
            for start in link.starts:
                device, _, line = start.partition(".")
                module = next((m for m in self.job.modules if m.id == device == moment.module), None)
                source = self.job.terminal(start)
                if module is not None and isinstance(source, Control) and blinks(module, line, moment.doing):
                    return True, source.duty.nominal if source.duty is not None else None
        return False, None

    def works(self, moment: StateMoment) -> bool:
        """Whether it is a module's own that lets it work, in a moment in which that is to play."""
        module = self.address.partition(".")[0]
        plays = (
            self.scene.kind(moment) is Mode.WORKING
            and not moment.off
            and (moment.module != module or moment.doing == PLAYING)
        )
        return self.pin.acts in (Acts.ENABLES, Acts.MUTES) and plays and module != HOST

    def decided(self, n: Numbers, words: dict[str, str], high: bool | None) -> Finding:
        """Whether it is plainly one or the other, by the level that it is nearer to [V]."""
        over, under = n["over_high"], n["under_low"]
        if high is None and self.pin.pulls is Pull.UNKNOWN and over.value is not None:
            return tell("control.pull_unknown", self.address, words)
        nearer = high if high is not None else (over.value or 0.0) >= (under.value or 0.0)
        return judge("control.high" if nearer else "control.low", n, self.address, words)
