"""Lenses on the skin: blotches, shine, redness; all else is dim."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from lather.core.arrays import FloatImage, Plane
from lather.core.colour.labs import lab_of
from lather.core.filter.reach import gaussian_reach_px
from lather.core.rect import Rect
from lather.document.scale import px_per_mm
from lather.document.state import JobState
from lather.document.tiles import DEEPEST_LEVEL
from lather.render.lenses.lens import (
    DIMMED,
    LIGHTNESS,
    REDNESS,
    Colour,
    Field,
    LensLook,
    Swatch,
    dimmed,
    hatch_lines,
    length_text,
)
from lather.render.lenses.reference import skin_lab

FINE_MM, COARSE_MM = 0.5, 2.5  # blotches: above pores, below modelling
SURROUNDINGS_MM = 6.0  # that shine stands out from
LEAST_PX = 0.4
LEAST_COARSE_PX = 4.0  # sigma of a mean at the level where it is taken, at least
FULL_BLOTCH, FULL_REDNESS, FULL_SHINE = 3.0, 10.0, 15.0  # L* or a* shown in full
SHINE_STEPS_L = 3.0, 6.0, 10.0
CLIPPED = 0.995
MIDDLE = 0.45  # the grey of what does not deviate
# More is lighter than the middle grey, less is darker, so that no hue has to tell them apart.
MORE: dict[str, Colour] = {LIGHTNESS: (1.0, 0.97, 0.75), REDNESS: (1.0, 0.55, 0.6)}
LESS: dict[str, Colour] = {LIGHTNESS: (0.05, 0.1, 0.3), REDNESS: (0.0, 0.3, 0.25)}


def see_blotches(field: Field) -> FloatImage:
    from lather.core.tone.deviation import mean_within  # OpenCV: not for the first window

    channel = 0 if field.look.deviation_of == LIGHTNESS else 1
    wide = field.around(blotch_near_px(field.state, field.level))
    pixels = field.seen(wide)
    plane = lab_of(pixels)[..., channel]
    sigma_px = max(FINE_MM * field.px_per_mm, LEAST_PX)
    fine, _ = mean_within(np.ascontiguousarray(plane), field.skin(wide), wide, sigma_px)
    (coarse,) = _means_around(field, COARSE_MM, lambda lab: (lab[..., channel],))
    deviation = field.inside(fine[..., None], wide)[..., 0] - coarse
    seen = field.inside(pixels, wide)
    return _signed(field, seen, deviation / np.float32(FULL_BLOTCH), field.look.deviation_of)


def blotch_legend(state: JobState, look: LensLook) -> tuple[Swatch, ...]:
    unit = "L*" if look.deviation_of == LIGHTNESS else "a*"
    more, less = ("lighter", "darker") if look.deviation_of == LIGHTNESS else ("redder", "greener")
    sizes = f"patches of {length_text(FINE_MM, state)} to {length_text(COARSE_MM, state)}"
    return _signed_legend(look.deviation_of, FULL_BLOTCH, unit, more, less, sizes)


def see_redness(field: Field) -> FloatImage:
    pixels = field.seen(field.rect)
    away = lab_of(pixels)[..., 1] - np.float32(skin_lab(field.state)[1])
    return _signed(field, pixels, away / np.float32(FULL_REDNESS), REDNESS)


def redness_legend(state: JobState, look: LensLook) -> tuple[Swatch, ...]:  # noqa: ARG001
    middle = f"this skin's middle, a* {skin_lab(state)[1]:.0f}"
    return _signed_legend(REDNESS, FULL_REDNESS, "a*", "redder", "less red", middle)


def see_shine(field: Field) -> FloatImage:
    """How far skin is lighter than the skin around, where its colour fades: as a light is seen in
    it. In steps, with what is clipped hatched."""
    pixels = field.seen(field.rect)
    lab = lab_of(pixels)
    around, usual = _means_around(field, SURROUNDINGS_MM, lambda lab: (lab[..., 0], _chroma(lab)))
    # Half of it where the colour does not fade.
    fades = np.clip(1.5 - _chroma(lab) / np.maximum(usual, 1), 0, 1)
    shine = (lab[..., 0] - around) * fades * field.skin(field.rect)
    out = dimmed(pixels)
    level = np.digitize(shine, SHINE_STEPS_L)
    greys = np.array([0, *(_shine_grey(step) for step in SHINE_STEPS_L)], dtype=np.float32)
    out[..., :3] = np.where(level[..., None] > 0, greys[level][..., None], out[..., :3])
    clipped = (pixels[..., :3].min(-1) >= CLIPPED) & (shine > 0)
    out[clipped, :3] = 1 - 0.7 * hatch_lines(field.rect)[clipped][:, None]
    return out


def shine_legend(state: JobState, look: LensLook) -> tuple[Swatch, ...]:  # noqa: ARG001
    first, *rest = (Swatch(f"{step:g} L*", (_shine_grey(step),) * 3) for step in SHINE_STEPS_L)
    named = replace(first, text=f"{first.text} above the skin around")
    return named, *rest, Swatch("clipped", (1.0, 1.0, 1.0), hatched=True)


def _shine_grey(step: float) -> float:
    return 0.45 + 0.5 * SHINE_STEPS_L.index(step) / (len(SHINE_STEPS_L) - 1)


def blotch_reach_px(state: JobState, level: int) -> int:
    return _wide_reach_px(COARSE_MM, state, level)


def blotch_near_px(state: JobState, level: int) -> int:
    return gaussian_reach_px(max(FINE_MM * px_per_mm(state) / 2**level, LEAST_PX))


def shine_reach_px(state: JobState, level: int) -> int:
    return _wide_reach_px(SURROUNDINGS_MM, state, level)


def shine_near_px(state: JobState, level: int) -> int:  # noqa: ARG001
    return 0


def _wide_reach_px(sigma_mm: float, state: JobState, level: int) -> int:
    coarser, sigma_px = _coarser(state, level, sigma_mm)
    return (gaussian_reach_px(sigma_px) + 2) << coarser


def _coarser(state: JobState, level: int, sigma_mm: float) -> tuple[int, float]:
    """How many levels coarser a mean that wide is taken, and its sigma in pixels there."""
    sigma_px = max(sigma_mm * px_per_mm(state) / 2**level, LEAST_PX)
    coarser = 0
    while sigma_px >= 2 * LEAST_COARSE_PX and level + coarser < DEEPEST_LEVEL:
        sigma_px, coarser = sigma_px / 2, coarser + 1
    return coarser, sigma_px


def _means_around(
    field: Field, sigma_mm: float, planes_of: Callable[[FloatImage], tuple[Plane, ...]]
) -> tuple[Plane, ...]:
    """Means of planes of Lab, within the skin around: each (h, w) of the field.

    Taken at a coarser level, where a wide mean is the same and costs next to nothing.
    """
    from lather.core.filter.gaussian import from_blocks
    from lather.core.tone.deviation import mean_within

    coarser, sigma_px = _coarser(field.state, field.level, sigma_mm)
    level, side = field.level + coarser, 1 << coarser
    whole = field.state.photo.rect.at_level(level)
    seen = field.rect.intersect(field.state.photo.rect.at_level(field.level))
    out = np.zeros((field.rect.height, field.rect.width), dtype=np.float32)
    if seen.empty:
        return tuple(out.copy() for _ in planes_of(np.zeros((1, 1, 3), np.float32)))
    small = seen.at_level(coarser).grown(gaussian_reach_px(sigma_px) + 1).intersect(whole)
    blocks = Rect(small.x0 * side, small.y0 * side, small.x1 * side, small.y1 * side)
    skin = field.skin(small, level)
    means = []
    for plane in planes_of(lab_of(field.picture(small, level))):
        mean, _ = mean_within(np.ascontiguousarray(plane), skin, small, sigma_px)
        means.append(field.inside(from_blocks(mean, blocks, side, seen)[..., None], seen)[..., 0])
    return tuple(means)


def _chroma(lab: FloatImage) -> Plane:
    chroma: Plane = np.hypot(lab[..., 1], lab[..., 2])
    return chroma


def _signed(field: Field, pixels: FloatImage, share: Plane, of: str) -> FloatImage:
    """A deviation, -1 to 1, within the skin; all else dim. In place."""
    from lather.core.tone.deviation import show_signed

    colours = np.array([(MIDDLE,) * 3, MORE[of], LESS[of]], dtype=np.float32)
    show_signed(pixels, share, field.skin(field.rect), colours, np.float32(DIMMED))
    return pixels


def _signed_legend(
    of: str, full: float, unit: str, more: str, less: str, note: str
) -> tuple[Swatch, ...]:
    return (
        Swatch(f"{less} \u2212{full:g} {unit}", LESS[of]),
        Swatch(note, (MIDDLE,) * 3),
        Swatch(f"{more} +{full:g} {unit}", MORE[of]),
    )
