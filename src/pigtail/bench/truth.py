"""The truth file of a stand-in: what the papers say of a host, and what is really there.

`NAME.standin` is JSON. `papers` is the job that a person starts from; `truth` is the host as it is, its points under the
ids that the papers use for the same places. Where both agree the papers are right; where they differ lies a fault to find.
"""

from __future__ import annotations

from pathlib import Path

import msgspec

from pigtail.catalogue.opening import check_networks
from pigtail.job.check import check_job
from pigtail.job.disk import read_whole
from pigtail.job.document import FORMAT as JOB_FORMAT
from pigtail.job.document import HOST, OUTSIDE, Host, Job, Link, Module
from pigtail.job.document import VERSION as JOB_VERSION
from pigtail.job.errors import FileError, JobError
from pigtail.job.file import migrate_states, migrated
from pigtail.job.meters import meters
from pigtail.job.record import Name, Note, Ref
from pigtail.job.texts import check_texts, made_storable
from pigtail.language import tr
from pigtail.model.probed import Joint, Offset
from pigtail.units.known import KnownError

FORMAT, VERSION = "pigtail stand-in", 1
MAX_BYTES = 8_000_000
MOST_JOINTS = 2_000
DATA = Path(__file__).parent / "data"


class StandIn(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A host to be probed: its papers, its truth, and what is wrong with the papers, in words. modules and links: what of the plan is
    built into it, as it really is."""

    format: str = FORMAT
    version: int = VERSION
    title: Name
    papers: Job
    truth: Host
    modules: tuple[Module, ...] = ()
    links: tuple[Link, ...] = ()
    joints: tuple[Joint, ...] = ()
    offsets: tuple[Offset, ...] = ()
    faults: tuple[Note, ...] = ()
    meter: Ref = "handheld"
    seed: int = 1

    def true_job(self) -> Job:
        """The true host as a job, with what is built into it and nothing else."""
        return Job(name=self.title, host=self.truth, modules=self.modules, links=self.links)


def check_stand_in(stand_in: StandIn) -> None:
    """Raise JobError unless papers and truth make sense, each and together."""
    check_job(stand_in.papers)
    check_job(stand_in.true_job())
    check_networks(stand_in.papers)
    check_networks(stand_in.true_job())
    check_texts(stand_in, "")
    if not 0 <= stand_in.seed < 2**63:
        raise JobError(tr("the seed is a whole number from nought"), where="seed")
    for field, most in (("joints", MOST_JOINTS), ("offsets", MOST_JOINTS), ("faults", 100)):
        if len(getattr(stand_in, field)) > most:
            raise JobError(tr("there are more than {most:,}; leave some out", most=most), where=field)
    if stand_in.meter not in meters():
        raise JobError(
            tr("there is no meter of this kind; give one of {listed}", listed=", ".join(meters())),
            where="meter",
        )
    papers = {t.id for t in stand_in.papers.host.terminals}
    truth = {t.id for t in stand_in.truth.terminals}
    if papers - truth:
        raise JobError(
            tr(
                "the papers have a point “{value}” that the truth does not; add it to the truth",
                value=sorted(papers - truth)[0],
            ),
            where="truth.terminals",
        )
    if {s.id for s in stand_in.papers.host.states} - {s.id for s in stand_in.truth.states}:
        raise JobError(tr("the papers have states that the truth does not"), where="truth.states")
    joined: tuple[Joint | Offset, ...] = (*stand_in.joints, *stand_in.offsets)
    for at, joint in enumerate(joined):
        if not {joint.a, joint.b} <= truth | set(OUTSIDE) or joint.a == joint.b or not joint.ohm > 0:
            raise JobError(tr("a joint lies between two points and has a resistance"), where=f"joints[{at}]")


def decode(data: bytes) -> StandIn:
    """A stand-in from the bytes of its file; raises JobError with one sentence."""
    try:
        raw = msgspec.json.decode(data)
        if not isinstance(raw, dict) or raw.get("format") != FORMAT:
            raise JobError(
                tr("this is no stand-in: its “format” is not “{FORMAT}”", FORMAT=FORMAT), where="format"
            )
        if raw.get("version") != VERSION:
            raise JobError(
                tr("only version {VERSION} of a stand-in is read", VERSION=VERSION), where="version"
            )
        papers = raw.get("papers")
        if isinstance(papers, dict) and isinstance(papers.get("version", 1), int):
            if papers.get("version", 1) > JOB_VERSION:
                raise JobError(
                    tr("the papers are of a newer version; use a newer Pigtail"), where="papers.version"
                )
            raw["papers"] = migrated(papers, papers.get("version", 1))
        if isinstance(raw.get("truth"), dict):
            migrate_states(raw["truth"])
        stand_in = made_storable(msgspec.convert(raw, StandIn))
        check_stand_in(stand_in)
    except (
        msgspec.DecodeError,
        UnicodeDecodeError,
        msgspec.ValidationError,
        KnownError,
        RecursionError,
    ) as error:
        raise JobError(
            tr("this is no stand-in ({value}); mend it in a text editor", value=str(error)[:200])
        ) from error
    return stand_in


def load(path: Path | str) -> StandIn:
    """Read a truth file; raises FileError."""
    path = Path(path)
    data = read_whole(path, MAX_BYTES, "stand-in")
    try:
        return decode(data)
    except JobError as error:
        raise FileError(path, str(error)) from error


def encode(stand_in: StandIn) -> bytes:
    """The bytes of a truth file."""
    raw = {"format": FORMAT, "version": VERSION, **msgspec.to_builtins(stand_in)}
    raw["papers"] = {"format": JOB_FORMAT, "version": JOB_VERSION, **raw["papers"]}
    return msgspec.json.format(msgspec.json.encode(raw), indent=1) + b"\n"


def shipped() -> dict[str, Path]:
    """The stand-ins that ship with the program, by name."""
    return {p.stem: p for p in sorted(DATA.glob("*.standin"))}


def points(stand_in: StandIn) -> tuple[str, ...]:
    """Addresses of the points that probes can be put on, in the order of their channels: the host's, then those of what is built in."""
    of_host = tuple(f"{HOST}.{t.id}" for t in stand_in.truth.terminals)
    return of_host + tuple(f"{m.id}.{t.id}" for m in stand_in.modules for t in m.terminals)
