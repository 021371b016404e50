"""The lenses, in the order of the strip under the picture."""

from __future__ import annotations

from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.core.survey.regions.region import Part, Region
from lather.document.state import JobState
from lather.render.compositor import render
from lather.render.lenses import parts, shape, skin, tones, work
from lather.render.lenses.lens import (
    Field,
    Lens,
    LensLook,
    Picture,
    on_regions,
    on_skin,
)
from lather.render.shown import shares_depend_on


def on_mask(state: JobState, look: LensLook) -> tuple[object, ...]:  # noqa: ARG001
    return shares_depend_on(state, state.active)


LENSES: dict[str, Lens] = {
    lens.id: lens
    for lens in (
        Lens("tone", "Tone", "Large light and colour, without pores and hairs.",
             parts.see_tone, parts.tone_legend, parts.reach_px, depends=parts.on_radius),
        Lens("texture", "Texture", "Pores, hairs and grain by themselves.",
             parts.see_texture, parts.texture_legend, parts.reach_px, depends=parts.on_radius),
        Lens("black_white", "Black-white", "Black and white, with more or less of red.",
             tones.see_black_and_white, tones.black_and_white_legend),
        Lens("blotch", "Blotch", "How far patches of skin deviate from the skin around.",
             skin.see_blotches, skin.blotch_legend, skin.blotch_reach_px,
             skin.blotch_near_px, on_skin),
        Lens("shine", "Shine", "How far skin is lighter than the skin around.",
             skin.see_shine, skin.shine_legend, skin.shine_reach_px, skin.shine_near_px,
             on_skin),
        Lens("redness", "Redness", "How far skin is redder than this person's usual.",
             skin.see_redness, skin.redness_legend, depends=on_regions),
        Lens("dark", "Dark check", "Steep and dark: patchy paint stands out.",
             tones.see_dark, tones.dark_legend, depends=on_regions),
        Lens("change", "Change", "What this job changed, amplified.",
             work.see_change, work.change_legend),
        Lens("clipping", "Clipping", "Where a colour is at its end.",
             tones.see_clipping, tones.clipping_legend),
        Lens("moved", "Moved", "How far reshaping moved each place, and which way.",
             shape.see_moved, shape.moved_legend, depends=shape.on_lengths),
        Lens("stretched", "Stretch", "Where reshaping stretched or squeezed the texture.",
             shape.see_stretched, shape.stretched_legend),
        Lens("mask", "Mask", "Where the layer in work shows, and where it is hidden.",
             work.see_mask, work.mask_legend, depends=on_mask),
        Lens("regions", "Regions", "One region or part of the portrait, all else dimmed.",
             work.see_regions, work.regions_legend, depends=on_regions),
    )
}  # fmt: skip


def looked_through(
    look: LensLook, state: JobState, rect: Rect, level: int, picture: Picture
) -> FloatImage:
    """(h, w, 4): a rectangle of a level of a picture, through a lens."""
    return LENSES[look.id].see(Field(state, look, level, rect, picture))


def render_region(state: JobState, region: Region | Part, rect: Rect, level: int = 0) -> FloatImage:
    """(h, w, 4): the picture through the lens of one region."""
    look = LensLook("regions", region=region)
    return looked_through(look, state, rect, level, lambda wide, at: render(state, wide, at))
