"""How long the interface thread is away: the longest stall of each thing that a person does."""

from __future__ import annotations

import statistics
import tempfile
import time
from collections.abc import Callable, Iterable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from bench.common import Row, Scale, large_state, row
from bench.stroke import opened
from lather.actions.work.proposing import set_strength
from lather.assist.pending import Pending
from lather.assist.proposal import Proposal
from lather.core.bounds import N_DIRECTIONS
from lather.core.brush.stroke import PenSample
from lather.core.survey.findings.finding import Finding, Kind
from lather.core.survey.regions.region import Region
from lather.document import edits
from lather.document.findings import Findings
from lather.document.job import Job
from lather.document.layers.blood_pigment import (
    BLOOD,
    NOTHING_TAKEN,
    PIGMENT,
    BloodPigmentLayer,
)
from lather.document.layers.layer import Mask, Stage, new_id
from lather.document.planes import Regions
from lather.document.tiles import BLACK_MASK, TILE_PX, WHITE_MASK

if TYPE_CHECKING:
    from lather.ui.app import App
    from lather.ui.simulated_pen import SimulatedPen

LONGEST_MS = 16.0
HEARTBEAT_MS = 1
N_SESSIONS = 3  # a busy machine stalls whom it likes: the middle of three is Lather's own
PAUSE_S = 0.1
N_MARKS, N_STEPS = 300, 200
REGION_SCALE = 0.22  # of a surveyed portrait of this size

Work = Callable[[], object]


class Heartbeat:
    """Beats on the interface thread; the longest gap between two beats is a stall."""

    def __init__(self) -> None:
        from PyQt6.QtCore import QTimer

        self.longest_ms = 0.0
        self._last_s = time.perf_counter()
        self._timer = QTimer()
        self._timer.setInterval(HEARTBEAT_MS)
        self._timer.timeout.connect(self._beat)
        self._timer.start()

    def _beat(self) -> None:
        now_s = time.perf_counter()
        self.longest_ms = max(self.longest_ms, 1000 * (now_s - self._last_s))
        self._last_s = now_s

    def during(self, work: Work, rest: Work) -> float:
        """The longest stall, ms, from the beginning of `work` to the end of `rest`."""
        self.longest_ms, self._last_s = 0.0, time.perf_counter()
        work()
        self._beat()
        rest()
        return self.longest_ms

    def stop(self) -> None:
        self._timer.stop()


