"""Lenses on what was reshaped: how far skin was moved, and how far it is stretched."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.rect import Rect
from lather.core.shape.field import Field as Displaced
from lather.core.shape.field import stretches
from lather.core.shape.measure import LEAST_STRETCH, MOST_STRETCH, too_far
from lather.document.people import px_per_mm_of
from lather.document.scale import FACE_WIDTH_MM, px_per_mm
from lather.document.state import JobState
from lather.render.lenses.lens import Colour, Field, LensLook, Swatch, dimmed, hatch_lines
from lather.render.space import seen_space

MOVED: Colour = (0.56, 0.83, 0.76)
STRETCHED: Colour = (0.93, 0.90, 0.70)
SQUEEZED: Colour = (0.45, 0.55, 0.90)
AMBER: Colour = (0.88, 0.66, 0.29)
INTERVALS_MM = (0.1, 0.25, 0.5, 1.0, 2.0, 5.0, 10.0)
MOST_LINES = 8  # of one height each
LINE_PX, ARROW_EVERY_PX, HEAD = 0.7, 48, 0.3
LONGEST_ARROW_PX = 30.0
SHADED = 0.45


def face_width_mm(state: JobState) -> float:
    """As surveyed, the narrowest of several people's; or that of most adults."""
    faces = state.findings.faces
    if not faces:
        return FACE_WIDTH_MM
    from lather.core.shape.head import face_width_px
    from lather.core.survey.faces.mesh_fit import fitted_points

    return min(
        face_width_px(fitted_points(face)) / px_per_mm_of(state.findings, person, state.photo)
        for person, face in enumerate(faces)
    )


def largest_mm(state: JobState) -> float:
    """No place is moved further than that."""
    total_px = sum(layer.largest_px * layer.strength for layer in seen_space(state).below)
    return total_px / px_per_mm(state)


def interval_mm(state: JobState) -> float:
    """Between two lines of one height each."""
    wanted = largest_mm(state) / MOST_LINES
    return next((mm for mm in INTERVALS_MM if mm >= wanted), INTERVALS_MM[-1])


def limit_mm(state: JobState) -> float:
    """How far the brief lets skin go."""
    return state.brief.limits.displacement * face_width_mm(state)


def on_lengths(state: JobState, look: LensLook) -> tuple[object, ...]:  # noqa: ARG001
    """What lines, arrows and hatches are spaced by; the field itself changes the picture."""
    return interval_mm(state), largest_mm(state), limit_mm(state), px_per_mm(state)


def see_moved(field: Field) -> FloatImage:
    """Lines of one displacement each, arrows, and a hatch where the brief's limit is passed."""
    out = dimmed(field.seen(field.rect))
    if largest_mm(field.state) == 0:
        return out
    shift = _shifts(field, field.rect.grown(1))  # lines go by the slope to both sides
    around_mm = np.hypot(shift[..., 0], shift[..., 1]) / field.px_per_mm
    length_mm = around_mm[1:-1, 1:-1]
    limit = limit_mm(field.state)
    shade = np.clip(length_mm / max(limit, 0.1), 0, 1) * SHADED
    _mix(out, MOVED, shade)
    _mix(out, AMBER, _hatched(length_mm > limit + 1e-3, field.rect))
    _mix(out, AMBER, 0.8 * _hatched(_is_too_far(field), field.rect, leaning=-1))
    _mix(out, (1.0, 1.0, 1.0), 0.8 * _isolines(around_mm, interval_mm(field.state))[1:-1, 1:-1])
    _draw_arrows(out, field)
    return out


def moved_legend(state: JobState, look: LensLook) -> tuple[Swatch, ...]:  # noqa: ARG001
    step, width, limit = interval_mm(state), face_width_mm(state), limit_mm(state)
    return (
        Swatch(f"every {step:g} mm ({100 * step / width:.1f} % of the face)", (1, 1, 1)),
        Swatch(f"beyond {limit:.1f} mm", AMBER, hatched=True),
    )


