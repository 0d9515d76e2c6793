"""The code that a printed sheet bears: which job it is of, and which plan it shows."""

from __future__ import annotations

import re
import zlib

from inkshelf.core.errors import JobError
from inkshelf.core.plan.job import Job
from inkshelf.core.steps.identity import said

FORM = re.compile(r"inkshelf:1:([A-Za-z0-9][A-Za-z0-9._:-]{0,199}):([0-9a-f]{8}):(\d{1,4})")


def plan_mark(job: Job) -> str:
    """Return a short mark of all that the steps of a plan say."""
    return f"{zlib.crc32(' '.join(f'{step.id}={said(step)}' for step in job.steps).encode()):08x}"


def paper_code(job: Job) -> str:
    """Return the code of a job's sheet as it is now: its identity, a mark of its plan, the number of steps."""
    return f"inkshelf:1:{job.seed or 'job'}:{plan_mark(job)}:{len(job.steps)}"


def of_this_job(job: Job, code: str) -> bool:
    """Tell whether a paper shows the plan as it is now; raises ``JobError`` for a code of another job, or that is none."""
    found = FORM.fullmatch(code.strip())
    if found is None:
        raise JobError("That is no code of a sheet.", "It begins with inkshelf:1: and stands beside the printed square.")
    if found.group(1) != (job.seed or "job"):
        raise JobError("That paper is of another job.", "Open the job whose code stands on it.")
    return found.group(2) == plan_mark(job)
