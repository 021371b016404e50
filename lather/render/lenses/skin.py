"""Lenses on the skin: blotches, shine, redness; all else is dim."""

from __future__ import annotations

import numpy as np

from lather.core.arrays import FloatImage, Plane
from lather.core.colour.labs import lab_of
from lather.core.filter.reach import gaussian_reach_px
from lather.core.rect import Rect
from lather.document.scale import px_per_mm
from lather.document.state import JobState
from lather.render.lenses.lens import (
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
FULL_BLOTCH, FULL_REDNESS, FULL_SHINE = 3.0, 10.0, 15.0  # L* or a* shown in full
SHINE_STEPS_L = 3.0, 6.0, 10.0
CLIPPED = 0.995
# More is lighter than the middle grey, less is darker, so that no hue has to tell them apart.
MORE: dict[str, Colour] = {LIGHTNESS: (1.0, 0.97, 0.75), REDNESS: (1.0, 0.55, 0.6)}
LESS: dict[str, Colour] = {LIGHTNESS: (0.05, 0.1, 0.3), REDNESS: (0.0, 0.3, 0.25)}


def see_blotches(field: Field) -> FloatImage:
    from lather.core.tone.deviation import band_deviation  # OpenCV: not for the first window

    wide = field.around(blotch_reach_px(field.state, field.level))
    pixels = field.picture(wide)
    plane = lab_of(pixels)[..., 0 if field.look.deviation_of == LIGHTNESS else 1]
    scale = field.px_per_mm
    deviation = band_deviation(
        plane, field.skin(wide), wide, max(FINE_MM * scale, 0.3), max(COARSE_MM * scale, LEAST_PX)
    )
    return _signed(field, pixels, deviation / FULL_BLOTCH, wide, field.look.deviation_of)


def blotch_legend(state: JobState, look: LensLook) -> tuple[Swatch, ...]:
    unit = "L*" if look.deviation_of == LIGHTNESS else "a*"
    more, less = ("lighter", "darker") if look.deviation_of == LIGHTNESS else ("redder", "greener")
    sizes = f"patches of {length_text(FINE_MM, state)} to {length_text(COARSE_MM, state)}"
    return _signed_legend(look.deviation_of, FULL_BLOTCH, unit, more, less, sizes)


def see_redness(field: Field) -> FloatImage:
    pixels = field.picture(field.rect)
    away = lab_of(pixels)[..., 1] - np.float32(skin_lab(field.state)[1])
    return _signed(field, pixels, away / FULL_REDNESS, field.rect, REDNESS)


def redness_legend(state: JobState, look: LensLook) -> tuple[Swatch, ...]:  # noqa: ARG001
    middle = f"this skin's middle, a* {skin_lab(state)[1]:.0f}"
    return _signed_legend(REDNESS, FULL_REDNESS, "a*", "redder", "less red", middle)


def see_shine(field: Field) -> FloatImage:
    """How far skin is lighter than the skin around, where its colour fades: as a light is seen in
    it. In steps, with what is clipped hatched."""
    from lather.core.tone.deviation import mean_within

    wide = field.around(shine_reach_px(field.state, field.level))
    pixels = field.picture(wide)
    lab, skin = lab_of(pixels), field.skin(wide)
    sigma_px = max(SURROUNDINGS_MM * field.px_per_mm, LEAST_PX)
    around, _ = mean_within(lab[..., 0], skin, wide, sigma_px)
    chroma = np.hypot(lab[..., 1], lab[..., 2])
    usual, _ = mean_within(chroma, skin, wide, sigma_px)
    above = lab[..., 0] - around
    fades = np.clip(1.5 - chroma / np.maximum(usual, 1), 0, 1)  # half of it where it does not
    standing_out: Plane = (above * fades * skin).astype(np.float32)
    shine = field.inside(standing_out[..., None], wide)[..., 0]
    out = dimmed(field.inside(pixels, wide))
    level = np.digitize(shine, SHINE_STEPS_L)
    greys = np.array([0, *(_shine_grey(step) for step in SHINE_STEPS_L)], dtype=np.float32)
    out[..., :3] = np.where(level[..., None] > 0, greys[level][..., None], out[..., :3])
    clipped = (field.inside(pixels, wide)[..., :3].min(-1) >= CLIPPED) & (shine > 0)
    out[clipped, :3] = 1 - 0.7 * hatch_lines(field.rect)[clipped][:, None]
    return out


def shine_legend(state: JobState, look: LensLook) -> tuple[Swatch, ...]:  # noqa: ARG001
    return (
        *(Swatch(f"{step:g} L*", (_shine_grey(step),) * 3) for step in SHINE_STEPS_L),
        Swatch("above the skin around; clipped", (1.0, 1.0, 1.0), hatched=True),
    )


def _shine_grey(step: float) -> float:
    return 0.45 + 0.5 * SHINE_STEPS_L.index(step) / (len(SHINE_STEPS_L) - 1)


def blotch_reach_px(state: JobState, level: int) -> int:
    return _reach_px(COARSE_MM, state, level)


def shine_reach_px(state: JobState, level: int) -> int:
    return _reach_px(SURROUNDINGS_MM, state, level)


def _reach_px(sigma_mm: float, state: JobState, level: int) -> int:
    return gaussian_reach_px(max(sigma_mm * px_per_mm(state) / 2**level, LEAST_PX))


def _signed(
    field: Field, pixels: FloatImage, share: Plane, wide: Rect, of: str
) -> FloatImage:
    """A deviation, -1 to 1, within the skin; all else dim."""
    share = np.clip(field.inside(share[..., None], wide), -1, 1)
    skin = field.inside(field.skin(wide)[..., None], wide)
    more, less = np.array(MORE[of], np.float32), np.array(LESS[of], np.float32)
    middle = np.float32(0.45)
    shown = np.where(
        share >= 0, middle + share * (more - middle), middle - share * (less - middle)
    )
    out = dimmed(field.inside(pixels, wide))
    out[..., :3] += skin * (shown - out[..., :3])
    return out


def _signed_legend(
    of: str, full: float, unit: str, more: str, less: str, note: str
) -> tuple[Swatch, ...]:
    return (
        Swatch(f"{less} \u2212{full:g} {unit}", LESS[of]),
        Swatch(note, (0.45, 0.45, 0.45)),
        Swatch(f"{more} +{full:g} {unit}", MORE[of]),
    )
