"""A finding: one located, measured thing on the person to decide on."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from lather.core.arrays import Plane
from lather.core.bounds import FINDING, N_DIRECTIONS, refuse_beyond
from lather.core.open_enum import OpenEnum
from lather.core.rect import Rect
from lather.core.survey.findings.kinds import KINDS, UNKNOWN, Form, KindRow

MOST_BROKEN = 0.2  # of the rim, for a mend that spans it
RIM_PX = 1.0  # width of the extent's soft rim
DOUBTFUL_BELOW = 0.5  # certainty; docs/survey.md says how it was measured


class Kind(OpenEnum):
    """What a finding is, as in files and on the command line; `kinds.KINDS` says the rest."""

    RED = "blemish.red"
    DARK = "blemish.dark"
    BRIGHT = "blemish.bright"  # the head of a pimple
    MILK_SPOT = "blemish.milk_spot"
    FLAKE = "flake"
    CREASE = "crease"
    FOLD = "fold"  # a crease that everybody has: beside the mouth, over the eye, between fingers
    VEIN = "vein"
    SKIN_HAIR = "hair.skin"
    MOLE = "mole"
    SCAR = "scar"
    FRECKLES = "freckles"
    MARK = "mark"  # what a person said belongs to them
    SHINE = "shine"
    REDNESS = "redness"
    UNEVEN = "uneven"  # a blotch of blood, pigment or shade

    @property
    def row(self) -> KindRow:
        """What the table of kinds says of it."""
        return KINDS.get(self.value, UNKNOWN)

    @property
    def known(self) -> bool:
        return self.value in KINDS

    @property
    def title(self) -> str:
        return self.row.title or super().title

    @property
    def is_blemish(self) -> bool:
        return self.value.startswith("blemish.")

    @property
    def belongs_to_person(self) -> bool:
        """Proposed to be kept, not to be mended."""
        return self.row.belongs_to_person

    @property
    def is_line(self) -> bool:
        return self.row.form is Form.LINE

    @property
    def is_softened(self) -> bool:
        """Only made weaker, never mended away: without it a face goes flat."""
        return self.row.is_softened

    @property
    def stage(self) -> str:
        """The stage of the work that decides on it, as in files."""
        return self.row.stage

    @property
    def is_patch(self) -> bool:
        """A stretch of skin whose tone is off: no mark on it, and skin like any other to mends."""
        return self.row.form is Form.PATCH


@dataclass(frozen=True)
class Finding:
    """One finding, in full-resolution pixels of the photo.

    Attributes
    ----------
    x, y : centre, x right, y down.
    radius_px : of the disc of the mark's own area, without its soft surround.
    diameter_mm : the same as a diameter on the person.
    contrast_l, contrast_a : mean difference from the surroundings in CIE L* and a*.
    severity : 0-100, how much it catches the eye: contrast against the skin's own unevenness.
    rim_broken : share of the extent's rim, 0-1, that crosses an edge or the picture's border.
    extent_px : how far it reaches with its soft surround, in `N_DIRECTIONS` directions, the first
        to the right, then downwards; of a line, half its width.
    edge_px : how wide its rim is, from 80 % to 20 % of its contrast; 0 if not measured.
    path_px : the centre line of a crease, hair or vein as x, y, end to end; of a spot empty.
    length_mm : of a line.
    certainty : 0-1, how sure it is that this is what its kind says; see `doubtful`.
    area_mm2 : of a patch of shine, redness or unevenness; of spots and lines 0.
    clipped : share of a patch of shine, 0-1, in which a channel is clipped.
    extras : fields of a newer Lather, kept and saved again.
    """

    id: int
    kind: Kind
    x: float
    y: float
    radius_px: float
    diameter_mm: float
    contrast_l: float
    contrast_a: float
    severity: float
    rim_broken: float
    extent_px: tuple[float, ...]
    edge_px: float = 0.0
    path_px: tuple[tuple[float, float], ...] = ()
    length_mm: float = 0.0
    certainty: float = 1.0
    area_mm2: float = 0.0
    clipped: float = 0.0
    extras: Mapping[str, Any] = field(default_factory=dict, hash=False)

    def __post_init__(self) -> None:
        refuse_beyond("a finding", FINDING, self)

    @property
    def stands_free(self) -> bool:
        """True if it can be mended from around without smearing what its rim crosses."""
        return self.rim_broken <= MOST_BROKEN

    @property
    def doubtful(self) -> bool:
        """True for what is listed apart, and never mended unless somebody points at it."""
        return self.certainty < DOUBTFUL_BELOW

    @property
    def reach_px(self) -> float:
        """The largest extent."""
        return max(self.extent_px)

    @property
    def rect(self) -> Rect:
        """Pixels that the extent can touch."""
        if self.path_px:
            margin = self.reach_px + RIM_PX
            return Rect.union_of(Rect.around(x, y, margin) for x, y in self.path_px)
        return Rect.around(self.x, self.y, self.reach_px + RIM_PX)

    def holds(self, x: float, y: float) -> bool:
        """True if the point lies inside the extent."""
        if self.path_px:
            return min(math.dist((x, y), place) for place in self.path_px) < self.reach_px
        turn = math.atan2(y - self.y, x - self.x) / (2 * math.pi) % 1
        return math.dist((x, y), (self.x, self.y)) < self.extent_px[int(turn * N_DIRECTIONS)]

    def coverage(self, rect: Rect) -> Plane:
        """(h, w) 0-1: the extent inside `rect`, with a soft rim of a pixel."""
        if self.path_px:
            return _along(self.path_px, self.reach_px, rect)
        ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1].astype(np.float32)
        dx, dy = xs + np.float32(0.5 - self.x), ys + np.float32(0.5 - self.y)
        turn = np.arctan2(dy, dx) / np.float32(2 * math.pi) % 1
        around = np.array((*self.extent_px, self.extent_px[0]), dtype=np.float32)
        limit = np.interp(turn * N_DIRECTIONS, np.arange(N_DIRECTIONS + 1), around)
        covered = (limit - np.hypot(dx, dy)) / np.float32(RIM_PX) + np.float32(0.5)
        clipped: Plane = np.clip(covered, 0, 1).astype(np.float32)
        return clipped


def _along(path: tuple[tuple[float, float], ...], half_px: float, rect: Rect) -> Plane:
    """Coverage of a line of that half width; it tapers towards its ends."""
    ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1].astype(np.float32) + np.float32(0.5)
    covered = np.zeros(xs.shape, dtype=np.float32)
    points = np.array(path, dtype=np.float32)
    n_taper = max(1, len(points) // 8)
    for number, ((ax, ay), (bx, by)) in enumerate(zip(points[:-1], points[1:], strict=True)):
        from_end = min(number + 1, len(points) - 1 - number)
        half = half_px * min(1.0, 0.5 + 0.5 * from_end / n_taper)
        dx, dy = bx - ax, by - ay
        square = max(float(dx * dx + dy * dy), 1e-9)
        x0, x1 = sorted((ax, bx))
        y0, y1 = sorted((ay, by))
        reach = half + RIM_PX + 1
        part = Rect(math.floor(x0 - reach), math.floor(y0 - reach), math.ceil(x1 + reach),
                    math.ceil(y1 + reach)).intersect(rect)  # fmt: skip
        if part.empty:
            continue
        here = part.shifted(-rect.x0, -rect.y0).slices
        px, py = xs[here] - ax, ys[here] - ay
        along = np.clip((px * dx + py * dy) / square, 0, 1)
        away = np.hypot(px - along * dx, py - along * dy)
        piece = np.clip((half - away) / np.float32(RIM_PX) + 0.5, 0, 1)
        covered[here] = np.maximum(covered[here], piece)
    return covered
