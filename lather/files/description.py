"""Layers, masks, the brief and findings as JSON: what the job file and the journal share.

Tiles and strokes are left to the caller, who knows where they lie. Fields that are not
known here are kept as `extras` and written again.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any, Protocol

from lather.core.arrays import FULL
from lather.core.blend.modes import BlendMode
from lather.core.survey.face import HANDLES, FaceGeometry
from lather.core.survey.finding import N_DIRECTIONS, Finding, Kind
from lather.document.brief import Brief, Style, Weak
from lather.document.findings import Findings, FindingState
from lather.document.job import JobState
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
from lather.document.planes import Regions, from_named
from lather.document.strokes import StrokeRecord
from lather.document.tiles import Tiles
from lather.document.tree import Layers, walk

Entry = dict[str, Any]
DEEPEST_GROUPS = 64
MOST_LAYERS = 4000
MOST_FINDINGS, LARGEST_FINDING_PX, MOST_FACES = 20_000, 20_000.0, 1000
MOST_POINTS = 2000
KINDS: dict[type[Layer], str] = {PhotoLayer: "photo", PixelLayer: "pixels", GroupLayer: "group"}
PIXELS, MASK = "pixels", "mask"  # the planes of a layer that have tiles
JOB = 0  # stands for a layer id where the job's own planes are meant

_LAYER_KEYS = {
    "kind", "id", "name", "visible", "strength", "mode", "locked", "stage", "mask", "tiles",
    "small", "strokes", "layers", "weak",
}  # fmt: skip
_MASK_KEYS = {"enabled", "inverted", "fill", "tiles", "small"}
_BRIEF_KEYS = {"delivery_long_side_px", "style"}


class Contents(Protocol):
    """Where the tiles, strokes and inner layers of an entry are found."""

    def tiles(self, entry: Entry, layer_id: int, plane: str, channels: int, fill: int) -> Tiles: ...

    def strokes(self, entry: Entry, layer_id: int) -> tuple[StrokeRecord, ...]: ...

    def layers(self, entries: list[Any]) -> Layers: ...


def layer_entry(layer: Layer) -> Entry:
    """A layer's attributes, without mask, tiles, strokes and inner layers."""
    return {
        **layer.extras,
        "kind": KINDS[type(layer)],
        "id": layer.id,
        "name": layer.name,
        "visible": layer.visible,
        "strength": layer.strength,
        "mode": layer.mode.value,
        "locked": layer.locked,
        "stage": layer.stage.value,
        **({"weak": layer.weak.value} if isinstance(layer, PixelLayer) and layer.weak else {}),
    }


def mask_entry(mask: Mask) -> Entry:
    """A mask's attributes, without tiles."""
    return {
        **mask.extras,
        "enabled": mask.enabled,
        "inverted": mask.inverted,
        "fill": mask.tiles.fill,
    }


def brief_entry(brief: Brief) -> Entry:
    return {
        **brief.extras,
        "delivery_long_side_px": brief.delivery_long_side_px,
        "style": brief.style.value,
    }


def findings_entry(findings: Findings) -> Entry | None:
    """None while nothing is known of the portrait."""
    if findings == Findings():
        return None
    return {
        "mm_per_px": findings.mm_per_px,
        "faces": [
            {name: list(place) for name, place in face.handles.items()} for face in findings.faces
        ],
        "items": [
            {**asdict(f), "kind": f.kind.value, "state": findings.state(f).value}
            for f in findings.items
        ],
    }


def layer_from(entry: Entry, contents: Contents) -> Layer:
    """The inverse of `layer_entry`, filled; ValueError, KeyError or TypeError if it is wrong."""
    layer_id, kind = int(entry["id"]), entry["kind"]
    common: dict[str, Any] = {
        "id": layer_id,
        "name": str(entry["name"]),
        "visible": bool(entry["visible"]),
        "strength": _share(entry["strength"]),
        "mode": BlendMode(entry["mode"]),
        "locked": bool(entry["locked"]),
        "stage": Stage(entry["stage"]),
        "extras": _unknown(entry, _LAYER_KEYS),
    }
    if kind == "photo":
        return PhotoLayer(**{**common, "locked": True})
    common["mask"] = _mask_from(entry.get("mask"), layer_id, contents)
    if kind == "group":
        return GroupLayer(**common, children=contents.layers(entry["layers"]))
    if kind != "pixels":
        raise ValueError(f"unknown kind of layer '{kind}'")
    return PixelLayer(
        **common,
        tiles=contents.tiles(entry, layer_id, PIXELS, 4, 0),
        strokes=contents.strokes(entry, layer_id),
        weak=Weak(entry["weak"]) if entry.get("weak") else None,
    )


def brief_from(entry: Entry) -> Brief:
    side = entry["delivery_long_side_px"]
    return Brief(
        delivery_long_side_px=None if side is None else max(1, int(side)),
        style=Style(entry.get("style", Style.GROOMED.value)),
        extras=_unknown(entry, _BRIEF_KEYS),
    )


