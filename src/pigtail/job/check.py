"""Whether a document makes sense: ids, references, units and signs. Raises JobError at the first fault."""

from __future__ import annotations

from typing import NamedTuple

from pigtail.job.checking import (
    LARGEST,
    NOT_ON_IT,
    check_known,
    check_quantity,
    check_state,
    check_unique,
    listed_ids,
    on_primary,
)
from pigtail.job.checking_build import check_build
from pigtail.job.checking_control import check_control
from pigtail.job.checking_record import check_record
from pigtail.job.checking_size import check_sizes
from pigtail.job.document import (
    FUNCTION_UNITS,
    HEARD,
    HOST,
    OUTSIDE,
    Act,
    AnyTerminal,
    AudioIn,
    AudioOut,
    Function,
    Host,
    Job,
    Link,
    Module,
    Rail,
    Reading,
    Return,
    SupplyClass,
    WindingEnd,
)
from pigtail.job.energy import Earthed
from pigtail.job.errors import JobError, LiveChassisError
from pigtail.job.primary import primary, primary_words
from pigtail.job.quantities import (
    BATTERY_QUANTITIES,
    HOST_QUANTITIES,
    MAINS_QUANTITIES,
    PATH_RESISTANCE,
    REGULATOR_QUANTITIES,
    THROUGH_GAIN,
    WINDING_QUANTITIES,
    beside,
    quantities,
)
from pigtail.job.texts import check_texts
from pigtail.language import tr

MOST_CELLS, DAY_H = 100, 24.0


def check_job(job: Job) -> None:
    """Raise JobError, naming the place and the mend, if the document does not make sense."""
    check_texts(job, "")
    check_sizes(job)
    check_unique("modules", (m.id for m in job.modules))
    check_unique("links", (x.id for x in job.links))
    check_unique("readings", (r.id for r in job.readings))
    check_unique("host.states", (s.id for s in job.host.states))
    for at, module in enumerate(job.modules):
        if module.id == HOST:
            raise JobError(
                tr("a module cannot be called {host}; rename it", host=HOST), where=f"modules[{at}].id"
            )
        _device(module, f"modules[{at}]", set())
        _throughs(module, f"modules[{at}]")
    _device(job.host, "host", {s.id for s in job.host.states})
    _no_primary(job)
    _stages(job)
    addresses = set(job.addresses())
    for at, link in enumerate(job.links):
        _link(link, f"links[{at}]", addresses)
    refuse_live_chassis(job)
    _readings(job, addresses)
    _pictures(job)
    for item in HOST_QUANTITIES:
        check_quantity(job.host, item, "host")
    _windings(job.host)
    _batteries(job)
    _rails(job.host)
    check_control(job)
    check_build(job)
    check_record(job)
    for item in MAINS_QUANTITIES:
        check_quantity(job.mains, item, "mains")
    if job.ambient is not None:
        check_known(job.ambient, "°C", "ambient", lowest=-273.15)


def refuse_live_chassis(job: Job) -> None:
    """Raise LiveChassisError if a link reaches a host whose chassis may be at mains potential."""
    if job.host.supply is not SupplyClass.LIVE_CHASSIS:
        return
    for link in job.links:
        if any(j.terminal.startswith(f"{HOST}.") for j in link.joins):
            raise LiveChassisError(
                tr(
                    "the host's chassis may be at mains potential: no wire may be planned to it; only a "
                    "wireless or optical path remains, fitted by a qualified person"
                ),
                value=link.id,
            )


