"""Layers, masks and planes as JSON: what the job file and the journal share.

Tiles and strokes are left to the caller, who knows where they lie. Fields that are not
known here are kept as `extras` and written again; a layer that is not known, or does not fit, is
kept as it is (`UnknownLayer`).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import replace
from typing import Any, Protocol

from lather.core.arrays import FULL
from lather.core.blend.modes import BlendMode
from lather.core.bounds import LAYER, MOST_LAYERS
from lather.document.agreed.brief import Brief
from lather.document.findings import Findings
from lather.document.layers.computed import ComputedLayer
from lather.document.layers.layer import Layer, Layers, Mask, Parts, Stage, reserve_ids
from lather.document.layers.limits import OPEN, Limits
from lather.document.layers.photo import PhotoLayer
from lather.document.layers.pixels import PixelLayer
from lather.document.layers.table import KINDS
from lather.document.layers.unknown import UnknownLayer
from lather.document.painting.strokes import StrokeRecord
from lather.document.photo import Photo
from lather.document.planes import Planes, Regions, from_named
from lather.document.state import Attachments, JobState
from lather.document.tiles import Tiles
from lather.document.tree import walk, walk_held
from lather.files.entries import MISFIT, Entry, ids_in, measure, strings_in, unknown

MASK = "mask"  # the plane that any layer may have
JOB = 0  # stands for a layer id where the job's own planes are meant

_COMMON_KEYS = {"kind", "id", "name", "visible", "strength", "locked", "stage"}
_LAYER_KEYS = _COMMON_KEYS | {"mode", "mask", "limits", "planes", "strokes", "layers"}
_MODES = {mode.value for mode in BlendMode}
_MASK_KEYS = {"enabled", "inverted", "fill", "tiles", "small"}
_PLANE_KEYS = {"channels", "fill", "tiles", "small"}
_READ_KEYS = {"mask", "planes", "strokes", "layers"}  # apart from the layer itself
_COMMON: Mapping[str, Callable[[Any], Any]] = {
    "name": str, "visible": bool, "strength": float, "locked": bool, "stage": Stage,
}  # fmt: skip
_PLAIN: Mapping[str, Any] = {
    "name": "a layer", "visible": True, "strength": 1.0, "locked": False, "stage": Stage.CLEAN,
    "mode": BlendMode.NORMAL, "limits": OPEN,
}  # fmt: skip
_HIGHEST_ID = 2**52  # that is taken over from a file
_SMALL_KEYS = {"file", "level", "per_row"}
_REGIONS_KEYS = {"scale", "corrected"}


class Contents(Protocol):
    """Where the tiles, strokes and inner layers of an entry are found.

    `keeps_members` says whether all that an entry refers to stays readable, whoever wrote it.
    """

    keeps_members: bool

    def refers_to_file(self, layer_id: int) -> bool:
        """True for a layer that is known as one of which the entry refers to a job file."""

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
    odd = {name: raw for name, raw in layer.odd.items() if getattr(layer, name) == _PLAIN[name]}
    return {**entry, **layer.own_fields, **odd}


def mask_entry(mask: Mask) -> Entry:
    """A mask's attributes, without tiles."""
    return {
        **mask.extras,
        "enabled": mask.enabled,
        "inverted": mask.inverted,
        "fill": mask.tiles.fill,
    }


