"""What reshaping does to places, grain, straight lines and both halves of a face."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.common import Row, Scale, row
from bench.turned import turned_state
from lather.core.rect import Rect
from lather.core.shape.field import Field, node_rect, seen_at
from lather.core.shape.guard import Guard
from lather.core.shape.lines import StraightLines, bends
from lather.core.shape.moves import Dab, Move, moved
from lather.core.shape.resample import resampled
from lather.document.state import JobState

PICTURE, STEP_PX, MOST_PX = Rect(0, 0, 480, 400), 2, 512.0
START, END, RADIUS_PX = (200.0, 200.0), (240.0, 185.0), 90.0
TURN_DEG, PLANTED_MM, LEFT_MM = 20.0, 3.0, 0.5
CYCLES = (0.1, 0.2, 0.25, 0.35, 0.45)


def measure(scale: Scale) -> list[Row]:
    """a push against its formula, the resampler, straight lines, both halves of turned portraits"""
    numbers = (8,) if scale.is_small else (1, 2, 8, 9)
    return [*_places(), *_resampling(), *_lines(), *(r for n in numbers for r in _halves(n))]


def _nothing() -> Field:
    at = node_rect(PICTURE, STEP_PX)
    return Field(np.zeros((at.height, at.width, 2), dtype=np.float32), at, STEP_PX)


def _push(field: Field, start: tuple[float, float], end: tuple[float, float], radius_px: float,
          guard: Guard | None = None) -> None:  # fmt: skip
    free = np.ones(field.nodes.shape[:2], dtype=np.float32)
    for dab in Dab.push(start, end, radius_px, 0.0).steps():
        moved(field.nodes, field.rect, STEP_PX, free, Move.PUSH, dab, PICTURE, guard or Guard(),
              MOST_PX)  # fmt: skip


def _places() -> list[Row]:
    field = _nothing()
    _push(field, START, END, RADIUS_PX)
    places = np.random.default_rng(3).uniform((100, 100), (360, 300), (400, 2))
    off = float(np.abs(field.sources(places) - _flow(places)).max())
    back = float(np.abs(field.sources(seen_at(field.sources, places)) - places).max())
    return [
        row("push against its formula, largest", off, "px", target="<= 0.1", ok=off <= 0.1),
        row("there and back, largest", back, "px", target="<= 0.1", ok=back <= 0.1),
    ]


def _flow(places: NDArray[np.float64]) -> NDArray[np.float64]:
    """dx/dt = w(|x - pen|) pen', backwards by the midpoint rule."""
    way, at, n = np.subtract(END, START), places.copy(), 2000

    def speed(x: NDArray[np.float64], time: float) -> NDArray[np.float64]:
        away = np.linalg.norm(x - (np.array(START) + time * way), axis=1) / RADIUS_PX
        out: NDArray[np.float64] = ((1 - np.minimum(away, 1) ** 2) ** 2)[:, None] * way
        return out

    for k in range(n, 0, -1):
        half = at - speed(at, k / n) / (2 * n)
        at = at - speed(half, (k - 0.5) / n) / n
    return at


def _resampling() -> list[Row]:
    ys, xs = np.mgrid[: PICTURE.height, : PICTURE.width].astype(np.float32)
    noise = np.random.default_rng(4).normal(0, 0.1, xs.shape).astype(np.float32)
    grain = 0.5 + cv2.GaussianBlur(noise, (0, 0), 0.7)
    ours = _kept(grain)
    theirs = float(cv2.remap(grain, xs + 0.5, ys + 0.5, cv2.INTER_CUBIC)[20:-20, 20:-20].std()
                   / grain[20:-20, 20:-20].std())  # fmt: skip
    rows = [row("grain kept at half a pixel", 100 * ours, "%", target="95-105 %",
                ok=abs(ours - 1) <= 0.05 and ours >= theirs, reference="cv2.remap, cubic",
                reference_value=100 * theirs)]  # fmt: skip
    for cycles in CYCLES:
        wave = (0.5 + 0.4 * np.sin(2 * np.pi * cycles * xs)).astype(np.float32)
        kept, held = _kept(wave), cycles <= 0.25
        rows.append(row(
            f"contrast kept at {cycles:g} cycles a pixel", 100 * kept, "%",
            target="95-105 %" if held else "", ok=abs(kept - 1) <= 0.05 if held else None,
        ))  # fmt: skip
    return rows


