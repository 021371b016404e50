"""What a verb that works on a photo writes: the depth of its picture, the job."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from lather.document.photo import Photo
    from lather.document.state import JobState


def writable_depth(options: argparse.Namespace, photo: Photo) -> int:
    """Bits of the picture that is asked for, or of the photo, as far as the format holds them;
    an error if it cannot be written there."""
    from lather.files.delivery import check_writable
    from lather.files.endings import WRITABLE_BITS

    held = WRITABLE_BITS[options.out.suffix.lower()]
    depth_bits: int = options.depth or min(photo.depth_bits, max(held))
    check_writable(options.out, depth_bits)
    return depth_bits


def save_work(state: JobState, path: Path) -> None:
    """The job, with as many backups as the preferences say."""
    from lather.actions.claiming import backups_to_keep
    from lather.files.jobwriter import save_job
    from lather.settings.store import Settings, default_path

    settings = Settings(default_path())
    notice = settings.take_notice()
    if notice:
        print(f"lather: {notice}", file=sys.stderr)
    save_job(state, path, n_backups=backups_to_keep(path, settings["backups_kept"], ""))
