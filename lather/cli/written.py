"""What a verb that works on a photo writes: what it did, the depth of its picture, the job."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from lather.cli.ending import asked
from lather.cli.text import tell
from lather.errors import UsageError

if TYPE_CHECKING:
    from lather.document.operations.call import Call
    from lather.document.photo import Photo
    from lather.document.state import JobState


def did(state: JobState, name: str, edit: Callable[..., JobState], **arguments: Any) -> JobState:
    """The state with an edit, as one more thing that was done; itself if that changes nothing."""
    from lather.operations.edits import call_of

    return done(state, edit(state, **arguments), name, call_of(edit, **arguments))


def done(state: JobState, after: JobState, name: str, call: Call | None) -> JobState:
    """`after`, which a call led to from a state, as one more thing that was done."""
    from lather.document.effect import changes_anything
    from lather.document.operations.recording import recorded

    if not changes_anything(state, after):
        return state
    return recorded(state, after, name, call)


def add_replace_argument(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--replace", action="store_true",
        help="a job of that name may be replaced; the earlier one is kept as a backup",
    )  # fmt: skip


def refuse_replacing(path: Path | None, *, may: bool) -> None:
    """Raise `UsageError` for a job that is there already and was not said to be replaced: it may
    hold work that was done by hand."""
    if path is None or may or not path.is_file():
        return
    raise UsageError(
        f"'{path.name}' was not written", f"there is {_described(path)}",
        "give --replace to put this one in its place, or choose another name",
    )  # fmt: skip


def writable_depth(options: argparse.Namespace, photo: Photo) -> int:
    """Bits of the picture that is asked for, or of the photo, as far as the format holds them;
    an error if it cannot be written there."""
    from lather.files.endings import WRITABLE_BITS
    from lather.files.exchange.delivery import check_writable

    held = WRITABLE_BITS[options.out.suffix.lower()]
    depth_bits: int = options.depth or min(photo.depth_bits, max(held))
    check_writable(options.out, depth_bits)
    return depth_bits


def save_work(state: JobState, path: Path) -> None:
    """The job, with as many backups as the preferences say; what it replaced is said."""
    from lather.actions.job.claiming import backups_to_keep
    from lather.files.jobs.backups import backups_of
    from lather.files.jobs.jobwriter import save_job
    from lather.settings.store import Settings, default_path

    settings = Settings(default_path())
    notice = settings.take_notice()
    if notice:
        tell([notice])
    replaced = _described(path) if path.is_file() else ""
    save_job(state, path, n_backups=backups_to_keep(path, settings["backups_kept"], ""),
             cancel=asked())  # fmt: skip
    if replaced:
        kept = [backup.name for backup in backups_of(path)][:1]
        where = f"; it is kept as '{kept[0]}'" if kept else ""
        tell([f"'{path.name}' replaces {replaced}{where}."])


def _described(path: Path) -> str:
    """What lies there, as far as it can be read."""
    from lather.files.jobs.jobfile import described

    return described(path) or "a file that is no job"
