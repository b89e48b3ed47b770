"""Strange input by the seed: jobs, decks, tables, lists, meters' answers, as a careless program, an attacker or a bad disk would make them."""

from __future__ import annotations

import copy
import json
import math
import random
import string
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from pigtail.edits.change import Change
    from pigtail.job.document import Job

TEXTS = (
    "", " ", "x" * 5000, "a\nb\nc", "\u202e left", "=1+1", "＝cmd|'/c'!A0", "<script>alert(1)</script>", "&lt;", "]]>", "${x}", "{{7*7}}",
    "../../etc/passwd", "\x00", "\x1b[2J", "\ud800", "é" * 300, "日本語", "mains primary", "a" * 301, "-1", "NaN", "'; DROP TABLE x; --",
    "\\input{x}", "%s%s%n", "line\r\nend", "🎛" * 40, "/" * 90, "~0~1", "host", "0", "_",
)  # fmt: skip
NUMBERS = (
    0, -1, 1, 1e-30, -1e-30, 1e30, -1e30, 1e12, 1e13, 0.1, 3.3, 47e3, 1e-6, 2**63, -(2**63), 1e308, 5e-324, 0.5, 100, 20_001, True, False,
)  # fmt: skip
DECKS = [
    p.read_text(encoding="utf-8")
    for p in sorted((Path(__file__).parents[1] / "tests/reference/decks").glob("*.cir"))
]
IDS = ("host", "rx", "in__", "a_0", "on", "burst", "rx_out", "x" * 40, "winding", "mains", "feed")


def base_jobs() -> list[dict[str, Any]]:
    """What is mutated: the demos, hosts of every kind with a module, random plans of the tests where they are there."""
    from pigtail.catalogue.demo import demo
    from pigtail.catalogue.kinds import host_kinds, make_host, make_module, module_kinds
    from pigtail.edits.values import add_module, new_job
    from pigtail.job.errors import JobError
    from pigtail.job.file import Document, encode

    jobs = [demo("larkmoor").job, demo("tidewell").job]
    modules = [m.key for m in module_kinds()]
    for at, kind in enumerate(host_kinds()):
        job = new_job(kind.name, make_host(kind.key))
        for key in (modules[at % len(modules)], modules[(3 * at + 1) % len(modules)]):
            try:
                job = add_module(job, make_module(key, f"m{len(job.modules)}"))
            except JobError:
                continue
        jobs.append(job)
        try:
            from pigtail.advice.proposing import propose_plan

            jobs.append(propose_plan(job, module_id=job.modules[0].id))
        except (JobError, IndexError):
            continue
    return [json.loads(encode(Document(j))) for j in jobs]


