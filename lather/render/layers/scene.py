"""What a layer is rendered in, and the pixels that lie below it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from lather.core.arrays import FloatImage
from lather.core.rect import Rect, paste
from lather.document.layers.layer import Layers
from lather.document.photo import Photo
from lather.render.ground import Ground


@dataclass(frozen=True)
class Scene:
    """What everything is rendered in: the photo and its regions, the mip level, how layers
    in a layer are laid on a base, and how what lies below a layer with a reach is come by; `tiled`
    for one whose reach varies, so that it is not computed anew for another reach."""

    ground: Ground
    level: int
    paint: Paint
    below: Below
    tiled: Below

    def moved_by(self, layers: Layers) -> Scene:
        """The same, above these layers."""
        ground = self.ground.above(layers)
        return self if ground is self.ground else replace(self, ground=ground)

    @property
    def photo(self) -> Photo:
        return self.ground.photo

    @property
    def picture(self) -> Rect:
        """The photo's pixels at the level; beyond is nothing."""
        return self.photo.rect.at_level(self.level)


@dataclass(frozen=True)
class Patch:
    """Pixels of a rectangle of a level, (h, w, 4) float32, straight alpha."""

    rect: Rect
    pixels: FloatImage

    def part(self, rect: Rect) -> FloatImage:
        """A fresh array of a rectangle; what lies beyond the patch is transparent."""
        if rect.intersect(self.rect) == rect:
            inside: FloatImage = self.pixels[rect.shifted(-self.rect.x0, -self.rect.y0).slices]
            return inside.copy()
        out = transparent(rect)
        paste(out, rect, self.pixels, self.rect)
        return out


Base = Callable[[Rect], FloatImage]  # what lies lowest, a fresh array
Paint = Callable[[Layers, "Scene", Base, Rect], FloatImage]
Below = Callable[["Scene", Layers, Rect], FloatImage]  # layers on nothing, in a rectangle


def transparent(rect: Rect) -> FloatImage:
    return np.zeros((rect.height, rect.width, 4), dtype=np.float32)
