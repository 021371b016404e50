"""The `.lather` job file: a ZIP with job.json, the photo and lossless tiles.

docs/job-file.md describes it for other programs. Whatever is read here may come from
anybody, so names, sizes and values are checked before they are used. Tiles are read when
they are needed.
"""

from __future__ import annotations

import json
import struct
import uuid
import zipfile
import zlib
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from lather import __version__
from lather.core.work import Progress, no_progress
from lather.document.job import JobState
from lather.document.photo import Photo, photo_hash
from lather.document.planes import Regions
from lather.document.strokes import StrokeRecord
from lather.document.tiles import DEEPEST_LEVEL, TILE_PX, Key, StoredTile, Tiles
from lather.document.tree import Layers
from lather.errors import JobFileError, LatherError, PhotoMissingError
from lather.files.archive import Archive, ArchivedTile, SmallPlane
from lather.files.description import (
    DEEPEST_GROUPS,
    Entry,
    brief_entry,
    findings_entry,
    findings_from,
    layer_from,
    planes_from,
    regions_entry,
    state_from,
)
from lather.files.migrations import VERSION, migrated
from lather.files.photos import MOST_MEGAPIXELS, decode_photo, read_photo
from lather.files.strokes import strokes_from_json

FORMAT, SUFFIX = "lather-job", ".lather"
MOST_JSON_BYTES = 64 * 2**20
MOST_STROKES_BYTES = 64 * 2**20
MOST_PHOTO_BYTES = 4 * 2**30
_JOB_KEYS = {
    "format", "version", "revision", "application", "photo", "brief", "worked_s",
    "active_layer", "layers", "findings", "planes", "regions",
}  # fmt: skip


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
        return _Reader(archive, migrated(description), path, photo_at, progress).job()
    except FileNotFoundError:
        raise _not_opened(path, "there is no such file", "check the name and folder") from None
    except LatherError:
        raise
    except OSError as error:
        raise _not_opened(path, error.strerror or str(error), "check the disk") from error
    except _DAMAGE as error:
        raise damaged(path, _detail(error)) from error


def read_revision(path: Path) -> str | None:
    """What a job file calls the state it holds; None if that cannot be read."""
    try:
        description = migrated(json.loads(Archive(path).read("job.json", MOST_JSON_BYTES)))
        return str(description["revision"])
    except (OSError, *_DAMAGE):
        return None


def damaged(path: Path, detail: str) -> JobFileError:
    """The error for a damaged job; names the backups that lie beside it."""
    from lather.files.backups import backups_of

    backups = backups_of(path)
    advice = f"open the backup '{backups[0].name}'" if backups else "open a copy of the job"
    return _not_opened(path, f"the file is damaged ({detail})", advice)


_DAMAGE = (
    zipfile.BadZipFile,
    zipfile.LargeZipFile,
    json.JSONDecodeError,
    UnicodeDecodeError,
    struct.error,
    zlib.error,
    KeyError,
    TypeError,
    ValueError,
    AttributeError,
    IndexError,
    EOFError,
    NotImplementedError,
    RecursionError,
    RuntimeError,
    OverflowError,
)