def see_stretched(field: Field) -> FloatImage:
    """Where texture is stretched, and where it is squeezed."""
    out = dimmed(field.seen(field.rect))
    least, most = _stretch(field)
    far = math.log(MOST_STRETCH)
    grown, shrunk = np.log(np.maximum(most, 1)), -np.log(np.minimum(least, 1))
    larger = grown >= shrunk
    _mix(out, STRETCHED, np.where(larger, np.clip(grown / far, 0, 1), 0) * 0.7)
    _mix(out, SQUEEZED, np.where(larger, 0, np.clip(shrunk / far, 0, 1)) * 0.7)
    _mix(out, AMBER, _hatched(too_far(least, most), field.rect))
    return out


def stretched_legend(state: JobState, look: LensLook) -> tuple[Swatch, ...]:  # noqa: ARG001
    return (
        Swatch("stretched", STRETCHED), Swatch("squeezed", SQUEEZED),
        Swatch(f"beyond {MOST_STRETCH:.0%} or under {LEAST_STRETCH:.0%}", AMBER, hatched=True),
    )  # fmt: skip


def _shifts(field: Field, rect: Rect) -> NDArray[np.float32]:
    state = field.state
    return seen_space(state).shifts_below(rect, field.level)


def _stretch(field: Field) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    wide = field.rect.grown(1)
    displaced = Displaced(_shifts(field, wide), Rect(0, 0, wide.width, wide.height), 1)
    least, most = stretches(displaced)
    return least[1:-1, 1:-1], most[1:-1, 1:-1]


def _is_too_far(field: Field) -> NDArray[np.bool_]:
    return too_far(*_stretch(field))


def _hatched(where: NDArray[np.bool_], rect: Rect, leaning: int = 1) -> Plane:
    lines: Plane = where * hatch_lines(rect, leaning)
    return lines


def _mix(out: FloatImage, colour: Colour, share: NDArray[np.floating]) -> None:
    for channel in range(3):
        out[..., channel] += share.astype(np.float32) * (colour[channel] - out[..., channel])


def _isolines(height: NDArray[np.floating], interval: float) -> Plane:
    """1 on lines of one height each, fading over a pixel to their sides."""
    level = height / np.float32(interval)
    by_y, by_x = np.gradient(level)
    slope = np.maximum(np.hypot(by_x, by_y), 1e-6)
    nearest = np.maximum(np.rint(level), 1)  # none where nothing is moved
    away_px = np.abs(level - nearest) / slope
    lines: Plane = np.clip(LINE_PX + 0.5 - away_px, 0, 1).astype(np.float32)
    return lines


def _draw_arrows(out: FloatImage, field: Field) -> None:
    """From where skin was to where it is seen; the largest is as long as fits between them."""
    import cv2

    every, rect = ARROW_EVERY_PX, field.rect
    wide = Rect(rect.x0 // every - 1, rect.y0 // every - 1, rect.x1 // every + 2,
                rect.y1 // every + 2)  # fmt: skip
    xs, ys = np.meshgrid(np.arange(wide.x0, wide.x1), np.arange(wide.y0, wide.y1))
    state, scale = field.state, 1 << field.level
    places = (np.stack([xs, ys], -1).reshape(-1, 2).astype(np.float64) + 0.5) * every
    moved = seen_space(state).to_photo(places * scale) / scale - places
    largest = max(largest_mm(state) * field.px_per_mm, 1e-6)
    longer = min(LONGEST_ARROW_PX / largest, 4.0)
    canvas = np.zeros(out.shape[:2], dtype=np.uint8)
    for (x, y), (dx, dy) in zip(places, moved, strict=True):
        if math.hypot(dx, dy) * longer < 3:
            continue
        start = x + dx * longer - rect.x0, y + dy * longer - rect.y0
        end = x - rect.x0, y - rect.y0
        tail, head = ((round(16 * a), round(16 * b)) for a, b in (start, end))
        cv2.arrowedLine(canvas, tail, head, (255,), 1, cv2.LINE_AA, 4, HEAD)
    _mix(out, MOVED, canvas.astype(np.float32) / 255)
