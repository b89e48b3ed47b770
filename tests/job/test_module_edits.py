"""Modules in an open job: taken out with what hangs on them, changed, doubled, named."""

from __future__ import annotations

from datetime import datetime

import pytest
from msgspec.structs import replace

from pigtail import edits
from pigtail.advice.plan import propose
from pigtail.catalogue.demo import demo
from pigtail.catalogue.kinds import make_host, make_module, module_kinds
from pigtail.edits.build import set_mounting
from pigtail.edits.host import add_point, remove_point, set_point, set_role
from pigtail.edits.modules import (
    add_another,
    change_module,
    duplicate_module,
    goes_with,
    joined_to,
    name_device,
    remove_module,
)
from pigtail.edits.readings import log_reading
from pigtail.job.document import AudioOut, Function, Job, Pin
from pigtail.job.errors import EditError
from pigtail.job.logbook import Done
from pigtail.studies.all import study_job


@pytest.fixture
def planned() -> Job:
    """A receiver in a hall amplifier, planned."""
    return demo("tidewell").job


def test_a_module_goes_with_its_links_readings_mounting_and_wishes(planned: Job) -> None:
    """Nothing is left that names it; the job is whole and can be planned anew."""
    (module,) = planned.modules
    pin = next(f"{module.id}.{t.id}" for t in module.terminals if isinstance(t, AudioOut))
    back = next(f"{module.id}.{t.id}" for t in module.terminals if t.name == "supply negative")
    job = log_reading(
        planned, point=pin, against=back, state=planned.working_state(), function=Function.DC_VOLTS, value=1.6,
        when=datetime(2026, 1, 1),
    )  # fmt: skip
    job = set_mounting(job, module.id, width=20.0)
    assert f"{len(joined_to(job, module.id))} links and 1 reading" in goes_with(job, module.id)
    gone = remove_module(job, module.id)
    assert gone.modules == ()
    assert gone.links == ()
    assert not any(module.id in (r.point + r.against) for r in gone.readings)
    assert gone.build.mounting(module.id) is None
    study_job(gone)
    again = add_another(gone, make_module("wireless_receiver_5v"))
    assert propose(again, again.modules[0].id).links


def test_a_module_that_is_worked_on_stays(planned: Job) -> None:
    """What is soldered is taken out by the way back, not by a click."""
    (module,) = planned.modules
    step = f"join:{joined_to(planned, module.id)[0].id}.out"
    done = Done(id="e1", when="2026-01-01T10:00", step=step)
    job = replace(planned, record=(done,))
    with pytest.raises(EditError, match="way back"):
        remove_module(job, module.id)
    with pytest.raises(EditError, match="way back"):
        change_module(job, module.id, make_module("card_player_5v"))
    undone = replace(job, record=(done, replace(done, id="e2", back=True)))
    assert remove_module(undone, module.id).modules == ()


@pytest.mark.parametrize("kind", [k.key for k in module_kinds()])
def test_any_kind_takes_the_place_of_another(planned: Job, kind: str) -> None:
    """What fits stays joined, the rest goes; the job can be studied and planned either way."""
    (module,) = planned.modules
    changed = change_module(planned, module.id, make_module(kind))
    assert [m.kind for m in changed.modules] == [kind]
    assert changed.modules[0].id == module.id
    assert {x.id for x in changed.links} <= {x.id for x in planned.links}
    if kind in ("wireless_receiver_5v", "wireless_receiver_low", "wireless_receiver_linked"):
        assert len(changed.links) == len(planned.links)
    study_job(changed)


def test_another_like_it_has_an_id_and_a_name_of_its_own(planned: Job) -> None:
    """Joined to nothing yet."""
    (module,) = planned.modules
    job = duplicate_module(duplicate_module(planned, module.id), module.id)
    assert [m.name for m in job.modules] == [module.name, f"{module.name} 2", f"{module.name} 3"]
    assert len({m.id for m in job.modules}) == 3
    assert all(not joined_to(job, m.id) for m in job.modules[1:])
    with pytest.raises(EditError):
        duplicate_module(job, "nothing")


def test_host_and_modules_are_named(planned: Job) -> None:
    """A name is needed."""
    (module,) = planned.modules
    assert name_device(planned, module.id, " Box ").modules[0].name == "Box"
    assert name_device(planned, "host", "Hall").host.name == "Hall"
    for device_id in (module.id, "host"):
        with pytest.raises(EditError):
            name_device(planned, device_id, "  ")


def test_points_of_a_module_are_edited_like_those_of_the_host() -> None:
    """Added, given a role and a name, taken off again unless something uses them."""
    job = edits.new_job("x", make_host("tape_recorder"))
    job = add_another(job, make_module("something_that_plays"))
    (module,) = job.modules
    job = add_point(job, Pin(id="mute", name="mute pin", return_to="supply_return"), device_id=module.id)
    job = set_role(job, f"{module.id}.mute", "control in")
    job = set_point(job, f"{module.id}.mute", name="mute")
    assert job.label(f"{module.id}.mute") == f"{module.name} · mute"
    assert remove_point(job, f"{module.id}.mute").terminal(f"{module.id}.mute") is None
    with pytest.raises(EditError, match="used by"):
        remove_point(job, f"{module.id}.supply_return")
    with pytest.raises(EditError):
        add_point(job, replace(Pin(id="y", name="y")), device_id="nothing")
