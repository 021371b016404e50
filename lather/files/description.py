"""Layers, masks and planes as JSON: what the job file and the journal share.

Tiles and strokes are left to the caller, who knows where they lie. Fields that are not
known here are kept as `extras` and written again; a layer whose kind or mode is not known
is kept as it is (`UnknownLayer`).
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Any, Protocol

from lather.core.arrays import FULL
from lather.core.blend.modes import BlendMode
from lather.document.bounds import MOST_LAYERS
from lather.document.brief import Brief
from lather.document.findings import Findings
from lather.document.layers.layer import Layer, Layers, Mask, Parts, Stage, reserve_ids
from lather.document.layers.limits import OPEN, Limits
from lather.document.layers.photo import PhotoLayer
from lather.document.layers.pixels import PixelLayer
from lather.document.layers.table import KINDS
from lather.document.layers.unknown import UnknownLayer
from lather.document.photo import Photo
from lather.document.planes import Planes, Regions, from_named
from lather.document.state import Attachments, JobState
from lather.document.strokes import StrokeRecord
from lather.document.tiles import Tiles
from lather.document.tree import walk
from lather.files.entries import Entry, ids_in, measure, strings_in, unknown

MASK = "mask"  # the plane that any layer may have
JOB = 0  # stands for a layer id where the job's own planes are meant

_COMMON_KEYS = {"kind", "id", "name", "visible", "strength", "locked", "stage"}
_LAYER_KEYS = _COMMON_KEYS | {"mode", "mask", "limits", "planes", "strokes", "layers"}
_MODES = {mode.value for mode in BlendMode}
_MASK_KEYS = {"enabled", "inverted", "fill", "tiles", "small"}
_PLANE_KEYS = {"fill", "tiles", "small"}
_SMALL_KEYS = {"file", "level", "per_row"}
_REGIONS_KEYS = {"scale", "corrected"}


class Contents(Protocol):
    """Where the tiles, strokes and inner layers of an entry are found.

    `may_be_newer` says whether a newer Lather may have written it, and all that it refers to stays
    readable.
    """

    may_be_newer: bool

    def tiles(self, entry: Entry, layer_id: int, plane: str, channels: int, fill: int) -> Tiles: ...

    def strokes(self, entry: Entry, layer_id: int) -> tuple[StrokeRecord, ...]: ...

    def layers(self, entries: list[Any]) -> Layers: ...


def layer_entry(layer: Layer) -> Entry:
    """A layer's attributes, without mask, tiles, strokes and inner layers."""
    entry = {
        **layer.extras,
        "kind": layer.kind,
        "id": layer.id,
        "name": layer.name,
        "visible": layer.visible,
        "strength": layer.strength,
        "locked": layer.locked,
        "stage": layer.stage.value,
    }
    if not isinstance(layer, UnknownLayer):
        entry["mode"] = layer.mode.value
    if layer.limits != OPEN:
        entry["limits"] = layer.limits.entry
    return {**entry, **layer.own_fields}


def mask_entry(mask: Mask) -> Entry:
    """A mask's attributes, without tiles."""
    return {
        **mask.extras,
        "enabled": mask.enabled,
        "inverted": mask.inverted,
        "fill": mask.tiles.fill,
    }


def layer_from(entry: Entry, contents: Contents) -> Layer:
    """The inverse of `layer_entry`, filled; ValueError, KeyError or TypeError if it is wrong. One
    that may come from a newer Lather, with a value that is not known here, is an unknown layer."""
    layer_id, kind = int(entry["id"]), KINDS.get(str(entry["kind"]))
    if kind is None or entry["mode"] not in _MODES:
        return _unknown_layer(entry)
    common: dict[str, Any] = {
        "id": layer_id,
        "name": str(entry["name"]),
        "visible": bool(entry["visible"]),
        "strength": measure(entry["strength"], 0.0, 1.0, "strength"),
        "mode": BlendMode(entry["mode"]),
        "locked": bool(entry["locked"]),
        "stage": Stage(entry["stage"]),
        "extras": unknown(entry, _LAYER_KEYS | kind.OWN_FIELDS),
        "mask": _mask_from(entry.get("mask"), layer_id, contents),
    }
    own = {name: entry[name] for name in kind.OWN_FIELDS if name in entry}
    planes = {name: _plane_from(entry["planes"][name], layer_id, name, channels, contents)
              for name, channels in kind.PLANES.items()}  # fmt: skip
    strokes = contents.strokes(entry, layer_id) if planes else ()
    children = contents.layers(entry["layers"]) if entry.get("layers") else ()
    try:
        limits = Limits.read(entry["limits"]) if "limits" in entry else OPEN
        return kind.made({**common, "limits": limits}, Parts(own, planes, strokes, children))
    except (ValueError, TypeError, KeyError):
        if not contents.may_be_newer or kind is PhotoLayer:
            raise
        return _unknown_layer(entry)


def _unknown_layer(entry: Entry) -> UnknownLayer:
    return UnknownLayer(
        id=int(entry["id"]),
        name=str(entry.get("name", entry["kind"])),
        visible=bool(entry.get("visible", True)),
        strength=measure(entry.get("strength", 1.0), 0.0, 1.0, "strength"),
        locked=bool(entry.get("locked", False)),
        stage=Stage(entry.get("stage", Stage.CLEAN.value)),
        newer_kind=str(entry["kind"]),
        extras=unknown(entry, _COMMON_KEYS),
    )


def regions_entry(regions: Regions) -> Entry:
    """What the planes of the regions do not say."""
    return {
        **regions.extras,
        "scale": regions.scale,
        "corrected": sorted(region.value for region in regions.corrected),
    }


