"""Proposes colour: redness calmed towards the skin around it, or an area matched to another."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from lather.assist.even.layers import MATCHED, REDNESS, STAGE, named, without_evening
from lather.assist.frame import Asked, Filled, Frame, proposed
from lather.assist.proposal import ALL_SURE, MatchProposal, Meant, Proposal
from lather.assist.skin_view import SkinView, plane_of
from lather.core.arrays import MaskPixels, Plane
from lather.core.survey.findings.finding import Finding, Kind
from lather.core.survey.regions.region import Part, Region
from lather.core.tone.evening import flatness, inner
from lather.core.tone.match import (
    AreaColour,
    Three,
    area_colour,
    difference,
    difference_of_colour,
    move_to,
    moved,
)
from lather.core.tone.redness import RedPatch, red_patches, redness_map, soft_target
from lather.core.tone.skin_picture import disc
from lather.core.work import CancelToken, Progress, no_progress
from lather.document.findings import Findings
from lather.document.layers.area_colour import AreaColourLayer, AreaColourParameters
from lather.document.layers.layer import Layer, Mask, new_id
from lather.document.operations.operation import Measure
from lather.document.people import pupil_distance_mm
from lather.document.state import JobState
from lather.document.tiles import BLACK_MASK, Tiles
from lather.errors import EditError
from lather.render.ground import photo_ground
from lather.render.regions import region_coverage

SURE = 0.6  # certainty of a patch that the survey did not list
CALMED = 0.6  # of redness: a rash is calmed, not erased
MOST_PATCHES = 6
RING_MM = (3.0, 14.0)  # around a patch, where its own skin is measured
GOOD_MM, GOOD_DENSITY = 6.0, 0.15  # radius of a proposed reference; blood off this skin's middle
RIM_MM = 3.0
INFANT_PUPILS_MM = 50.0  # nearer pupils are an infant's, whose skin is pink by nature
OF_ITS_OWN = (Region.LIPS, Region.IRIS, Region.EYE_WHITE, Region.TEETH, Region.BROWS, Region.HAIR)
OTHER_LIGHT_L = 4.0  # L* between target and reference, from which it is said
MASK_STEP = 257  # masks are rounded to 255 steps: they stay small


@dataclass(frozen=True)
class MatchOptions:
    """What is to have which colour; areas are one-channel tiles of the photo's size.

    Attributes
    ----------
    target : where; None takes the strongest patch of the redness map.
    reference : whose colour; None takes a good cheek of the same person.
    with_light : moves lightness by all of the difference, not only what goes with blood.
    """

    target: Tiles | None = None
    reference: Tiles | None = None
    with_light: bool = False


def propose_redness(
    state: JobState,
    meant: Meant = ALL_SURE,
    *,
    progress: Progress = no_progress,
    cancel: CancelToken | None = None,
) -> Proposal:
    """The patches of the redness map, each calmed by 60 % towards the skin around it."""
    asked = Asked("Calm redness", STAGE, "No redness was calmed", state, meant, without_evening,
                  progress, cancel)  # fmt: skip
    return proposed(asked, _calmed, Proposal)


def _calmed(frame: Frame) -> Filled:
    view = frame.view
    infants = _infants(frame.state.findings)
    if infants and len(infants) == len(frame.state.findings.faces):
        raise frame.refusal("by the distance of the pupils this is an infant, whose skin is pink "
                            "by nature")  # fmt: skip
    frame.progress(0.3, "looking for redness")
    density = view.once("redness", lambda: redness_map(view.picture))
    all_patches = view.once(
        "red patches", lambda: red_patches(view.picture, view.parts, density)
    )
    found = [patch for patch in all_patches if view.person_of(patch.mask) not in infants
             and frame.takes(
        _finding_of(patch, frame), unlisted=patch.certainty > SURE, doubtful=False)]  # fmt: skip
    patches = frame.touched(found, lambda patch: patch.mask)
    if not patches:
        raise frame.refusal(
            "no patch is redder than is natural where it lies",
            "match a target that you outline yourself, or even out what is left",
        )
    layers, reasons, measures = list[Layer](), list[str](), list[Measure]()
    chosen = patches[:MOST_PATCHES]
    targets = _apart([soft_target(patch, view.picture, density) for patch in chosen])
    reach: dict[int, tuple[Kind, Plane]] = {}
    for number, (patch, whole) in enumerate(zip(chosen, targets, strict=True)):
        frame.progress(0.5 + 0.5 * number / len(chosen), "calming redness")
        share = frame.limited(whole)
        try:
            target = area_colour(view.own.rgb, patch.mask.astype(np.float32), "patch")
            reference = area_colour(view.own.rgb, _ring(patch, view, density), "skin around it")
            parameters, said = _fitting(target, move_to(target, reference))
        except EditError as error:
            reasons.append(f"a patch was left as it is: {error.why}")
            continue
        layer = _moving(frame, share, parameters, named(REDNESS, view, share), CALMED)
        layers.append(layer)
        reasons += said
        reach[layer.id] = Kind.REDNESS, whole
        calmed = _part(_move_of(parameters), CALMED)
        measures.append(_measured(target, reference, moved(target, calmed)))
    if not layers:
        raise frame.refusal("; ".join(reasons))
    reasons.append(f"calmed by {CALMED:.0%}, not erased; natural cheeks, nose and ears stay")
    return Filled(layers, measures, reasons, reach, len(found) - len(patches))


def _apart(targets: Sequence[Plane]) -> list[Plane]:
    """Soft targets that share a pixel out where they meet: together no more than the most of it."""
    if len(targets) < 2:
        return list(targets)
    total, most = np.sum(targets, axis=0), np.max(targets, axis=0)
    share = most / np.maximum(total, np.float32(1e-6))
    return [np.asarray(target * share, dtype=np.float32) for target in targets]


def propose_match_of_areas(
    state: JobState, meant: Meant, *, progress: Progress, cancel: CancelToken  # noqa: ARG001
) -> Proposal:
    """`propose_match` of the job's own area and reference, as all assistants are asked."""
    options = MatchOptions(target=state.area, reference=state.reference)
    return propose_match(state, options, progress=progress, cancel=cancel)


