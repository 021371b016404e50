"""A colour picked on the picture, and what it means to each kind of layer."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from lather.core.adjust.bracket import GREY_CHROMA, bracket_weight
from lather.core.adjust.curves import curve_through
from lather.core.adjust.tone import grey_from
from lather.core.arrays import FloatImage, Plane
from lather.core.blend.modes import lum
from lather.core.colour.labs import lab_of
from lather.core.rect import Rect
from lather.core.survey.regions.region import Region
from lather.core.tone.robust_fit import MAD_TO_SIGMA
from lather.document import edits
from lather.document.layers.area_colour import AreaColourLayer
from lather.document.layers.bracket import HueBracket
from lather.document.layers.computed import ComputedLayer
from lather.document.layers.curves import CurvesLayer
from lather.document.layers.exposure import ExposureLayer
from lather.document.layers.hues import HuesLayer
from lather.document.layers.inks import InksLayer
from lather.document.layers.mono import MonoLayer
from lather.document.layers.parameters import LEAST_APART, Rows
from lather.document.scale import px_per_mm
from lather.document.state import JobState
from lather.errors import EditError
from lather.render.compositor import deepest_level, render, render_below
from lather.render.ground import ground_of
from lather.render.regions import region_coverage
from lather.render.space import layer_space

LEAST_WIDTH_DEG, MOST_WIDTH_DEG = 30.0, 120.0
LEAST_SPAN_L = 15.0  # to each side of a picked lightness
SPREADS = 4.0  # of the picked colours, that a bracket is wide
HALF = 0.5
PICKED_SPREADS, LEAST_PICKED_SPREAD = 2.5, 0.3  # of a disc's colour; L*, a*, b*
SEEN_PX, SURE = 512, 0.8  # of a region whose colours are taken


@dataclass(frozen=True)
class Picked:
    """Colours under a brush: their median, and how they spread.

    Attributes
    ----------
    rgb : encoded.
    lab, spread : median, and the spread of a normal distribution with the same quartiles.
    """

    rgb: tuple[float, float, float]
    lab: tuple[float, float, float]
    spread: tuple[float, float, float]
    n_pixels: int

    @property
    def chroma(self) -> float:
        return float(np.hypot(self.lab[1], self.lab[2]))

    @property
    def hue_deg(self) -> float:
        return float(np.degrees(np.arctan2(self.lab[2], self.lab[1])) % 360)


def picked_from(pixels: FloatImage, coverage: Plane) -> Picked:
    """What a brush covered by half or more of (h, w, 4) encoded pixels; EditError if nothing."""
    under = (coverage >= HALF) & (pixels[..., 3] > 0)
    if not under.any():
        raise EditError("Nothing was picked", "the pen was beyond the picture", "press inside it")
    rgb = pixels[under][:, :3]
    lab = lab_of(rgb[None])[0]
    low, middle, high = np.percentile(lab, (25, 50, 75), axis=0)
    spread = (high - low) / 1.349
    return Picked(_three(np.median(rgb, axis=0)), _three(middle), _three(spread), int(under.sum()))


def disc_colour(
    state: JobState, x: float, y: float, diameter_mm: float
) -> tuple[float, float, float]:
    """The colour of a disc of the picture, encoded: the mean without what is none of it.

    Pixels beyond 2.5 spreads of the middle in L*, a* or b* (pores, hairs, glints) do not count.
    EditError if it lies beyond the picture.
    """
    radius_px = max(0.5 * diameter_mm * px_per_mm(state), 1.5)
    rect = Rect.around(x, y, radius_px).intersect(state.photo.rect)
    if rect.empty:
        raise EditError("Nothing was picked", "the pen was beyond the picture", "press inside it")
    ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1] + 0.5
    inside = np.hypot(xs - x, ys - y) <= radius_px
    rgb = render(state, rect)[inside][:, :3]
    lab = lab_of(rgb[None])[0]
    middle = np.median(lab, axis=0)
    spread = MAD_TO_SIGMA * np.median(np.abs(lab - middle), axis=0) + LEAST_PICKED_SPREAD
    plain = (np.abs(lab - middle) <= PICKED_SPREADS * spread).all(-1)
    return _three(rgb[plain].mean(0) if plain.any() else np.median(rgb, axis=0))


def picked_in_region(state: JobState, layer_id: int, region: Region) -> Picked:
    """What lies below the layer in a region of the survey, seen small; EditError if it is not
    there."""
    level = deepest_level(state.photo, SEEN_PX)
    rect = state.photo.rect.at_level(level)
    ground = ground_of(state, layer_space(state, layer_id))
    coverage = region_coverage(ground, region, rect, level)
    if not (coverage >= SURE).any():
        raise EditError("Nothing was picked", f"there is no {region.label} in this picture",
                        "pick the colour on the picture")  # fmt: skip
    pixels = render_below(state, layer_id, rect, level)
    return picked_from(pixels, np.where(coverage >= SURE, 1, 0).astype(np.float32))


def _three(values: NDArray[np.floating]) -> tuple[float, float, float]:
    one, two, three = map(float, values)
    return one, two, three


def apply_pick(state: JobState, layer_id: int, picked: Picked, curve: str) -> JobState:
    """What the layer's kind makes of a picked colour; EditError if it makes nothing.

    `curve` is the one of a curves layer that takes the point.
    """
    layer = state.layer(layer_id)
    if isinstance(layer, CurvesLayer):
        return _with_point(state, layer, picked, curve)
    make = _MEANINGS.get(type(layer))
    if make is None:
        raise EditError(
            "Nothing was picked for", f"'{layer.name}' takes no colour from the picture",
            "choose a layer of curves, hues, inks, warmth or colour, or a mask",
        )  # fmt: skip
    assert isinstance(layer, ComputedLayer)
    return make(state, layer, picked)


def _grey(state: JobState, layer: ComputedLayer, picked: Picked) -> JobState:
    warmth, tint = grey_from(np.array(picked.rgb))
    return _with_nearest(state, layer, warmth_mired=warmth, tint_percent=tint)


def _mean(state: JobState, layer: ComputedLayer, picked: Picked) -> JobState:
    mean_l, mean_a, mean_b = picked.lab
    return _with_nearest(state, layer, mean_l=mean_l, mean_a=mean_a, mean_b=mean_b)


def _with_nearest(state: JobState, layer: ComputedLayer, **numbers: float) -> JobState:
    """With measured numbers, as near to them as the layer's parameters go."""
    nearest, _ = layer.TAKES.nearest(**numbers)
    for name in numbers:
        state = edits.set_parameter(state, layer.id, name, getattr(nearest, name))
    return state


