"""Practice of what is asked: stand-ins of every host kind, clean and with each fault planted, read by one who does just what is asked.

Prints what was told of what was planted, plans that ended good with a fault inside, alarms at clean hosts, readings and switches:
`python tools/practice.py [SEEDS]`; `make practice`.
"""

from __future__ import annotations

import os
import sys
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))
os.environ.setdefault("OMP_NUM_THREADS", "1")

#: Faults that are planted together as well.
PAIRS = (
    ("swapped channels", "a rail that is weak"),
    ("a ground with a bad joint", "a bias that no paper tells"),
    ("joined channels", "a ground that hums"),
    ("an output behind the volume", "a rail of other volts"),
)


def one(case: tuple[str, str, int]) -> tuple[list[str], list[tuple[bool, bool]], int, int, int, int, int]:
    """What came of one host with one module: lines, for each fault whether it was told and whether all was good, alarms, readings,
    switches and the least of them on the clean host, fuses blown."""
    from pigtail.bench.faults import FAULTS
    from pigtail.bench.made import make_stand_in
    from practising import plan_of, planted, practised

    kind, module, seed = case
    clean = make_stand_in(kind, seed)
    job = plan_of(clean, module)
    if job is None:
        return [], [], 0, 0, 0, 0, 0
    base = practised(job, clean)
    lines = [
        f"{kind}, {module}: {len(base.asked)} readings, {base.switches} switches; {'; '.join(base.alarms) or 'no alarm'}"
    ]
    results, blown = [], base.blown
    for names in (*((f,) for f in FAULTS), *PAIRS):
        stand_in = planted(clean, job, *names)
        if stand_in is None:
            continue
        came = practised(job, stand_in)
        told = came.told(base)
        results.append((bool(told), came.good))
        blown += came.blown
        if not told or came.good:
            lines.append(f"  NOT TOLD: {', '.join(stand_in.faults)}")
    return lines, results, len(base.alarms), len(base.asked), base.switches, base.least, blown


def main() -> None:
    """Run them all and print the figures."""
    from pigtail.catalogue.kinds import host_kinds
    from practising import MODULES

    seeds = int(sys.argv[1]) if len(sys.argv) > 1 else 1
    cases = [(k.key, m, s) for s in range(1, seeds + 1) for k in host_kinds() for m in MODULES]
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        came = list(pool.map(one, cases))
    for lines, *_ in came:
        print("\n".join(lines), flush=True) if lines else None
    results = [r for _, found, *_ in came for r in found]
    clean = [c for c in came if c[3]]
    print(
        f"\nplanted {len(results)}, told {sum(t for t, _ in results)}, good with a fault inside {sum(g for _, g in results)}"
    )
    print(f"clean hosts {len(clean)}, alarms {sum(c[2] for c in clean)}, readings {sum(c[3] for c in clean)}")
    switches, least = sum(c[4] for c in clean), sum(c[5] for c in clean)
    print(
        f"switches {switches}, at least {least}: {switches / max(least, 1):.2f} times; fuses blown {sum(c[6] for c in clean)}"
    )


if __name__ == "__main__":
    main()
