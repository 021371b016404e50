"""Merging what was worked out aside into the state of now.

Work aside begins with a state and ends with another one; meanwhile the person went on. A
three-way merge by part: layers by id, their pixels by tile and within a tile by pixel,
findings by id, everything else by field. Where both changed the same thing, what the
person did stays, and what is left out is told. Which layer is active is no change.

An automatic stroke is taken whole or not at all: not where its pixels were painted on
meanwhile, nor where its finding was kept, skipped or marked. A new layer that serves findings is
taken if one of them is still wanted. On what was locked meanwhile nothing is done. A finding is
done if the stroke or the layer that did it is there.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Sequence
from dataclasses import dataclass, field, fields, replace
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from lather.core.rect import Rect
from lather.core.survey.findings.finding import Finding
from lather.document.access import locked_by
from lather.document.effect import same_content
from lather.document.findings import Findings, FindingState
from lather.document.layers.layer import Layer, Layers, Leaf, Mask
from lather.document.merged_planes import Clash, merged_planes, merged_tiles
from lather.document.painting.strokes import StrokeRecord
from lather.document.planes import Regions
from lather.document.state import JobState
from lather.document.tiles import TILE_PX, Key, Tiles
from lather.document.tree import find, inserted_above, parent_of, path_to, place_of, replaced, walk

T = TypeVar("T")
Lies = Callable[[Finding, int], Finding]  # where a mark lies in the space of a layer, by its id
_NOT_FIELDS = {"id", "children", "tiles", "strokes", "mask"}


@dataclass(frozen=True)
class Merged:
    """A state, and in words what of the work is not in it."""

    state: JobState
    left_out: tuple[str, ...] = ()


def same_work(one: JobState, other: JobState) -> bool:
    """True if nothing but the active layer differs."""
    return one is other or one.work == other.work


def merge(
    before: JobState, after: JobState, now: JobState, lies: Lies = lambda mark, _: mark
) -> Merged:
    """What work aside made of `before`, in the state of now.

    Parameters
    ----------
    before, after : the state that the work began with, and what it made of it.
    now : the state of the job, which may have gone on from `before`.
    lies : where a mark, which has its place on the photo, lies among the strokes of a layer.
    """
    active = after.active_id if now.active_id == before.active_id else now.active_id
    if after is before:
        return Merged(now)
    if same_work(before, now):
        return Merged(after if after.active_id == active else replace(after, active_id=active))
    merging = _Merging(before, after, now, lies)
    layers = merging.layers()
    state = replace(
        now,
        layers=layers,
        findings=merging.findings(),
        area=merging.pick("the area", before.area, after.area, now.area),
        reference=merging.pick("the reference", before.reference, after.reference, now.reference),
        regions=merging.regions(),
        brief=merging.value("the brief's", before.brief, after.brief, now.brief),
        active_id=active if find(layers, active) is not None else now.active_id,
    )
    if same_work(state, now) and state.active_id == now.active_id:
        state = now
    return Merged(state, tuple(merging.left_out))


@dataclass
class _Merging:
    before: JobState
    after: JobState
    now: JobState
    lies: Lies
    left_out: list[str] = field(default_factory=list)
    _refused: set[int] = field(default_factory=set)  # findings whose strokes are not taken

    def __post_init__(self) -> None:
        old = self.before.findings
        self._serves = _served_by(self.before, self.after)
        for finding in old.items:
            decided = self.now.findings.states.get(finding.id)
            if decided != old.states.get(finding.id) and decided is not FindingState.DONE:
                self._refused.add(finding.id)
        known = {finding.id for finding in old.items}
        kept = self.now.findings.in_state(FindingState.KEPT)
        self._new_marks = [finding for finding in kept if finding.id not in known]

    # --- parts ---------------------------------------------------------------------------

    def pick(self, what: str, was: T, new: T, here: T) -> T:
        """The one that changed; the person's where both did."""
        if new in (was, here):
            return here
        if here == was:
            return new
        self.left_out.append(f"{what}, changed meanwhile")
        return here

    def value(
        self, whose: str, was: T, new: T, here: T, without: Collection[str] = _NOT_FIELDS
    ) -> T:
        """A dataclass, field by field; those `without` stay as they are here."""
        changes: dict[str, Any] = {}
        for entry in fields(here):  # type: ignore[arg-type]
            name = entry.name
            if name not in without:
                what = f"{whose} {name.replace('_', ' ')}"
                changes[name] = self.pick(
                    what, getattr(was, name), getattr(new, name), getattr(here, name)
                )
        if all(value is getattr(here, name) for name, value in changes.items()):
            return here
        changed: T = replace(here, **changes)  # type: ignore[type-var]
        return changed

    def layers(self) -> Layers:
        layers = self.now.layers
        old = {layer.id: layer for layer in walk(self.before.layers)}
        came: set[int] = set()
        for layer in walk(self.after.layers):
            was, here = old.pop(layer.id, None), find(layers, layer.id)
            if was is layer:
                continue
            if was is None:
                if layer.id not in came:  # with its group
                    came.update(one.id for one in walk((layer,)))
                    added = self._added(layer) if here is None else None
                    if added is not None:
                        layers = self._inserted(layers, added)
            elif here is None:
                self._leave_out(layer, was, "deleted meanwhile")
            elif locked_by(self.now, layer.id) is not None and not same_content(was, layer):
                self._leave_out(layer, was, "locked meanwhile")
            else:
                merged = self._layer(was, layer, here)
                if merged is not here:
                    layers = replaced(layers, layer.id, (merged,))
        for gone in old.values():
            here = find(layers, gone.id)
            if here is gone and locked_by(self.now, gone.id) is None:
                layers = replaced(layers, gone.id, ())
            elif here is not None:
                self.left_out.append(f"'{here.name}' stays: it was changed or locked meanwhile")
        self._unserved(layers)
        return layers

    def findings(self) -> Findings:
        was, new, here = self.before.findings, self.after.findings, self.now.findings
        if new is was:
            return here
        one, two, three = (replace(found, items=(), states={}, done_by={})
                           for found in (was, new, here))  # fmt: skip
        merged = self.value("the findings'", one, two, three)
        old = {item.id: item for item in was.items}
        items = {item.id: item for item in here.items}
        numbers: dict[int, int] = {}
        for item in new.items:
            if item.id not in old:
                numbers[item.id] = item.id if item.id not in items else 1 + max(items)
                items[numbers[item.id]] = replace(item, id=numbers[item.id])
            elif item.id in items:
                items[item.id] = self.value(f"finding {item.id}'s", old[item.id], item,
                                            items[item.id])  # fmt: skip
        kept = {item.id for item in new.items}
        for number in old.keys() - kept:
            items.pop(number, None)
        states, done_by = dict(here.states), dict(here.done_by)
        for item in new.items:
            state, number = new.states.get(item.id), numbers.get(item.id, item.id)
            if state is not was.states.get(item.id) and item.id not in self._refused:
                states[number] = state or FindingState.OPEN
                done_by.pop(number, None)
                if item.id in new.done_by:
                    done_by[number] = new.done_by[item.id]
        known = {number: state for number, state in states.items() if number in items}
        decided = {n: state for n, state in known.items() if state is not FindingState.OPEN}
        done_by = {n: layer_id for n, layer_id in done_by.items()
                   if decided.get(n) is FindingState.DONE}  # fmt: skip
        return replace(merged, items=tuple(items.values()), states=decided, done_by=done_by)

    def regions(self) -> Regions:
        was, new, here = self.before.regions, self.after.regions, self.now.regions
        if new is was or here is was:
            return here if new is was else new
        if not was.scale == new.scale == here.scale:
            self.left_out.append("the regions, measured anew meanwhile")
            return here
        masks = dict(here.masks)
        for region, tiles in new.masks.items():
            old, mine = was.masks.get(region), here.masks.get(region)
            if mine is old or mine is None or old is None:
                masks[region] = tiles if mine is old else mine or tiles
            else:
                masks[region] = self._plane(f"a part of the region {region.value}",
                                            old, tiles, mine)  # fmt: skip
        corrected = here.corrected | (new.corrected - was.corrected)
        return replace(here, masks=masks, corrected=corrected)

    # --- layers --------------------------------------------------------------------------

    def _leave_out(self, layer: Layer, was: Layer, why: str) -> None:
        """Nothing of what was done on a layer is taken, nor what it was done for."""
        if not (layer.children and same_content(was, layer)):  # else what is in it tells
            self.left_out.append(f"what was done on '{layer.name}', {why}")

    def _unserved(self, layers: Layers) -> None:
        """Findings of which neither stroke nor layer is there are not done."""
        there = {layer.id: layer for layer in walk(layers)}
        for number, (layer_id, strokes) in self._serves.items():
            layer = there.get(layer_id)
            has = {id(stroke) for stroke in layer.strokes} if layer is not None else set()
            if layer is None or (strokes and has.isdisjoint(strokes)):
                self._refused.add(number)

    def _inserted(self, layers: Layers, layer: Layer) -> Layers:
        """`layers` with a new one where it lies in the work's, as far as its neighbours are there;
        never inside of what is locked."""
        among, index = place_of(self.after.layers, layer.id)
        for below in reversed(among[:index]):
            if find(layers, below.id) is not None:
                groups = path_to(layers, below.id)[:-1]
                anchor = next((group for group in groups if group.locked), below)
                return inserted_above(layers, anchor.id, layer)
        parent = parent_of(self.after.layers, layer.id)
        here = find(layers, parent.id) if parent is not None else None
        if here is not None:
            lock = next((one for one in path_to(layers, here.id) if one.locked), None)
            if lock is not None:
                return inserted_above(layers, lock.id, layer)
            return replaced(layers, here.id, (here.with_children((layer, *here.children)),))
        return (*layers, layer)

    def _layer(self, was: Layer, new: Layer, here: Layer) -> Layer:
        if here is was and isinstance(here, Leaf) and not here.planes:
            return new
        without = {*_NOT_FIELDS, *here.PLANES}
        merged = self.value(f"'{here.name}':", was, new, here, without)
        mask = self._mask(here.name, was.mask, new.mask, here.mask)
        if mask is not merged.mask:
            merged = replace(merged, mask=mask)
        painted = any(new.planes[name] is not tiles for name, tiles in was.planes.items())
        if painted or new.strokes is not was.strokes:
            merged = self._painted(was, new, merged)
        return merged

    def _added(self, layer: Layer) -> Layer | None:
        """A new layer, without what was decided otherwise meanwhile; None if nothing is left."""
        served = {number for number, (layer_id, strokes) in self._serves.items()
                  if layer_id == layer.id and not strokes}  # fmt: skip
        if served and served <= self._refused:
            self.left_out.append(f"'{layer.name}', which you decided on otherwise meanwhile")
            return None
        added = [self._added(child) for child in layer.children]
        children = tuple(child for child in added if child is not None)
        if layer.children and not children:
            return None
        layer = layer.with_children(children)
        if not layer.planes:
            return layer
        empty = layer.without_paint()
        left = self._painted(empty, layer, empty)
        return None if layer.strokes and not left.strokes else left

    def _mask(
        self, name: str, was: Mask | None, new: Mask | None, here: Mask | None
    ) -> Mask | None:
        if was is None or new is None or here is None or new is was or here is was:
            return self.pick(f"the mask of '{name}'", was, new, here)
        merged = self.value(f"the mask of '{name}':", was, new, here)
        tiles = self._plane(f"a part of the mask of '{name}'", was.tiles, new.tiles, here.tiles)
        return replace(merged, tiles=tiles)

    def _plane(self, what: str, was: Tiles, new: Tiles, here: Tiles) -> Tiles:
        if was.fill != new.fill or was.fill != here.fill:
            return self.pick(what, was, new, here)
        tiles, clash = merged_tiles(was, new, here)
        if clash:
            self.left_out.append(f"{what}, painted on meanwhile")
        return tiles

    def _painted(self, was: Layer, new: Layer, here: Layer) -> Layer:
        old, mine = set(map(id, was.strokes)), set(map(id, new.strokes))
        added = [stroke for stroke in new.strokes if id(stroke) not in old]
        merged = merged_planes(was, new, here)
        planes, clash = merged.planes, merged.clash
        if merged.less:
            self.left_out.append(merged.less)
        dropped = self._dropped(added, clash, here)
        if dropped:
            rects = [here.samples_rect(stroke.rect) for stroke in dropped]
            planes = {name: _put_back(tiles, here.planes[name], rects)
                      for name, tiles in planes.items()}  # fmt: skip
            self._refused.update(n for stroke in dropped for n in _findings_of(stroke))
            many = "1 change" if len(dropped) == 1 else f"{len(dropped)} changes"
            self.left_out.append(f"{many} on '{here.name}' where you decided or painted meanwhile")
        elif clash:
            self.left_out.append(f"a part of '{here.name}', painted on meanwhile")
        kept = [stroke for stroke in here.strokes if id(stroke) not in old or id(stroke) in mine]
        left = set(map(id, dropped))
        kept += [stroke for stroke in added if id(stroke) not in left]
        return here.with_painted(planes, tuple(kept))

    def _dropped(
        self, added: Sequence[StrokeRecord], clash: Clash, here: Layer
    ) -> list[StrokeRecord]:
        """Strokes that are not taken, and all whose pixels may lie among theirs."""
        dropped = [stroke for stroke in added if self._is_refused(stroke, here)
                   or _meets(clash, here.samples_rect(stroke.rect))]  # fmt: skip
        waiting = [stroke for stroke in added if not any(stroke is other for other in dropped)]
        for one in dropped:  # grows as it goes
            for stroke in [s for s in waiting if not s.rect.intersect(one.rect).empty]:
                dropped.append(stroke)
                waiting.remove(stroke)
        return dropped

    def _is_refused(self, stroke: StrokeRecord, layer: Layer) -> bool:
        if not self._refused.isdisjoint(_findings_of(stroke)):
            return True
        return any(_covers(self.lies(mark, layer.id), stroke.rect) for mark in self._new_marks)


