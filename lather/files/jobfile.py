"""The `.lather` job file: a ZIP with job.json, the photo and lossless tiles.

docs/job-file.md describes it for other programs. Whatever is read here may come from
anybody, so names, sizes and values are checked before they are used.
"""

from __future__ import annotations

import json
import zipfile
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lather import __version__
from lather.core.arrays import FULL
from lather.core.blend.modes import BlendMode
from lather.core.work import CancelToken, Progress, no_progress
from lather.document.job import Brief, JobState
from lather.document.layers import (
    GroupLayer,
    Layer,
    Mask,
    PhotoLayer,
    PixelLayer,
    Stage,
    reserve_ids,
)
from lather.document.photo import Photo
from lather.document.strokes import StrokeRecord
from lather.document.tiles import TILE_PX, Key, Tiles
from lather.document.tree import Layers, walk
from lather.errors import JobFileError, LatherError
from lather.files.atomic import replacing
from lather.files.photos import decode_photo
from lather.files.strokes import strokes_from_json, strokes_to_json

FORMAT, VERSION, SUFFIX = "lather-job", 1, ".lather"
MOST_JSON_BYTES = 256 * 2**20
MOST_PHOTO_BYTES = 4 * 2**30
MOST_TILE_BYTES = 4 * 2**20


@dataclass(frozen=True)
class LoadedJob:
    state: JobState
    worked_s: float


def save_job(
    state: JobState,
    path: Path,
    *,
    worked_s: float = 0.0,
    progress: Progress = no_progress,
    cancel: CancelToken | None = None,
) -> None:
    """Write a job, atomically. Cancelling leaves the earlier file as it was.

    Raises
    ------
    LatherError : the folder cannot be written or the disk is full.
    """
    with replacing(path) as temporary, zipfile.ZipFile(temporary, "w") as archive:
        photo_name = f"photo/{Path(state.photo.name).name}"
        archive.writestr(photo_name, state.photo.encoded)
        n_layers = sum(1 for _ in walk(state.layers))
        layers = []
        for index, layer in enumerate(state.layers):
            progress(index / n_layers, f"saving {layer.name}")
            layers.append(_write_layer(archive, layer, cancel))
        description = {
            "format": FORMAT,
            "version": VERSION,
            "application": f"Lather {__version__}",
            "photo": {
                "file": photo_name,
                "width": state.photo.width,
                "height": state.photo.height,
                "depth_bits": state.photo.depth_bits,
            },
            "brief": {"delivery_long_side_px": state.brief.delivery_long_side_px},
            "worked_s": round(worked_s, 1),
            "active_layer": state.active_id,
            "layers": layers,
        }
        text = json.dumps(description, indent=1)
        archive.writestr("job.json", text, compress_type=zipfile.ZIP_DEFLATED)
    progress(1.0, "saved")


def load_job(path: Path, *, progress: Progress = no_progress) -> LoadedJob:
    """Read a job.

    Raises
    ------
    JobFileError : missing, damaged, from a newer version, or not a job at all.
    PhotoError : the photo inside cannot be decoded.
    """
    try:
        with zipfile.ZipFile(path) as archive:
            description = json.loads(_read(archive, "job.json", MOST_JSON_BYTES))
            _check_version(description, path)
            return _Reader(archive, description, progress).job()
    except FileNotFoundError:
        raise _not_opened(path, "there is no such file", "check the name and folder") from None
    except LatherError:
        raise
    except OSError as error:
        raise _not_opened(path, error.strerror or str(error), "check the disk") from error
    except _DAMAGE as error:
        raise _not_opened(
            path, f"the file is damaged ({_detail(error)})", "open a backup of the job"
        ) from error


