"""A deck for every network of the catalogue and every model that has parts of its own: the subcircuit as it ships,
between a source and a load of the trade.

`python tests/reference/topologies.py` writes them beside the other decks; a test holds them to the catalogue's text.
"""

from __future__ import annotations

from pathlib import Path

from pigtail.catalogue.topologies import Does, Topology, topologies
from pigtail.model.terminals import macros

DECKS = Path(__file__).parent / "decks"
#: Macro-models beside the catalogue's networks, with what drives them.
MODELS = {
    "way_low": "X1 out 0 way_low emf=0.7 impedance=220 bias=1.3 drive=1 corner=1800\nRl out 0 22k\n",
    "way_high": "X1 out 0 way_high emf=0.7 impedance=220 bias=1.3 drive=1 corner=1800\nRl out 0 22k\n",
    "record_equalised": "Vs in 0 AC 1\nRi in 0 47k\nX1 in 0 out record_equalised\n",
}


#: What control topologies of their own file do, and no other.
CONTROLS = {
    Does.SWITCHES, Does.MUTES, Does.PULLS, Does.SHOWS, Does.DELAYS, Does.COMPARES, Does.AVERAGES
}  # fmt: skip
#: What stands on a port of a control topology: nominal volts while its line is on and off, behind ohms.
LINE_ON, LINE_OFF, LINE_OHM = 5.0, 0.0, 1e3


def control_deck(shape: Topology) -> str:
    """A topology of control six times: its line on and off, all its values at their nominal, low and high ends; 5 V, a load of the trade,
    a metre of wire in the negative."""
    values = {p.name: p.known() for p in shape.parts if not p.outside}
    head = f"{shape.title}\n{shape.netlist}\n"
    on = LINE_ON if Does.DIVIDES_HIGH not in shape.does else 220.0
    lines = []
    for k, (line, end) in enumerate((v, e) for v in (on, LINE_OFF) for e in ("nominal", "low", "high")):
        given = " ".join(f"{n}={getattr(x, end):.6g}" for n, x in values.items())
        nodes = " ".join("0" if p == "back" else f"{p}{k}" for p in shape.ports)
        lines.append(f"X{k} {nodes} {shape.key} {given}")
        lines += _around(shape, k, line)
    return head + "\n".join(lines) + "\n.op\n.end\n"


def _around(shape: Topology, k: int, line: float) -> list[str]:
    """What stands on the ports of one copy."""
    found = [f"Rcom{k} com{k} 0 20m"] if "com" in shape.ports else []
    found += [f"Vsup{k} sup{k} 0 DC 5"] if "sup" in shape.ports else []
    if "ctl" in shape.ports:
        found += [f"Vl{k} l{k} 0 DC {line:g}", f"Rl{k} l{k} ctl{k} {LINE_OHM:g}"]
    if "supply" in shape.purposes:
        return [*found, f"Vin{k} in{k} 0 DC 5", f"Ro{k} out{k} com{k} 68"]
    if "return" in shape.purposes:
        return [*found, f"Vin{k} e{k} 0 DC 5", f"Ri{k} e{k} in{k} 68", f"Ro{k} out{k} 0 10m"]
    if "feed" in shape.purposes:
        return [*found, f"Vin{k} e{k} 0 DC 0.3", f"Ri{k} e{k} in{k} 220", f"Ro{k} out{k} 0 22k"]
    found += [f"Vi{k} e{k} 0 DC {line:g}", f"Ri{k} e{k} in{k} 220"]
    if "second" in shape.ports:
        found += [f"Vj{k} f{k} 0 DC {LINE_ON - line:g}", f"Rj{k} f{k} second{k} 220"]
    if Does.SHOWS in shape.does:
        return [*found, f"Ro{k} out{k} 0 10m"]
    return [*found, f"Vp{k} p{k} 0 DC 5", f"Ro{k} p{k} out{k} 47k"]


def deck_of(shape: Topology) -> str:
    """The network between a biased source of 220 Ω and 22 kΩ with a metre of cable; supplies between 12 V and 100 Ω."""
    if shape.does & CONTROLS:
        return control_deck(shape)
    inner = f"{macros()['opamp'].netlist.strip()}\n" if " opamp " in shape.netlist else ""
    head = f"{shape.title}\n{inner}{shape.netlist}\n"
    nodes = " ".join(
        {"out": "out", "com": "c", "back": "b", "sup": "s"}.get(p, f"p_{p}") for p in shape.ports
    )
    call = f"X1 {nodes} {shape.key}\n"
    ground = "Rc c 0 10m\nRb b 0 20m\n"
    if Does.RECTIFIES in shape.does:
        first, second, *tap = [f"p_{p}" for p in shape.inputs]
        source = f"Vs w {second} SIN(0 17 50)\nRw w {first} 1\n"
        if tap:
            source = (
                f"Vs w {tap[0]} SIN(0 17 50)\nRw w {first} 1\nVt {tap[0]} u SIN(0 17 50)\nRu u {second} 1\n"
            )
        return f"{head}{call}{source}Rg {second} 0 1meg\n{ground}Rl out c 220\n.tran 50u 100m\n.end\n"
    if "supply" in shape.purposes:
        more = "".join(f"V_{p} p_{p} 0 DC 9\n" for p in shape.inputs[1:])
        return f"{head}{call}Vs p_in 0 DC 12\n{more}{ground}Rl out c 100\n.op\n.end\n"
    sources = "".join(
        f"V{k} e{k} 0 DC {1.3 - 0.2 * k:g} AC {1 - 0.4 * k:g}\nRs{k} e{k} p_{p} 220\n"
        for k, p in enumerate(shape.inputs)
    )
    load = _load_of(shape)
    noise = ".noise v(out) V0 dec 200 20 20k\n" if shape.bought() else ""
    return (
        f"{head}{call}{sources}{ground}Vp s 0 DC 5\nRl out c {load}\nCl out c 100p\nCs p_{shape.inputs[0]} 0 30p\n"
        f".op\n.ac dec 5 10 100k\n{noise}.end\n"
    )


def _load_of(shape: Topology) -> str:
    if Does.DRIVES_SPEAKERS in shape.does:
        return "8"
    return "32" if Does.DRIVES_HEADPHONES in shape.does else "22k"


def decks() -> dict[str, str]:
    """All of them by the name of their file."""
    found = {f"topology_{key}": deck_of(shape) for key, shape in topologies().items()}
    for name, lines in MODELS.items():
        found[f"model_{name}"] = (
            f"{name}\n{macros()[name].netlist.strip()}\n{lines}.op\n.ac dec 5 10 100k\n.end\n"
        )
    return found


if __name__ == "__main__":
    for name, text in decks().items():
        (DECKS / f"{name}.cir").write_text(text, encoding="utf-8")