def _served_by(before: JobState, after: JobState) -> dict[int, tuple[int, set[int]]]:
    """By finding that the work did: the layer it was done on, and the strokes that did it."""
    old = {id(stroke) for layer in walk(before.layers) for stroke in layer.strokes}
    strokes: dict[tuple[int, int], set[int]] = {}
    for layer in walk(after.layers):
        for stroke in layer.strokes:
            if id(stroke) not in old:
                for number in _findings_of(stroke):
                    strokes.setdefault((number, layer.id), set()).add(id(stroke))
    was = before.findings.done_by
    return {number: (layer_id, strokes.get((number, layer_id), set()))
            for number, layer_id in after.findings.done_by.items()
            if was.get(number) != layer_id}  # fmt: skip


def _findings_of(stroke: StrokeRecord) -> Iterable[int]:
    found = stroke.extras.get("findings", ())
    return found if isinstance(found, (list, tuple)) else ()


def _covers(mark: Finding, rect: Rect) -> bool:
    part = mark.rect.intersect(rect)
    return not part.empty and bool(mark.coverage(part).any())


def _meets(clash: Clash, rect: Rect) -> bool:
    """True if the samples of a stroke hold one that both changed."""
    for key, both in clash.items():
        cell = Rect.cell(key, TILE_PX)
        part = rect.intersect(cell)
        if not part.empty and both[part.shifted(-cell.x0, -cell.y0).slices].any():
            return True
    return False


def _put_back(tiles: Tiles, here: Tiles, rects: Iterable[Rect]) -> Tiles:
    """Rectangles as they are in the state of now."""
    changed: dict[Key, NDArray[np.uint16]] = {}
    for rect in rects:
        for key in rect.cells(TILE_PX):
            cell = Rect.cell(key, TILE_PX)
            if key not in changed:
                changed[key] = tiles.pixels(key).copy()
            part = rect.intersect(cell).shifted(-cell.x0, -cell.y0).slices
            changed[key][part] = here.pixels(key)[part]
    return tiles.with_tiles(changed)
