"""Columns of what is heard and seen: outputs that are enabled or muted, signals past a mute or a contact, indicators."""

from __future__ import annotations

import numpy as np

from pigtail.circuit import Solution
from pigtail.job.control import OFF, SEARCHING, UNPLUGGED, Acts, WantedOf
from pigtail.job.document import (
    HOST,
    Control,
    ControlIn,
    Link,
    Mode,
    Module,
)
from pigtail.language import tr
from pigtail.model import subjects
from pigtail.model.cascade import Network
from pigtail.model.estimate import Wanted
from pigtail.model.spread import Samples
from pigtail.studies.control.asked import Array, Asked, Judged, Numbers, Scene, shown
from pigtail.studies.control.found import ColumnKind
from pigtail.studies.control.meant import StateMoment
from pigtail.studies.control.moments import active, blinks
from pigtail.studies.findings import Severity
from pigtail.studies.judging import judge
from pigtail.studies.wording import tell

#: Quieter than this against the loudest is mute, and louder than the second heard [dB]. Common practice.
MUTE_DB, HEARD_DB = -40.0, -6.0
LEVEL_HZ = 1000.0
#: What the diode in a transistor lets swing below ground before it conducts [V]. From memory.
BODY_V = 0.5


class OutputColumn(Asked):
    """Whether an output is heard or mute: by the inputs that enable or mute it, and what the host itself mutes."""

    kind = ColumnKind.OUTPUT

    def __init__(self, scene: Scene, address: str, gates: list[str], *, untouched: bool = False) -> None:
        super().__init__(scene, f"output.{address}", address, scene.job.label(address))
        self.address, self.gates, self.untouched = address, gates, untouched
        self.of_host = address.startswith(f"{HOST}.")
        self.lit = (
            address,
            *gates,
            *(x.id for x in scene.job.links if any(j.terminal in gates for j in x.joins)),
        )

    def wanted(self) -> dict[str, Wanted]:
        name = self.column.words
        return {
            "heard_room": Wanted("V", tr("the room by which {name} is let through", name=name)),
            "mute_room": Wanted("V", tr("the room by which {name} is muted", name=name)),
        }

    def solve(self, samples: Samples, solved: Solution) -> dict[str, Array]:
        """Its numbers of every sample: arrays [S]."""
        heard, mute = [], []
        for gate in self.gates:
            pin = self.job.terminal(gate)
            assert isinstance(pin, ControlIn)
            mine = subjects.terminal(gate).parameter
            volts = np.asarray(solved.v(self.net.node(gate), self.net.reference(gate)))
            over, under = volts - samples[mine("high")], samples[mine("low")] - volts
            lets, stops = (over, under) if (pin.acts is Acts.ENABLES) is not pin.active_low else (under, over)
            heard.append(lets)
            mute.append(stops)
        return {"heard_room": np.min(heard, axis=0), "mute_room": np.max(mute, axis=0)}

    def expected(self, moment: StateMoment) -> bool | None:
        """Whether it is to be heard: as the person says; of the host as before, unless something is linked; of a module not while it is
        unfed."""
        said = self.scene.wanted(self.address, WantedOf.HEARD, moment)
        if said is not None:
            return said
        kind, idle = self.scene.kind(moment), moment.doing in (OFF, UNPLUGGED, SEARCHING)
        if self.of_host:
            return True if kind in (Mode.ON, Mode.WORKING) and idle else None
        return False if idle and moment.doing != SEARCHING else None

    def judged(self, moment: StateMoment, n: Numbers) -> Judged:
        """Its cell by its numbers [their units], and what is said of it."""
        state = self.job.state(moment.state)
        words = {"name": self.column.words, "when": self.scene.when(moment)}
        if state is not None and self.of_host and self.address.partition(".")[2] in state.mutes:
            return self.made("mute", tr("by the host"), [], self.lit, yes=False, severity=Severity.GOOD)
        if self.of_host and self.scene.kind(moment) is Mode.OFF:
            return self.made("silent", "", [], self.lit, yes=False)
        heard, mute = n["heard_room"], n["mute_room"]
        plays = heard.value is not None and heard.low >= 0
        silent = mute.value is not None and mute.low >= 0
        want = self.expected(moment)
        if self.untouched and self.scene.wanted(self.address, WantedOf.HEARD, moment) is None:
            return self.made(tr("as before"), "", [], self.lit, yes=None)
        asks = want if want is not None else plays or not silent
        found = [judge("control.heard" if asks else "control.mute", n, self.address, words)]
        word = "heard" if plays else "mute" if silent else "?" if heard.value is None else "neither"
        room = heard if asks else mute
        return self.made(
            word, room.short(), found, self.lit, yes=True if plays else False if silent else None
        )


