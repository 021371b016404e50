"""Layers that compute: strokes among them, sliders, the filters by themselves, export."""

from __future__ import annotations

import time
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from bench.common import Row, Scale, large_samples, large_state, row, run_fresh
from bench.stroke import opened, stroke_delays
from lather.document import edits
from lather.document.layers.layer import Layer
from lather.document.layers.table import KINDS
from lather.document.state import JobState
from lather.document.tiles import TILE_PX

N_LAYERS, N_PIXEL_LAYERS = 16, 6
SIGMAS_PX = (6.0, 20.0, 60.0)
USUAL_SIGMA_PX, WIDE_SIGMA_PX, WIDE_SHARE = 8.0, 200.0, 2.0
LAB_SHARE = 1.5
SKIN_LAB, AS_IT_IS = (60.0, 15.0, 15.0), (100.0, 100.0, 100.0)
VIEW_PX = 696, 694  # of the picture in a window of 1280 x 800
STROKE_SHARE, REDRAW_MS, SETTLED_MS, MOST_MB = 1.5, 33.0, 150.0, 1500.0

_FLATTEN = """
import time
from bench.layers import computing_state
from bench.common import Scale
from lather.core.kernels import prepare_kernels
from lather.render.flatten import flatten
prepare_kernels()
state = computing_state(SCALE, SIGMA)
start = time.perf_counter()
flatten(state, 16)
took = 1000 * (time.perf_counter() - start)
status = open("/proc/self/status").read()
print(took, int(status.split("VmHWM:")[1].split()[0]) / 1024)
"""


def measure(scale: Scale) -> list[Row]:
    """16 layers that compute: strokes, sliders, each filter alone, memory of flattening"""
    return [*_filters(scale), *_strokes(scale), *_sliders(scale), *_flattening(scale)]


def _flattening(scale: Scale) -> list[Row]:
    def flattened(sigma_px: float) -> tuple[float, float]:
        took, peak = run_fresh(_FLATTEN.replace("SIGMA", repr(sigma_px)), scale).split()[-2:]
        return float(took), float(peak)

    usual, peak = flattened(USUAL_SIGMA_PX)
    took, wide_peak = flattened(WIDE_SIGMA_PX)
    name = "flatten 24 MP, 16 layers that compute"
    return [
        row(f"{name}: peak memory", peak, "MB", target=f"< {MOST_MB:.0f} MB", ok=peak < MOST_MB),
        row(f"{name}, a split of {WIDE_SIGMA_PX:.0f} px: peak memory", wide_peak, "MB",
            target=f"< {MOST_MB:.0f} MB", ok=wide_peak < MOST_MB),
        row(f"{name}, a split of {WIDE_SIGMA_PX:.0f} px", took, "ms",
            target=f"<= {WIDE_SHARE:g}x", ok=took <= WIDE_SHARE * usual,
            reference=f"with a split of {USUAL_SIGMA_PX:g} px", reference_value=usual),
    ]  # fmt: skip


def computing_state(
    scale: Scale, sigma_px: float = 8.0, n_pixel_layers: int = N_PIXEL_LAYERS
) -> JobState:
    """The photo, pixel layers, a split with edits in both stacks, 2 light maps, curves, hue
    ranges, a smooth, a radial light, a sharpening, grain."""
    state = large_state(scale, n_pixel_layers)
    tile = np.random.default_rng(4).integers(0, 65536, (TILE_PX, TILE_PX), dtype=np.uint16)
    pixels = state.layers[-1]
    state = edits.add_computed(
        state, KINDS["split"], sigma_px=sigma_px  # type: ignore[arg-type]
    )
    split = state.active
    for stack in split.children:
        state = edits.add_pixel_layer(replace(state, active_id=stack.id))
        state = edits.update_layer(state, state.active_id, tiles=pixels.planes["pixels"])
    state = replace(state, active_id=split.id)
    skin = {"middle_deg": 45.0, "width_deg": 40.0, "light_l": 2.0}
    whole = state.photo.rect
    for kind, values in (
        ("light", {}), ("curves", {}), ("light", {}), ("hues", {"ranges": [skin]}), ("smooth", {}),
        ("radial", {"exposure_ev": 0.3, "centre_x_px": whole.width / 2,
                    "centre_y_px": whole.height / 2, "radius_x_px": whole.width / 2,
                    "radius_y_px": whole.height / 2}),
        ("sharpen", {}), ("grain", {}),
    ):  # fmt: skip
        state = edits.add_computed(state, KINDS[kind], **values)  # type: ignore[arg-type]
        layer = state.active
        if layer.planes:
            keys = list(state.photo.rect.cells(TILE_PX))[::3]
            painted = layer.planes["map"].with_tiles({key: tile.copy() for key in keys})
            layer = layer.with_painted({"map": painted}, ())
            state = replace(state, layers=(*state.layers[:-1], layer))
        if kind == "curves":
            bent = ((0.0, 0.0), (0.3, 0.27), (0.7, 0.74), (1.0, 1.0))
            state = edits.set_parameter(state, layer.id, "rgb", bent)
    return state