class _Reader:
    """Builds a job's state from an open archive (`Contents`)."""

    def __init__(
        self,
        archive: Archive,
        description: Entry,
        path: Path,
        photo_at: Path | None,
        progress: Progress,
    ) -> None:
        self._archive = archive
        self._description = description
        self._path = path
        self._photo_at = photo_at
        self._progress = progress
        self._depth = 0
        self._grid = (0, 0)
        self._reduced: list[SmallPlane] = []

    def job(self) -> LoadedJob:
        described = self._description["photo"]
        width, height = int(described["width"]), int(described["height"])
        if not 0 < width * height <= MOST_MEGAPIXELS * 1e6:
            raise ValueError(f"a picture of {width} x {height} px")
        self._grid = (-(-height // TILE_PX), -(-width // TILE_PX))
        self._progress(0.1, "reading the photo and the layers")
        with ThreadPoolExecutor(1, "layers") as aside:
            reading = aside.submit(self._layers_and_first_view)
            photo, linked = self._photo(described)
        if (photo.width, photo.height) != (width, height):
            raise ValueError("the photo is not the one the job was made with")
        layers = reading.result()
        extras = {k: v for k, v in self._description.items() if k not in _JOB_KEYS}
        state = state_from(
            photo,
            layers,
            self._description["active_layer"],
            self._description["brief"],
            findings_from(self._description.get("findings")),
            planes_from(
                self._description.get("planes", {}),
                self._description.get("regions") or regions_entry(Regions()),
                self,
            ),
            extras,
        )
        return LoadedJob(
            state,
            max(0.0, float(self._description["worked_s"])),
            str(self._description["revision"]),
            linked,
            self._archive,
        )

    def layers(self, entries: list[Any]) -> Layers:
        self._depth += 1
        if self._depth > DEEPEST_GROUPS:
            raise ValueError("its groups are nested too deep")
        layers = tuple(layer_from(entry, self) for entry in entries)
        self._depth -= 1
        return layers

    def tiles(self, entry: Entry, layer_id: int, plane: str, channels: int, fill: int) -> Tiles:  # noqa: ARG002
        names: dict[Key, str] = {}
        for row, column, name in entry["tiles"]:
            key = int(row), int(column)
            if not (0 <= key[0] < self._grid[0] and 0 <= key[1] < self._grid[1]):
                raise ValueError(f"'{name}' lies outside of the picture")
            if name not in self._archive:
                raise KeyError(name)
            names[key] = name
        small = self._small(entry.get("small"), channels, names)
        stored: dict[Key, StoredTile] = {
            key: ArchivedTile(self._archive, name, key, channels, fill, small)
            for key, name in names.items()
        }
        return Tiles(channels=channels, fill=fill).with_kept_outside(stored)

    def strokes(self, entry: Entry, layer_id: int) -> tuple[StrokeRecord, ...]:  # noqa: ARG002
        if "strokes" not in entry:
            return ()
        return strokes_from_json(
            json.loads(self._archive.read(entry["strokes"], MOST_STROKES_BYTES))
        )

    def _small(
        self, entry: Entry | None, channels: int, names: dict[Key, str]
    ) -> SmallPlane | None:
        if entry is None:
            return None
        level, per_row = int(entry["level"]), int(entry["per_row"])
        if not (1 <= level <= DEEPEST_LEVEL and 1 <= per_row <= max(1, len(names))):
            raise ValueError("a reduced layer is laid out in an impossible way")
        places = {key: number for number, key in enumerate(names)}
        name = str(entry["file"])
        self._reduced.append(SmallPlane(self._archive, name, level, per_row, channels, places))
        return self._reduced[-1]

    def _layers_and_first_view(self) -> Layers:
        """All layers, and what the first view needs of them; while the photo is decoded."""
        layers = self.layers(self._description["layers"])
        for plane in self._reduced:
            plane.read()
        return layers

    def _photo(self, described: Entry) -> tuple[Photo, bool]:
        """The photo, and whether it lies outside of the job file."""
        name = described.get("file")
        if name is not None:
            encoded = self._archive.read(name, MOST_PHOTO_BYTES)
            return decode_photo(encoded, Path(name).name), False
        if self._photo_at is not None:
            return read_photo(self._photo_at), True
        linked = self._path.parent / str(described["link"])
        try:
            encoded = linked.read_bytes()
        except OSError as error:
            raise PhotoMissingError(
                f"'{self._path.name}' was not opened",
                f"its photo '{linked.name}' is not there ({error.strerror})",
                "say where the photo is now",
            ) from None
        if photo_hash(encoded) != described["sha256"]:
            raise PhotoMissingError(
                f"'{self._path.name}' was not opened",
                f"its photo '{linked.name}' was changed since",
                "choose the photo as it was, or accept the changed one",
            )
        photo = decode_photo(encoded, linked.name)
        photo.path = linked
        return photo, True


def new_revision() -> str:
    return uuid.uuid4().hex


def job_entry(
    state: JobState,
    revision: str,
    worked_s: float,
    photo: Entry,
    layers: list[Entry],
    planes: Mapping[str, Entry],
) -> Entry:
    """job.json."""
    return {
        **state.extras,
        "format": FORMAT,
        "version": VERSION,
        "revision": revision,
        "application": f"Lather {__version__}",
        "photo": photo,
        "brief": brief_entry(state.brief),
        "findings": findings_entry(state.findings),
        "worked_s": round(worked_s, 1),
        "active_layer": state.active_id,
        "layers": layers,
        "planes": planes,
        "regions": regions_entry(state.regions),
    }


def _check_version(description: Any, path: Path) -> None:
    if not isinstance(description, dict) or description.get("format") != FORMAT:
        raise _not_opened(path, "it is not a Lather job", "open the photo instead")
    version = description.get("version")
    if not isinstance(version, int) or version < 1 or version > VERSION:
        raise _not_opened(
            path,
            f"it was written by a newer Lather (format {version}; this one reads {VERSION})",
            "update Lather",
        )


def _not_opened(path: Path, why: str, advice: str) -> JobFileError:
    return JobFileError(f"'{path.name}' was not opened", why, advice)


def _detail(error: BaseException) -> str:
    if isinstance(error, KeyError):
        return f"{error.args[0]!r} is missing" if error.args else "something is missing"
    return str(error) or type(error).__name__