class Strange:
    """Makes strange input by a seed."""

    def __init__(self, seed: int) -> None:
        self.chance = random.Random(seed)

    # -- jobs -----------------------------------------------------------------------------------------------------

    def job(self, bases: list[dict[str, Any]]) -> bytes:
        """The bytes of a job that something happened to."""
        raw: Any = copy.deepcopy(self.chance.choice(bases))
        for _ in range(self.chance.choice((1, 1, 1, 2, 2, 3, 5, 8))):
            raw = self._mutated(raw)
        try:
            data = json.dumps(raw).encode()
        except (ValueError, RecursionError):
            return b"{"
        if self.chance.random() < 0.05:
            data = self._broken(data)
        return data

    def _broken(self, data: bytes) -> bytes:
        at = self.chance.randrange(len(data) + 1)
        how = self.chance.randrange(4)
        if how == 0:
            return data[:at]
        if how == 1:
            return data[:at] + self.chance.randbytes(self.chance.randrange(1, 20)) + data[at:]
        if how == 2:
            return data[:at] + b"[" * 3000 + data[at:]
        return data[:at] + data[at + self.chance.randrange(1, 200) :]

    def _mutated(self, raw: Any) -> Any:
        places = list(_places(raw))
        if not places:
            return raw
        place, value = self.chance.choice(places)
        if self.chance.random() < 0.6:  # rather a value than what holds it
            leaves = [(p, v) for p, v in places if not isinstance(v, dict | list)]
            place, value = self.chance.choice(leaves or places)
        _put(raw, place, self._other(value, place, raw))
        return raw

    def _other(self, value: Any, place: tuple[Any, ...], raw: Any) -> Any:
        chance = self.chance
        if isinstance(value, dict) and "nominal" in value:
            return self._known(value)
        if isinstance(value, list) and chance.random() < 0.8:
            return self._list(value)
        if isinstance(value, dict) and chance.random() < 0.8:
            return self._record(value, raw)
        if isinstance(value, str):
            kind = chance.random()
            same = sorted({v for p, v in _places(raw) if isinstance(v, str) and p and p[-1] == place[-1]})
            if kind < 0.55 and same:
                return chance.choice(same)
            return chance.choice(TEXTS if kind < 0.85 else IDS)
        if isinstance(value, bool):
            return chance.choice((True, False, None, "yes"))
        if isinstance(value, int | float):
            return chance.choice(
                (value * chance.choice((-1, 0, 0.5, 2, 10, 1e3, 1e-3, 1e9)), chance.choice(NUMBERS))
            )
        return chance.choice((None, 0, "", [], {}, "x"))

    def _known(self, value: dict[str, Any]) -> Any:
        chance, made = self.chance, dict(value)
        how = chance.randrange(7)
        factor = chance.choice((-1, 0, 1e-3, 0.1, 0.5, 2, 10, 100, 1e6))
        if how == 0:
            return None
        if how <= 3:
            ends = sorted(
                made[k] * factor for k in ("low", "nominal", "high") if isinstance(made.get(k), int | float)
            )
            if len(ends) == 3:
                made["low"], made["nominal"], made["high"] = ends
        elif how == 4:
            made["low"], made["high"] = -abs(made["nominal"]) * 3 - 1, abs(made["nominal"]) * 3 + 1
        elif how == 5:
            made["unit"] = chance.choice(("V", "Ω", "F", "A", "", "dB", "m"))
        else:
            made["basis"] = chance.choice(("measured", "documented", "typical", "guessed", "unknown"))
        return made

    def _list(self, value: list[Any]) -> list[Any]:
        chance, made = self.chance, list(value)
        how = chance.randrange(6)
        if how == 0 or not made:
            return []
        if how == 1:
            made.pop(chance.randrange(len(made)))
        elif how == 2:
            chance.shuffle(made)
        elif how == 3:
            made += [copy.deepcopy(chance.choice(made)) for _ in range(chance.choice((1, 1, 2, 5, 30)))]
            return [self._renamed(x, k) for k, x in enumerate(made)]
        elif how == 4:
            made.insert(chance.randrange(len(made) + 1), copy.deepcopy(chance.choice(made)))
        else:
            made = made[:1]
        return made

    def _renamed(self, item: Any, number: int) -> Any:
        if isinstance(item, dict) and isinstance(item.get("id"), str) and number > 2:
            item = dict(item) | {"id": f"{item['id'][:30]}_{number}"}
        return item

    def _record(self, value: dict[str, Any], raw: Any) -> dict[str, Any]:
        chance, made = self.chance, dict(value)
        how = chance.randrange(5)
        if how == 0 and made:
            made.pop(chance.choice(list(made)))
        elif how == 1:
            made[chance.choice(("later", "a/b", "~", "", "format", "id"))] = chance.choice(TEXTS)
        elif how == 2 and "id" in made:
            made["id"] = chance.choice(IDS)
        elif how == 3:
            other = [v for _, v in _places(raw) if isinstance(v, dict) and set(v) & set(made)]
            made |= copy.deepcopy(chance.choice(other)) if other else {}
        elif "role" in made:
            roles = (
                "audio out",
                "audio in",
                "rail",
                "supply in",
                "return",
                "control",
                "control in",
                "digital",
                "video",
                "winding end",
                "pin",
            )
            made["role"] = chance.choice(roles)
            keep = {"id", "name", "role", "place", "states", "return_to"}
            made = {k: v for k, v in made.items() if k in keep}
        return made

    # -- decks ----------------------------------------------------------------------------------------------------

    def deck(self) -> str:
        """A deck: one of the tests' or plain parts with some strange among them, garbled here and there."""
        chance = self.chance
        if chance.random() < 0.5 and DECKS:
            text = chance.choice(DECKS)
            for _ in range(chance.choice((0, 1, 1, 2, 3))):
                text = self._garbled(text)
            return text
        nodes = ["0", *(f"n{k}" for k in range(chance.choice((2, 3, 5, 8, 20))))]
        lines = [f"V1 {nodes[1]} 0 {self._source()}"]
        for k in range(chance.choice((1, 3, 6, 12, 40))):
            lines.append(self._part(k, nodes))
        lines += [f"Rg{k} {n} 0 1meg" for k, n in enumerate(nodes[1:]) if chance.random() < 0.9]
        if chance.random() < 0.3:
            lines.insert(0, f".param p={self._number()} q={{p*{self._expression(2)}}}")
        if chance.random() < 0.3:
            lines += [".model dd d is=1e-14", f"D1 {chance.choice(nodes)} {chance.choice(nodes)} dd"]
        if chance.random() < 0.2:
            inner = [f"X2 a b {chance.choice(('s', 't', 's x=2'))}"] if chance.random() < 0.2 else []
            lines += [f".subckt s a b x={self._number()}", "Rs a b {x}", *inner, ".ends"]
            lines.append(f"X1 {chance.choice(nodes)} {chance.choice(nodes)} s")
        lines.append(self._card(nodes))
        if chance.random() < 0.3:
            lines.append(self._card(nodes))
        text = "t\n" + "\n".join(lines) + "\n.end\n"
        for _ in range(chance.choice((0, 0, 0, 0, 0, 1, 2, 4))):
            text = self._garbled(text)
        return text

    def _number(self) -> str:
        if self.chance.random() < 0.85:
            return self.chance.choice(("1", "1k", "2k2", "4.7u", "10n", "1meg", "100m", "33", "0.5"))
        return self.chance.choice(
            ("1", "1k", "2k2", "4.7u", "1meg", "0", "-1", "1e-300", "1e300", "1e999", "nan", "inf", "{p}", "{1/0}", "{sqrt(-1)}", "'1+'", "1e", "k", "10n",
             "{" + self._expression(3) + "}")
        )  # fmt: skip

    def _expression(self, depth: int) -> str:
        chance = self.chance
        if depth == 0 or chance.random() < 0.2:
            return chance.choice(
                ("1", "2", "2.5", "1e-3", "1", "3", "0.5", "pi", "1e308" if chance.random() < 0.2 else "7")
            )
        a, b = self._expression(depth - 1), self._expression(depth - 1)
        return chance.choice(
            (
                f"{a}+{b}",
                f"({a})*({b})",
                f"{a}/{b}",
                f"{a}**{b}",
                f"sqrt({a})",
                f"max({a},{b})",
                f"{a}>{b}?{a}:{b}",
                f"-{a}",
                f"exp({a})",
                f"sgn({a})",
            )
        )

    def _source(self) -> str:
        n = self._number
        return self.chance.choice(
            (
                "1",
                "DC 5 AC 1",
                "AC 1",
                f"SIN(0 {n()} {n()})",
                f"PULSE(0 1 {n()} {n()} {n()} {n()} {n()})",
                f"PWL(0 0 {n()} 1)",
                f"EXP(0 1 {n()} {n()})",
                n(),
            )
        )

    def _part(self, k: int, nodes: list[str]) -> str:
        chance = self.chance
        a, b, c, d = (chance.choice(nodes) for _ in range(4))
        kind = chance.choice("RRRRRRCCCLIEGFHB" + "K" * (k > 3))
        if kind in "RCLI":
            return f"{kind}{k} {a} {b} {self._number()}"
        if kind in "EG":
            return f"{kind}{k} {a} {b} {c} {d} {self._number()}"
        if kind in "FH":
            return f"{kind}{k} {a} {b} V1 {self._number()}"
        if kind == "B":
            probe = chance.choice(("v(n1)", "v(n0,n1)", "i(v1)", "time"))
            return f"B{k} {a} {b} {chance.choice('vi')}={{{self._expression(2)}+1e-3*{probe}}}"
        return f"K{k} L{max(k - 1, 0)} L{max(k - 2, 0)} {self._number()}"

    def _card(self, nodes: list[str]) -> str:
        n, chance = self._number, self.chance
        return chance.choice(
            (".op", f".ac dec {chance.choice((1, 10, 10_000))} {n()} {n()}", ".ac dec 5 10 100k", f".tran {n()} {n()}", ".tran 10u 1m", ".dc V1 0 1 0.1",
             f".dc V1 {n()} {n()} {n()}", f".noise v({chance.choice(nodes)}) V1 dec 2 10 1k", f".temp {n()}", f".options gmin={n()}", ".four 1k")
        )  # fmt: skip

    def _garbled(self, text: str) -> str:
        chance, at = self.chance, self.chance.randrange(len(text) + 1)
        how = chance.randrange(5)
        if how == 0:
            return text[:at] + text[at + chance.randrange(1, 12) :]
        if how == 1:
            return (
                text[:at]
                + "".join(chance.choice(string.printable) for _ in range(chance.randrange(1, 6)))
                + text[at:]
            )
        if how == 2:
            lines = text.split("\n")
            chance.shuffle(lines)
            return "\n".join(lines)
        if how == 3:
            lines = text.split("\n")
            return "\n".join(lines + [chance.choice(lines) for _ in range(3)])
        return text[:at] + chance.choice(("\n+", "{", "}", "'", "(", "=", "\x00", "é", "*" * 50)) + text[at:]


