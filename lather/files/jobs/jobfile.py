"""The `.lather` job file: a ZIP with job.json, the photo and lossless tiles.

docs/job-file.md describes it for other programs. Whatever is read here may come from
anybody, so names, sizes and values are checked before they are used. Tiles are read when
they are needed.
"""

from __future__ import annotations

import json
import uuid
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from lather import __version__
from lather.core.work import CancelToken, Progress, no_progress
from lather.document.operations.recording import with_what_was_there
from lather.document.state import JobState
from lather.document.tree import walk
from lather.errors import JobFileError, NewerError
from lather.files.entries import Entry
from lather.files.jobs.archive import Archive, unopened
from lather.files.jobs.brief import brief_entry
from lather.files.jobs.description import (
    not_understood,
    regions_entry,
)
from lather.files.jobs.findings import findings_entry
from lather.files.jobs.jobreader import DAMAGE, REPEATS_BORDERS, JobReader
from lather.files.jobs.migrations import VERSION, migrated
from lather.files.jobs.trials import trials_entry

FORMAT = "lather-job"
KEEPS_OPERATIONS = 6  # the first version that does
WORK_BEFORE = "All that was done before"
MOST_JSON_BYTES = 160 * 2**20


@dataclass(frozen=True)
class LoadedJob:
    """A job as it lies in its file.

    Attributes
    ----------
    revision : names this saved state; a journal refers to it.
    link_photo : the file refers to the photo instead of holding it.
    archive : the open file, from which tiles are still read.
    """

    state: JobState
    worked_s: float
    revision: str
    link_photo: bool
    archive: Archive

    @property
    def notices(self) -> list[str]:
        """What a person should know: what could not be read, what is not understood."""
        layers = list(walk(self.state.layers))
        damage = self.archive.damage({layer.id: layer.name for layer in layers})
        notices = [self.state.photo.missing] if self.state.photo.missing else []
        if damage:
            notices.append(f"The job is damaged: {damage}. Open a backup if there is one.")
        newer = not_understood(self.state)
        if newer:
            notices.append(
                f"Not understood here and kept as it is: {', '.join(newer)}. It may be of a newer "
                "Lather: update to see and change it."
            )
        return notices


def load_job(
    path: Path, *, photo_at: Path | None = None, progress: Progress = no_progress
) -> LoadedJob:
    """Read a job.

    Parameters
    ----------
    photo_at : where a linked photo lies now, if not where the job says. It is taken as the
        person's word: only its size in pixels must be the same.

    Raises
    ------
    JobFileError : missing, damaged, from a newer version, or not a job at all.
    PhotoMissingError : a linked photo is gone or another one.
    PhotoError : the photo cannot be decoded.
    """
    try:
        archive = Archive(path)
        description = json.loads(archive.read("job.json", MOST_JSON_BYTES))
        _check_version(description, path)
        fades = description["version"] < REPEATS_BORDERS
        is_told = description["version"] >= KEEPS_OPERATIONS
        description = migrated(description)
        reader = JobReader(archive, description, fades=fades, progress=progress)
        state, linked = reader.job(path, photo_at)
        if not is_told:
            state = with_what_was_there(state, WORK_BEFORE)
        worked_s = max(0.0, float(description["worked_s"]))
        return LoadedJob(state, worked_s, str(description["revision"]), linked, archive)
    except OSError as error:
        raise unopened(JobFileError, path, error) from error
    except DAMAGE as error:
        raise damaged(path, _detail(error)) from error


def read_revision(path: Path) -> str | None:
    """What a job file calls the state it holds; None if that cannot be read."""
    try:
        description = migrated(json.loads(Archive(path).read("job.json", MOST_JSON_BYTES)))
        return str(description["revision"])
    except (OSError, *DAMAGE):
        return None


def described(path: Path) -> str:
    """Which photo a job is of, and how much was done on it; '' if it cannot be read."""
    try:
        entry = migrated(json.loads(Archive(path).read("job.json", MOST_JSON_BYTES)))
        n_layers = len(entry["layers"]) - 1
        photo = entry["photo"]
        name = Path(photo.get("file") or photo.get("link") or path.name).name
    except (OSError, *DAMAGE):
        return ""
    return f"the job of '{name}' with {n_layers} layer{'' if n_layers == 1 else 's'}"


def check_readable(archive: Archive, cancel: CancelToken | None = None) -> None:
    """Read all of a job but its photo.

    Raises
    ------
    JobFileError : `load_job` would refuse it or leave a part of it out.
    """
    try:
        description = json.loads(archive.read("job.json", MOST_JSON_BYTES))
        JobReader(archive, migrated(description), cancel=cancel).check()
    except DAMAGE as error:
        raise JobFileError("It cannot be read back", _detail(error)) from error
    if archive.damaged:
        raise JobFileError("It cannot be read back", ", ".join(sorted(archive.damaged)))


def damaged(path: Path, detail: str) -> JobFileError:
    """The error for a damaged job; names the backups that lie beside it."""
    from lather.files.jobs.backups import backups_of

    backups = backups_of(path)
    advice = f"open the backup '{backups[0].name}'" if backups else "open a copy of the job"
    return _not_opened(path, f"the file is damaged ({detail})", advice)


def new_revision() -> str:
    return uuid.uuid4().hex


def job_entry(
    state: JobState,
    revision: str,
    worked_s: float,
    photo: Entry,
    layers: list[Entry],
    planes: Mapping[str, Entry],
    operations: list[list[Any]],
) -> Entry:
    """job.json."""
    return {
        **state.extras,
        "format": FORMAT,
        "version": VERSION,
        "revision": revision,
        "application": f"Lather {__version__}",
        "photo": {**state.extras.get("photo", {}), **photo},
        "brief": brief_entry(state.brief),
        "findings": findings_entry(state.findings),
        "trials": [*trials_entry(state.trials), *state.extras.get("trials", ())],
        "worked_s": round(worked_s, 1),
        "active_layer": state.active_id,
        "layers": layers,
        "planes": planes,
        "regions": regions_entry(state.regions),
        "operations": operations,
    }


def _check_version(description: Any, path: Path) -> None:
    if not isinstance(description, dict) or description.get("format") != FORMAT:
        raise _not_opened(path, "it is not a Lather job", "open the photo instead")
    version = description.get("version")
    if isinstance(version, int) and version > VERSION:
        raise NewerError(
            f"'{path.name}' was not opened",
            f"it was made by a newer Lather (format {version}; this one reads {VERSION})",
            "update Lather",
        )
    if not isinstance(version, int) or version < 1:
        raise ValueError(f"format {version!r}")


def _not_opened(path: Path, why: str, advice: str) -> JobFileError:
    return JobFileError(f"'{path.name}' was not opened", why, advice)


def _detail(error: BaseException) -> str:
    if isinstance(error, KeyError):
        return f"{error.args[0]!r} is missing" if error.args else "something is missing"
    return str(error) or type(error).__name__
