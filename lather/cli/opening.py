"""Opening for the command line: what a person should know of a job goes to stderr."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from lather.cli.guard import guard_photo
from lather.cli.progress import report
from lather.cli.text import tell

if TYPE_CHECKING:
    from lather.document.job import Job


def opened_job(path: Path, options: argparse.Namespace) -> Job:
    """The job, or a photo as a job; LatherError if it cannot be opened or would be harmed."""
    from lather.actions.job.recovery import open_path, unsaved_steps

    opened = open_path(path, report)
    guard_photo(options, opened.job.state.photo.path)
    notices = list(opened.notices)
    if opened.job.path is not None:
        n_unsaved = unsaved_steps(opened.job.path)
        if n_unsaved:
            steps = "1 step" if n_unsaved == 1 else f"{n_unsaved} steps"
            notices.append(f"The job as it was saved is used: {steps} since then are not in it.")
    tell(notices)
    return opened.job