class PathColumn(Asked):
    """Whether a signal gets through to where a path ends: past a network that mutes, or past the contacts of switches."""

    kind = ColumnKind.OUTPUT

    def __init__(
        self, scene: Scene, source: str, end: str, lit: tuple[str, ...], mute: Network | None = None
    ) -> None:
        super().__init__(scene, f"path.{source}.{end}", end, scene.job.label(end))
        self.source, self.end, self.lit, self.mute = source, end, lit, mute
        #: Whether its transistor has a diode of its own, which cuts what swings far below ground.
        self.cuts = mute is not None and any(x.startswith("M") for x in mute.shape.netlist.splitlines())

    def wanted(self) -> dict[str, Wanted]:
        name = self.column.words
        found = {
            "level_db": Wanted("dB", tr("the level at {name} against its source", name=name)),
            "heard_room": Wanted("dB", tr("the room by which {name} is let through", name=name)),
            "mute_room": Wanted("dB", tr("the room by which {name} is muted", name=name)),
        }
        return found | (
            {"swing_room": Wanted("V", tr("the swing that the mute lets through"))} if self.cuts else {}
        )

    def wave(self, samples: Samples) -> Solution:
        """Small signals at 1 kHz, the source alone playing at full scale, each sample at the operating point of its own: shape [S]."""
        size = max(v.size for v in samples.values())
        deck = {n: v for n, v in samples.items() if n in self.net.known}
        deck |= {n: np.zeros(size) for n in self.net.known if n.endswith("__drive")}
        return self.net.exact(deck | {f"{self.net.node(self.source)}__drive": np.ones(size)}).ac([LEVEL_HZ])

    def level(self, samples: Samples, wave: Solution) -> Array:
        """The level behind the mute against that before it, or at the end of contacts against what the source gives into that [dB],
        shape [S]."""
        if self.mute is not None:
            foot = self.mute.nodes["com"]
            behind, before = (np.abs(wave.v(n, foot)[:, 0]) for n in (self.mute.behind, self.mute.before))
        else:
            behind = np.abs(wave.v(self.net.node(self.end), self.net.reference(self.end))[:, 0])
            own, load = (
                samples[subjects.terminal(a).parameter("impedance")] for a in (self.source, self.end)
            )
            before = samples[subjects.terminal(self.source).parameter("emf")] * load / (own + load)
        return np.asarray(20 * np.log10(np.maximum(behind, 1e-12) / np.maximum(before, 1e-12)))

    def solve(self, samples: Samples, solved: Solution) -> dict[str, Array]:
        """Its numbers of every sample: arrays [S]."""
        wave = self.wave(samples)
        level = self.level(samples, wave)
        found = {"level_db": level, "heard_room": level - HEARD_DB, "mute_room": MUTE_DB - level}
        if self.cuts and self.mute is not None:
            foot = self.mute.nodes["com"]
            peak = np.sqrt(2) * np.abs(wave.v(self.mute.behind, foot)[:, 0])
            found["swing_room"] = BODY_V + np.asarray(solved.v(self.mute.behind, foot)) - peak
        return found

    def expected(self, moment: StateMoment) -> bool | None:
        """Whether it is to be heard, as the person says."""
        return self.scene.wanted(self.end, WantedOf.HEARD, moment)

    def judged(self, moment: StateMoment, n: Numbers) -> Judged:
        """Its cell by its numbers [their units], and what is said of it."""
        words = {"name": self.column.words, "when": self.scene.when(moment)}
        if self.scene.kind(moment) is Mode.OFF:
            return self.made("silent", "", [], self.lit, yes=False)
        plays, silent = n["heard_room"], n["mute_room"]
        heard = plays.value is not None and plays.low >= 0
        mute = silent.value is not None and silent.low >= 0
        want = self.expected(moment)
        found = []
        if want is not None or not (heard or mute):
            asks = want if want is not None else (plays.value or 0.0) >= (silent.value or 0.0)
            found = [judge("control.heard" if asks else "control.mute", n, self.end, words)]
        if heard and "swing_room" in n:
            found.append(judge("control.mute_clips", n, self.end, words))
        word = "heard" if heard else "mute" if mute else "?" if plays.value is None else "neither"
        through = True if heard else False if mute else None
        return self.made(word, shown(n["level_db"]), found, self.lit, yes=through, severity=Severity.GOOD)