class Session:
    """What a person does in half an hour, by script."""

    def __init__(self, app: App, pen: SimulatedPen, scale: Scale, folder: Path) -> None:
        self.app, self.pen, self.bench, self._scale = app, pen, app.bench, scale
        self._path = folder / "stalls.lather"

    def parts(self) -> Iterable[tuple[str, Work]]:
        """Name and work; those without a name are the script's own."""
        bench, state = self.bench, self.bench.state
        layer_id, lowest_id = state.active_id, state.layers[0].id
        yield "first step", lambda: bench.change("Layer", edits.add_pixel_layer)
        yield "empty layer above the photo", lambda: bench.change(
            "Layer", lambda now: edits.add_pixel_layer(replace(now, active_id=lowest_id)))
        yield "a wide stroke (about 100 tiles)", self._wide_stroke
        yield "undo of it", bench.undo
        yield "redo of it", bench.redo
        yield "60 steps of a slider", lambda: self._slider(layer_id)
        yield "", lambda: self._many_steps(layer_id)
        yield "back 200 steps", lambda: bench.go_to_step(0)
        yield "forward 200 steps", lambda: bench.go_to_step(200)
        yield "a layer duplicated", lambda: self._command("layer.duplicate")
        yield "a merged copy (384 new tiles)", lambda: self._command("layer.merge_copy")
        yield "saved, with a stroke meanwhile", self._save_and_stroke
        yield "an area of 4 MP, outlined", self._outline
        yield "an outline of 1,200 readings, freehand", self._freehand
        yield "", self._survey
        yield "a region corrected, inside of the area", self._correct_region
        yield "the first push", self._push
        yield "", self._undone_and_saved
        yield "redo of a wide stroke, after a save", self.bench.redo
        yield "the area inside out", lambda: self._command("area.invert")
        yield "", self._marks
        yield "a push under 300 marks", self._push
        yield "", self._mask_reshape
        yield "a repaint with 300 marks under a masked reshape", self._repaint
        yield "the pen over a masked reshape", self._hover
        yield "", self._propose
        yield "a proposal over all of the picture, weakened", self._weaken
        yield "the same, taken", lambda: self._command("proposal.accept")
        yield "", self._propose
        yield "a proposal taken, to be painted in", lambda: self._command("proposal.paint_in")
        yield "", self._painted_steps
        yield "back 200 painted steps", lambda: self.bench.go_to_step(
            self.bench.open_job.history.n_done - N_STEPS)
        yield "", self._propose
        yield "a proposal taken after 200 undone steps", lambda: self._command("proposal.accept")

    def _wide_stroke(self) -> None:
        self._take("paint_colour", 900.0)
        self._stroke([(500 + 30 * i, 2740) for i in range(100)])

    def _slider(self, layer_id: int) -> None:
        gesture = object()
        for step in range(60):
            self.bench.change("Strength", edits.set_strength, layer_id, step / 60, gesture=gesture)
            self.app.qt.processEvents()

    def _many_steps(self, layer_id: int) -> None:
        for number in range(200):
            self.bench.change(f"{number}", edits.set_strength, layer_id, number / 200)

    def _command(self, action_id: str) -> None:
        from lather.actions.table import all_actions

        next(action for action in all_actions() if action.id == action_id).run(self.bench)

    def _save_and_stroke(self) -> None:
        from lather.actions.job.saving import _save_to

        _save_to(self.bench, self._path, None)
        self._take("paint_colour", 200.0)
        self._stroke([(1000 + 20 * i, 2000 + 5 * i) for i in range(30)])

    def _outline(self) -> None:
        self._take("outline")
        corners = [(900, 900), (2900, 900), (2900, 2900), (900, 2900), (900, 900)]
        self._stroke([
            (x + (u - x) * n / 25, y + (v - y) * n / 25)
            for (x, y), (u, v) in zip(corners, corners[1:], strict=False) for n in range(25)
        ])  # fmt: skip

    def _freehand(self) -> None:
        turns = np.linspace(0, 2 * np.pi, 1200)
        radii = 900 + 20 * np.sin(40 * turns)
        self._stroke([(2000 + r * np.cos(t), 2000 + r * np.sin(t))
                      for r, t in zip(radii, turns, strict=True)])  # fmt: skip

    def _survey(self) -> None:
        """Regions, as if the portrait were surveyed."""
        masks = dict.fromkeys(Region, BLACK_MASK)
        self.bench.change(
            "Regions", lambda now: replace(now, regions=Regions(REGION_SCALE, masks)))

    def _correct_region(self) -> None:
        self._take("correct_region", 400.0)
        self._stroke([(1000 + 30 * i, 2000) for i in range(40)])

    def _push(self) -> None:
        self._take("push", 500.0)
        self._stroke([(1500 + 12 * i, 1500) for i in range(30)])

    def _undone_and_saved(self) -> None:
        """The pixels of what was undone are not in the file."""
        from lather.actions.job.saving import _save_to
        from lather.ui.scripted import settle

        self._wide_stroke()
        self.bench.undo()
        _save_to(self.bench, self._path, None)
        settle(self.app)

    def _marks(self) -> None:
        """What a survey finds, all over the picture; every other one with a path."""
        picture = self.bench.state.photo.rect
        random = np.random.default_rng(5)
        places = random.uniform((0, 0), (picture.width, picture.height), (N_MARKS, 2))
        items = tuple(
            Finding(n, Kind.RED, float(x), float(y), 6.0, 1.6, -4.5, 9.2, 50.0, 0.0,
                    tuple([12.0] * N_DIRECTIONS),
                    path_px=tuple((float(x + 7 * k), float(y)) for k in range(12 * (n % 2))))
            for n, (x, y) in enumerate(places, start=1)
        )  # fmt: skip
        self.bench.change("Marks", lambda now: replace(now, findings=Findings(0.15, items)))

    def _mask_reshape(self) -> None:
        state = self.bench.state
        layer = next(layer for layer in state.layers if layer.MOVES)
        random = np.random.default_rng(6)
        tiles = WHITE_MASK.with_tiles({
            (row, column): random.integers(0, 65536, (TILE_PX, TILE_PX), dtype=np.uint16)
            for row in range(4) for column in range(8)
        })  # fmt: skip
        self.bench.change("Mask", lambda now: edits.set_mask(now, layer.id, Mask(tiles=tiles)))

    def _repaint(self) -> None:
        """After the reshape has changed: every mark is found anew."""
        layer = next(layer for layer in self.bench.state.layers if layer.MOVES)
        self.bench.change("Strength", edits.set_strength, layer.id, 0.8)
        self.app.window.canvas.repaint()

    def _propose(self) -> None:
        """Maps of blood and pigment over all of the picture, as Even proposes them."""
        bench, state = self.bench, self.bench.state
        bench.go_to_stage(Stage.EVEN)
        random = np.random.default_rng(8)
        keys = [*state.photo.rect.cells(TILE_PX)]
        maps = {
            name: NOTHING_TAKEN.with_tiles({
                key: random.integers(30000, 36000, (TILE_PX, TILE_PX), dtype=np.uint16)
                for key in keys
            }) for name in (BLOOD, PIGMENT)
        }  # fmt: skip
        layer = BloodPigmentLayer(id=new_id(), name="Even", stage=Stage.EVEN, blood=maps[BLOOD],
                                  pigment=maps[PIGMENT])  # fmt: skip
        after = replace(state, layers=(*state.layers, layer), active_id=layer.id)
        bench.set_pending(Pending.of(Proposal("Even out", state, after, stage=Stage.EVEN)))

    def _weaken(self) -> None:
        for percent in range(90, 60, -1):
            set_strength(self.bench, percent / 100)
            self.app.qt.processEvents()

    def _painted_steps(self) -> None:
        """As many steps as a morning has, each on a few tiles."""
        bench, random = self.bench, np.random.default_rng(9)
        bench.change("Layer", edits.add_pixel_layer)
        for number in range(N_STEPS):
            state = bench.state
            tiles = state.active.planes["pixels"]
            row, column = number % 8, number // 8 % 12
            changed = {
                key: random.integers(0, 65536, (TILE_PX, TILE_PX, 4), dtype=np.uint16)
                for key in ((row, column), (row, column + 1), (row + 1, column))
            }
            bench.change(f"{number}", edits.set_pixels, state.active_id, tiles.with_tiles(changed))
            self.app.qt.processEvents()

    def _hover(self) -> None:
        self._take("paint_colour", 60.0)
        for n in range(40):
            self.bench.layer_sight.under(40.0 * n - 200, 900.0)

    def _take(self, tool_id: str, size_px: float | None = None) -> None:
        """Another tool, and its size: two things for a hand."""
        self.bench.hands.take_tool(tool_id)
        self._pause()
        if size_px is not None:
            self.bench.hands.set_brush(size_px=self._scale.px(size_px))
            self._pause()

    def _pause(self) -> None:
        """As long as no hand is faster."""
        end_s = time.perf_counter() + PAUSE_S
        while time.perf_counter() < end_s:
            self.app.qt.processEvents()
            time.sleep(0.001)

    def _stroke(self, points: list[tuple[float, float]]) -> None:
        placed = [(self._scale.px(x), self._scale.px(y)) for x, y in points]
        self.pen.stroke([PenSample(0.02 * i, x, y, 0.9) for i, (x, y) in enumerate(placed)])
        self.pen.wait()


def measure(scale: Scale) -> list[Row]:
    """longest stall of the interface thread through a scripted session, 24 megapixels"""
    from lather.ui.scripted import settle

    state = large_state(scale)
    app, pen, _ = opened(Job(state))
    heart = Heartbeat()
    stalls: dict[str, list[float]] = {}
    for number in range(scale.runs(N_SESSIONS)):
        if number:
            app.bench.take_job(Job(state))
        settle(app)
        with tempfile.TemporaryDirectory() as folder:
            for name, work in Session(app, pen, scale, Path(folder)).parts():
                stall_ms = heart.during(work, lambda: settle(app))
                if name:
                    stalls.setdefault(name, []).append(stall_ms)
            app.bench.take_job(None)
    heart.stop()
    app.close()
    rows = []
    for name, found in stalls.items():
        middle_ms = statistics.median(found)
        rows.append(row(f"longest stall: {name}", middle_ms, "ms",
                        target=f"< {LONGEST_MS:g}", ok=middle_ms < LONGEST_MS))  # fmt: skip
    return rows
