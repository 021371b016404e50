"""Opening for the command line: what a person should know of a job goes to stderr."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING

from lather.cli.progress import report

if TYPE_CHECKING:
    from lather.document.job import Job


def opened_job(path: Path) -> Job:
    """The job, or a photo as a job; LatherError if it cannot be opened."""
    from lather.actions.recovery import open_path

    opened = open_path(path, report)
    if opened.job.path is not None:
        for notice in opened.notices:
            print(f"lather: {notice}", file=sys.stderr)
    return opened.job