def plane_entry(tiles: Tiles) -> Entry:
    """A plane of the job's own, without tiles."""
    return {**unknown(dict(tiles.extras), _PLANE_KEYS), "fill": tiles.fill}


def planes_from(entries: Mapping[str, Entry], regions: Entry, contents: Contents) -> Planes:
    """A state's own planes; ValueError, KeyError or TypeError if they are wrong."""
    planes = {}
    for name, entry in entries.items():
        tiles = contents.tiles(entry, JOB, name, 1, _fill(entry))
        planes[name] = replace(tiles, extras={**unknown(entry, _PLANE_KEYS), **tiles.extras})
    scale = measure(regions["scale"], 1e-4, 1.0)
    return from_named(planes, scale, regions["corrected"], unknown(regions, _REGIONS_KEYS))


def _plane_from(
    entry: Entry, layer_id: int, name: str, channels: int, contents: Contents
) -> Tiles:
    fill = int(entry["fill"])
    if not 0 <= fill <= FULL:
        raise ValueError("a plane's fill is not between 0 and 65535")
    tiles = contents.tiles(entry, layer_id, name, channels, fill)
    return replace(tiles, extras={**unknown(entry, _PLANE_KEYS), **tiles.extras})


def small_extras(entry: Entry) -> Entry:
    """What a newer Lather says of a plane's reduced picture, as `Tiles` keep it."""
    extras = unknown(entry.get("small") or {}, _SMALL_KEYS)
    return {"small": extras} if extras else {}


def _fill(entry: Entry) -> int:
    fill = int(entry["fill"])
    if fill not in (0, FULL):
        raise ValueError("a mask's fill is neither 0 nor 65535")
    return fill


def state_from(
    photo: Photo,
    layers: Layers,
    active: Any,
    brief: Brief,
    findings: Findings,
    planes: Planes,
    extras: Mapping[str, Any],
    attachments: Attachments | None = None,
) -> JobState:
    """A state, after the checks that concern all layers together."""
    if not layers or not isinstance(layers[0], PhotoLayer):
        raise ValueError("the lowest layer is not the photo")
    ids = [layer.id for layer in walk(layers)]
    if len(set(ids)) != len(ids):
        raise ValueError("two layers have the same id")
    if len(ids) > MOST_LAYERS:
        raise ValueError(f"it has more than {MOST_LAYERS} layers")
    inside = (layer.extras for layer in walk(layers) if isinstance(layer, UnknownLayer))
    reserve_ids(max([*ids, *(i for extras in inside for i in ids_in(extras))]))
    active_id = active if active in ids else ids[0]
    return JobState(
        photo, layers, active_id, brief, findings, planes.area, planes.reference,
        planes.regions, unknown_planes=planes.unknown, extras=dict(extras), attachments=attachments,
    )  # fmt: skip


def not_understood(state: JobState) -> list[str]:
    """What of a job only a newer Lather understands, in words."""
    found = []
    for layer in walk(state.layers):
        if isinstance(layer, UnknownLayer):
            found.append(f"the layer '{layer.name}', which is not shown")
        elif isinstance(layer, PixelLayer) and layer.weak is not None and not layer.weak.known:
            found.append(f"what '{layer.name}' softens ({layer.weak.value})")
    if not state.brief.style.known:
        found.append(f"the style '{state.brief.style.value}'")
    found += [f"'{task.value}' among what is to be done"
              for task in state.brief.tasks if not task.known]  # fmt: skip
    regions = (region for region in state.regions.masks if not region.known)
    found += [f"the region '{region.value}'" for region in regions]
    kinds = {finding.kind.value for finding in state.findings.items if not finding.kind.known}
    return found + [f"findings of the kind '{kind}'" for kind in sorted(kinds)]


def mentioned(state: JobState) -> set[str]:
    """All strings in fields that are not known: among them the names of what they refer to."""
    return {text for extras in _all_extras(state) if extras for text in strings_in(extras)}


def _all_extras(state: JobState) -> Iterator[Mapping[str, Any]]:
    findings = state.findings
    yield from (state.extras, state.brief.extras, findings.extras, state.regions.extras)
    yield from (finding.extras for finding in findings.items)
    yield from (face.extras for face in findings.faces)
    yield from (tiles.extras for tiles in state.planes.named().values())
    for layer in walk(state.layers):
        yield layer.extras
        if layer.mask is not None:
            yield from (layer.mask.extras, layer.mask.tiles.extras)
        yield from (tiles.extras for tiles in layer.planes.values())
        yield from (stroke.extras for stroke in layer.strokes)


def with_own_ids(layers: Layers) -> Layers:
    """Layers of which no two have the same id: the later one gets the next that is free.

    The same for the same layers, whichever process reads them: a journal refers to ids.
    """
    ids = [layer.id for layer in walk(layers)]
    if len(set(ids)) == len(ids):
        return layers
    taken: set[int] = set()
    last = max(ids)

    def own(layer: Layer) -> Layer:
        nonlocal last
        if layer.id in taken:
            last += 1
            layer = replace(layer, id=last)
        taken.add(layer.id)
        return layer.with_children(tuple(map(own, layer.children)))

    return tuple(map(own, layers))


def _mask_from(entry: Entry | None, layer_id: int, contents: Contents) -> Mask | None:
    if entry is None:
        return None
    return Mask(
        tiles=contents.tiles(entry, layer_id, MASK, 1, _fill(entry)),
        enabled=bool(entry["enabled"]),
        inverted=bool(entry["inverted"]),
        extras=unknown(entry, _MASK_KEYS),
    )