def propose_match(
    state: JobState,
    options: MatchOptions = MatchOptions(),  # noqa: B008 - a value
    *,
    progress: Progress = no_progress,
    cancel: CancelToken | None = None,
) -> MatchProposal:
    """The target's mean colour moved to the reference's, through a soft mask."""
    asked = Asked("Match colour", STAGE, "No colours were matched", state,
                  progress=progress, cancel=cancel)  # fmt: skip
    return proposed(asked, lambda frame: _matched(frame, options), MatchProposal)


def _matched(frame: Frame, options: MatchOptions) -> Filled:
    view = frame.view
    frame.progress(0.3, "measuring both colours")
    density = redness_map(view.picture)
    target_share, mask = _target(view, density, options)
    reference_share = _reference(view, density, options, target_share)
    if _overlap(target_share, reference_share) > 0.5:
        raise frame.refusal("target and reference are the same place", "choose another reference")
    target = area_colour(view.own.rgb, target_share, "target")
    reference = area_colour(view.own.rgb, reference_share, "reference")
    move = move_to(target, reference, with_light=options.with_light)
    if view.person_of(target_share > 0.5) in _infants(frame.state.findings) and move[1] < 0:
        move = _part(move, 0.5)  # an infant stays pink
    frame.progress(0.7, "writing the mask")
    parameters, said = _fitting(target, move)
    move = _move_of(parameters)
    layer = _moving(frame, mask, parameters, named(MATCHED, view, mask), 1.0)
    outcome = moved(target, move)
    reasons = [
        f"L* {move[0]:+.1f}, a* {move[1]:+.1f}, b* {move[2]:+.1f}: light and texture stay",
        f"target {target.n_px}, reference {reference.n_px} pixels measured", *said,
    ]
    in_shade = reference.mean[0] - outcome.mean[0]
    if abs(in_shade) > OTHER_LIGHT_L:
        lit = "darker" if in_shade > 0 else "lighter"
        reasons.append(f"the target lies in other light, {abs(in_shade):.0f} L* {lit}: it stays so")
    of_colour = Measure("colour difference at equal light",
                        difference_of_colour(target, reference),
                        difference_of_colour(outcome, reference), "CIEDE2000")  # fmt: skip
    return Filled(
        (layer,), (_measured(target, reference, outcome), of_colour), reasons,
        about={"target": target, "reference": reference, "outcome": outcome},
    )


def is_infant(findings: Findings, person: int) -> bool:
    """True by the distance of the pupils in space, where a scale was set by hand."""
    return pupil_distance_mm(findings, person) < INFANT_PUPILS_MM


def _infants(findings: Findings) -> frozenset[int]:
    """The numbers of the people who are infants."""
    return frozenset(n for n in range(len(findings.faces)) if is_infant(findings, n))


def good_reference(view: SkinView, density: Plane, person: int) -> Plane:
    """(h, w) 0-1: a disc of even, flat, plain skin on a cheek, or else anywhere on that person.

    Raises
    ------
    EditError : there is none.
    """
    picture = view.picture
    plain = flatness(picture) * (np.abs(density) < GOOD_DENSITY) * (picture.people == person)
    cheeks = view.parts[Part.CHEEK_LEFT] + view.parts[Part.CHEEK_RIGHT]
    for where in (cheeks, np.ones_like(cheeks)):
        good = np.asarray(plain * where, dtype=np.float32)
        around = cv2.GaussianBlur(good, (0, 0), picture.px(GOOD_MM) / 2)
        y, x = np.unravel_index(int(np.argmax(around)), around.shape)
        if around[y, x] > 0.3:
            ys, xs = np.mgrid[: good.shape[0], : good.shape[1]]
            disc = np.hypot(xs - x, ys - y) < picture.px(GOOD_MM)
            return np.asarray(disc & (good > 0.3), dtype=np.float32)
    raise EditError("No colours were matched", "no piece of skin is even enough to go by",
                    "outline a reference yourself")  # fmt: skip


