"""Proposes to even out blotches: blood and pigment on one layer, spots of light on another."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lather.assist.even.layers import COLOUR, LIGHT, STAGE, named, without_evening
from lather.assist.frame import Asked, Filled, Frame, proposed
from lather.assist.proposal import ALL_SURE, Meant, Proposal
from lather.assist.skin_view import SkinView, marks_of
from lather.core.arrays import MaskPixels, Plane
from lather.core.colour.labs import lab_of
from lather.core.survey.findings.finding import Finding, Kind
from lather.core.survey.regions.region import Part
from lather.core.tone.chromophores import pigment, redness
from lather.core.tone.evening import EvenMaps, even_maps, evened_rgb
from lather.core.work import CancelToken, Progress, no_progress
from lather.document.findings import FindingState
from lather.document.layers.blood_pigment import NOTHING_TAKEN, BloodPigmentLayer
from lather.document.layers.layer import Layer, new_id
from lather.document.layers.light import NO_LIGHT, UNCHANGED, LightLayer
from lather.document.operations.operation import Measure
from lather.document.state import JobState
from lather.document.tiles import Tiles

UNDER_EYES = 0.7  # at most: without any shade there an eye lies flat
STEP = 32  # of 32767, by which maps are rounded: a thousandth of the light; they stay small
SOFT_LIGHT_OF_SHADE = 1.15  # of a map, for a logarithm of light around middle grey
UNDER = (Part.UNDER_EYE_LEFT, Part.UNDER_EYE_RIGHT)
GREY_CHROMA = 1.0  # mean of a* and b* below which a picture is black and white
LEAST_CHANGE = 0.004  # density, below which a map changes nothing that shows


def propose_even_out(
    state: JobState,
    meant: Meant = ALL_SURE,
    *,
    progress: Progress = no_progress,
    cancel: CancelToken | None = None,
) -> Proposal:
    """Blotches evened, between 1 and 16 mm; texture, light and form stay.

    Raises
    ------
    Cancelled : by the token.
    """
    asked = Asked("Even out", STAGE, "Nothing was evened", state, meant, without_evening,
                  progress, cancel)  # fmt: skip
    return proposed(asked, _fill, Proposal)


def _fill(frame: Frame) -> Filled:
    state, view, meant = frame.state, frame.view, frame.asked.meant
    frame.progress(0.2, "measuring blood and pigment")
    where = _meant(state, view, meant) * spared(state, view)
    all_maps = view.once("even maps", lambda: even_maps(view.picture))
    wanted = _in_own_space(all_maps.limited(where), view)
    maps = wanted if frame.area is None else wanted.limited(frame.area)
    frame.progress(0.7, "writing the maps")
    if not _changes(maps):
        if frame.area is not None and _changes(wanted):
            raise frame.outside()
        raise frame.refusal(_why_nothing(view), "even it by hand: Paint colour")
    share = np.abs(maps.blood) + np.abs(maps.pigment)
    colour = BloodPigmentLayer(
        id=new_id(), name=named(COLOUR, view, share), stage=STAGE,
        blood=_tiles(maps.blood, frame, NOTHING_TAKEN),
        pigment=_tiles(maps.pigment, frame, NOTHING_TAKEN),
    )
    layers: list[Layer] = [colour]
    light = _tiles(maps.shade * np.float32(SOFT_LIGHT_OF_SHADE), frame, NO_LIGHT)
    if light:
        name = named(LIGHT, view, share)
        layers.append(LightLayer(id=new_id(), name=name, stage=STAGE, map=light))
    reach = np.asarray(np.abs(wanted.blood) + np.abs(wanted.pigment) > LEAST_CHANGE, np.float32)
    reasons = list[str]()
    if any((view.parts[part] * share).any() for part in UNDER):
        reasons.append(f"under the eyes at most {UNDER_EYES:.0%}")
    if state.brief.keeps(Kind.FRECKLES) and any(
        f.kind is Kind.FRECKLES for f in state.findings.items
    ):
        reasons.append("freckles stay, as the style says")
    return Filled(layers, _measures(view, maps), reasons,
                  {colour.id: (Kind.UNEVEN, reach)}, active=colour)  # fmt: skip


def _in_own_space(maps: EvenMaps, view: SkinView) -> EvenMaps:
    """Densities as the photo's own values have them: in a wider space the same blood and pigment
    make less of a difference, by as much as this skin differs less there."""
    if view.own.rgb is view.picture.rgb:
        return maps
    measured, own, plain = view.picture.light, view.own.light, view.picture.plain
    blood, brown = (_slope(what(own)[plain], what(measured)[plain]) for what in (redness, pigment))
    return EvenMaps(maps.blood * np.float32(blood), maps.pigment * np.float32(brown), maps.shade)


def _slope(values: Plane, against: Plane) -> float:
    """Least squares about the means; 1 where nothing varies."""
    a, b = values - values.mean(), against - against.mean()
    power = float(b @ b)
    return float(a @ b) / power if power > 0 else 1.0


def _changes(maps: EvenMaps) -> bool:
    """True if they change what can be seen."""
    most = max(float(np.abs(plane).max()) for plane in (maps.blood, maps.pigment))
    return most >= LEAST_CHANGE


def _tiles(plane: Plane, frame: Frame, empty: Tiles) -> Tiles:
    """A signed map of a view, -1 to 1, as tiles of the photo's size; none where it is zero."""
    def samples(values: Plane) -> MaskPixels:
        steps = np.clip(np.rint(values * (32767 / STEP)), -32767 // STEP + 1, 32767 // STEP)
        return np.asarray(UNCHANGED + STEP * steps, dtype=np.uint16)

    return frame.tiles(plane, empty, samples, LEAST_CHANGE / 4)


def spared(state: JobState, view: SkinView) -> Plane:
    """(h, w) 0-1: what may be evened, by what the style keeps and what lies under the eyes."""
    share = np.ones_like(view.picture.skin)
    for part in UNDER:
        share -= np.float32(1 - UNDER_EYES) * view.parts[part]
    kept = list(state.findings.in_state(FindingState.KEPT))
    if state.brief.keeps(Kind.FRECKLES):
        kept += [f for f in state.findings.items if f.kind is Kind.FRECKLES]
    kept_here = marks_of(kept, view.rect, view.level)
    return np.asarray(np.clip(share, 0, 1) * (1 - kept_here), dtype=np.float32)


def _meant(state: JobState, view: SkinView, meant: Meant) -> Plane:
    """(h, w) 0-1: everything, or where some findings lie."""
    settled = FindingState.KEPT, FindingState.SKIPPED
    skipped = [f for f in state.findings.items
               if f.kind is Kind.UNEVEN and state.findings.state(f) in settled]  # fmt: skip
    if meant.ids is None:
        return 1 - marks_of(skipped, view.rect, view.level)
    chosen: list[Finding] = [f for f in state.findings.items if f.id in meant.ids]
    return marks_of(chosen, view.rect, view.level)


def _why_nothing(view: SkinView) -> str:
    if not view.picture.everybody:
        return "there is too little plain skin to compare with"
    if np.abs(lab_of(view.picture.rgb)[view.picture.plain][:, 1:]).mean() < GREY_CHROMA:
        return "the picture has no colour, so that neither blood nor pigment can be seen in it"
    return "no blotch stands out from this skin's own unevenness"


def _measures(view: SkinView, maps: EvenMaps) -> tuple[Measure, ...]:
    from lather.core.check.skin import blotch_rms

    before = blotch_rms(view.picture)
    after = blotch_rms(replace(view.picture, rgb=evened_rgb(view.picture, maps)))
    return tuple(
        Measure(f"blotches in {name}", was, now, "rms")
        for name, was, now in zip(("L*", "a*", "b*"), before, after, strict=True)
    )
