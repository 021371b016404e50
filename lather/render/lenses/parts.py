"""Lenses that take the picture apart: tone and texture."""

from __future__ import annotations

import numpy as np

from lather.core.arrays import FloatImage
from lather.core.filter.reach import gaussian_reach_px
from lather.document.layers.split import SplitLayer
from lather.document.scale import px_per_mm
from lather.document.state import JobState
from lather.render.lenses.lens import Field, LensLook, Swatch

RADIUS_MM = 0.8  # between pores and modelling, as splits of portraits come out
RAISED = 3.0  # texture's contrast
MOST_PX = 500.0


def radius_px(state: JobState) -> float:
    """On the photo: that of the split that is worked on, or else a usual one."""
    active = state.active
    if isinstance(active, SplitLayer):
        return active.parameters.sigma_px
    return float(np.clip(RADIUS_MM * px_per_mm(state), 0.3, MOST_PX))


def reach_px(state: JobState, level: int) -> int:
    return gaussian_reach_px(radius_px(state) / 2**level)


def on_radius(state: JobState, look: LensLook) -> tuple[object, ...]:  # noqa: ARG001
    return (radius_px(state),)


def see_tone(field: Field) -> FloatImage:
    return _parts(field)[0]


def see_texture(field: Field) -> FloatImage:
    texture = _parts(field)[1]
    middle = np.float32(0.5)
    texture[..., :3] = middle + np.float32(RAISED) * (texture[..., :3] - middle)
    return texture


def tone_legend(state: JobState, look: LensLook) -> tuple[Swatch, ...]:  # noqa: ARG001
    return (Swatch(f"larger than {_radius_text(state)}", (0.7, 0.6, 0.55)),)


def texture_legend(state: JobState, look: LensLook) -> tuple[Swatch, ...]:  # noqa: ARG001
    share = 100 * 0.25 / RAISED
    return (
        Swatch(f"smaller than {_radius_text(state)}, contrast {RAISED:g}x", (0.5, 0.5, 0.5)),
        Swatch(f"+{share:.0f} %", (0.75, 0.75, 0.75)),
        Swatch(f"\u2212{share:.0f} %", (0.25, 0.25, 0.25)),
    )


def _radius_text(state: JobState) -> str:
    radius = radius_px(state)
    mm_per_px = state.findings.mm_per_px
    mm = f" ({radius * mm_per_px:.2g} mm)" if mm_per_px is not None else ""
    return f"{radius:.2g} px{mm}" if radius < 10 else f"{radius:.0f} px{mm}"


def _parts(field: Field) -> tuple[FloatImage, FloatImage]:
    from lather.core.tone.split import split  # OpenCV is not loaded for the first window

    wide = field.around(reach_px(field.state, field.level))
    pixels = np.ascontiguousarray(field.seen(wide))
    tone, texture = split(pixels, wide, radius_px(field.state) / 2**field.level)
    return field.inside(tone, wide), field.inside(texture, wide)