def _device(device: Host | Module, where: str, states: set[str]) -> None:
    check_unique(f"{where}.terminals", (t.id for t in device.terminals))
    check_unique(f"{where}.paths", (p.id for p in device.paths))
    returns = {t.id for t in device.terminals if isinstance(t, Return)}
    ids = {t.id for t in device.terminals}
    for at, terminal in enumerate(device.terminals):
        place = f"{where}.terminals[{at}]"
        if terminal.return_to and terminal.return_to not in returns:
            raise JobError(
                tr(
                    "“{return_to}” is not a return of this device; choose one of {listed_ids}",
                    return_to=terminal.return_to,
                    listed_ids=listed_ids(returns),
                ),
                where=f"{place}.return_to",
            )
        _point(terminal, ids, place)
        if isinstance(terminal, Return) and terminal.return_to:
            raise JobError(tr("a return has no return of its own; leave it out"), where=f"{place}.return_to")
        for state in terminal.states:
            check_state(state, states, f"{place}.states")
        for item in (*quantities(terminal), *beside(terminal)):
            check_quantity(terminal, item, place)
    if len([t for t in device.terminals if isinstance(t, Return) and t.star]) > 1:
        raise JobError(tr("only one return can be the star"), where=f"{where}.terminals")
    for at, path in enumerate(device.paths):
        place = f"{where}.paths[{at}]"
        for end in (path.a, path.b):
            if end not in returns:
                raise JobError(
                    tr(
                        "“{end}” is not a return of this device; choose one of {listed_ids}",
                        end=end,
                        listed_ids=listed_ids(returns),
                    ),
                    where=place,
                )
        if path.a == path.b:
            raise JobError(
                tr("the path goes from “{a}” to itself; choose two returns", a=path.a), where=place
            )
        check_quantity(path, PATH_RESISTANCE, place)


def _throughs(module: Module, where: str) -> None:
    """A way through starts at an input of the module and ends at an output."""
    check_unique(f"{where}.throughs", (t.id for t in module.throughs))
    kinds = {t.id: t for t in module.terminals}
    for at, through in enumerate(module.throughs):
        place = f"{where}.throughs[{at}]"
        if not isinstance(kinds.get(through.start), AudioIn) or not isinstance(
            kinds.get(through.end), AudioOut
        ):
            raise JobError(
                tr("a way through goes from an audio input to an audio output of the module"), where=place
            )
        check_quantity(through, THROUGH_GAIN, place)


def _point(terminal: AnyTerminal, ids: set[str], place: str) -> None:
    if terminal.rings_to and terminal.rings_to not in ids - {terminal.id}:
        raise JobError(
            tr("“{rings_to}” is not another point of this device", rings_to=terminal.rings_to),
            where=f"{place}.rings_to",
        )
    if set(terminal.traits) & set(terminal.lacks):
        raise JobError(tr("a trait cannot be both true and not true of a point"), where=f"{place}.traits")


def _no_primary(job: Job) -> None:
    """The primary side of a mains supply cannot be a point, nor a pin: by its name, its places or its papers, by what its
    stage is called, or by where that lies before the isolation."""
    devices: list[tuple[str, Host | Module]] = [("host", job.host)]
    devices += [(f"modules[{at}]", module) for at, module in enumerate(job.modules)]
    for where, device in devices:
        found = primary_words(device, job.host.supply)
        if found is not None:
            at, words = found
            raise on_primary(words, f"{where}.terminals[{at}]", device.terminals[at].id)
    isolating = next((k for k, s in enumerate(job.host.stages) if Act.ISOLATE in s.acts), 0)
    before_isolation = {
        k for k in range(isolating) if job.host.stages[k].domain == job.host.stages[isolating].domain
    }
    for at, stage in enumerate(job.host.stages):
        if stage.points and (
            at in before_isolation or primary(f"{stage.name} {stage.domain}", job.host.supply)
        ):
            raise on_primary(stage.name, f"host.stages[{at}]", stage.id, NOT_ON_IT)


