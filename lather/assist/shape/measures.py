"""How much a job's reshapes move, stretch and cost, and how even the halves of the face are."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any

import numpy as np

from lather.core.blend.modes import lum
from lather.core.rect import Rect
from lather.core.shape.field import Field, node_places, node_rect
from lather.core.shape.head import Mesh, face_width_px
from lather.core.shape.measure import displacement
from lather.core.shape.symmetry import Evenness, evenness
from lather.core.survey.faces.geometry import FaceGeometry
from lather.core.survey.faces.mesh_fit import fitted_points
from lather.document.people import nearest_face, px_per_mm_of
from lather.document.scale import px_per_mm
from lather.document.state import JobState
from lather.render.compositor import render
from lather.render.space import Space, in_photo_space, seen_space

MEASURED_EVERY_PX, MOST_POINTS = 8, 120_000
BLOCK_PX, N_BLOCKS = 96, 6
LEAST_GRAIN_L, LEAST_MOVED_PX = 0.05, 0.25


@dataclass(frozen=True)
class ShapeMeasures:
    """What all reshapes of a job come to.

    Attributes
    ----------
    face_width_mm : None without a surveyed face; the shares are of it.
    limit_share : the largest displacement that the brief allows; None without a face.
    grain_kept, detail_kept : of what is moved, against the same skin unmoved; None if nothing is.
    """

    largest_px: float
    largest_mm: float
    x: float
    y: float
    moved_cm2: float
    most_stretched: float
    least_stretched: float
    too_far_cm2: float
    face_width_mm: float | None = None
    limit_share: float | None = None
    evenness: tuple[Evenness, ...] = ()
    grain_kept: float | None = None
    detail_kept: float | None = None

    @property
    def share(self) -> float | None:
        """The largest displacement as a share of the face's width."""
        return None if self.face_width_mm is None else self.largest_mm / self.face_width_mm

    @property
    def is_beyond(self) -> bool:
        """True if it goes further than the brief allows."""
        share, limit = self.share, self.limit_share
        return share is not None and limit is not None and share > limit + 5e-4

    def facts(self) -> dict[str, Any]:
        """Ready for JSON."""
        entry = {name: round(value, 4) if isinstance(value, float) else value
                 for name, value in asdict(self).items() if name != "evenness"}  # fmt: skip
        entry["share_of_face_width"] = None if self.share is None else round(self.share, 4)
        entry["evenness"] = [
            {"name": e.name, "start_mm": round(e.start_mm, 2), "now_mm": round(e.now_mm, 2),
             "natural_mm": e.natural_mm, "verdict": e.verdict.value}
            for e in self.evenness
        ]  # fmt: skip
        return entry


def shape_measures(state: JobState) -> ShapeMeasures | None:
    """Measure the reshapes that are shown; None if there are none."""
    space = seen_space(state)
    if not space.below:
        return None
    per_mm = px_per_mm(state)
    field = total_field(state)
    found = displacement(field, 1 / per_mm)
    cm2 = (10 * per_mm) ** 2
    grain, detail = _kept(state, space, field)
    measured = ShapeMeasures(
        found.largest_px, found.largest_px / per_mm, found.x, found.y, found.moved_px2 / cm2,
        found.most_stretched, found.least_stretched, found.too_far_px2 / cm2,
        grain_kept=grain, detail_kept=detail,
    )  # fmt: skip
    face = _moved_most(state.findings.faces, field)
    if face is None:
        return measured
    person, mesh, most_px, x, y = face
    per_mm = px_per_mm_of(state.findings, person, state.photo)
    now = space.from_photo(mesh[:, :2].astype(np.float64))
    return replace(
        measured, largest_px=most_px, largest_mm=most_px / per_mm, x=x, y=y,
        face_width_mm=face_width_px(mesh) / per_mm,
        limit_share=state.brief.limits.displacement,
        evenness=evenness(mesh, now, 1 / per_mm),
    )  # fmt: skip


