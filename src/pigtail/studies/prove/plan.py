"""What a runbook is made from: the job as written and as measured, its wires, its little board, and what the model says it will read."""

from __future__ import annotations

from pigtail.board.parts import Mounted, mounted, on_board
from pigtail.job.document import HOST, AudioIn, AudioOut, Job, Link, Module, Purpose, SupplyIn
from pigtail.job.wiring import return_links, supply_links, used_points
from pigtail.model.model import Model
from pigtail.studies.control.meant import pins_of
from pigtail.studies.loom.found import LoomWire
from pigtail.studies.loom.wires import loom_wires
from pigtail.units.store import cached_property


class WorkPlan:
    """A model with what the steps are made for."""

    def __init__(self, model: Model) -> None:
        self.model = model
        self.papers, self.job = model.papers, model.job

    @cached_property
    def wires(self) -> tuple[LoomWire, ...]:
        """The wires that are cut: those that sit on a part are none."""
        return tuple(w for w in loom_wires(self.papers) if w.length != 0)

    @cached_property
    def board(self) -> Mounted:
        """What sits on the little board."""
        return mounted(self.papers)

    @cached_property
    def networks(self) -> tuple[Link, ...]:
        """The links that have parts on the board."""
        return tuple(x for x in self.papers.links if on_board(x))

    @cached_property
    def modules(self) -> tuple[Module, ...]:
        """The modules that the plan joins to anything."""
        used = {j.terminal.partition(".")[0] for x in self.papers.links for j in x.joins}
        return tuple(m for m in self.papers.modules if m.id in used)

    @cached_property
    def pins(self) -> tuple[str, ...]:
        """The supply pins of modules that the plan feeds, by their addresses."""
        return tuple(p for m in self.modules for p in pins_of(self.papers, m))

    def supplying(self, pin: str) -> tuple[str, ...]:
        """The ids of the links that feed a pin, and of those that bring its current back."""
        links = supply_links(self.papers, pin)
        apart = any(
            j.port == "com" and j.terminal.startswith(pin.partition(".")[0]) for x in links for j in x.joins
        )
        back = return_links(self.papers, pin.partition(".")[0])
        return tuple(dict.fromkeys(x.id for x in (*links, *(() if apart and not back else back))))

    @cached_property
    def feeds(self) -> tuple[Link, ...]:
        """The links that carry sound."""
        return tuple(x for x in self.papers.links if x.purpose is Purpose.FEED)

    def feeds_of(self, module: str) -> tuple[Link, ...]:
        """The links that carry sound to or from a module."""
        return tuple(x for x in self.feeds if any(j.terminal.startswith(f"{module}.") for j in x.joins))

    @cached_property
    def taps(self) -> tuple[tuple[str, Link], ...]:
        """The host's audio points that feeds are joined to, each with its feed."""
        found: dict[str, Link] = {}
        for link in self.feeds:
            for join in link.joins:
                terminal = self.papers.terminal(join.terminal)
                if join.terminal.startswith(f"{HOST}.") and isinstance(terminal, AudioIn | AudioOut):
                    found.setdefault(join.terminal, link)
        return tuple(found.items())

    @cached_property
    def points(self) -> tuple[str, ...]:
        """The host's points that the plan joins anything to."""
        return used_points(self.papers)

    def pin(self, address: str) -> SupplyIn:
        """A supply pin as it was measured."""
        terminal = self.job.terminal(address)
        assert isinstance(terminal, SupplyIn)
        return terminal

    def owner(self, address: str) -> str:
        """The name of the module that a terminal belongs to."""
        device = self.papers.device(address.partition(".")[0])
        return device.name if device is not None else address


def state_name(job: Job, state: str) -> str:
    """How a host state is called."""
    found = job.state(state)
    return found.name if found is not None else state or "on"
