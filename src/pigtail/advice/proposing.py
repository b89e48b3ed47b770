"""The edit that proposes a plan; what works it out is loaded when it is first asked for."""

from __future__ import annotations

from pigtail.job.document import Job


def propose_plan(job: Job, module_id: str) -> Job:
    """Edit: put a proposed plan in the place of all links of a module. Raises EditError."""
    from pigtail.advice.plan import propose

    return propose(job, module_id)
