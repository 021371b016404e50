"""How far a retouch may go: every limit a number a style, and what each was set by.

A measure begins at what an untouched photo has (`start`) and may go so far down or up. How far a
retouch has gone of the way to its limit is its share: 0 at the start, 1 at the limit. The figures
named in `set_by` are of the made-up portraits and are measured anew by `make bench-quality`.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

STYLES = ("natural", "groomed", "flawless", "infant", "identity")
FURTHEST = 9.99  # the largest share that is told
FRACTIONS = ("displacement", "clipped")  # shares of a whole, at most 1
Steps = tuple[float, float, float, float, float]  # one a style


@dataclass(frozen=True)
class Bound:
    """What a measure may be at least and at most; None: as it likes."""

    start: float
    low: float | None = None
    high: float | None = None

    def share(self, value: float) -> float:
        """How much of the way from the start to the limit is gone; more than 1 is beyond."""
        limit = self.high if value > self.start else self.low
        if limit is None or math.isclose(value, self.start, abs_tol=1e-9):
            return 0.0
        room = abs(limit - self.start)
        return min(abs(value - self.start) / room, FURTHEST) if room > 0 else FURTHEST

    def near(self, value: float) -> float | None:
        """The limit on the side that a value lies on; None where there is none."""
        if self.high is None or self.low is None:
            return self.high if self.low is None else self.low
        return self.high if value > self.start else self.low


@dataclass(frozen=True)
class Limit:
    """A row of the table: what a measure may be, a number a style in the order of `STYLES`."""

    id: str
    start: float
    set_by: str
    low: Steps | None = None
    high: Steps | None = None

    def bound(self, style: str) -> Bound:
        """Of a style; of the middle one for a style that is not known."""
        n = STYLES.index(style if style in STYLES else "groomed")
        low, high = (None if steps is None else steps[n] for steps in (self.low, self.high))
        return Bound(self.start, low, high)


TABLE: tuple[Limit, ...] = (
    Limit(
        "texture_kept", 1.0, low=(0.8, 0.68, 0.55, 0.85, 0.98),
        set_by="clean retouches keep 70-95 %; a blur of 0.3 mm 8-18 %",
    ),
    Limit(
        "texture_least", 1.0, low=(0.7, 0.65, 0.5, 0.72, 0.95),
        set_by="clean retouches keep 76-88 %; a patch of 4 cm2 at 20 % of its texture 25-28 %, a "
        "smoothed under-eye 20-54 %",
    ),
    Limit(
        "sharpness", 1.0, low=(0.82, 0.72, 0.6, 0.87, 0.98), high=(1.25, 1.4, 1.7, 1.15, 1.02),
        set_by="clean retouches 79-96 %; a blur of 0.3 mm 8-17 %, gritty sharpening 287-303 %",
    ),
    Limit(
        "grain", 1.0, low=(0.78, 0.66, 0.55, 0.8, 0.95), high=(1.25, 1.35, 1.5, 1.2, 1.05),
        set_by="grain that skin alone lost half of 50-61 %; Lather's own mends 95-103 %",
    ),
    Limit(
        "modelling_kept", 1.0, low=(0.94, 0.88, 0.8, 0.96, 0.99), high=(1.15, 1.3, 1.5, 1.1, 1.01),
        set_by="clean retouches 92-111 %; doubled contrast 189-210 %",
    ),
    Limit(
        "light_moved", 0.0, high=(3.0, 4.5, 6.0, 2.0, 0.5),
        set_by="clean retouches 1.6-2.5",
    ),
    Limit(
        "colour_shift", 0.0, high=(2.0, 3.2, 4.5, 1.5, 0.5),
        set_by="clean retouches 1.3-2.8; doubled contrast 9-16, warm skin 5.4-6.8",
    ),
    Limit(
        "colour_largest", 0.0, high=(7.0, 10.0, 14.0, 5.0, 1.0),
        set_by="clean retouches 4.3-8.1; doubled contrast 17-22",
    ),
    Limit(
        "evenness", 1.0, low=(0.6, 0.45, 0.3, 0.7, 0.98),
        set_by="clean retouches leave 56-80 %, Lather's own evening 54-71 %",
    ),
    Limit(
        "teeth_lighter", 0.0, low=(-6.0, -6.0, -6.0, -3.0, -0.5), high=(6.0, 9.0, 13.0, 3.0, 0.5),
        set_by="clean retouches 3.6-3.8; chalk 22-38",
    ),
    Limit(
        "teeth_colour", 1.0, low=(0.5, 0.3, 0.25, 0.8, 0.98),
        set_by="clean retouches leave 34-40 %; chalk 19 %",
    ),
    Limit(
        "eye_whites_lighter", 0.0, low=(-6.0, -6.0, -6.0, -3.0, -0.5),
        high=(5.0, 8.0, 11.0, 3.0, 0.5),
        set_by="clean retouches 4.0-5.6; staring eyes 31-37",
    ),
    Limit(
        "eye_whites_colour", 1.0, low=(0.55, 0.37, 0.34, 0.8, 0.98),
        set_by="clean retouches leave 42-47 %; staring eyes 27-33 %",
    ),
    Limit(
        "displacement", 0.0, high=(0.01, 0.025, 0.04, 0.0, 0.0),
        set_by="1 % is 1.3 mm on a face of 130 mm: what its mesh is sure of; see docs/shape.md",
    ),
    Limit(
        "symmetry", 0.0, high=(0.5, 1.0, 1.5, 0.3, 0.3),
        set_by="halves evened on turned portraits miss by 0.04-0.16 mm; the mesh is sure of 1 mm",
    ),
    Limit(
        "straight_lines", 0.0, high=(0.5, 0.8, 1.2, 0.5, 0.5),
        set_by="lines of an untouched picture 0; a bend of 9 px at 1600 px 1.8 mm and more",
    ),
    Limit(
        "keep_marks", 1.0, low=(0.8, 0.7, 0.6, 0.85, 0.95), high=(1.35, 1.5, 1.7, 1.25, 1.05),
        set_by="clean retouches 83-121 %, Lather's own 94-108 %; doubled contrast 175-217 %, "
        "a blur of 1.5 mm 12-82 %",
    ),
    Limit(
        "other_colour", 0.0, high=(4.0, 6.0, 9.0, 3.0, 0.5),
        set_by="clean retouches 1.2-3.7; purple lips 30, one blue iris 20",
    ),
    Limit(
        "other_detail", 1.0, low=(0.65, 0.6, 0.52, 0.7, 0.98),
        set_by="clean retouches 68-98 %; hair blurred by 2 mm 1-46 %, flattened clothes 0 %",
    ),
    Limit(
        "edges", 0.0, high=(3.0, 3.3, 3.8, 3.0, 0.5),
        set_by="clean retouches 2.2-2.9; colour spilt by 3 mm 4.0-6.3, gritty sharpening 4.3-4.8",
    ),
    Limit(
        "seams", 0.0, high=(2.5, 3.0, 3.2, 2.5, 0.5),
        set_by="clean retouches 1.0-1.2, Lather's own mends 1.5-2.8; hard patches 3.4-6.6",
    ),
    Limit(
        "repeats", 0.0, high=(45.0, 60.0, 75.0, 45.0, 20.0),
        set_by="Lather's own mends 5-32; a patch of 7 mm five times 88-160",
    ),
    Limit(
        "clipped", 0.0, high=(0.002, 0.005, 0.01, 0.002, 0.001),
        set_by="clean retouches 0; doubled contrast 14-62 %",
    ),
    Limit(
        "new_spots", 0.0, high=(1.0, 2.0, 2.0, 1.0, 1.0),
        set_by="clean retouches 0, Lather's own mends 0-1",
    ),
)  # fmt: skip


@dataclass(frozen=True)
class Limits:
    """The limits of a style, as a brief may have moved them: a bound a measure."""

    bounds: Mapping[str, Bound]

    @classmethod
    def of_style(cls, style: str, moved: Mapping[str, float] | None = None) -> Limits:
        """Those of a style; `moved` has other numbers by the names of `numbers`."""
        moved = moved or {}
        bounds = {}
        for limit in TABLE:
            bound = limit.bound(style)
            low, high = (moved.get(f"{limit.id}.{side}", own)
                         for side, own in (("least", bound.low), ("most", bound.high)))  # fmt: skip
            bounds[limit.id] = Bound(bound.start, low, high)
        return cls(bounds)

    @property
    def numbers(self) -> dict[str, float]:
        """Every limit as one number, under its measure's name and `.least` or `.most`."""
        return {
            f"{name}.{side}": value
            for name, bound in self.bounds.items()
            for side, value in (("least", bound.low), ("most", bound.high))
            if value is not None
        }

    @property
    def texture_kept(self) -> float:
        """Share of the start's texture, at least."""
        return self.bounds["texture_kept"].low or 0.0

    @property
    def modelling_kept(self) -> float:
        """Share of the start's large-scale light and shade, at least."""
        return self.bounds["modelling_kept"].low or 0.0

    @property
    def colour_shift(self) -> float:
        """Mean CIEDE2000 of a part, at most."""
        return self.bounds["colour_shift"].high or 0.0

    @property
    def displacement(self) -> float:
        """The largest displacement, as a share of the face's width; 0: nothing is moved."""
        return self.bounds["displacement"].high or 0.0


PLASTIC, FLAT, SHIFTED = "plastic", "flat", "another colour"


def beyond(
    limits: Limits, where: str, texture_kept: float, modelling_kept: float, colour_shift: float
) -> tuple[str, ...]:
    """What has gone beyond its limit in a part, in words; () if nothing has."""
    said = []
    if texture_kept < limits.texture_kept:
        said.append(f"texture on the {where} {texture_kept:.0%} of the start: {PLASTIC}")
    if modelling_kept < limits.modelling_kept:
        said.append(f"modelling of the {where} {modelling_kept:.0%} of the start: {FLAT}")
    if colour_shift > limits.colour_shift:
        said.append(f"colour of the {where} moved by {colour_shift:.1f} CIEDE2000: {SHIFTED}")
    return tuple(said)