def _filters(scale: Scale) -> list[Row]:
    import cv2

    from lather.core.adjust.curves import NO_TABLE, NO_TABLES, apply_curves, table_of
    from lather.core.adjust.tone import brightness_table
    from lather.core.filter.smooth import smoothed
    from lather.core.rect import Rect
    from lather.core.tone.split import split

    rgb = large_samples(scale).astype(np.float32) / np.float32(65535)
    rgba = np.dstack([rgb, np.ones(rgb.shape[:2], np.float32)])
    whole = Rect(0, 0, rgb.shape[1], rgb.shape[0])
    rows = []

    def held(name: str, work: float, most: float, reference: str, value: float) -> None:
        rows.append(row(name, work, "ms", target=f"<= {most:g}x", ok=work <= most * value,
                        reference=reference, reference_value=value))  # fmt: skip

    copy = scale.median_ms(rgba.copy, 5)
    table = table_of(((0, 0), (0.4, 0.5), (1, 1)))
    image = rgba.copy()
    curves = scale.median_ms(
        lambda: apply_curves(image, table, (NO_TABLE, NO_TABLE, NO_TABLE), NO_TABLE), 5
    )
    held("curves, 24 MP", curves, 4, "float32 copy", copy)
    contrast = scale.median_ms(
        lambda: apply_curves(image, brightness_table(0.1, 0.2, 0.5), NO_TABLES, NO_TABLE), 5
    )
    held("brightness and contrast, 24 MP", contrast, 4, "float32 copy", copy)
    rows += _in_lab(scale, rgb)
    for sigma in SIGMAS_PX:
        blur = scale.median_ms(lambda: cv2.GaussianBlur(rgb, (0, 0), sigma), 1, 0)  # noqa: B023
        took = scale.median_ms(lambda: split(rgba, whole, sigma), 3, 0)  # noqa: B023
        held(f"split, sigma {sigma:g} px", took, 1.2, "one blur of that sigma", blur)
    took = scale.median_ms(lambda: smoothed(rgba, whole, 6.0, 6.0), 3, 0)
    blur = scale.median_ms(lambda: cv2.GaussianBlur(rgb, (0, 0), 6.0), 3, 0)
    held("smooth, scale 6 px", took, 4, "one blur of that scale", blur)
    part: NDArray[np.float32] = np.ascontiguousarray(rgb[: max(1, rgb.shape[0] // 8)])
    bilateral = 8 * scale.median_ms(lambda: cv2.bilateralFilter(part, 17, 0.1, 6), 1, 0)
    held("smooth, scale 6 px, again", took, 1, "cv2.bilateralFilter, d = 17", bilateral)
    return rows


def _in_lab(scale: Scale, rgb: NDArray[np.float32]) -> list[Row]:
    """The kinds that go through Lab, as the picture is rendered: on two threads, as OpenCV is."""
    from concurrent.futures import ThreadPoolExecutor

    import cv2

    from lather.core.adjust.area_colour import apply_area_colour
    from lather.core.adjust.hues import Bracket, apply_black_and_white, apply_hues
    from lather.core.adjust.inks import InkRange, apply_inks

    rgba = np.dstack([rgb, np.ones(rgb.shape[:2], np.float32)])
    halves = np.array_split(rgba, 2)
    brackets = [Bracket(45, 40, light_l=0.01), Bracket(300, 60, turn_deg=0.01)]
    ranges = [InkRange(45, 40, black=-0.01)]
    kinds = {
        "hue ranges": lambda half: apply_hues(half, brackets),
        "ink balance": lambda half: apply_inks(half, ranges),
        "black and white": lambda half: apply_black_and_white(half, brackets),
        "colour by area": lambda half: apply_area_colour(half, SKIN_LAB, (0.01, 0, 0), AS_IT_IS),
    }
    rows = []
    with ThreadPoolExecutor(2) as pool:
        for name, kind in kinds.items():
            rgba[..., :3] = rgb
            there = scale.median_ms(
                lambda: cv2.cvtColor(cv2.cvtColor(rgb, cv2.COLOR_RGB2Lab), cv2.COLOR_Lab2RGB), 5
            )
            took = scale.median_ms(lambda: list(pool.map(kind, halves)), 5)  # noqa: B023
            rows.append(row(f"{name}, 24 MP", took, "ms", target=f"<= {LAB_SHARE}x",
                            ok=took <= LAB_SHARE * there, reference="cv2.cvtColor to Lab and back",
                            reference_value=there))  # fmt: skip
    return rows


def _strokes(scale: Scale) -> list[Row]:
    """On the middle pixel layer, in a stack that computes, through a lens too, and in one of pixels
    alone."""
    from lather.document.job import Job
    from lather.ui.scripted import settle

    delays: dict[tuple[str, float], float] = {}
    for name, state in (("pixels", large_state(scale, N_LAYERS)),
                        ("computing", computing_state(scale)),
                        ("lens", large_state(scale, N_LAYERS))):  # fmt: skip
        app, pen, paints = opened(Job(state))
        app.bench.look(lens="blotch" if name == "lens" else "")
        for zoom in (0.5, 1.0):
            app.bench.zoom_to(zoom)
            app.bench.select_layer(app.bench.state.layers[N_PIXEL_LAYERS // 2].id)
            settle(app)
            found = stroke_delays(app, pen, paints, scale.runs(60) + 10)
            delays[name, zoom] = float(np.percentile(found, 95))
            settle(app)
        app.close()
    return [
        row(f"stroke {zoom:.0%} {where}, p95", delays[name, zoom], "ms",
            target=f"<= {STROKE_SHARE}x", reference="the same stroke in 16 pixel layers",
            reference_value=delays["pixels", zoom],
            ok=delays[name, zoom] <= STROKE_SHARE * delays["pixels", zoom])
        for name, where in (("computing", "in 16 layers that compute"),
                            ("lens", "in 16 pixel layers through the blotch lens"))
        for zoom in (0.5, 1.0)
    ]  # fmt: skip


def _sliders(scale: Scale) -> list[Row]:
    """A new value to all tiles of a view of 1280 x 800, on two threads, at fit and at 100 %."""
    from concurrent.futures import ThreadPoolExecutor

    from lather.core.rect import Rect
    from lather.document.diff import changed_cells
    from lather.render.compositor import deepest_level, kept, render

    state = computing_state(scale)
    layers: dict[str, Layer] = {layer.kind: layer for layer in state.layers}
    rows = []
    pool = ThreadPoolExecutor(2)
    for name, level in (("fit", deepest_level(state.photo)), ("100 %", 0)):
        view = Rect(0, 0, *VIEW_PX).intersect(state.photo.rect.at_level(level))
        cells = [Rect.cell(key, TILE_PX) for key in view.cells(TILE_PX)]

        def redraw(now: JobState) -> None:
            list(pool.map(lambda cell: render(now, cell, level), cells))  # noqa: B023

        kept.clear()
        redraw(state)
        for kind, parameter in (("smooth", "edge_l"), ("curves", "red")):
            layer = layers[kind]
            times = []
            for n in range(scale.runs(6)):
                more = n + 0.1 * level  # never the value that it has
                value = 5.0 + more if kind == "smooth" else (
                    (0.0, 0.0), (0.5, 0.51 + 0.01 * more), (1.0, 1.0))  # fmt: skip
                state = edits.set_parameter(state, layer.id, parameter, value)
                start = time.perf_counter()
                redraw(state)
                times.append(1000 * (time.perf_counter() - start))
            took = float(np.median(times))
            rows.append(row(f"slider of {kind} at {name}: view redrawn", took, "ms",
                            target=f"<= {REDRAW_MS:.0f} ms", ok=took <= REDRAW_MS))
    pixels = state.layers[N_PIXEL_LAYERS // 2]
    touched = Rect(300, 300, 500, 500)  # a stroke of 200 px, at 100 %
    tiles = pixels.planes["pixels"]
    paint = np.full((TILE_PX, TILE_PX, 4), 30000, dtype=np.uint16)
    anew = {key: paint.copy() for key in touched.cells(TILE_PX)}
    after = edits.update_layer(state, pixels.id, tiles=tiles.with_tiles(anew))
    cells = [Rect.cell(key, TILE_PX) for key in changed_cells(state, after)]
    start = time.perf_counter()
    list(pool.map(lambda cell: render(after, cell), cells))
    took = 1000 * (time.perf_counter() - start)
    rows.append(row("after the pen: exact again, 100 %", took, "ms",
                    target=f"<= {SETTLED_MS:.0f} ms", ok=took <= SETTLED_MS))  # fmt: skip
    pool.shutdown()
    kept.clear()
    return rows