def layer_from(entry: Entry, contents: Contents) -> Layer:
    """The inverse of `layer_entry`, filled; an unknown layer if a value does not fit. ValueError,
    KeyError or TypeError if nothing can be made of it."""
    layer_id, kind = int(entry["id"]), KINDS.get(str(entry["kind"]))
    if kind is None or contents.refers_to_file(layer_id):
        return _as_it_lies(entry)
    try:
        parts, mask = _parts_from(entry, kind, contents)
    except MISFIT:
        if not contents.keeps_members or kind is PhotoLayer:
            raise
        return _as_it_lies(entry)
    try:
        if entry["mode"] not in _MODES or parts.planes.keys() - kind.PLANES.keys():
            raise ValueError("it has a mode or a plane that is not known")
        return kind.made({
            **{name: read(entry[name]) for name, read in _COMMON.items()},
            "id": layer_id, "mode": BlendMode(entry["mode"]), "mask": mask,
            "limits": Limits.read(entry["limits"]) if "limits" in entry else OPEN,
            "extras": unknown(entry, _LAYER_KEYS | kind.OWN_FIELDS),
        }, parts)  # fmt: skip
    except MISFIT:
        if kind is PhotoLayer:
            return _photo_as_it_fits(entry, mask)
        return UnknownLayer(
            **_common_of(entry), mask=mask, kept_planes=parts.planes, kept_strokes=parts.strokes,
            held=parts.children, extras=unknown(entry, {*_COMMON_KEYS, *_READ_KEYS}),
            refers_to_file=False,
        )  # fmt: skip


def _parts_from(
    entry: Entry, kind: type[Layer], contents: Contents
) -> tuple[Parts, Mask | None]:
    """What lies in a file of a layer, in the order in which it was written."""
    layer_id = int(entry["id"])
    mask = _mask_from(entry.get("mask"), layer_id, contents)
    planes = {}
    for name, plane in (entry.get("planes") or {}).items():
        channels = kind.PLANES.get(name) or int(plane["channels"])
        planes[name] = _plane_from(plane, layer_id, name, channels, contents)
    if kind.PLANES.keys() - planes.keys():
        raise ValueError("a plane of the layer is missing")
    strokes = contents.strokes(entry, layer_id) if planes else ()
    children = contents.layers(entry["layers"]) if entry.get("layers") else ()
    own = {name: entry[name] for name in kind.OWN_FIELDS if name in entry}
    return Parts(own, planes, strokes, children), mask


def _photo_as_it_fits(entry: Entry, mask: Mask | None) -> PhotoLayer:
    """The photo is there whatever is said of it."""
    values = _common_of(entry)
    del values["newer_kind"]
    odd = {name: entry[name] for name in ("mode", "limits") if name in entry}
    if odd.get("mode") == BlendMode.NORMAL.value:
        del odd["mode"]
    extras = unknown(entry, _LAYER_KEYS)
    return PhotoLayer(**{**values, "odd": {**values["odd"], **odd}, "locked": True},
                      mask=mask, extras=extras)  # fmt: skip


def _as_it_lies(entry: Entry) -> UnknownLayer:
    """A layer with nothing of it taken apart: what it refers to stays where it is."""
    return UnknownLayer(**_common_of(entry), extras=unknown(entry, _COMMON_KEYS))


def _common_of(entry: Entry) -> dict[str, Any]:
    """What an unknown layer shows of itself; of what does not fit, the default."""
    values, odd = dict(_PLAIN), {}
    for name, read in _COMMON.items():
        if name in entry:
            try:
                values[name] = read(entry[name])
                if name in LAYER and (fault := LAYER[name].fault(values[name])):
                    raise ValueError(fault)
            except MISFIT:
                values[name], odd[name] = _PLAIN[name], entry[name]
    return {**values, "id": int(entry["id"]), "newer_kind": str(entry["kind"]), "odd": odd}


def regions_entry(regions: Regions) -> Entry:
    """What the planes of the regions do not say."""
    return {
        **regions.extras,
        "scale": regions.scale,
        "corrected": sorted(region.value for region in regions.corrected),
    }


