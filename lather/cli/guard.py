"""What every verb promises of the paths it is given, checked before it runs."""

from __future__ import annotations

import argparse
from collections.abc import Mapping, Sequence
from pathlib import Path

from lather.errors import UsageError
from lather.files.endings import DELIVERED, JOB, LAYERS, READABLE
from lather.files.outputs import Form, Output, check_outputs, with_ending


def guard(options: argparse.Namespace, reads: Sequence[str], writes: Mapping[str, Form]) -> None:
    """Refuse a call that would write over what it reads, or where nothing can be written.

    `reads` and `writes` name the options that are paths. A job gets its ending. Leaves
    `options.inputs` and `options.outputs`, for who finds out later that more is read.

    Raises
    ------
    LatherError : see `check_outputs`.
    """
    for name, form in writes.items():
        path = getattr(options, name)
        if path is not None and form is Form.JOB:
            if name == "out":  # else it is called a job where it is named
                _refuse_other_ending(path)
            setattr(options, name, with_ending(path, JOB))
    options.inputs = [path for name in reads if (path := getattr(options, name)) is not None]
    options.outputs = [
        Output(path, form)
        for name, form in writes.items()
        if (path := getattr(options, name)) is not None
    ]
    check_outputs(options.inputs, options.outputs)


def _refuse_other_ending(path: Path) -> None:
    """`UsageError` for a job that is called as something else."""
    ending = path.suffix.lower()
    if ending in (*READABLE, *DELIVERED, LAYERS):
        raise UsageError(
            f"'{path.name}' was not written", f"'{path.suffix}' is the ending of a picture, and "
            "what is written is a job", f"give it the ending {JOB}",
        )  # fmt: skip


def guard_photo(options: argparse.Namespace, photo: Path | None) -> None:
    """The same for the photo that a job turned out to refer to."""
    if photo is not None:
        check_outputs([*options.inputs, photo], options.outputs)
