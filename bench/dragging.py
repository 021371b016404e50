"""Rulers, handles, strengths and limits of all kinds of layers, dragged in the real window."""

from __future__ import annotations

import contextlib
import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import TYPE_CHECKING, Any
from unittest import mock

import numpy as np

from bench.common import Row, Scale, p95, row
from bench.layers import computing_state
from bench.shaping import is_current
from bench.stroke import Paints, bare_blend_ms, opened, wait_for_events
from lather.document import edits
from lather.document.layers.computed import ComputedLayer
from lather.document.layers.limits import Limits, Span
from lather.document.layers.parameters import Number, Spec
from lather.document.layers.table import COMPUTED, KINDS
from lather.document.state import JobState

if TYPE_CHECKING:
    from lather.render.screen.request import Fresh
    from lather.render.screen.view import ViewTiles
    from lather.ui.app import App

FRAME_MS, SETTLED_MS, LEAST_FINE = 33.0, 150.0, 0.5
N_EVENTS, N_WARM_UP, LATE_S = 12, 4, 2.0
ZOOMS = (0.5, 1.0)
VIEW_SIDE_PX = 694

Drag = Callable[[float], None]  # to a share of the way, 0-1


def measure(scale: Scale) -> list[Row]:
    """every ruler and handle of every kind among 16 live layers: pen event to paint, and exact"""
    from lather.document.job import Job
    from lather.ui.scripted import settle

    state = _with_all_kinds(computing_state(scale))
    app, _, paints = opened(Job(state))
    reference = bare_blend_ms(scale, scale.px(VIEW_SIDE_PX))
    rows: list[Row] = []
    everything: list[float] = []
    settled: list[float] = []
    assert app.window.canvas.tiles is not None
    shown = {0: 0, 1: 0}
    for zoom in ZOOMS[: scale.runs(len(ZOOMS))]:
        app.bench.zoom_to(zoom)
        for kind in COMPUTED[: scale.runs(len(COMPUTED))]:
            delays: list[float] = []
            before = app.window.canvas.tiles.frames
            for _, drag in drags(app, kind):
                settle(app)
                delays += drag_delays(app, paints, drag, scale.runs(N_EVENTS))
                start = time.perf_counter()
                while not is_current(app):
                    wait_for_events()
                settled.append(1000 * (time.perf_counter() - start))
            frames = {n: count - before[n] for n, count in app.window.canvas.tiles.frames.items()}
            shown = {n: shown[n] + frames[n] for n in shown}
            everything += delays
            rows.append(_frames(f"drag {kind.TITLE.lower()}, {zoom:.0%}", delays, reference,
                                frames))  # fmt: skip
    app.close()
    value = float(np.percentile(settled, 95))
    return [
        _frames("drag any ruler or handle", everything, reference, shown),
        row("drag any: exact after it rests, p95", value, "ms", target=f"< {SETTLED_MS:.0f} ms",
            ok=value < SETTLED_MS, reference="float32 blend + 8 bit of the view",
            reference_value=reference),
        row("drag any: frames at the view's own level", _share(shown), "",
            target=f">= {LEAST_FINE}", ok=_share(shown) >= LEAST_FINE),
        *rows,
    ]  # fmt: skip


def _share(frames: dict[int, int]) -> float:
    return frames[0] / max(1, sum(frames.values()))


def _frames(name: str, delays: list[float], reference: float, frames: dict[int, int]) -> Row:
    about = f"{_share(frames):.0%} at the view's level; float32 blend + 8 bit of the view"
    return p95(name, delays, FRAME_MS, about, reference)


def _with_all_kinds(state: JobState) -> JobState:
    """The state with one layer of each kind that is not in it, hidden, in the middle."""
    there = {layer.kind for layer in state.layers}
    middle = next(layer for layer in state.layers if layer.kind == "curves")
    for kind in COMPUTED:
        if kind.KIND not in there:
            state = edits.add_computed(
                replace(state, active_id=middle.id), KINDS[kind.KIND]  # type: ignore[arg-type]
            )
            state = edits.set_visible(state, state.active_id, False)
    return state