def findings_from(entry: Entry | None) -> Findings:
    """The inverse of `findings_entry`; ValueError, KeyError or TypeError if it is wrong."""
    if entry is None:
        return Findings()
    items = entry["items"]
    if len(items) > MOST_FINDINGS:
        raise ValueError(f"it has more than {MOST_FINDINGS} findings")
    found = tuple(_finding_from(item) for item in items)
    if len({finding.id for finding in found}) != len(found):
        raise ValueError("two findings have the same id")
    states = {int(item["id"]): FindingState(item["state"]) for item in items}
    decided = {key: state for key, state in states.items() if state is not FindingState.OPEN}
    faces = tuple(_face_from(item) for item in entry.get("faces", ())[:MOST_FACES])
    scale = entry["mm_per_px"]
    mm_per_px = None if scale is None else _measure(scale, 1e-6, 1e3)
    return Findings(mm_per_px, found, decided, faces)


def regions_entry(regions: Regions) -> Entry:
    """What the planes of the regions do not say."""
    return {
        "scale": regions.scale,
        "corrected": sorted(region.value for region in regions.corrected),
    }


def plane_entry(tiles: Tiles) -> Entry:
    """A plane of the job's own, without tiles."""
    return {"fill": tiles.fill}


def planes_from(
    entries: Mapping[str, Entry], regions: Entry, contents: Contents
) -> tuple[Tiles | None, Regions]:
    """The area and the regions; ValueError, KeyError or TypeError if they are wrong."""
    planes = {
        name: contents.tiles(entry, JOB, name, 1, _fill(entry)) for name, entry in entries.items()
    }
    return from_named(planes, _measure(regions["scale"], 1e-4, 1.0), regions["corrected"])


def _face_from(item: Entry) -> FaceGeometry:
    handles = {}
    for name in HANDLES:
        x, y = item[name]
        handles[name] = _measure(x, -1e6, 1e6), _measure(y, -1e6, 1e6)
    face = FaceGeometry(handles)
    if face.pupil_distance_px < 1:
        raise ValueError("a face's pupils lie in one place")
    return face


def _fill(entry: Entry) -> int:
    fill = int(entry["fill"])
    if fill not in (0, FULL):
        raise ValueError("a mask's fill is neither 0 nor 65535")
    return fill


def _finding_from(item: Entry) -> Finding:
    extent_px = tuple(_measure(radius, 0, LARGEST_FINDING_PX) for radius in item["extent_px"])
    if len(extent_px) != N_DIRECTIONS:
        raise ValueError(f"a finding's extent has {len(extent_px)} directions")
    numbers = {
        name: _measure(item[name], -1e6, 1e6)
        for name in (
            "x", "y", "radius_px", "diameter_mm", "contrast_l", "contrast_a", "severity",
            "rim_broken",
        )
    }  # fmt: skip
    numbers.update(
        {name: _measure(item.get(name, 0), 0, 1e6) for name in ("edge_px", "length_mm")}
    )
    path = item.get("path_px", ())
    if len(path) > MOST_POINTS:
        raise ValueError(f"a finding's path has more than {MOST_POINTS} points")
    path_px = tuple((_measure(x, -1e6, 1e6), _measure(y, -1e6, 1e6)) for x, y in path)
    return Finding(
        id=int(item["id"]), kind=Kind(item["kind"]), extent_px=extent_px, path_px=path_px, **numbers
    )


def _measure(value: Any, low: float, high: float) -> float:
    number = float(value)
    if not low <= number <= high:
        raise ValueError(f"{number} is not between {low:g} and {high:g}")
    return number


def state_from(
    photo: Photo,
    layers: Layers,
    active: Any,
    brief: Entry,
    findings: Findings,
    planes: tuple[Tiles | None, Regions],
    extras: Mapping[str, Any],
) -> JobState:
    """A state, after the checks that concern all layers together."""
    if not layers or not isinstance(layers[0], PhotoLayer):
        raise ValueError("the lowest layer is not the photo")
    ids = [layer.id for layer in walk(layers)]
    if len(set(ids)) != len(ids):
        raise ValueError("two layers have the same id")
    if len(ids) > MOST_LAYERS:
        raise ValueError(f"it has more than {MOST_LAYERS} layers")
    reserve_ids(max(ids))
    active_id = active if active in ids else ids[0]
    return JobState(
        photo, layers, active_id, brief_from(brief), findings, *planes, extras=dict(extras)
    )


def _mask_from(entry: Entry | None, layer_id: int, contents: Contents) -> Mask | None:
    if entry is None:
        return None
    return Mask(
        tiles=contents.tiles(entry, layer_id, MASK, 1, _fill(entry)),
        enabled=bool(entry["enabled"]),
        inverted=bool(entry["inverted"]),
        extras=_unknown(entry, _MASK_KEYS),
    )


def _share(value: Any) -> float:
    share = float(value)
    if not 0 <= share <= 1:
        raise ValueError(f"a strength of {share} is outside 0-1")
    return share


def _unknown(entry: Entry, known: set[str]) -> Entry:
    return {key: value for key, value in entry.items() if key not in known}
