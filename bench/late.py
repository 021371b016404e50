"""Moves of the walk that meet something else: what was decided meanwhile, what hides, what is
locked, the stacks of a split, jobs by links; and what has to hold afterwards."""

from __future__ import annotations

import random
from collections.abc import Iterator
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from lather.errors import LatherError

if TYPE_CHECKING:
    from pathlib import Path

    from lather.actions.workbench import Workbench
    from lather.core.survey.findings.finding import Finding
    from lather.document.job import Job
    from lather.document.state import JobState

MOST_LAYERS = 14
MARK_RADIUS_PX = 12.0


def broken_locks(job: Job) -> Iterator[str]:
    """Steps that changed what was locked before them."""
    from lather.document.access import refuse_locked_work

    for step in job.history.done[-6:]:
        try:
            refuse_locked_work(step.name, step.before, step.after)
        except LatherError as error:
            yield f"the step '{step.name}': {error.sentence()}"


def lock_any(bench: Workbench, chance: random.Random) -> None:
    """Any layer or group but the photo, or none any more."""
    from lather.document import edits
    from lather.document.tree import walk

    layers = list(walk(bench.state.layers[1:]))
    if layers:
        layer = chance.choice(layers)
        bench.change("Lock", edits.set_locked, layer.id, not layer.locked)


def split(bench: Workbench, chance: random.Random) -> None:
    """A split, or one of its stacks or what is in them to be worked on."""
    from lather.document import edits
    from lather.document.layers.split import SplitLayer
    from lather.document.tree import walk

    splits = [layer for layer in bench.state.layers if isinstance(layer, SplitLayer)]
    if not splits and len(bench.state.layers) < MOST_LAYERS:
        bench.change("Split", edits.add_computed, SplitLayer)
    elif splits:
        bench.select_layer(chance.choice([*walk(chance.choice(splits).children)]).id)
        if chance.random() < 0.4:
            bench.change("New layer", edits.add_pixel_layer)


def hide(bench: Workbench, chance: random.Random) -> None:
    """Something that hides what is painted next: limits, a mask, a cover, of the layer or around
    it; taken away again by undo."""
    from lather.core.survey.regions.region import Region
    from lather.document import edits
    from lather.document.layers.layer import Mask
    from lather.document.layers.limits import Limits, Span
    from lather.document.layers.pixels import PixelLayer
    from lather.document.tiles import TILE_PX, WHITE_MASK
    from lather.document.tree import path_to
    from lather.render.flatten import merged_layer

    if not isinstance(bench.state.active, PixelLayer):
        bench.change("New layer", edits.add_pixel_layer)
    state = bench.state
    layer = chance.choice(path_to(state.layers, state.active_id))
    way = chance.choice(("region", "span", "mask", "cover"))
    if way == "cover":
        covered = edits.insert_on_top(state, merged_layer(state, "Cover"))
        bench.change("Cover", lambda _: replace(covered, active_id=state.active_id))
    elif way == "mask":
        black = np.zeros((TILE_PX, TILE_PX), np.uint16)
        keys = [key for key in state.photo.rect.cells(TILE_PX) if chance.random() < 0.7]
        mask = Mask(tiles=WHITE_MASK.with_tiles(dict.fromkeys(keys, black)))
        bench.change("Mask", edits.set_mask, layer.id, mask)
    else:
        limits = Limits(regions=(chance.choice(list(Region)),)) if way == "region" else Limits(
            Span(high_l=chance.uniform(0, 40)))  # fmt: skip
        bench.change("Limits", edits.set_limits, layer.id, limits)


def meanwhile(bench: Workbench, chance: random.Random) -> Finding | None:
    """What a person does while something is looked at or runs; a mark that they set."""
    from lather.assist.survey import with_mark
    from lather.document import edits

    photo = bench.state.photo
    what = chance.choice(("mark", "mark", "lock", "delete", "undo", "layer"))
    if what == "mark":
        x, y = chance.uniform(40, photo.width - 40), chance.uniform(40, photo.height - 40)
        bench.change("Mark to keep", with_mark, x, y, MARK_RADIUS_PX)
        return bench.state.findings.items[-1]
    if what == "lock":
        lock_any(bench, chance)
    elif what == "delete" and len(bench.state.layers) > 1:
        bench.change("Delete", edits.delete, chance.choice(bench.state.layers[1:]).id)
    elif what == "undo":
        bench.undo()
    else:
        bench.change("New layer", edits.add_pixel_layer)
    return None


def touched_marks(before: JobState, after: JobState, marks: list[Finding]) -> Iterator[str]:
    """Marks that a step which came later changed all the same."""
    from lather.core.rect import Rect
    from lather.document.findings import FindingState
    from lather.render.compositor import render

    for mark in marks:
        known = any(item == mark for item in after.findings.items)
        if not known or after.findings.state(mark) is not FindingState.KEPT:
            continue
        core = Rect.around(mark.x, mark.y, MARK_RADIUS_PX / 2).intersect(before.photo.rect)
        if np.abs(render(before, core) - render(after, core)).max() > 1e-4:
            yield f"the mark at {mark.x:.0f}, {mark.y:.0f}"


def link_to(path: Path, chance: random.Random) -> Path:
    """Another name for a job, in the same folder or one below."""
    folder = path.parent if chance.random() < 0.5 else path.parent / "links"
    folder.mkdir(exist_ok=True)
    link = folder / f"link to {path.name}"
    if not link.is_symlink():
        link.symlink_to(path)
    return link