def _moved_most(
    faces: Sequence[FaceGeometry], field: Field
) -> tuple[int, Mesh, float, float, float] | None:
    """The face that is moved most, in widths of its own: its number, its mesh, by how many px, and
    where. What is moved counts for the nearest face, in sizes of that face."""
    points = node_places(field.rect, field.step_px).reshape(-1, 2)
    lengths = field.lengths_px.ravel()
    meshes = [fitted_points(face) for face in faces]
    owner = nearest_face(faces, points[:, 0], points[:, 1])
    best, share = None, -1.0
    for number, mesh in enumerate(meshes):
        mine = np.where(owner == number, lengths, 0.0)
        most = int(np.argmax(mine))
        if mine[most] / face_width_px(mesh) > share:
            share = float(mine[most]) / face_width_px(mesh)
            best = number, mesh, float(mine[most]), float(points[most, 0]), float(points[most, 1])
    return best


def total_field(state: JobState) -> Field:
    """All reshapes as one field, on a grid that is fine enough to measure by."""
    space, picture = seen_space(state), state.photo.rect
    places = [layer.bounds for layer in space.below if layer.bounds is not None]
    around = Rect.union_of(places).grown(4 * MEASURED_EVERY_PX).intersect(picture)
    step = MEASURED_EVERY_PX
    while around.area / step**2 > MOST_POINTS:
        step *= 2
    at = node_rect(around, step)
    points = node_places(at, step).reshape(-1, 2)
    moved = space.to_photo(points) - points
    nodes = moved.reshape(at.height, at.width, 2).astype(np.float32)
    return Field(nodes, at, step)


def _kept(
    state: JobState, space: Space, field: Field
) -> tuple[float | None, float | None]:
    """Grain and fine detail of moved skin, against the same skin before it was moved."""
    plain = in_photo_space(state)
    pairs = []
    for x, y in _places(field):
        source = space.to_photo(np.array([[x, y]]))[0]
        blocks = [_block(one, at) for one, at in ((state, (x, y)), (plain, tuple(source)))]
        if all(block is not None for block in blocks):
            pairs.append([(_grain(b), _detail(b)) for b in blocks if b is not None])
    if not pairs:
        return None, None
    ratio = np.median([np.divide(now, np.maximum(was, 1e-6)) for now, was in pairs], axis=0)
    return float(ratio[0]), float(ratio[1])


def _places(field: Field) -> list[tuple[float, float]]:
    """Centres of blocks that are moved most."""
    length = field.lengths_px
    order = np.argsort(-length.ravel())
    found: list[tuple[float, float]] = []
    for n in order[:: max(1, len(order) // 4000)]:
        row, column = divmod(int(n), length.shape[1])
        if length[row, column] < LEAST_MOVED_PX or len(found) >= N_BLOCKS:
            break
        x, y = ((k + o) * field.step_px for k, o in ((column, field.rect.x0), (row, field.rect.y0)))
        if all(abs(x - a) + abs(y - b) > BLOCK_PX for a, b in found):
            found.append((float(x), float(y)))
    return found


def _block(state: JobState, at: tuple[float, ...]) -> np.ndarray | None:
    x, y = int(at[0]) - BLOCK_PX // 2, int(at[1]) - BLOCK_PX // 2
    rect = Rect(x, y, x + BLOCK_PX, y + BLOCK_PX)
    if rect.intersect(state.photo.rect) != rect:
        return None
    light: np.ndarray = lum(render(state, rect)[..., :3])[..., 0]
    return np.ascontiguousarray(light, dtype=np.float32)


def _grain(light: np.ndarray) -> float:
    from lather.core.filter.grain import grain_sigma_l

    return max(grain_sigma_l(light), LEAST_GRAIN_L)


def _detail(light: np.ndarray) -> float:
    """Rms of what is finer than about four pixels."""
    import cv2

    fine = light - cv2.GaussianBlur(light, (0, 0), 1.0)
    return float(np.sqrt((fine**2).mean()))