def _windings(host: Host) -> None:
    """A winding lies between ends of the host, each of one winding alone; what is earthed is there."""
    check_unique("host.windings", (w.id for w in host.windings))
    kinds = {t.id: t for t in host.terminals}
    states, seen = {s.id for s in host.states}, set[str]()
    for at, winding in enumerate(host.windings):
        place = f"host.windings[{at}]"
        for end in winding.ends:
            if not isinstance(kinds.get(end), WindingEnd):
                raise JobError(
                    tr("“{end}” is no winding end of the host; give that point the role first", end=end),
                    where=place,
                )
            if end in seen:
                raise JobError(
                    tr("“{end}” is an end of two windings, or twice of one", end=end), where=place, value=end
                )
            seen.add(end)
        if primary(winding.name, host.supply):
            raise on_primary(winding.name, f"{place}.name", winding.id)
        if winding.earthed is Earthed.TAP and not winding.tap:
            raise JobError(
                tr("its tap is earthed, but it has none; name the tap's point"), where=f"{place}.earthed"
            )
        for state in winding.states:
            check_state(state, states, f"{place}.states")
        for item in WINDING_QUANTITIES:
            check_quantity(winding, item, place)


def _batteries(job: Job) -> None:
    """A battery stands behind a rail of the host, with at least a cell; the hours of a day are not more than it has."""
    host = job.host
    check_unique("host.batteries", (b.id for b in host.batteries))
    kinds = {t.id: t for t in host.terminals}
    for at, battery in enumerate(host.batteries):
        place = f"host.batteries[{at}]"
        if not isinstance(kinds.get(battery.rail), Rail):
            raise JobError(
                tr(
                    "“{rail}” is no rail of the host; name the rail that the battery feeds", rail=battery.rail
                ),
                where=f"{place}.rail",
            )
        if not (1 <= battery.series <= MOST_CELLS and 1 <= battery.parallel <= MOST_CELLS):
            raise JobError(
                tr(
                    "a battery has 1 to {most_cells} cells in series and as many in parallel",
                    most_cells=MOST_CELLS,
                ),
                where=place,
            )
        for item in BATTERY_QUANTITIES:
            check_quantity(battery, item, place)
    states = {s.id for s in host.states}
    for at, entry in enumerate(job.day):
        check_state(entry.state, states, f"day[{at}]")
        if not 0 <= entry.hours <= DAY_H:
            raise JobError(
                tr("a state lasts 0 to 24 hours of a day"), where=f"day[{at}].hours", value=entry.hours
            )
    if sum(e.hours for e in job.day) > DAY_H * (1 + 1e-9) or len({e.state for e in job.day}) != len(job.day):
        raise JobError(tr("the hours of a day make more than 24, or name a state twice"), where="day")


def _rails(host: Host) -> None:
    """What is told of a rail in a state names a state of the host; what it draws there is no less than nought."""
    states = {s.id for s in host.states}
    for at, terminal in enumerate(host.terminals):
        if not isinstance(terminal, Rail):
            continue
        place = f"host.terminals[{at}]"
        for item in REGULATOR_QUANTITIES if terminal.regulator else ():
            check_quantity(terminal.regulator, item, f"{place}.regulator")
        for entry in terminal.per_state:
            check_state(entry.state, states, f"{place}.per_state")
            for field, unit, lowest in (("voltage", "V", -LARGEST), ("used", "A", 0.0)):
                if (known := getattr(entry, field)) is not None:
                    check_known(known, unit, f"{place}.per_state.{field}", lowest=lowest)


def _stages(job: Job) -> None:
    terminals = {t.id for t in job.host.terminals}
    check_unique("host.stages", (s.id for s in job.host.stages))
    for at, stage in enumerate(job.host.stages):
        for point in stage.points:
            if point not in terminals:
                raise JobError(
                    tr("“{point}” is not a point of the host", point=point), where=f"host.stages[{at}].points"
                )


