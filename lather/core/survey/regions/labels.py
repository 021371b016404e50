"""Skin, hair, clothing, background and other things, told apart on one person.

Each kind is a mixture of Gaussians of this very person's colours and fineness of texture, begun
from seeds that the mesh and the person mask give, and fitted again to what it was found to cover.
What a pixel is follows from that, from the person mask and from mild priors of place; a guided
filter over each kind's share keeps the borders on the picture's edges (Hosni et al. 2013, "Fast
Cost-Volume Filtering"). Hair hangs together with the head; what covers the head without a hair's
texture, or crosses the bridge of the nose, is a thing and left alone.
"""

from __future__ import annotations

import cv2
import numpy as np

from lather.core.arrays import Plane
from lather.core.blur import disc
from lather.core.survey.regions.evidence import Evidence, Mask
from lather.core.survey.regions.mixture import Mixture, fit
from lather.core.survey.regions.region import Region
from lather.core.survey.regions.things import glasses, is_covered
from lather.core.work import NEVER, CancelToken

KINDS = (Region.SKIN, Region.HAIR, Region.CLOTHING, Region.BACKGROUND, Region.OTHER)
N_PARTS = {Region.SKIN: 5, Region.HAIR: 3, Region.CLOTHING: 4, Region.BACKGROUND: 5,
           Region.OTHER: 3}  # fmt: skip
N_ROUNDS = 3
LEAST_SEEDS = 40
SURE = 0.8  # share from which a pixel is looked at in the next round
SURELY_PERSON, SURELY_BEHIND = 0.85, 0.08  # of the person mask
HAIR_FINER = 0.9  # logarithm of the fineness above skin's that is hair's
# Half widths below which a kind is only a rim, in heights of the face: fingers are wider.
NARROWEST, NARROWEST_SKIN = 0.012, 0.024
HAIR_UNLIKE, CLOTHING_UNLIKE = 3.0, 3.0  # of the logarithm of the density of skin
# All places in heights of the face, from between the eyes.
HEAD_TOP, HEAD_SIDE, HAIR_LOW = -1.3, 1.1, 0.0
CLOTHING_FROM = 0.5  # below the chin
LONGEST_HAIR = 2.0  # below the chin
BEARD = 0.2  # how far above the chin it may begin
# How unlikely hair is: on the face, in a beard's place, inside the oval's rim, before the throat,
# and where the texture is no finer than skin's.
ON_FACE, AS_BEARD, ON_TEMPLE, ON_THROAT, NOT_FINE = 4.0, 1.5, 2.0, 2.5, 4.0
THROAT = (0.3, 0.1, 0.5)  # half width; from above the chin, to below it
HAIR_LEAST_FINER = 0.35
PERSON_WEIGHT = 3.0
_SOFT = 0.02
_UNLIKELY = -25.0


def label(evidence: Evidence, cancel: CancelToken = NEVER) -> dict[Region, Plane]:
    """(h, w) shares 0-1 that sum to 1, on the evidence's grid. Eyes, brows, lips count as skin."""
    seeds = _seeds(evidence)
    prior = _priors(evidence)
    shares = {kind: seeds[kind].astype(np.float32) for kind in KINDS}
    mixtures: dict[Region, Mixture] = {}
    for _ in range(N_ROUNDS):
        cancel.check()
        mixtures = _fitted(evidence, seeds, mixtures)
        cancel.check()
        shares = _shares(evidence, mixtures, prior)
        cancel.check()
        seeds = _next_seeds(evidence, seeds, shares)
    for kind in (Region.SKIN, Region.HAIR, Region.CLOTHING):
        width = NARROWEST_SKIN if kind is Region.SKIN else NARROWEST
        astray = _astray(evidence, shares[kind], _roots(evidence, kind), width)
        prior[kind][astray] = 2 * _UNLIKELY
    cancel.check()
    shares = _shares(evidence, _fitted(evidence, seeds, mixtures), prior)
    cancel.check()
    worn = glasses(evidence)
    for kind in KINDS:
        shares[kind] = np.where(worn, np.float32(kind is Region.OTHER), shares[kind])
    return shares


def _seeds(evidence: Evidence) -> dict[Region, Mask]:
    down, across, person = evidence.down, evidence.across, evidence.person > SURELY_PERSON
    head = (down > HEAD_TOP) & (np.abs(across) < HEAD_SIDE) & ~evidence.outer
    above = head & (down < HAIR_LOW) & person
    fine = (evidence.fineness > HAIR_FINER) & (evidence.unlike_skin > HAIR_UNLIKE)
    covered = is_covered(evidence, above)
    hair = above & fine & ~covered
    low = person & (down > evidence.chin + CLOTHING_FROM)
    clothing = low & (evidence.unlike_skin > CLOTHING_UNLIKE)
    if hair.any():  # a lock over the shoulder is none
        clothing &= ~((evidence.fineness > HAIR_FINER) & (np.abs(across) < HEAD_SIDE)
                      & _coloured_as(evidence, hair))  # fmt: skip
    return {
        Region.SKIN: evidence.skin,
        Region.HAIR: hair,
        Region.CLOTHING: clothing,
        Region.BACKGROUND: evidence.person < SURELY_BEHIND,
        Region.OTHER: covered,
    }


def _coloured_as(evidence: Evidence, kind: Mask) -> Mask:
    """Where the colour is that of the seeds of a kind, more or less."""
    lab = evidence.looks[..., :3]
    middle = np.median(lab[kind], 0)
    spread = 1.4826 * np.median(np.abs(lab[kind] - middle), 0) + 3
    alike: Mask = (np.abs(lab - middle) < 2.5 * spread).all(-1)
    return alike