def _places(value: Any, place: tuple[Any, ...] = ()) -> Any:
    """All places of a document with their values."""
    if place:
        yield place, value
    items = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, inner in items:
        yield from _places(inner, (*place, key))


def _put(raw: Any, place: tuple[Any, ...], value: Any) -> None:
    for key in place[:-1]:
        raw = raw[key]
    if value is None and isinstance(raw, dict):
        raw.pop(place[-1], None)
    else:
        raw[place[-1]] = value


# -- edits --------------------------------------------------------------------------------------------------------


def change_of(job: Job, chance: random.Random) -> Change:
    """An edit of a random kind that the job allows, as the window would make it."""
    from pigtail import edits
    from pigtail.edits.change import Change
    from pigtail.edits.readings import log_reading
    from pigtail.job.document import Function, Rail, Return
    from pigtail.job.quantities import quantities
    from pigtail.units import Basis, Known

    def value() -> Change:
        address = chance.choice(job.addresses())
        terminal = job.terminal(address)
        assert terminal is not None
        told = [(q.field, getattr(terminal, q.field)) for q in quantities(terminal)]
        known = [(f, k) for f, k in told if k is not None]
        if not known:
            return renamed()
        field, old = chance.choice(known)
        ends = sorted(v * chance.uniform(0.9, 1.1) for v in (old.low, old.nominal, old.high))
        new = Known(
            nominal=ends[1],
            low=ends[0],
            high=ends[2],
            unit=old.unit,
            basis=Basis.DOCUMENTED,
            source="a long day",
        )
        return Change(
            f"{field}",
            partial(edits.set_value, address=address, field=field, value=new),
            f"{address} {field}",
        )

    def renamed() -> Change:
        return Change("rename", partial(edits.rename, name=f"job {chance.randrange(1_000_000)}"))

    def brief() -> Change:
        return Change(
            "brief",
            partial(edits.set_brief, wanted="w" * chance.randrange(300), notes="n" * chance.randrange(2000)),
        )

    def part() -> Change:
        choices = [
            (x.id, k, p.name, p.value) for x in job.links for k, s in enumerate(x.sections) for p in s.parts
        ]
        if not choices:
            return renamed()
        link, at, name, old = chance.choice(choices)
        known = Known.of(old.nominal * chance.uniform(0.8, 1.25), old.unit, Basis.DOCUMENTED, tolerance=0.01)
        return Change(
            f"{name}",
            partial(edits.set_part, link_id=link, section=at, name=name, value=known),
            f"{link} {at} {name}",
        )

    def read() -> Change:
        from datetime import datetime

        points = [a for a in job.addresses() if isinstance(job.terminal(a), Rail)]
        homes = [a for a in job.addresses() if isinstance(job.terminal(a), Return)]
        states = [s.id for s in job.host.states]
        if not (points and homes and states) or len(job.readings) > 60:
            return renamed()
        what = {
            "point": chance.choice(points), "against": chance.choice(homes), "state": chance.choice(states), "function": Function.DC_VOLTS,
            "value": chance.uniform(0, 20), "when": datetime(2026, 11, 28, 12),
        }  # fmt: skip
        return Change("reading", partial(log_reading, **what))

    def removed() -> Change:
        if len(job.links) < 3:
            return renamed()
        return Change("remove", partial(edits.remove_link, link_id=chance.choice(job.links).id))

    def ambient() -> Change:
        known = Known.of(chance.uniform(20, 55), "°C", Basis.MEASURED, tolerance=0.05)
        return Change("ambient", partial(edits.set_ambient, ambient=known))

    return chance.choice((value, value, value, part, part, part, renamed, brief, read, ambient, removed))()


def finite(value: Any) -> bool:
    """Whether all numbers of plain data are finite."""
    if isinstance(value, float):
        return math.isfinite(value)
    items = value.values() if isinstance(value, dict) else value if isinstance(value, list | tuple) else ()
    return all(map(finite, items))