def _link(link: Link, where: str, addresses: set[str]) -> None:
    if not link.sections:
        raise JobError(
            tr("a link needs at least one network; use “wire” for a plain wire"), where=f"{where}.sections"
        )
    ports: set[str] = set()
    for at, join in enumerate(link.joins):
        place = f"{where}.joins[{at}]"
        if join.terminal not in addresses:
            raise JobError(
                tr(
                    "“{terminal}” does not exist; choose one of {listed_ids}",
                    terminal=join.terminal,
                    listed_ids=listed_ids(addresses),
                ),
                where=f"{place}.terminal",
            )
        if join.port in ports:
            raise JobError(tr("the port “{port}” is joined twice", port=join.port), where=place)
        ports.add(join.port)
        if not 0 <= join.conductor.gauge <= 44:
            raise JobError(
                tr("gauge {gauge} is not between AWG 0 and AWG 44", gauge=join.conductor.gauge),
                where=f"{place}.conductor",
            )
        if join.conductor.length is not None:
            check_known(join.conductor.length, "m", f"{place}.conductor.length", lowest=0.0)
    for at, section in enumerate(link.sections):
        names = [p.name for p in section.parts]
        if len(set(names)) != len(names):
            raise JobError(tr("a part is there twice"), where=f"{where}.sections[{at}].parts")
        for k, part in enumerate(section.parts):
            if part.rating is not None:
                unit = "W" if part.value.unit == "Ω" else "V"
                check_known(part.rating, unit, f"{where}.sections[{at}].parts[{k}].rating", lowest=0.0)


def _readings(job: Job, addresses: set[str]) -> None:
    states = {s.id for s in job.host.states}
    last = _SOUND[0]
    sound = last.ids if (last.addresses, last.states) == (addresses, states) else frozenset()
    for at, reading in enumerate(job.readings):
        if id(reading) in sound:
            continue
        place = f"readings[{at}]"
        series = reading.function is Function.CURRENT and not reading.against
        for end in (reading.point,) if series else (reading.point, reading.against):
            if end not in addresses and end not in OUTSIDE:
                raise JobError(
                    tr(
                        "“{end}” does not exist; choose one of {listed_ids}",
                        end=end,
                        listed_ids=listed_ids(addresses),
                    ),
                    where=place,
                )
        check_state(reading.state, states, f"{place}.state")
        check_known(reading.value, FUNCTION_UNITS[reading.function], f"{place}.value", lowest=-1e12)
        if reading.function is Function.HEARD and reading.value.nominal not in range(len(HEARD)):
            raise JobError(
                tr("what was heard is one of 0 to {value}", value=len(HEARD) - 1), where=f"{place}.value"
            )
        for field, unit in (("load", "Ω"), ("series", "Ω"), ("current", "A")):
            known = getattr(reading, field)
            if known is not None:
                check_known(known, unit, f"{place}.{field}", lowest=0.0)

    _SOUND[0] = _Sound(addresses, states, job.readings, frozenset(map(id, job.readings)))


class _Sound(NamedTuple):
    """A log that was found sound with these points and states; held, so that the ids stay those of its readings."""

    addresses: set[str]
    states: set[str]
    readings: tuple[Reading, ...]
    ids: frozenset[int]


#: The last one: a log with one reading more is checked by that one alone.
_SOUND = [_Sound(set(), set(), (), frozenset())]


def _pictures(job: Job) -> None:
    check_unique("pictures", (p.id for p in job.pictures))
    points = set(job.addresses())
    for at, picture in enumerate(job.pictures):
        place = f"pictures[{at}]"
        if picture.file.startswith(("/", "~")) or ".." in picture.file.split("/"):
            raise JobError(
                tr("a picture lies beside the job; give its path from there"), where=f"{place}.file"
            )
        if not 0 <= picture.page <= 100_000 or not 0 <= picture.mm_per_width <= 1e5:
            raise JobError(tr("the page or the scale makes no sense"), where=place)
        for pin in picture.pins:
            if pin.point not in points:
                raise JobError(tr("“{point}” does not exist", point=pin.point), where=f"{place}.pins")
            if not (0 <= pin.x <= 1 and 0 <= pin.y <= 1):
                raise JobError(tr("a pin lies on its picture, from 0 to 1"), where=f"{place}.pins")
