"""The plan as an SVG picture: each link as a line through its networks. All text of the job is escaped."""

from __future__ import annotations

from xml.sax.saxutils import escape

from pigtail.catalogue.topologies import topology
from pigtail.job.document import HOST, Job, Link
from pigtail.units import format_quantity

ROW, WIDTH, BOX = 74, 1000, 128


def plan_svg(job: Job) -> str:
    """One row a link: where it starts, the networks with their values, where it ends."""
    rows = [_row(job, link, 20 + k * ROW) for k, link in enumerate(job.links)]
    height = 24 + ROW * max(len(job.links), 1)
    head = (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {height}" role="img" '
        f'font-family="B612, sans-serif" font-size="13"><title>{escape(job.name)}</title>'
    )
    return head + "".join(rows) + "</svg>"


def _row(job: Job, link: Link, y: int) -> str:
    middle = y + 24
    starts = _ends(job, link.starts)
    ends = _ends(job, link.at("out"))
    parts = [
        f'<text x="8" y="{y + 2}" font-weight="bold">{escape(link.name)}</text>',
        f'<text x="8" y="{middle + 4}">{escape(_short(starts))}</text>',
        f'<path d="M250 {middle}H750" stroke="#9a4f1f" stroke-width="3" fill="none"/>',
        f'<text x="760" y="{middle + 4}">{escape(_short(ends))}</text>',
    ]
    count = len(link.sections)
    for k, section in enumerate(link.sections):
        x = 250 + 500 * (k + 0.5) / count - BOX / 2
        shape = topology(section.topology)
        given = shape.values(section)
        values = " ".join(
            format_quantity(given[p.name].nominal, p.unit).replace(" ", "") for p in shape.bought()
        )
        parts.append(
            f'<rect x="{x:.0f}" y="{middle - 18}" width="{BOX}" height="36" rx="6" fill="#f6f1e7" stroke="#5b5348"/>'
            f'<text x="{x + BOX / 2:.0f}" y="{middle - 3}" text-anchor="middle" font-size="10">{escape(_short(shape.short, 22))}</text>'
            f'<text x="{x + BOX / 2:.0f}" y="{middle + 11}" text-anchor="middle">{escape(values)}</text>'
        )
    return "".join(parts)


def _ends(job: Job, addresses: tuple[str, ...]) -> str:
    """Terminals by name, behind the word for whose they are."""
    names = [t.name for t in map(job.terminal, addresses) if t is not None]
    owner = "host" if addresses and addresses[0].startswith(f"{HOST}.") else "module"
    return f"{owner}: {' + '.join(names)}" if names else "nothing yet"


def _short(text: str, most: int = 34) -> str:
    return text if len(text) <= most else text[: most - 1] + "…"