def _priors(evidence: Evidence) -> dict[Region, Plane]:
    """Logarithms of how likely each kind is at a place, before its looks are known."""
    down, chin = evidence.down, evidence.chin
    person = np.float32(PERSON_WEIGHT) * np.log(evidence.person + np.float32(_SOFT))
    behind = np.float32(PERSON_WEIGHT) * np.log(1 - evidence.person + np.float32(_SOFT))
    below = _step((down - chin) / 0.06)
    skin = person + np.where(evidence.outer, np.float32(1), np.float32(0))
    hair = person - below - 4 * _step((down - chin - LONGEST_HAIR) / 0.1)
    hair = hair - _unlikely_hair(evidence)
    return {
        Region.SKIN: skin,
        Region.HAIR: hair.astype(np.float32),
        Region.CLOTHING: person + np.log(below + np.float32(1e-3)),
        Region.BACKGROUND: behind,
        Region.OTHER: person + np.log(1 - _step((down + 0.1) / 0.05) + np.float32(1e-4)),
    }


def _unlikely_hair(evidence: Evidence) -> Plane:
    """How much less likely hair is, by place and by fineness."""
    down, chin = evidence.down, evidence.chin
    low = down > -0.1
    unlikely = np.where(evidence.outer & low, np.float32(ON_TEMPLE), np.float32(0))
    on_face = np.where(down > chin - BEARD, np.float32(AS_BEARD), np.float32(ON_FACE))
    unlikely = np.where(evidence.inner & low, on_face, unlikely)
    throat = (np.abs(evidence.across) < THROAT[0]) & (down > chin - THROAT[1])
    throat &= (down < chin + THROAT[2]) & ~evidence.inner
    unlikely = np.where(throat, np.float32(ON_THROAT), unlikely)
    if not evidence.is_coarse:
        rough = _step((evidence.fineness - HAIR_LEAST_FINER) / 0.1)
        unlikely = unlikely + NOT_FINE * (1 - rough)
    return unlikely.astype(np.float32)


def _fitted(
    evidence: Evidence, seeds: dict[Region, Mask], before: dict[Region, Mixture]
) -> dict[Region, Mixture]:
    """What the seeds of each kind look like; kinds with hardly any are left out."""
    mixtures = {}
    for kind in KINDS:
        if seeds[kind].sum() >= LEAST_SEEDS:
            looks = evidence.skin_samples if kind is Region.SKIN else evidence.samples
            mixtures[kind] = fit(
                looks(seeds[kind]), N_PARTS[kind], evidence.least_variance, before.get(kind)
            )
    return mixtures


def _shares(
    evidence: Evidence, mixtures: dict[Region, Mixture], prior: dict[Region, Plane]
) -> dict[Region, Plane]:
    """How much of each pixel is of each kind."""
    scores = np.full((len(KINDS), *evidence.shape), 4 * _UNLIKELY, dtype=np.float32)
    for n, kind in enumerate(KINDS):
        if kind in mixtures:
            density = np.maximum(evidence.log_density(mixtures[kind]), np.float32(_UNLIKELY))
            scores[n] = density + prior[kind]
    scores -= scores.max(0)
    shares = np.exp(scores)
    on_features = evidence.features & evidence.inner
    shares[:, on_features] = 0
    shares[KINDS.index(Region.SKIN), on_features] = 1
    shares /= shares.sum(0)
    refined = np.stack([evidence.guide.refine(share) for share in shares])
    refined /= refined.sum(0) + np.float32(1e-6)
    return dict(zip(KINDS, refined, strict=True))


def _next_seeds(
    evidence: Evidence, seeds: dict[Region, Mask], shares: dict[Region, Plane]
) -> dict[Region, Mask]:
    """What is surely of a kind by now; a kind that had no seeds gets none."""
    found = {kind: (shares[kind] > SURE) & seeds[kind].any() for kind in KINDS}
    found[Region.SKIN] |= evidence.skin
    found[Region.BACKGROUND] &= evidence.person < 0.5
    return found


def _roots(evidence: Evidence, kind: Region) -> Mask:
    """Where a kind must have a part: hair on the head, clothing below the shoulders, skin anywhere.
    """
    if kind is Region.SKIN:
        return np.ones(evidence.shape, dtype=bool)
    if kind is Region.CLOTHING:
        low: Mask = evidence.down > evidence.chin + CLOTHING_FROM
        return low
    head: Mask = (evidence.down > HEAD_TOP) & (evidence.down < evidence.chin)
    head &= np.abs(evidence.across) < HEAD_SIDE
    return head


def _astray(evidence: Evidence, share: Plane, roots: Mask, narrowest: float) -> Mask:
    """Where a kind is only a thin rim, or does not hang together with its roots."""
    likely = (share > 0.5).astype(np.uint8)
    width_px = max(1.0, narrowest * evidence.height_px)
    opened = cv2.morphologyEx(likely, cv2.MORPH_OPEN, disc(width_px))
    _, labels = cv2.connectedComponents(cv2.dilate(opened, disc(1)))
    rooted = np.unique(labels[roots & (opened > 0)])
    kept = np.isin(labels, rooted[rooted > 0])
    astray: Mask = (likely > 0) & ~cv2.dilate(kept.astype(np.uint8), disc(1)).astype(bool)
    return astray


def _step(plane: Plane) -> Plane:
    """A soft step from 0 to 1."""
    return np.asarray(1 / (1 + np.exp(-np.clip(plane, -30, 30))), dtype=np.float32)
