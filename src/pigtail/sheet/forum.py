"""A finding or a station as words for others: Markdown for a forum, or plain text."""

from __future__ import annotations

from pigtail.job.document import Job
from pigtail.language import tr
from pigtail.studies.findings import Finding, Study
from pigtail.studies.found import Studies
from pigtail.studies.narrating import figures_of

#: How many inputs are told of a finding.
MOST_INPUTS = 6


def _marked(text: str, *, markdown: bool) -> str:
    """Words in which nothing is taken for a mark."""
    return "".join(f"\\{c}" if c in "\\`*_{}[]<>#|" else c for c in text) if markdown else text


def finding_words(job: Job, studies: Studies, finding: Finding, *, markdown: bool) -> str:
    """A finding with its figures, what it rests on and its remedies."""

    def told(text: str) -> str:
        return _marked(text, markdown=markdown)

    severity = finding.severity.value.upper()
    lines = [
        f"**{severity}** {told(finding.sentence)}" if markdown else f"{severity}: {finding.sentence}",
        "",
    ]
    lines += [told(step) for step in figures_of(job, studies, finding)]
    lines += [f"- {told(f'{i.words}: {i.text} ({i.basis})')}" for i in finding.ingredients[:MOST_INPUTS]]
    if finding.settle:
        lines.append(told(tr("To settle it: {settle}", settle=finding.settle)))
    lines += [
        told(tr("Remedy: {label}. {brings}", label=r.label, brings=r.brings).strip())
        for r in finding.remedies
    ]
    if finding.why:
        lines += ["", f"*{told(finding.why)}*" if markdown else finding.why]
    return "\n".join(lines).strip() + "\n"


def station_words(job: Job, studies: Studies, words: str, study: Study, *, markdown: bool) -> str:
    """All findings of a station, the worst first, each with its figures; headed by the job and the station's verdict."""
    title = f"{job.name}: {words}, {study.verdict.value}"
    head = [f"## {_marked(title, markdown=True)}", ""] if markdown else [title, "=" * len(title), ""]
    told = []
    for finding in study.findings:
        severity = finding.severity.value.upper()
        sentence = _marked(finding.sentence, markdown=markdown)
        told.append(f"- **{severity}** {sentence}" if markdown else f"{severity}: {finding.sentence}")
        told += [f"  {_marked(step, markdown=markdown)}" for step in figures_of(job, studies, finding)]
    return "\n".join([*head, *told]) + "\n"
