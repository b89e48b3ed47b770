"""Hosts whose papers are silent or wrong about where the energy comes from, read by one who does just what is asked."""

from __future__ import annotations

import pytest
from msgspec.structs import replace

from pigtail.bench.truth import StandIn, load, shipped
from pigtail.edits.plan import put_supply
from pigtail.job.document import Job
from pigtail.job.energy import Earthed
from pigtail.model.model import Model
from pigtail.studies.findings import Severity
from pigtail.studies.power.study import study_power
from pigtail.units import Basis
from practising import Came, plan_of, practised

MODULES = {
    "quillfen": "wireless_receiver_5v",
    "marrowby": "wireless_receiver_5v",
    "tarnhow": "wireless_receiver_low",
}


def read(name: str, stand_in: StandIn | None = None) -> Came:
    """What came of a stand-in that ships, or of one like it, with a module planned on it."""
    stand_in = stand_in or load(shipped()[name])
    plan = plan_of(stand_in, MODULES[name])
    assert plan is not None
    return practised(plan, stand_in)


@pytest.mark.parametrize("name", ["quillfen", "marrowby"])
def test_the_earthed_end_and_the_stiffness_of_a_winding_are_found(name: str) -> None:
    """Nobody's papers told: it was rung out, read with nothing drawn and under a load; no fuse blew, no state was entered twice."""
    came = read(name)
    (winding,) = Model.of(came.job).job.host.windings
    truth = load(shipped()[name]).truth.windings[0]
    assert winding.earthed is truth.earthed is Earthed.SECOND
    assert winding.open is not None
    assert winding.open.basis is Basis.MEASURED
    assert truth.open is not None
    assert winding.open.low <= truth.open.nominal <= winding.open.high
    assert came.blown == 0
    codes = {f.code: f.severity for f in came.studies.findings}
    assert "power.reference_unknown" not in codes
    assert not [c for c, s in codes.items() if s is Severity.STOP]


def test_a_bridge_on_the_adapter_is_a_stop_once_it_was_rung_out() -> None:
    """By its papers no leg is on the ground and a bridge is good; by the meter it is a diode across the adapter."""

    def bridged(job: Job) -> set[str]:
        trial = put_supply(job, "m.supply", "adapter", ("bridge", "linear_cooled"))
        return {f.code for f in study_power(Model.of(trial)).findings}

    stand_in = load(shipped()["marrowby"])
    plan = plan_of(stand_in, MODULES["marrowby"])
    assert plan is not None
    assert "power.reference_trap" not in bridged(plan)
    assert "power.reference_trap" in bridged(read("marrowby").job)


def test_a_standby_drain_above_its_papers_is_told_and_the_clean_twin_is_not() -> None:
    """4.2 mA while off flatten the cell in weeks by themselves; 20 µA do not."""
    stand_in = load(shipped()["tarnhow"])
    clean = replace(
        stand_in,
        truth=replace(
            stand_in.truth, terminals=tuple(_as_told(stand_in, t) for t in stand_in.truth.terminals)
        ),
    )

    def standby(came: Came) -> float:
        (detail,) = (s.battery for s in study_power(Model.of(came.job)).supplies)
        assert detail is not None
        return next(x.before.value or 0.0 for x in detail.lasting if x.state == "off")

    drained, kept = standby(read("tarnhow")), standby(read("tarnhow", clean))
    assert drained == pytest.approx(1.2 * 0.8 * 0.85 / 0.0042, rel=0.1)
    assert kept > 100 * drained


def _as_told(stand_in: StandIn, terminal: object) -> object:
    """A point whose draw in each state is what the papers say."""
    papers = {t.id: t for t in stand_in.papers.host.terminals}[terminal.id]  # type: ignore[attr-defined]
    return replace(terminal, per_state=papers.per_state) if hasattr(terminal, "per_state") else terminal  # type: ignore[type-var]
