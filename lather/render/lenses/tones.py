"""Lenses of single pixels: black and white, the dark check, clipping."""

from __future__ import annotations

import numpy as np

from lather.core.arrays import FloatImage
from lather.core.colour.lab import srgb_to_lab
from lather.document.state import JobState
from lather.render.lenses.lens import Field, LensLook, Swatch, dimmed, hatch_lines
from lather.render.lenses.reference import skin_lab

GREEN_TO_BLUE = 0.84  # of what red leaves
STEEPNESS = 4.0  # of the dark check
SHOWN_AT = 0.3  # the skin, dark enough that patches stand out
NEAR_END = 0.5 / 255  # from black or white on, a value counts as clipped


def see_black_and_white(field: Field) -> FloatImage:
    out = field.seen(field.rect)
    red = field.look.red_percent / 100
    rest = 1 - red
    weights = np.array([red, rest * GREEN_TO_BLUE, rest * (1 - GREEN_TO_BLUE)], dtype=np.float32)
    grey = np.clip(sum(out[..., n] * weights[n] for n in range(3)), 0, 1)
    out[..., :3] = grey[..., None]
    return out


def black_and_white_legend(state: JobState, look: LensLook) -> tuple[Swatch, ...]:  # noqa: ARG001
    rest = 100 - look.red_percent
    return (
        Swatch(
            f"red {look.red_percent:.0f} %, green {rest * GREEN_TO_BLUE:.0f} %, "
            f"blue {rest * (1 - GREEN_TO_BLUE):.0f} %",
            (0.5, 0.5, 0.5),
        ),
    )


def see_dark(field: Field) -> FloatImage:
    out = field.seen(field.rect)
    middle = np.float32(_encoded_skin(field.state))
    steep = SHOWN_AT + STEEPNESS * (out[..., :3] - middle)
    out[..., :3] = np.clip(steep, 0, 1)
    return out


def dark_legend(state: JobState, look: LensLook) -> tuple[Swatch, ...]:  # noqa: ARG001
    light = skin_lab(state)[0]
    return (Swatch(f"contrast {STEEPNESS:g}x around L* {light:.0f}", (SHOWN_AT,) * 3),)


def _encoded_skin(state: JobState) -> float:
    """The grey that is as light as this skin."""
    light = skin_lab(state)[0]
    greys = np.linspace(0, 1, 256)
    return float(np.interp(light, srgb_to_lab(np.repeat(greys[:, None], 3, 1))[:, 0], greys))


def see_clipping(field: Field) -> FloatImage:
    pixels = field.seen(field.rect)
    out = dimmed(pixels)
    colour = pixels[..., :3]
    seen = pixels[..., 3] > 0
    white = (colour >= 1 - NEAR_END).any(-1) & seen
    black = (colour <= NEAR_END).any(-1) & seen
    out[white, :3] = 1 - 0.6 * hatch_lines(field.rect)[white][:, None]
    out[black & ~white, :3] = 0.75 * hatch_lines(field.rect, -1)[black & ~white][:, None]
    return out


def clipping_legend(state: JobState, look: LensLook) -> tuple[Swatch, ...]:  # noqa: ARG001
    return (
        Swatch("a colour at its highest value", (1.0, 1.0, 1.0), hatched=True),
        Swatch("a colour at 0", (0.1, 0.1, 0.1), hatched=True),
    )