def _target(view: SkinView, density: Plane, options: MatchOptions) -> tuple[Plane, Plane]:
    """What is measured of the target, and the soft mask that reveals the change."""
    picture = view.picture
    if options.target is None:
        patches = red_patches(picture, view.parts, density)
        if not patches:
            raise EditError(
                "No colours were matched", "no patch is redder or bluer than is natural",
                "outline a target with the area tools",
            )
        return patches[0].mask.astype(np.float32), soft_target(patches[0], picture, density)
    share = plane_of(options.target, view)
    kept = _never_skin(view)
    if (share * kept).sum() > 0.5 * share.sum() > 0:
        raise EditError(
            "No colours were matched", "the target lies on lips, eyes, brows or hair, which keep "
            "their own colour", "outline skin, or paint colour by hand",
        )  # fmt: skip
    share = share * (1 - kept)
    # Its soft rim lies outside of it: all of the target gets the colour.
    wide = cv2.dilate(share, disc(picture.px(RIM_MM)))
    soft = cv2.GaussianBlur(wide, (0, 0), max(0.5, picture.px(RIM_MM))) * (1 - kept)
    if (share * picture.skin).sum() > 0.5 * share.sum():  # what is no skin at its rim stays
        share, soft = share * picture.skin, soft * inner(picture)
    return share, np.asarray(soft, dtype=np.float32)


def _never_skin(view: SkinView) -> Plane:
    """(h, w) 0-1: what has a colour of its own."""
    ground = photo_ground(view.state)
    planes = [region_coverage(ground, region, view.rect, view.level) for region in OF_ITS_OWN]
    return np.asarray(np.clip(np.sum(planes, axis=0), 0, 1), dtype=np.float32)


def _reference(
    view: SkinView, density: Plane, options: MatchOptions, target: Plane
) -> Plane:
    if options.reference is not None:
        return plane_of(options.reference, view)
    return good_reference(view, density, view.person_of(target > 0.5))


def _overlap(one: Plane, other: Plane) -> float:
    smaller = min(float(one.sum()), float(other.sum()))
    return float(np.minimum(one, other).sum()) / smaller if smaller > 0 else 0.0


def _ring(patch: RedPatch, view: SkinView, density: Plane) -> Plane:
    """The plain skin around a patch that is not red itself."""
    picture = view.picture
    away = cv2.distanceTransform((~patch.mask).astype(np.uint8), cv2.DIST_L2, 3)
    low, high = (picture.px(mm) for mm in RING_MM)
    ring = (away > low) & (away < high) & picture.plain & (np.abs(density) < 0.25)
    # As it is lit where the patch is: colour goes with light.
    light = picture.light[..., 1]
    middle = np.median(light[patch.mask])
    alike = ring & (np.abs(light - middle) < 0.35)
    enough = alike if alike.sum() > 60 else ring
    return np.asarray(enough, dtype=np.float32)


def _finding_of(patch: RedPatch, frame: Frame) -> Finding | None:
    return frame.finding_at(Kind.REDNESS, patch.x, patch.y)


def _moving(
    frame: Frame, share: Plane, parameters: AreaColourParameters, name: str, strength: float
) -> AreaColourLayer:
    """The move on a layer of its own."""
    return AreaColourLayer(
        id=new_id(), name=name, stage=STAGE, strength=strength, parameters=parameters,
        mask=Mask(tiles=_mask_tiles(share, frame)),
    )


def _fitting(target: AreaColour, move: Three) -> tuple[AreaColourParameters, tuple[str, ...]]:
    """What a layer can hold of a move, and what is said where that is less than was measured."""
    numbers = {f"{what}_{axis}": round(value, 2)
               for what, colour in (("mean", target.mean), ("move", move))
               for axis, value in zip("lab", colour, strict=True)}  # fmt: skip
    return AreaColourParameters.nearest(**numbers)


def _move_of(parameters: AreaColourParameters) -> Three:
    return parameters.move_l, parameters.move_a, parameters.move_b


def _mask_tiles(share: Plane, frame: Frame) -> Tiles:
    """A map of a view, 0-1, as a mask of the photo's size; none where it is zero."""
    def samples(values: Plane) -> MaskPixels:
        return np.rint(255 * np.clip(values, 0, 1)).astype(np.uint16) * np.uint16(MASK_STEP)

    return frame.tiles(share, BLACK_MASK, samples, 0.5 / 255)


def _part(move: Three, share: float) -> Three:
    return move[0] * share, move[1] * share, move[2] * share


def _measured(target: AreaColour, reference: AreaColour, outcome: AreaColour) -> Measure:
    before, after = difference(target, reference), difference(outcome, reference)
    return Measure("colour difference", before, after, "CIEDE2000")
