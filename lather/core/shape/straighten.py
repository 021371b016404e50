"""A bent line made straight: the line is found beside the stroke that was drawn along it.

The path is the strongest edge near the stroke by dynamic programming (as Amini et al. 1990 do for
contours); what it leaves the straight line through its ends by is shifted back, fading to the
sides.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.core.shape.falloff import bell
from lather.core.shape.field import Nodes, Points, node_places, nodes_under

BAND = 0.08  # of the stroke's length: how far off it the line is looked for
LEAST_BAND_PX, MOST_BAND_PX = 8, 80
BENDS_BY = 1  # rows that the path may change by from sample to sample
SMOOTH = 9.0  # samples: sigma by which the path is smoothed
FADES = 3.0  # of the band: how far to the sides the shift reaches
CLEAR = 2.0  # how much more edge than beside it a line has


@dataclass(frozen=True, eq=False)
class BentLine:
    """A line as it is.

    Attributes
    ----------
    start, end : of the straight line that it is to become, px.
    offsets : (N,): how far off that it lies, by equal steps along it, px; to the right of the way.
    clear : whether there is a line at all.
    """

    start: NDArray[np.float64]
    end: NDArray[np.float64]
    offsets: NDArray[np.float64]
    clear: bool

    @property
    def bend_px(self) -> float:
        return float(np.abs(self.offsets).max(initial=0.0))


def band_px(start: Points, end: Points) -> int:
    """How far off a stroke its line is looked for."""
    length = float(np.linalg.norm(end - start))
    return int(np.clip(BAND * length, LEAST_BAND_PX, MOST_BAND_PX))


def band_rect(start: Points, end: Points) -> Rect:
    """Pixels that a line is looked for in."""
    margin = band_px(start, end) + 2
    return _around(start, end).grown(margin)


def _around(start: Points, end: Points) -> Rect:
    low, high = np.minimum(start, end), np.maximum(start, end)
    return Rect(math.floor(low[0]), math.floor(low[1]), math.ceil(high[0]), math.ceil(high[1]))


def find_line(pixels: FloatImage, rect: Rect, start: Points, end: Points) -> BentLine:
    """The line near the straight one from start to end, in the pixels of a rectangle."""
    import cv2

    length = float(np.linalg.norm(end - start))
    n, band = max(8, int(length)), band_px(start, end)
    way = (end - start) / max(length, 1e-9)
    normal = np.array([-way[1], way[0]])
    share = np.linspace(0, 1, n)[None, :, None]
    across = np.arange(-band, band + 1, dtype=np.float64)[:, None, None]
    places = (start + share * (end - start) + across * normal - (rect.x0 + 0.5, rect.y0 + 0.5))
    light = pixels[..., :3].mean(-1).astype(np.float32)
    xs, ys = places[..., 0].astype(np.float32), places[..., 1].astype(np.float32)
    strip = cv2.remap(light, xs, ys, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    strip = cv2.GaussianBlur(strip, (0, 0), 1.5)
    edge = np.abs(cv2.Sobel(strip, cv2.CV_32F, 0, 1))
    rows = _strongest_path(edge)
    on = edge[rows, np.arange(n)]
    clear = float(np.median(on)) > CLEAR * float(np.median(edge)) + 1e-4
    offsets = cv2.GaussianBlur((rows - band).astype(np.float32)[None], (0, 0), SMOOTH,
                               borderType=cv2.BORDER_REPLICATE)[0].astype(np.float64)  # fmt: skip
    first, last = start + offsets[0] * normal, end + offsets[-1] * normal
    offsets = offsets - np.linspace(offsets[0], offsets[-1], n)
    return BentLine(first, last, offsets, clear)


def _strongest_path(edge: NDArray[np.float32]) -> NDArray[np.int64]:
    """(n,): the rows of the path from left to right along which the most edge lies."""
    n_rows, n = edge.shape
    best = edge[:, 0].astype(np.float64)
    came = np.zeros((n_rows, n), dtype=np.int64)
    rows = np.arange(n_rows)
    for column in range(1, n):
        padded = np.pad(best, BENDS_BY, constant_values=-np.inf)
        options = np.stack([padded[k : k + n_rows] for k in range(2 * BENDS_BY + 1)])
        options[[k for k in range(2 * BENDS_BY + 1) if k != BENDS_BY]] -= 0.02 * float(edge.max())
        step = options.argmax(0)
        came[:, column] = rows + step - BENDS_BY
        best = options[step, rows] + edge[:, column]
    path = np.zeros(n, dtype=np.int64)
    path[-1] = int(best.argmax())
    for column in range(n - 1, 0, -1):
        path[column - 1] = came[path[column], column]
    return path


def straight_shift(line: BentLine, step_px: int, picture: Rect) -> tuple[Rect, Nodes]:
    """The nodes around a line, and the shift that makes it straight."""
    length = float(np.linalg.norm(line.end - line.start))
    reach = FADES * band_px(line.start, line.end)
    around = _around(line.start, line.end).grown(math.ceil(reach)).intersect(picture)
    at = nodes_under(around, step_px)
    places = node_places(at, step_px) - line.start
    way = (line.end - line.start) / max(length, 1e-9)
    normal = np.array([-way[1], way[0]])
    along, across = places @ way, places @ normal
    # Shifted are places of now to where they will be: the line lies at its offset.
    offset = np.interp(along, np.linspace(0, length, len(line.offsets)), line.offsets, 0.0, 0.0)
    weight = bell(np.abs(across) / reach) * bell(np.maximum(-along, along - length) / reach)
    return at, ((-offset * weight)[..., None] * normal).astype(np.float32)