def drags(app: App, kind: type[ComputedLayer]) -> Iterator[tuple[str, Drag]]:
    """All that can be dragged of a kind, with its layer shown meanwhile."""
    bench = app.bench
    layer = next(one for one in bench.state.layers if one.kind == kind.KIND)
    was_visible = layer.visible
    bench.select_layer(layer.id)
    if not was_visible:
        bench.change("Shown", edits.set_visible, layer.id, True)
    specs = kind.TAKES.specs()
    for name, spec in specs.items():
        value = _values(spec, getattr(layer.parameters, name))  # type: ignore[attr-defined]
        if value is not None:
            yield name, _setting(app, name, value)
    yield "strength", lambda share: _change(app, edits.set_strength, layer.id, 0.4 + 0.5 * share)
    if kind.BLENDS:
        yield "limits", lambda share: _change(app, edits.set_limits, layer.id,
                                              Limits(Span(low_l=5 + 20 * share)))  # fmt: skip
        bench.change("Open", edits.set_limits, layer.id, Limits())
    bench.change("Full", edits.set_strength, layer.id, 1.0)
    if not was_visible:
        bench.change("Hidden", edits.set_visible, layer.id, False)


def _values(spec: Spec, now: Any) -> Callable[[float], Any] | None:
    """A parameter's value at a share of the way; None if it is nothing to be dragged."""
    if isinstance(spec, Number):
        # Around what it is, as a hand does; to the ends only where there is nothing.
        low, high = (spec.nearest(now * by) for by in (0.6, 1.5)) if now else (
            spec.low, spec.low + (spec.high - spec.low) / 2)  # fmt: skip
        return lambda share: spec.nearest(low + share * (high - low))
    if isinstance(now, tuple) and now and isinstance(now[0], tuple):  # a curve
        return lambda share: ((0.0, 0.0), (0.5, 0.4 + 0.2 * share), (1.0, 1.0))
    return None


def _setting(app: App, name: str, value: Callable[[float], Any]) -> Drag:
    """As a ruler of the layer's card sets it."""
    from lather.ui.layers.layer_card import LayerCard

    def drag(share: float) -> None:
        cards = app.window.findChild(LayerCard)
        assert cards is not None and cards.card is not None
        cards.card.set_parameter(name, value(share))

    return drag


def _change(app: App, edit: Callable[..., JobState], *args: Any) -> None:
    app.bench.change("Dragged", edit, *args, gesture="dragged")


def drag_delays(app: App, paints: Paints, drag: Drag, n_events: int) -> list[float]:
    """Milliseconds from each move to the end of the paint that shows it."""
    tiles = app.window.canvas.tiles
    assert tiles is not None
    delays = []
    with _arrivals(tiles) as arrivals:
        for number in range(n_events + N_WARM_UP):
            before, start = sum(tiles.frames.values()), time.perf_counter()
            drag((number % 7 + 0.5 * (number // 7 % 2)) / 7)
            came_s, shown_s = 0.0, 0.0
            paints.clear()
            arrivals.clear()
            while not shown_s and time.perf_counter() < start + LATE_S:
                wait_for_events()
                if not came_s and (sum(tiles.frames.values()) > before or not tiles.busy):
                    came_s = arrivals[-1] if arrivals else start
                shown_s = next((at for at, _ in paints if came_s and at > came_s), 0.0)
            delays.append(1000 * (shown_s - start if shown_s else LATE_S))
    return delays[N_WARM_UP:]


@contextlib.contextmanager
def _arrivals(tiles: ViewTiles) -> Iterator[list[float]]:
    """Grows by the time at which pixels came in, of each rectangle."""
    arrivals: list[float] = []
    tell = tiles._arrived

    def noted(fresh: Fresh) -> None:
        arrivals.append(time.perf_counter())
        tell(fresh)

    with mock.patch.object(tiles, "_arrived", noted):
        yield arrivals