def _bracket(state: JobState, layer: ComputedLayer, picked: Picked) -> JobState:
    """The bracket that holds the hue already moves there; else there is another one."""
    spec = layer.TAKES.specs()["ranges"]
    assert isinstance(spec, Rows)
    rows: list[HueBracket] = list(getattr(layer.parameters, "ranges"))  # noqa: B009
    holding = [
        n for n, row in enumerate(rows)
        if bracket_weight(np.array(picked.hue_deg), row.middle_deg, row.width_deg) > HALF
        and row.width_deg < 360
    ]  # fmt: skip
    found = _range_of(picked, spec)
    if holding:
        rows[holding[0]] = replace(rows[holding[0]], middle_deg=found["middle_deg"])
    else:
        rows.append(spec.row.checked(found))  # type: ignore[arg-type]
    return edits.set_parameter(state, layer.id, "ranges", rows)


def _range_of(picked: Picked, spec: Rows) -> dict[str, float]:
    has_span = "low_l" in spec.row.specs()
    light, spread_l = picked.lab[0], picked.spread[0]
    span_l = max(SPREADS / 2 * spread_l, LEAST_SPAN_L)
    span = {"low_l": max(light - span_l, 0.0), "high_l": min(light + span_l, 100.0)}
    if picked.chroma < GREY_CHROMA:
        if has_span:
            return {"middle_deg": 0.0, "width_deg": 360.0, **span}
        raise EditError("No bracket was set", "what was picked is grey and has no hue",
                        "pick a place with colour")  # fmt: skip
    across = np.hypot(picked.spread[1], picked.spread[2])
    width = np.degrees(SPREADS * across / picked.chroma)
    return {
        "middle_deg": round(picked.hue_deg, 1) % 360,
        "width_deg": float(np.clip(width, LEAST_WIDTH_DEG, MOST_WIDTH_DEG)),
        **(span if has_span else {}),
    }


def _with_point(state: JobState, layer: CurvesLayer, picked: Picked, curve: str) -> JobState:
    """A point on the curve at the picked value, where the curve is."""
    channels = dict(zip(("red", "green", "blue"), picked.rgb, strict=True))
    light = float(lum(np.array(picked.rgb, dtype=np.float32)[None])[0, 0])
    x = channels.get(curve, light)
    points = getattr(layer.parameters, curve)
    if any(abs(x - at) < 4 * LEAST_APART for at, _ in points):
        raise EditError("No point was set", "the curve has one at this value", "drag that one")
    if not points[0][0] < x < points[-1][0]:
        raise EditError("No point was set", "it would lie beyond the curve's ends")
    y = float(curve_through(points, np.array([x]))[0])
    return edits.set_parameter(state, layer.id, curve, sorted((*points, (x, y))))


_MEANINGS: dict[type, Callable[[JobState, ComputedLayer, Picked], JobState]] = {
    ExposureLayer: _grey,
    AreaColourLayer: _mean,
    HuesLayer: _bracket,
    InksLayer: _bracket,
    MonoLayer: _bracket,
}
