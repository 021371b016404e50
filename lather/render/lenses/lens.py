"""What a lens is: a way of looking at the picture that changes only the view."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from lather.core.arrays import FloatImage, Plane
from lather.core.rect import Rect
from lather.core.survey.regions.region import Part, Region
from lather.document.scale import px_per_mm
from lather.document.state import JobState
from lather.render.ground import seen_ground
from lather.render.regions import region_coverage

LIGHTNESS, REDNESS = "lightness", "redness"
HATCH_PERIOD_PX, HATCH_WIDTH_PX = 10, 2
DIMMED = 0.35

Colour = tuple[float, float, float]  # encoded RGB 0-1


# (h, w, 4) of any rectangle of a level.
Picture = Callable[[Rect, int], FloatImage]


@dataclass(frozen=True)
class LensLook:
    """Which lens is looked through, and how it is set."""

    id: str = "regions"
    red_percent: float = 40.0  # of black and white
    deviation_of: str = LIGHTNESS  # of blotch
    region: Region | Part = Region.SKIN


@dataclass(frozen=True)
class Field:
    """A rectangle of a level that is looked at, and the picture there and around it."""

    state: JobState
    look: LensLook
    level: int
    rect: Rect
    picture: Picture

    @property
    def px_per_mm(self) -> float:
        """Pixels of the level."""
        return px_per_mm(self.state) / float(2**self.level)

    def seen(self, rect: Rect) -> FloatImage:
        """The picture in a rectangle of the level."""
        return self.picture(rect, self.level)

    def around(self, reach_px: int) -> Rect:
        """The rectangle grown, as far as the picture goes."""
        whole = self.state.photo.rect.at_level(self.level)
        return self.rect.grown(reach_px).intersect(whole)

    def skin(self, rect: Rect, level: int | None = None) -> Plane:
        """(h, w) 0-1; all of it before the portrait is surveyed."""
        level = self.level if level is None else level
        if Region.SKIN not in self.state.regions.masks:
            return np.ones((rect.height, rect.width), dtype=np.float32)
        return region_coverage(seen_ground(self.state), Region.SKIN, rect, level)

    def inside(self, plane: FloatImage, rect: Rect) -> FloatImage:
        """The part of a wider plane that is looked at; what lies beyond it is 0."""
        out = np.zeros((self.rect.height, self.rect.width, *plane.shape[2:]), dtype=np.float32)
        part = self.rect.intersect(rect)
        if not part.empty:
            out[part.shifted(-self.rect.x0, -self.rect.y0).slices] = plane[
                part.shifted(-rect.x0, -rect.y0).slices
            ]
        return out


Depends = Callable[[JobState, LensLook], tuple[object, ...]]


def on_nothing(state: JobState, look: LensLook) -> tuple[object, ...]:  # noqa: ARG001
    """Of a lens that goes by the pixels of the picture alone."""
    return ()


def on_regions(state: JobState, look: LensLook) -> tuple[object, ...]:  # noqa: ARG001
    """Of a lens that goes by where the regions are; with what moves them the picture changes."""
    return state.regions, state.findings.faces


def on_skin(state: JobState, look: LensLook) -> tuple[object, ...]:
    """Of a lens that goes by lengths on the skin."""
    return (*on_regions(state, look), state.findings.mm_per_px)


@dataclass(frozen=True)
class Swatch:
    """A colour of a lens, or a hatch, and what it stands for."""

    text: str
    colour: Colour
    hatched: bool = False


@dataclass(frozen=True)
class Lens:
    """One way of looking.

    Attributes
    ----------
    see : the field as it looks, (h, w, 4) float32 encoded.
    reach : how far around a pixel of a level it looks at the picture, in pixels of it.
    near : the same, as far as a pixel tells: what is farther is a wide mean, to which it adds next
        to nothing. A stroke's frames go by that; None: by `reach`.
    legend : what it shows, in units.
    depends : what it goes by beside the picture: where that is not equal any more, all that was
        seen through it is out of date.
    """

    id: str
    title: str
    help: str
    see: Callable[[Field], FloatImage]
    legend: Callable[[JobState, LensLook], tuple[Swatch, ...]]
    reach: Callable[[JobState, int], int] = lambda state, level: 0  # noqa: ARG005
    near: Callable[[JobState, int], int] | None = None
    depends: Depends = on_nothing

    def near_px(self, state: JobState, level: int) -> int:
        return (self.near or self.reach)(state, level)


def dimmed(pixels: FloatImage) -> FloatImage:
    """(h, w, 4): the picture as a dim grey, for a lens to draw on."""
    out = pixels.copy()
    grey = (pixels[..., 0] + pixels[..., 1] + pixels[..., 2]) * np.float32(DIMMED / 3)
    for channel in range(3):  # several times as fast as all at once
        out[..., channel] = grey
    return out


def hatch_lines(rect: Rect, leaning: int = 1) -> Plane:
    """(h, w) 1 on diagonal lines that meet between rectangles, else 0."""
    ys = np.arange(rect.y0, rect.y1)[:, None]
    xs = np.arange(rect.x0, rect.x1)[None, :]
    lines: Plane = ((xs + leaning * ys) % HATCH_PERIOD_PX < HATCH_WIDTH_PX).astype(np.float32)
    return lines


def length_text(mm: float, state: JobState) -> str:
    """A length in millimetres, or before there is a scale in pixels."""
    if state.findings.mm_per_px is None:
        return f"{mm * px_per_mm(state):.0f} px"
    return f"{mm:g} mm"
