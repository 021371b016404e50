"""What tests share: small photos, jobs, and a base case with a temporary folder."""

from __future__ import annotations

import tempfile
import unittest
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
from hypothesis import strategies as st

from lather.assist.clean.clean import CleanOptions, propose_clean
from lather.assist.survey import with_mark
from lather.core.area.combine import Combine
from lather.core.blend.modes import BlendMode
from lather.core.bounds import N_DIRECTIONS
from lather.core.brush.stroke import Brush, PenSample
from lather.core.rect import Rect
from lather.core.survey.faces.geometry import HANDLES, FaceGeometry
from lather.core.survey.findings.finding import Finding, Kind
from lather.core.survey.regions.region import Region
from lather.document import areas, edits, ungrouping
from lather.document.agreed.style import Style
from lather.document.findings import Findings, FindingState
from lather.document.job import Job
from lather.document.layers.computed import ComputedLayer
from lather.document.layers.limits import Limits, Span
from lather.document.layers.table import COMPUTED
from lather.document.painting.strokes import StrokeRecord, readings_of
from lather.document.photo import Photo
from lather.document.planes import Regions, with_plane
from lather.document.scale import move_handle
from lather.document.state import JobState, new_state
from lather.document.tiles import BLACK_MASK, TILE_PX
from lather.document.tree import walk
from lather.errors import EditError
from lather.files.exchange.delivery import Delivery, encode_photo
from lather.files.photos.reading import read_photo
from lather.render.worker import SameThread, ignore, log_failure
from lather.tools.base import Hand
from lather.tools.session import PenSession, Viewport

DEMO = Path(__file__).parents[1] / "demo"