def plane_entry(tiles: Tiles) -> Entry:
    """A plane, without tiles."""
    own = unknown(dict(tiles.extras), _PLANE_KEYS)
    return {**own, "channels": tiles.channels, "fill": tiles.fill}


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
    ids = [layer.id for layer in walk_held(layers)]
    if len(set(ids)) != len(ids):
        raise ValueError("two layers have the same id")
    if len(ids) > MOST_LAYERS:
        raise ValueError(f"it has more than {MOST_LAYERS} layers")
    inside = (layer.extras for layer in walk_held(layers) if isinstance(layer, UnknownLayer))
    reserve_ids(max([*ids, *(i for extras in inside for i in ids_in(extras) if i <= _HIGHEST_ID)]))
    ids = [layer.id for layer in walk(layers)]
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
        elif isinstance(layer, ComputedLayer) and layer.parameters.unknown_names:
            names = ", ".join(f"'{name}'" for name in layer.parameters.unknown_names)
            found.append(f"{names} of '{layer.name}'")
        elif isinstance(layer, PixelLayer) and layer.weak is not None and not layer.weak.known:
            found.append(f"what '{layer.name}' softens ({layer.weak.value})")
    found += [f"'{name}' of '{layer.name}'" for layer in walk(state.layers)
              if not isinstance(layer, UnknownLayer) for name in layer.odd]  # fmt: skip
    if state.extras.get("trials"):
        found.append("a blinded test")
    if not state.brief.style.known:
        found.append(f"the style '{state.brief.style.value}'")
    found += [f"'{task.value}' among what is to be done"
              for task in state.brief.tasks if not task.known]  # fmt: skip
    unread = [f"'{name}' of the brief" for name in state.brief.unread if name != "limits"]
    odd_limits = state.brief.unread.get("limits", {})
    unread += ([f"the limit '{name}'" for name in odd_limits] if isinstance(odd_limits, dict)
               else ["the limits of the brief"])  # fmt: skip
    n_unread = len(state.findings.unread)
    if n_unread:
        unread.append("a finding" if n_unread == 1 else f"{n_unread} findings")
    found += unread
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
    yield state.brief.unread
    yield {"unread": findings.unread}
    yield from (finding.extras for finding in findings.items)
    yield from (face.extras for face in findings.faces)
    yield from (tiles.extras for tiles in state.planes.named().values())
    for layer in walk_held(state.layers):
        yield layer.extras
        if layer.mask is not None:
            yield from (layer.mask.extras, layer.mask.tiles.extras)
        yield from (tiles.extras for tiles in layer.planes.values())
        yield from (stroke.extras for stroke in layer.strokes)


def with_own_ids(entries: list[Any]) -> list[Any]:
    """Entries of layers of which no two have the same id, and none an odd one: such a layer gets
    the next that is free.

    The same for the same entries, whichever process reads them: a journal refers to ids.
    """
    last = max(map(_id_of, _all_entries(entries)), default=0)
    taken: set[int] = set()

    def own(entry: Any) -> Any:
        nonlocal last
        if not isinstance(entry, dict):
            return entry
        layer_id = _id_of(entry)
        if not layer_id or layer_id in taken:
            last += 1
            layer_id = last
        taken.add(layer_id)
        entry = {**entry, "id": layer_id}
        inner = entry.get("layers")
        return {**entry, "layers": list(map(own, inner))} if isinstance(inner, list) else entry

    return list(map(own, entries))


def _all_entries(entries: list[Any]) -> Iterator[Entry]:
    for entry in entries:
        if isinstance(entry, dict):
            yield entry
            inner = entry.get("layers")
            yield from _all_entries(inner) if isinstance(inner, list) else ()


def _id_of(entry: Entry) -> int:
    """0 for an odd one, and for one that leaves no room for new ones."""
    value = entry.get("id")
    return value if type(value) is int and 0 < value <= _HIGHEST_ID else 0


def _mask_from(entry: Entry | None, layer_id: int, contents: Contents) -> Mask | None:
    if entry is None:
        return None
    return Mask(
        tiles=contents.tiles(entry, layer_id, MASK, 1, _fill(entry)),
        enabled=bool(entry["enabled"]),
        inverted=bool(entry["inverted"]),
        extras=unknown(entry, _MASK_KEYS),
    )
