"""Where the picture lies in the view: zoom, place, mirror. All view lengths in device pixels."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from lather.core.rect import Rect
from lather.document.tiles import DEEPEST_LEVEL

SMALLEST_ZOOM, LARGEST_ZOOM = 0.02, 16.0


@dataclass(frozen=True)
class ViewGeometry:
    """A photo of `photo_width` x `photo_height` px shown in a view.

    `zoom` is device pixels per photo pixel; (`centre_x`, `centre_y`) is the photo point in
    the middle of the view.
    """

    photo_width: int
    photo_height: int
    view_width: int
    view_height: int
    zoom: float
    centre_x: float
    centre_y: float
    mirrored: bool = False

    @staticmethod
    def fitting(
        photo_width: int, photo_height: int, view_width: int, view_height: int
    ) -> ViewGeometry:
        """The whole photo, as large as the view allows."""
        zoom = min(max(1, view_width) / photo_width, max(1, view_height) / photo_height)
        return ViewGeometry(
            photo_width,
            photo_height,
            view_width,
            view_height,
            min(max(zoom, SMALLEST_ZOOM), LARGEST_ZOOM),
            photo_width / 2,
            photo_height / 2,
        )

    def to_view(self, x: float, y: float) -> tuple[float, float]:
        """Photo pixels to view pixels."""
        dx = (x - self.centre_x) * self.zoom
        return (
            self.view_width / 2 + (-dx if self.mirrored else dx),
            self.view_height / 2 + (y - self.centre_y) * self.zoom,
        )

    def to_photo(self, view_x: float, view_y: float) -> tuple[float, float]:
        """View pixels to photo pixels."""
        dx = (view_x - self.view_width / 2) / self.zoom
        return (
            self.centre_x + (-dx if self.mirrored else dx),
            self.centre_y + (view_y - self.view_height / 2) / self.zoom,
        )

    def zoomed(self, zoom: float, view_x: float, view_y: float) -> ViewGeometry:
        """At another zoom, with the photo point under (view_x, view_y) staying there."""
        zoom = min(max(zoom, SMALLEST_ZOOM), LARGEST_ZOOM)
        x, y = self.to_photo(view_x, view_y)
        there = replace(self, zoom=zoom)
        new_x, new_y = there.to_photo(view_x, view_y)
        return replace(
            there, centre_x=self.centre_x + x - new_x, centre_y=self.centre_y + y - new_y
        )._kept_in_view()

    def panned(self, view_dx: float, view_dy: float) -> ViewGeometry:
        """The picture moved with the hand by view pixels."""
        dx = view_dx / self.zoom
        return replace(
            self,
            centre_x=self.centre_x - (-dx if self.mirrored else dx),
            centre_y=self.centre_y - view_dy / self.zoom,
        )._kept_in_view()

    def centred(self, x: float, y: float) -> ViewGeometry:
        return replace(self, centre_x=x, centre_y=y)._kept_in_view()

    def resized(self, view_width: int, view_height: int) -> ViewGeometry:
        return replace(self, view_width=view_width, view_height=view_height)

    @property
    def level(self) -> int:
        """The mip level to draw from: the coarsest that still has all visible detail."""
        return min(max(0, math.floor(math.log2(1 / self.zoom) + 1e-6)), DEEPEST_LEVEL)

    @property
    def level_zoom(self) -> float:
        """View pixels per pixel of the level; exactly 1 at 100 %, 50 %, 25 % ..."""
        return self.zoom * (1 << self.level)

    @property
    def visible(self) -> Rect:
        """Pixels of the level that the view shows, clipped to the photo."""
        corners = [
            self.to_photo(0, 0),
            self.to_photo(self.view_width, self.view_height),
        ]
        xs, ys = sorted(c[0] for c in corners), sorted(c[1] for c in corners)
        shown = Rect(
            math.floor(xs[0]), math.floor(ys[0]), math.ceil(xs[1]) + 1, math.ceil(ys[1]) + 1
        )
        photo = Rect(0, 0, self.photo_width, self.photo_height)
        return shown.intersect(photo).at_level(self.level).intersect(photo.at_level(self.level))

    def _kept_in_view(self) -> ViewGeometry:
        """The photo's point in the middle of the view is always one of the photo."""
        return replace(
            self,
            centre_x=min(max(self.centre_x, 0), self.photo_width),
            centre_y=min(max(self.centre_y, 0), self.photo_height),
        )