_DAMAGE = (
    zipfile.BadZipFile,
    zipfile.LargeZipFile,
    json.JSONDecodeError,
    UnicodeDecodeError,
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


def _write_layer(
    archive: zipfile.ZipFile, layer: Layer, cancel: CancelToken | None
) -> dict[str, Any]:
    folder = f"layers/{layer.id}"
    entry: dict[str, Any] = {
        "kind": _KINDS[type(layer)],
        "id": layer.id,
        "name": layer.name,
        "visible": layer.visible,
        "strength": layer.strength,
        "mode": layer.mode.value,
        "locked": layer.locked,
        "stage": layer.stage.value,
    }
    if layer.mask is not None:
        entry["mask"] = {
            "enabled": layer.mask.enabled,
            "inverted": layer.mask.inverted,
            "fill": layer.mask.tiles.fill,
            "tiles": _write_tiles(archive, f"{folder}/mask", layer.mask.tiles, cancel),
        }
    if isinstance(layer, PixelLayer):
        entry["tiles"] = _write_tiles(archive, f"{folder}/pixels", layer.tiles, cancel)
        if layer.strokes:
            entry["strokes"] = f"{folder}/strokes.json"
            text = json.dumps(strokes_to_json(layer.strokes))
            archive.writestr(entry["strokes"], text, compress_type=zipfile.ZIP_DEFLATED)
    if isinstance(layer, GroupLayer):
        entry["layers"] = [_write_layer(archive, child, cancel) for child in layer.children]
    return entry


def _write_tiles(
    archive: zipfile.ZipFile, folder: str, tiles: Tiles, cancel: CancelToken | None
) -> list[list[Any]]:
    entries = []
    for (row, column), tile in sorted(tiles.tiles.items()):
        if cancel is not None:
            cancel.check()
        name = f"{folder}/{row}_{column}.png"
        archive.writestr(name, _encode_tile(tile.pixels))
        entries.append([row, column, name])
    return entries


def _encode_tile(pixels: NDArray[np.uint16]) -> bytes:
    import cv2

    ordered = pixels if pixels.ndim == 2 else np.ascontiguousarray(pixels[..., [2, 1, 0, 3]])
    ok, encoded = cv2.imencode(".png", ordered, [cv2.IMWRITE_PNG_COMPRESSION, 1])
    assert ok
    return bytes(encoded)


def _decode_tile(encoded: bytes, channels: int) -> NDArray[np.uint16]:
    import cv2

    pixels = cv2.imdecode(np.frombuffer(encoded, dtype=np.uint8), cv2.IMREAD_UNCHANGED)
    shape = (TILE_PX, TILE_PX) + ((channels,) if channels > 1 else ())
    if pixels is None or pixels.shape != shape or pixels.dtype != np.uint16:
        raise ValueError("a tile is not a 16-bit picture of the right size")
    if channels == 1:
        return np.ascontiguousarray(pixels, dtype=np.uint16)
    return np.ascontiguousarray(pixels[..., [2, 1, 0, 3]])


class _Reader:
    """Builds a job's state from an open archive."""

    def __init__(
        self, archive: zipfile.ZipFile, description: dict[str, Any], progress: Progress
    ) -> None:
        self._archive = archive
        self._description = description
        self._progress = progress

    def job(self) -> LoadedJob:
        described = self._description["photo"]
        self._progress(0.0, "reading the photo")
        encoded = _read(self._archive, described["file"], MOST_PHOTO_BYTES)
        photo = decode_photo(encoded, Path(described["file"]).name)
        if (photo.width, photo.height) != (described["width"], described["height"]):
            raise ValueError("the photo is not the one the job was made with")
        layers = self._layers(self._description["layers"], photo)
        if not layers or not isinstance(layers[0], PhotoLayer):
            raise ValueError("the lowest layer is not the photo")
        ids = [layer.id for layer in walk(layers)]
        if len(set(ids)) != len(ids):
            raise ValueError("two layers have the same id")
        reserve_ids(max(ids))
        active = self._description["active_layer"]
        side = self._description["brief"]["delivery_long_side_px"]
        brief = Brief(delivery_long_side_px=None if side is None else max(1, int(side)))
        state = JobState(photo, layers, active if active in ids else ids[0], brief)
        return LoadedJob(state, max(0.0, float(self._description["worked_s"])))

    def _layers(self, entries: list[dict[str, Any]], photo: Photo) -> Layers:
        layers = []
        for index, entry in enumerate(entries):
            self._progress(index / len(entries), f"reading {entry['name']}")
            layers.append(self._layer(entry, photo))
        return tuple(layers)

    def _layer(self, entry: dict[str, Any], photo: Photo) -> Layer:
        common: dict[str, Any] = {
            "id": int(entry["id"]),
            "name": str(entry["name"]),
            "visible": bool(entry["visible"]),
            "strength": min(max(float(entry["strength"]), 0.0), 1.0),
            "mode": BlendMode(entry["mode"]),
            "locked": bool(entry["locked"]),
            "stage": Stage(entry["stage"]),
            "mask": self._mask(entry.get("mask")),
        }
        kind = entry["kind"]
        if kind == "photo":
            return PhotoLayer(**{**common, "locked": True, "mask": None})
        if kind == "group":
            return GroupLayer(**common, children=self._layers(entry["layers"], photo))
        if kind != "pixels":
            raise ValueError(f"unknown kind of layer '{kind}'")
        strokes: tuple[StrokeRecord, ...] = ()
        if "strokes" in entry:
            strokes = strokes_from_json(
                json.loads(_read(self._archive, entry["strokes"], MOST_JSON_BYTES))
            )
        return PixelLayer(**common, tiles=self._tiles(entry["tiles"], 4, 0), strokes=strokes)

    def _mask(self, entry: dict[str, Any] | None) -> Mask | None:
        if entry is None:
            return None
        fill = int(entry["fill"])
        if fill not in (0, FULL):
            raise ValueError("a mask's fill is neither 0 nor 65535")
        return Mask(
            tiles=self._tiles(entry["tiles"], 1, fill),
            enabled=bool(entry["enabled"]),
            inverted=bool(entry["inverted"]),
        )

    def _tiles(self, entries: list[list[Any]], channels: int, fill: int) -> Tiles:
        changed: dict[Key, NDArray[np.uint16] | None] = {}
        for row, column, name in entries:
            encoded = _read(self._archive, name, MOST_TILE_BYTES)
            changed[int(row), int(column)] = _decode_tile(encoded, channels)
        return Tiles(channels=channels, fill=fill).with_tiles(changed)


_KINDS = {PhotoLayer: "photo", PixelLayer: "pixels", GroupLayer: "group"}


def _read(archive: zipfile.ZipFile, name: str, most_bytes: int) -> bytes:
    """A member's bytes; nothing larger than said is unpacked."""
    info = archive.getinfo(name)
    if info.file_size > most_bytes:
        raise ValueError(f"'{name}' is too large")
    return archive.read(info)


def _check_version(description: Any, path: Path) -> None:
    if not isinstance(description, dict) or description.get("format") != FORMAT:
        raise _not_opened(path, "it is not a Lather job", "open the photo instead")
    version = description.get("version")
    if not isinstance(version, int) or version > VERSION:
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
