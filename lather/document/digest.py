"""A fingerprint of a state's content, to tell whether two states are equal bit for bit."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import fields, is_dataclass
from typing import Any
from weakref import WeakKeyDictionary

from lather.document.layers.layer import Layer, Layers
from lather.document.layers.limits import OPEN
from lather.document.painting.strokes import StrokeRecord
from lather.document.state import JobState
from lather.document.tiles import Tile, Tiles

_tiles: WeakKeyDictionary[Tile, bytes] = WeakKeyDictionary()


def digest(state: JobState) -> str:
    """The same for equal layers, masks, strokes, brief, findings, planes, blinded tests
    and photo size.

    Ids count too.
    """
    photo = state.photo
    found = state.findings
    states = sorted((key, value.value) for key, value in found.states.items())
    parts = [repr((
        photo.width, photo.height, photo.depth_bits, state.brief,
        found.mm_per_px, found.items, states, sorted(found.done_by.items()),
        [sorted(face.handles.items()) for face in found.faces], state.regions.scale,
        sorted(region.value for region in state.regions.corrected),
        _json(found.extras), [_json(face.extras) for face in found.faces],
        _json({"unread": found.unread}),
        _json(state.regions.extras), _json(state.extras), state.trials,
        *((found.looked_in,) if found.looked_in else ()),
    )).encode()]  # fmt: skip
    for name, tiles in sorted(state.planes.named().items()):
        parts += [name.encode(), *_of_tiles(tiles)]
    parts += _of_layers(state.layers)
    return hashlib.sha256(b"\0".join(parts)).hexdigest()[:24]


def operations_digest(state: JobState) -> str:
    """The same for states to which the same was done: with the same strokes, in the same places, at
    the same times."""
    parts: list[bytes] = []
    for one in state.operations:
        said = [
            one.id, one.name, one.again.value, one.why_not, one.stage, one.tool, one.layers,
            one.made, one.active, one.begun, one.begun_active, one.findings,
            one.measures, one.places, one.spent, one.unread_strokes,
        ]  # fmt: skip
        arguments = _json(one.arguments)
        parts += [repr((said, arguments, _json(one.extras))).encode()]
        parts += [part for stroke in one.strokes for part in _of_stroke(stroke)]
        if one.carried is not None:
            ids = [kept for kept in one.carried.layers or () if isinstance(kept, int)]
            parts += [repr(ids).encode(), *_of_layers(one.carried.own_layers)]
    return hashlib.sha256(b"\0".join(parts)).hexdigest()[:24]


def _of_layers(layers: Layers) -> list[bytes]:
    return [part for layer in layers for part in _of_layer(layer)]


def _of_layer(layer: Layer) -> list[bytes]:
    parts = [repr((
        layer.kind, layer.id, layer.name, layer.visible, layer.strength,
        layer.mode.value, layer.locked, layer.stage.value, _json(layer.extras),
        _json(layer.own_fields), *(() if layer.limits == OPEN else (_json(layer.limits.entry),)),
        *((_json(layer.odd),) if layer.odd else ()),
    )).encode()]  # fmt: skip
    if layer.mask is not None:
        mask = layer.mask
        parts.append(repr((mask.enabled, mask.inverted, _json(mask.extras))).encode())
        parts += _of_tiles(mask.tiles)
    for name, tiles in sorted(layer.planes.items()):
        parts += [name.encode(), *_of_tiles(tiles)]
    for stroke in layer.strokes:
        parts += _of_stroke(stroke)
    return [*parts, b"(", *_of_layers(layer.held), b")"]


def _of_stroke(stroke: StrokeRecord) -> list[bytes]:
    described = [
        stroke.tool, stroke.brush, stroke.rect, stroke.colour, stroke.source, stroke.mode,
        stroke.more_columns,
    ]  # fmt: skip
    return [repr((_plain(described), _json(stroke.extras))).encode(), stroke.readings.tobytes()]


def _json(value: Mapping[str, Any]) -> str:
    return json.dumps(value, sort_keys=True)


def _plain(value: Any) -> Any:
    """Numbers of whatever type as floats: 40 and 40.0 are the same size."""
    if isinstance(value, bool) or value is None or isinstance(value, str):
        return value
    if is_dataclass(value):
        return [_plain(getattr(value, field.name)) for field in fields(value)]
    if isinstance(value, Mapping):
        return sorted((key, _plain(item)) for key, item in value.items())
    return [_plain(item) for item in value] if isinstance(value, Sequence) else float(value)


def _of_tiles(tiles: Tiles) -> list[bytes]:
    parts = [repr((tiles.channels, tiles.fill, _json(tiles.extras))).encode()]
    for key, tile in sorted(tiles.tiles.items()):
        if tile not in _tiles:
            _tiles[tile] = hashlib.sha256(tile.pixels.tobytes()).digest()
        parts += [repr(key).encode(), _tiles[tile]]
    return parts