def small_portrait(folder: Path, scale: float) -> Path:
    """Portrait 8 of the demo at a share of its size, as a photo of its own."""
    picture = cv2.imread(str(DEMO / "portrait8.jpg"))
    small = cv2.resize(picture, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    path = folder / "portrait.png"
    cv2.imwrite(str(path), small)
    return path


def photo_in(folder: Path, name: str = "portrait.png", **size: int) -> Photo:
    """`noise_photo`, from a file."""
    path = folder / name
    encode_photo(noise_photo(**size).samples, None, path, Delivery(depth_bits=16))
    return read_photo(path)


def noise_photo(width: int = 300, height: int = 280, *, seed: int = 1, bits: int = 16) -> Photo:
    """Random samples: nothing in it repeats, so a wrong place shows."""
    dtype = np.uint16 if bits == 16 else np.uint8
    random = np.random.default_rng(seed)
    return Photo(random.integers(0, 2**bits, (height, width, 3)).astype(dtype), name="noise.png")


def skin_photo(width: int = 400, height: int = 360, *, seed: int = 2) -> Photo:
    """A smooth gradient with fine grain: what mending expects."""
    y, x = np.mgrid[:height, :width].astype(np.float32)
    grain = np.random.default_rng(seed).normal(0, 0.01, (height, width, 1))
    base = np.stack([0.75 + 0.1 * x / width, 0.55 + 0.1 * y / height, 0.45 + 0 * x], -1)
    samples = np.clip(base + grain, 0, 1) * 65535
    return Photo(samples.astype(np.uint16), name="skin.png")


def random_tile(seed: int, channels: int = 4) -> np.ndarray:
    shape = (TILE_PX, TILE_PX, 4) if channels == 4 else (TILE_PX, TILE_PX)
    return np.random.default_rng(seed).integers(0, 65536, shape).astype(np.uint16)


def painted_state(photo: Photo | None = None, n_layers: int = 2) -> JobState:
    """A job state with random pixel layers over the photo."""
    state = new_state(photo or noise_photo())
    for seed in range(n_layers):
        state = edits.add_pixel_layer(state)
        tiles = state.active.tiles.with_tiles(
            {(0, 0): random_tile(seed), (0, 1): random_tile(seed + 50)}
        )
        state = edits.set_pixels(state, state.active_id, tiles)
    return state


OPERATIONS = (
    "add", "delete", "duplicate", "group", "ungroup", "raise", "lower", "hide", "strength",
    "mode", "mask", "invert", "rename", "size", "paint", "paint mask", "survey", "decide", "undo",
    "redo", "computed", "parameter", "select", "area", "no area", "grow area", "region", "handle",
    "style", "mark", "limits",
)  # fmt: skip


def edit_sequences(most: int):
    """Hypothesis: lists of steps for `apply_edit`."""
    return st.lists(st.tuples(st.sampled_from(OPERATIONS), st.integers(0, 9)), max_size=most)


def apply_edit(job: Job, name: str, pick: int) -> bool:
    """One of `OPERATIONS` on the layer that `pick` chooses; False if it was refused."""
    state = job.state
    layers = list(walk(state.layers))
    layer_id = layers[pick % len(layers)].id
    edit = {
        "add": edits.add_pixel_layer,
        "computed": lambda s: edits.add_computed(s, COMPUTED[pick % len(COMPUTED)]),
        "parameter": lambda s: _parameter_set(s, layer_id, pick),
        "limits": lambda s: edits.set_limits(
            s, layer_id, Limits(Span(low_l=5.0 * pick), (Region.SKIN,) if pick % 2 else ())
        ),
        "delete": lambda s: edits.delete(s, layer_id),
        "duplicate": lambda s: edits.duplicate(s, layer_id),
        "group": lambda s: edits.group(s, layer_id),
        "ungroup": lambda s: ungrouping.ungroup(s, layer_id),
        "raise": lambda s: edits.raise_layer(s, layer_id),
        "lower": lambda s: edits.lower_layer(s, layer_id),
        "hide": lambda s: edits.set_visible(s, layer_id, pick % 2 == 0),
        "strength": lambda s: edits.set_strength(s, layer_id, pick / 9),
        "mode": lambda s: edits.set_mode(s, layer_id, list(BlendMode)[pick]),
        "mask": lambda s: edits.add_mask(s, layer_id, hide_all=pick % 2 == 0),
        "invert": lambda s: edits.invert_mask(s, layer_id),
        "rename": lambda s: edits.rename(s, layer_id, f"Näme {pick}"),
        "size": lambda s: edits.set_delivery_long_side(s, 100 * pick or None),
        "paint": lambda s: _painted(s, layer_id, pick),
        "paint mask": lambda s: _mask_painted(s, layer_id, pick),
        "area": lambda s: areas.outline(
            s, Rect(9 * pick, 5, 90 + pick, 60), np.full((55, 90 - 8 * pick), pick / 9, "f4"),
            list(Combine)[pick % 4],
        ),
        "no area": lambda s: areas.set_area(s, None),
        "grow area": lambda s: areas.grow(s, pick - 4.0),
        "region": lambda s: replace(s, regions=_regions(pick)),
        "handle": lambda s: _handle_moved(s, pick),
        "style": lambda s: edits.set_style(s, list(Style)[pick % 3]),
        "mark": lambda s: with_mark(s, 20.0 * pick, 31.0, 4.0 + pick),
        "survey": lambda s: edits.set_findings(s, surveyed(pick + 1)),
        "decide": lambda s: edits.decide(
            s, [f.id for f in s.findings.items[:pick]], list(FindingState)[pick % 4]
        ),
    }.get(name)
    try:
        if edit is not None:
            gesture = "drag" if name == "strength" else None
            job.change(name, edit(state), gesture)
        elif name == "select":
            job.select(layer_id)
        else:
            getattr(job, name)()
    except EditError:
        return False
    return True


def _parameter_set(state: JobState, layer_id: int, pick: int) -> JobState:
    """A number or a curve of a layer that has some; any other says what it is."""
    layer = state.layer(layer_id)
    specs = layer.TAKES.specs() if isinstance(layer, ComputedLayer) else {}
    names = list(specs) or ["none"]
    name = names[pick % len(names)]
    values = {"rgb": ((0.0, pick / 10), (1.0, 1.0)), "ranges": [{"middle_deg": 30.0 * pick}]}
    value = values.get("rgb" if layer.kind == "curves" else name, 1.0 + pick)
    return edits.set_parameter(state, layer_id, name, value)


def finding(number: int, x: float = 50.0, y: float = 60.0, **changes) -> Finding:
    """A red blemish of 6 px, with what is given changed."""
    plain = Finding(
        number, Kind.RED, x, y, 6.0, 1.6, -4.5, 9.25, 50.0, 0.0, tuple([12.0] * N_DIRECTIONS)
    )
    return replace(plain, **changes)


def surveyed(n: int) -> Findings:
    """Findings as a survey gives them: blemishes, and a mole to be kept."""
    items = [finding(k + 1, 20.0 + 9 * k, 30.5, severity=90.0 - k) for k in range(n)]
    items[-1] = replace(items[-1], kind=Kind.MOLE)
    return Findings.of_survey(0.25, items, [FaceGeometry.from_pupils((60.0, 70.0), (120.0, 72.0))])


def mended(state: JobState, findings: Sequence[Finding], **options) -> JobState:
    """The state with open findings mended as Clean proposes it; EditError if it does not."""
    wanted = CleanOptions(ids=frozenset(finding.id for finding in findings))
    return propose_clean(state, wanted, **options).accepted()


def _regions(pick: int) -> Regions:
    plane = np.full((30, 40), pick / 9, "f4")
    tiles = with_plane(BLACK_MASK, Rect(0, 0, 40, 30), plane)
    return Regions(0.1, {list(Region)[pick % 9]: tiles}, frozenset({Region.LIPS}))


def _handle_moved(state: JobState, pick: int) -> JobState:
    if not state.findings.faces:
        raise EditError("There is no face")
    return move_handle(state, 0, HANDLES[pick % 8], 40.0 + pick, 50.0)


def _painted(state: JobState, layer_id: int, pick: int) -> JobState:
    """A small square in one tile, and a stroke that says so."""
    tiles = edits.paintable(state, layer_id).tiles
    pixels = tiles.pixels((0, pick % 2)).copy()
    pixels[3 * pick : 3 * pick + 20, 5 : 30 + pick] = (pick * 7000, 500, 60000, 65535)
    stroke = StrokeRecord(
        "paint_colour", Brush(size_px=20.0 + pick), readings_of([PenSample(0.5, 3.25, pick, 0.7)]),
        Rect(5, 3 * pick, 30 + pick, 3 * pick + 20), colour=(0.1, 0.2, pick / 9),
    )  # fmt: skip
    return edits.set_pixels(state, layer_id, tiles.with_tiles({(0, pick % 2): pixels}), stroke)


def _mask_painted(state: JobState, layer_id: int, pick: int) -> JobState:
    tiles = edits.mask_paintable(state, layer_id).tiles
    pixels = tiles.pixels((0, 0)).copy()
    pixels[pick : pick + 9, :40] = 6000 * pick
    return edits.set_mask_pixels(state, layer_id, tiles.with_tiles({(0, 0): pixels}))


def session_for(job: Job) -> PenSession:
    """A pen session that works at once, showing all of the picture at full size."""
    return PenSession(job, SameThread(), lambda: Viewport(0, job.state.photo.rect, 0.2))


def draw(session: PenSession, tool_id: str, points: list[tuple[float, float]], **brush: object):
    """One stroke through points with a tool and brush."""
    session.hand = replace(
        session.hand, tool=tool_id, brush=replace(Brush(spacing=0.1), **brush)
    )
    samples = [PenSample(0.01 * i, x, y, 1.0) for i, (x, y) in enumerate(points)]
    session.down(samples[0])
    for sample in samples[1:]:
        session.move(sample)
    session.up(replace(samples[-1], pressure=0.0))


class Later:
    """An executor whose work waits until it is told to run: for what happens meanwhile."""

    def __init__(self) -> None:
        self.posted: list[tuple] = []

    def post(self, work, done=ignore, *, failed=log_failure, priority: int = 0) -> None:
        self.posted.append((work, done, failed))

    def run(self, *, first: int | None = None) -> None:
        """Run what was posted, in order; what is posted meanwhile waits."""
        posted, self.posted = self.posted[:first], self.posted[first:] if first else []
        for work, done, failed in posted:
            try:
                outcome = work()
            except Exception as error:  # noqa: BLE001 - as workers do
                failed(error)
            else:
                done(outcome)

    def close(self) -> None:
        """Nothing to end."""


class Answers:
    """Stands in for the dialogs: answers as told, notes what was asked."""

    def __init__(self) -> None:
        self.asked: list[str] = []
        self.answers: dict[str, object] = {}

    def __getattr__(self, name: str):
        def answer(*arguments):
            self.asked.append(name)
            return self.answers.get(name)

        return answer


class Case(unittest.TestCase):
    """A test case with a folder of its own and array assertions."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def assert_equal_arrays(self, actual: np.ndarray, expected: np.ndarray) -> None:
        np.testing.assert_array_equal(actual, expected)

    def assert_close(self, actual: object, expected: object, atol: float) -> None:
        np.testing.assert_allclose(actual, expected, rtol=0, atol=atol)


__all__ = [
    "DEMO", "Answers", "Case", "Hand", "Later", "Rect", "apply_edit", "draw", "edit_sequences",
    "finding", "mended", "surveyed",
    "noise_photo", "painted_state", "photo_in", "random_tile", "session_for", "skin_photo",
]