def _kept(values: NDArray[np.float32]) -> float:
    """Share of the contrast that half a pixel's shift both ways keeps."""
    field = _nothing()
    field.nodes[...] = 0.5
    pixels = np.ones((*values.shape, 4), dtype=np.float32)
    pixels[..., :3] = values[..., None]
    out = pixels.copy()
    resampled(pixels, PICTURE, out, PICTURE, field, 0)
    inside = slice(20, -20), slice(20, -20), 0
    return float(out[inside].std() / pixels[inside].std())


def _lines() -> list[Row]:
    pieces = [[x, 10, x, 390] for x in range(300, 470, 60)]
    pieces += [[274, y, 470, y] for y in range(20, 390, 60)]
    lines = StraightLines(np.array(pieces, dtype=np.float32), np.arange(len(pieces)))

    def bent(guard: Guard | None) -> float:
        field = _nothing()
        _push(field, (240.0, 200.0), (262.0, 204.0), 110.0, guard)
        return max((bend.px for bend in bends(lines, field.sources)), default=0.0)

    free, kept = bent(None), bent(Guard(lines.pieces, hold_px=10.0, free_px=30.0))
    return [
        row("grid behind a pushed cheek, lines kept", kept, "px", target="<= 0.5", ok=kept <= 0.5),
        row("grid behind a pushed cheek, not kept", free, "px", target=""),
    ]


def _halves(number: int) -> list[Row]:
    from lather.assist.shape.shape import even_other_side

    rows = []
    for degrees in (TURN_DEG, -TURN_DEG):
        state = turned_state(number, degrees)
        alone, both = (_pushed(state, mirrored=mirrored) for mirrored in (False, True))
        planted = _apart(alone)
        for name, after in (("mirrored", both), ("evened", even_other_side(alone))):
            left = _apart(after)
            rows.append(row(
                f"portrait {number} turned {degrees:+.0f} deg, {name}, left", left, "mm",
                target=f"<= {LEFT_MM}", ok=left <= LEFT_MM, reference="pushed on one side",
                reference_value=planted,
            ))  # fmt: skip
    return rows


def _pushed(state: JobState, *, mirrored: bool) -> JobState:
    """The right cheek pushed out by what is planted, in the plane of the face."""
    from lather.assist.shape.face_features import mesh_of
    from lather.core.brush.stroke import Brush, PenSample
    from lather.core.shape.head import face_plane
    from lather.document.scale import px_per_mm
    from lather.tools.base import Hand, ShapeHand
    from lather.tools.shape import begin_push

    mesh, per_mm = mesh_of(state, 0), px_per_mm(state)
    assert mesh is not None
    start = (mesh[132, :2] + mesh[234, :2]) / 2
    end = start - PLANTED_MM * per_mm * face_plane(mesh)[0]
    shape = ShapeHand(mirrored=mirrored, keeps_straight=False)
    work = begin_push(state, Hand("push", Brush(70 * per_mm, 0.0, 1.0, 1.0), shape=shape))
    work.add(np.array([[*p, 35 * per_mm, 0, 1, 1] for p in (start, end)], dtype=np.float32))
    samples = tuple(PenSample(float(n), *map(float, p)) for n, p in enumerate((start, end)))
    outcome = work.finish(samples)
    assert outcome is not None
    return outcome.apply(state)


def _apart(state: JobState) -> float:
    """How far the halves have moved apart, the largest of all widths, mm."""
    from lather.assist.shape.measures import shape_measures

    measured = shape_measures(state)
    assert measured is not None
    return max(abs(e.now_mm - e.start_mm) for e in measured.evenness if "width" in e.name)
