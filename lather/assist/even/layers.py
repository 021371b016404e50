"""The layers that Even's assistants make: what they are called, and how one of a kind of work grows
with every finding that is evened."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from dataclasses import replace

import numpy as np

from lather.assist.even.scores import where
from lather.assist.skin_view import SkinView
from lather.core.arrays import Plane
from lather.core.blend.modes import BlendMode
from lather.document.access import locked_by
from lather.document.layers.area_colour import AreaColourLayer
from lather.document.layers.blood_pigment import BloodPigmentLayer
from lather.document.layers.group import GroupLayer
from lather.document.layers.layer import Layer, Stage, new_id
from lather.document.layers.light import UNCHANGED, LightLayer
from lather.document.layers.pixels import PixelLayer
from lather.document.state import JobState
from lather.document.tiles import TILE_PX, Key, Tiles
from lather.document.tree import replaced

STAGE = Stage.EVEN
SHINE, REDNESS, MATCHED = "Tamed shine", "Calmed redness", "Matched colour"
COLOUR, LIGHT = "Evened colour", "Evened light"
TAMED = "shine tamed"  # as a delivered file tells it
WORKS = (SHINE, REDNESS, MATCHED, COLOUR, LIGHT)
MOST_PLACES = 2  # that are named; where there are more, it is said that there are
MORE, BETWEEN = "more", ": "
LEAST_SHARE = 0.2  # of what is evened, from which a part of the skin is named
HALF = 32768  # of 65535, what adds nothing in linear light
_MASS = 1e-6


def named(work: str, view: SkinView, share: Plane) -> str:
    """What a layer is called: the kind of work, and where on the skin most of it lies."""
    weights = {part: float((plane * share).sum()) for part, plane in view.parts.items()}
    total = float(share.sum()) + _MASS
    found = sorted(weights, key=lambda part: -weights[part])
    places = [where(part) for part in found if weights[part] >= LEAST_SHARE * total]
    return _with_places(work, places)


def work_of(layer: Layer) -> str:
    """The kind of work that a layer of Even's assistants does; '' for others."""
    work = layer.name.split(BETWEEN)[0]
    return work if layer.stage is STAGE and work in WORKS else ""


def without_evening(state: JobState) -> JobState:
    """The state that all findings of Even are measured on, one by one: without what Even's
    assistants have done to the others."""
    layers = tuple(layer for layer in state.layers if not work_of(layer))
    return replace(state, layers=layers)


def grown(state: JobState, new_ids: Collection[int]) -> JobState:
    """The state in which new layers have gone into the layers of their kind of work that were
    there, as strong as they were; those that cannot stay by themselves."""
    for layer in [layer for layer in state.layers if layer.id in new_ids]:
        earlier = _to_grow(state, layer, new_ids)
        joined = None if earlier is None else _joined(earlier, layer)
        if earlier is None or joined is None:
            continue
        layers = replaced(replaced(state.layers, layer.id, ()), earlier.id, (joined,))
        findings = state.findings.moved_to(
            {} if joined.children else {layer.id: joined.id}
        )
        active = joined.id if state.active_id in (layer.id, earlier.id) else state.active_id
        state = replace(state, layers=layers, findings=findings, active_id=active)
    return state


def _to_grow(state: JobState, layer: Layer, new_ids: Collection[int]) -> Layer | None:
    """The topmost earlier layer that the work of a new one can go on."""
    if not work_of(layer) or not _is_plain(layer):
        return None
    for other in reversed(state.layers):
        if (other.id not in new_ids and work_of(other) == work_of(layer) and _is_plain(other)
                and locked_by(state, other.id) is None):  # fmt: skip
            return other
    return None


def _is_plain(layer: Layer) -> bool:
    """As an assistant leaves it: it means the same wherever it is shown."""
    return layer.is_shown and layer.limits.are_open and (
        layer.mask is None or isinstance(layer, AreaColourLayer)
    )


def _joined(earlier: Layer, new: Layer) -> Layer | None:
    """Both as one layer; None where they cannot be."""
    name = _with_places(work_of(earlier), [*_places(earlier), *_places(new)])
    if isinstance(new, AreaColourLayer):
        return _in_group(earlier, new, name)
    if type(earlier) is not type(new) or earlier.mode is not new.mode:
        return None
    if dict(earlier.own_fields) != dict(new.own_fields):
        return None
    gain = new.strength / earlier.strength
    planes: dict[str, Tiles] = {}
    for plane, tiles in earlier.planes.items():
        both = _summed(tiles, new.planes[plane], gain)
        if both is None:
            return None
        planes[plane] = both
    if not isinstance(new, (PixelLayer, BloodPigmentLayer, LightLayer)):
        return None
    if isinstance(new, PixelLayer) and new.mode is not BlendMode.LINEAR_LIGHT:
        return None
    painted = earlier.with_painted(planes, (*earlier.strokes, *new.strokes))
    return replace(painted, name=name)


def _in_group(earlier: Layer, new: AreaColourLayer, name: str) -> Layer | None:
    """Colours that are moved each by its own amount are layers of one group."""
    if isinstance(earlier, GroupLayer):
        return replace(earlier.with_children((*earlier.children, new)), name=name)
    if isinstance(earlier, AreaColourLayer):
        return GroupLayer(id=new_id(), name=name, stage=STAGE, children=(earlier, new))
    return None


def _summed(one: Tiles, other: Tiles, gain: float) -> Tiles | None:
    """What both add, the second so much stronger; None where that is more than a plane holds."""
    changed: dict[Key, np.ndarray | None] = {}
    for key, tile in other.tiles.items():
        if one.get(key) is None and gain == 1:
            changed[key] = tile.pixels
            continue
        base, added = one.pixels(key), tile.pixels
        out = _summed_tile(base, added, gain)
        if out is None:
            return None
        changed[key] = out
    return one.with_tiles(changed)


def _summed_tile(base: np.ndarray, added: np.ndarray, gain: float) -> np.ndarray | None:
    if base.shape == (TILE_PX, TILE_PX):
        total = base.astype(np.float32) + gain * (added.astype(np.float32) - UNCHANGED)
        return _held(total, np.full(total.shape, True))
    there = [(plane[..., 3] > 0) for plane in (base, added)]
    amounts = [np.where(where[..., None], plane[..., :3].astype(np.float32) - HALF, 0)
               for plane, where in zip((base, added), there, strict=True)]  # fmt: skip
    either = there[0] | there[1]
    colours = _held(HALF + amounts[0] + np.float32(gain) * amounts[1], either)
    if colours is None:
        return None
    out = np.zeros_like(base)
    out[..., :3] = np.where(either[..., None], colours, 0)
    out[..., 3] = np.where(either, 65535, 0)
    return out


def _held(total: np.ndarray, where: np.ndarray) -> np.ndarray | None:
    """Rounded samples; None if any of those that count does not fit."""
    counted = total[where]
    if counted.size and (counted.min() < -0.5 or counted.max() > 65535.5):
        return None
    return np.asarray(np.clip(np.rint(total), 0, 65535).astype(np.uint16))


def _with_places(work: str, places: Iterable[str]) -> str:
    found = list(dict.fromkeys(place for place in places if place))
    more = [MORE] if MORE in found or len([p for p in found if p != MORE]) > MOST_PLACES else []
    told = [place for place in found if place != MORE][:MOST_PLACES] + more
    return f"{work}{BETWEEN}{', '.join(told)}" if told else work


def _places(layer: Layer) -> Sequence[str]:
    _, _, places = layer.name.partition(BETWEEN)
    return places.split(", ")
