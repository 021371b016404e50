"""Lenses on the work: what it changed, where the layer shows, the regions."""

from __future__ import annotations

import numpy as np

from lather.core.arrays import FloatImage, Plane
from lather.core.rect import Rect
from lather.document.state import JobState
from lather.render.compositor import render_photo
from lather.render.ground import seen_ground
from lather.render.lenses.lens import Field, LensLook, Swatch, dimmed, hatch_lines
from lather.render.regions import region_coverage
from lather.render.shown import shown_shares

AMPLIFIED = 4.0
MASK_LINE, REGION_LINE = 0.15, 0.12


def see_change(field: Field) -> FloatImage:
    """The picture less the photo, around the middle grey."""
    out = field.seen(field.rect)
    before = render_photo(field.state.photo, field.rect, field.level)
    inside = before[..., 3:] > 0
    changed = 0.5 + AMPLIFIED * (out[..., :3] - before[..., :3])
    out[..., :3] = np.where(inside, np.clip(changed, 0, 1), 0)
    out[..., 3] = before[..., 3]
    return out


def change_legend(state: JobState, look: LensLook) -> tuple[Swatch, ...]:  # noqa: ARG001
    full = 100 * 0.5 / AMPLIFIED
    return (
        Swatch(f"\u2212{full:.0f} %", (0.0, 0.0, 0.0)),
        Swatch("as in the photo", (0.5, 0.5, 0.5)),
        Swatch(f"+{full:.0f} %, {AMPLIFIED:g}x", (1.0, 1.0, 1.0)),
    )


def see_mask(field: Field) -> FloatImage:
    """The picture, dim and hatched where the layer in work does not show."""
    out = field.seen(field.rect)
    shown = shown_shares(field.state, field.state.active, field.rect, field.level)
    _hatch_hidden(out, shown, field.rect, MASK_LINE)
    return out


def _hatch_hidden(out: FloatImage, shown: Plane, rect: Rect, line: float) -> None:
    """Dim and hatch, in place, as far as something is not shown; the lines are that bright."""
    dim = dimmed(out)[..., 0] + np.float32(line) * hatch_lines(rect)
    for channel in range(3):  # several times as fast as all at once
        out[..., channel] += (1 - shown) * (dim - out[..., channel])


def mask_legend(state: JobState, look: LensLook) -> tuple[Swatch, ...]:  # noqa: ARG001
    name = state.active.name
    return (
        Swatch(f"'{name}' shows", (0.8, 0.7, 0.65)),
        Swatch("hidden by its mask and limits", (0.2, 0.2, 0.2), hatched=True),
    )


def see_regions(field: Field) -> FloatImage:
    out = field.seen(field.rect)
    ground = seen_ground(field.state)
    shown = region_coverage(ground, field.look.region, field.rect, field.level)
    _hatch_hidden(out, shown, field.rect, REGION_LINE)
    return out


def regions_legend(state: JobState, look: LensLook) -> tuple[Swatch, ...]:  # noqa: ARG001
    return (
        Swatch(look.region.label, (0.8, 0.7, 0.65)),
        Swatch("all else", (0.2, 0.2, 0.2), hatched=True),
    )