class LightColumn(Asked):
    """An indicator: its current, and whether that is seen."""

    kind = ColumnKind.LIGHT

    def __init__(self, scene: Scene, link: Link, network: Network, probe: str) -> None:
        second = "second" in probe
        super().__init__(
            scene,
            f"light.{link.id}.{network.at}.{probe}",
            link.id,
            f"{link.name}{tr(', second colour') if second else ''}",
        )
        self.link, self.network, self.probe = link, network, probe
        port = "second" if second else ""
        ends = [j.terminal for j in link.joins if (not port or j.port == port) and j.port != "com"]
        self.lines = [
            a
            for a in ends
            if isinstance(scene.job.terminal(a), Control) and (second or "second" not in _port(link, a))
        ]
        self.lit = (link.id, *(j.terminal for j in link.joins))

    def wanted(self) -> dict[str, Wanted]:
        return {
            "lit_a": Wanted("A", tr("the current of {column}", column=self.column.words)),
            "led_room": Wanted(
                "A", tr("what {column} has below the most that its LED stands", column=self.column.words)
            ),
        }

    def solve(self, samples: Samples, solved: Solution) -> dict[str, Array]:
        """Its numbers of every sample: arrays [S]."""
        current = np.asarray(self.net.probe(solved, self.network, self.probe))
        return {"lit_a": current, "led_room": samples[self.network.parameter("imax")] - current}

    def expected(self, moment: StateMoment) -> bool | None:
        """Whether it is to be seen: as the person says, else while its line is active, and not while the module is off."""
        said = self.scene.wanted(self.link.id, WantedOf.LIT, moment)
        if said is not None:
            return said
        for address in self.lines:
            device_id, _, line = address.partition(".")
            device = self.job.device(device_id)
            if isinstance(device, Module) and device.doings:
                return (
                    active(device, line, moment.doing)
                    if moment.module == device_id
                    else False
                    if moment.off
                    else None
                )
        return None

    def blinking(self, moment: StateMoment) -> bool:
        """Whether it blinks meanwhile."""
        ends = [a.partition(".") for a in self.lines]
        module = next((m for m in self.job.modules if m.id == moment.module), None)
        return module is not None and any(
            d == module.id and blinks(module, x, moment.doing) for d, _, x in ends
        )

    def judged(self, moment: StateMoment, n: Numbers) -> Judged:
        """Its cell by its numbers [their units], and what is said of it."""
        current, want = n["lit_a"], self.expected(moment)
        words = {"name": self.column.words, "when": self.scene.when(moment), "current": shown(current)}
        bright = judge("control.seen", n, self.link.id, words)
        dark = judge("control.dark", n, self.link.id, words)
        lit = bright.severity in (Severity.GOOD, Severity.WATCH)
        found = [bright if (want if want is not None else lit) else dark]
        if current.value is not None and current.high > 0:
            found.append(judge("control.led_current", n, self.link.id, words))
        if (
            want is not None
            and lit is not want
            and not moment.off
            and (lit or dark.severity is Severity.GOOD)
        ):
            turned = {"does": "glows" if lit else tr("stays dark"), "is": "on" if want else "off"}
            found = [tell("control.wrong_way", self.link.id, words | turned)]
        if current.value is None:
            word = "?"
        elif lit:
            word = "blinks" if self.blinking(moment) else "lit"
        elif dark.severity is Severity.GOOD:
            word = "dark"
        else:
            word = "?" if bright.severity is Severity.UNKNOWN else "dim"
        return self.made(
            word, shown(current), found, self.lit, yes=True if lit else None if word == "?" else False
        )


def _port(link: Link, address: str) -> str:
    return next((j.port for j in link.joins if j.terminal == address), "")
