"""Where a call may write: never over what it reads, never twice to the same file.

Asked before any work begins, by the command line for every path of a verb and by whatever
writes pictures.
"""

from __future__ import annotations

import os
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from enum import Enum
from pathlib import Path

from lather.errors import LatherError, UsageError
from lather.files.atomic import is_special
from lather.files.endings import DELIVERED, FLOATS, JOB, LAYERS, READABLE

STDOUT = Path("-")


class Form(Enum):
    """What is going to be written to a path."""

    PICTURE = "a picture"
    LAYERED = "a picture or layers"
    JOB = "a job"
    TEXT = "text"
    FOLDER = "a folder of pictures"
    FLOATS = "a picture of floats"


_ENDINGS: dict[Form, tuple[str, ...]] = {
    Form.PICTURE: DELIVERED,
    Form.LAYERED: (*DELIVERED, LAYERS),
    Form.JOB: (JOB,),
    Form.FLOATS: FLOATS,
}


@dataclass(frozen=True)
class Output:
    """A path to be written, and what to."""

    path: Path
    form: Form


def with_ending(path: Path, ending: str) -> Path:
    """The path with an ending; dots in the name are part of the name."""
    return path if path.suffix.lower() == ending else path.with_name(path.name + ending)


def check_outputs(inputs: Sequence[Path], outputs: Sequence[Output]) -> None:
    """Raise unless every output can be written without harm to an input or another output.

    Raises
    ------
    UsageError : an output is an input under whatever name (links, hard links, other case),
        another output of the same call, or does not have the ending of what it is to hold.
    LatherError : its folder is missing or cannot be written.
    """
    seen: list[Path] = []
    for output in outputs:
        path = output.path
        if path == STDOUT and output.form is Form.TEXT:
            continue
        _check_ending(output)
        _check_folder(output)
        if is_special(path):
            continue  # a pipe or a device: nothing lies there that could be lost
        for other, what in [(p, "it is read here, and never changed") for p in inputs] + [
            (p, "two results of this call have that name") for p in seen
        ]:
            if same_file(path, other):
                raise _refused(path, what, "choose another name")
        seen.append(path)


def same_file(path: Path, other: Path) -> bool:
    """True if writing one would change the other, here or on a disk that ignores case."""
    with suppress(OSError):
        if path.samefile(other):
            return True
    path, other = (Path(os.path.realpath(p)) for p in (path, other))
    if path.name.casefold() != other.name.casefold():
        return False
    with suppress(OSError):
        return path.parent.samefile(other.parent)
    return path.parent == other.parent


def _check_ending(output: Output) -> None:
    path, ending = output.path, output.path.suffix.lower()
    endings = _ENDINGS.get(output.form)
    if endings is not None and ending not in endings:
        why = f"'{path.suffix}' is not a format for {output.form.value}"
        if not path.suffix:
            why = "its name has no ending that says in which format"
        raise _refused(path, why, f"use {', '.join(endings[:-1])} or {endings[-1]}")
    if output.form is Form.TEXT and ending in (*READABLE, LAYERS, JOB):
        raise _refused(path, f"'{path.suffix}' is the ending of a picture or job", "use .json")


def _check_folder(output: Output) -> None:
    path = output.path
    if output.form is Form.FOLDER:
        if path.exists() and not path.is_dir():
            raise _refused(path, "it is a file", "choose a folder")
        folder = next(parent for parent in (path, *path.absolute().parents) if parent.exists())
    elif path.is_dir():
        raise _refused(path, "it is a folder", "give a file name in it")
    else:
        folder = Path(os.path.realpath(path)).parent
        if is_special(path):
            return
        if not folder.is_dir():
            raise _not_there(path, folder)
    if not os.access(folder, os.W_OK):
        raise LatherError(
            f"'{path.name}' was not written", f"{folder} cannot be written to",
            "choose another folder",
        )  # fmt: skip


def _not_there(path: Path, folder: Path) -> LatherError:
    why = f"{folder} is a file" if folder.exists() else f"there is no folder {folder}"
    return LatherError(f"'{path.name}' was not written", why, "make it, or choose another one")


def _refused(path: Path, why: str, advice: str) -> UsageError:
    return UsageError(f"'{path.name}' was not written", why, advice)
