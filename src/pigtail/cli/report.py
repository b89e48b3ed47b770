"""What `pigtail check` prints: a JSON object for programs, plain lines for people."""

from __future__ import annotations

from typing import Any

from pigtail.job.document import Job
from pigtail.model.estimate import Estimate
from pigtail.studies.findings import Finding, Severity
from pigtail.studies.found import Studies

BAD = (Severity.STOP, Severity.FIX, Severity.UNKNOWN)


def exit_code(studies: Studies) -> int:
    """0 when nothing is above watch, else 1."""
    return int(any(v in BAD for v in studies.verdicts.values()))


def as_json(job: Job, studies: Studies) -> dict[str, Any]:
    """The report as plain objects; numbers in SI base units or dB, null where unknown."""
    return {
        "format": "pigtail check",
        "job": job.name,
        "verdicts": {k: v.value for k, v in studies.verdicts.items()},
        "findings": [_finding(f) for f in studies.findings],
        "numbers": {k: _number(e) for k, e in studies.numbers.items()},
    }


def _finding(finding: Finding) -> dict[str, Any]:
    return {
        "code": finding.code,
        "severity": finding.severity.value,
        "subject": finding.subject,
        "sentence": finding.sentence,
        "value": finding.value,
        "low": finding.low,
        "high": finding.high,
        "limit": finding.limit,
        "margin": finding.margin,
        "unit": finding.unit,
        "basis": finding.basis,
        "why": finding.why,
        "settle": finding.settle,
        "remedies": [{"label": r.label, "brings": r.brings} for r in finding.remedies],
    }


def _number(estimate: Estimate) -> dict[str, Any]:
    known = estimate.value is not None
    return {
        "value": estimate.value,
        "low": estimate.low if known else None,
        "high": estimate.high if known else None,
        "unit": estimate.unit,
        "basis": estimate.basis.value,
        "needs": [i.words for i in estimate.missing],
    }


def as_text(job: Job, studies: Studies) -> str:
    """The report as lines: verdicts, then every finding that is not good, then the numbers."""
    lines = [job.name, ""]
    lines += [f"  {name:<8} {severity.value}" for name, severity in studies.verdicts.items()]
    open_findings = [f for f in studies.findings if f.severity is not Severity.GOOD]
    if open_findings:
        lines.append("")
    for finding in open_findings:
        lines.append(f"{finding.severity.value.upper():<8} {finding.code}: {finding.sentence}")
        if finding.settle:
            lines.append(f"         {finding.settle}")
        lines += [
            f"         remedy: {r.label}" + (f" ({r.brings})" if r.brings else "") for r in finding.remedies
        ]
    lines.append("")
    lines += [f"  {k:<32} {e.text()}  [{e.basis.value}]" for k, e in studies.numbers.items()]
    return "\n".join(lines)
