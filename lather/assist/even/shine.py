"""Proposes to tame shine: towards the skin's own colour, with the texture that is there."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from lather.assist.even.layers import SHINE, STAGE, TAMED, named, without_evening
from lather.assist.even.shining import photo_shine
from lather.assist.frame import Asked, Filled, Frame, proposed
from lather.assist.proposal import ALL_SURE, Meant, Proposal
from lather.assist.skin_view import SkinView, marks_of, roughness
from lather.core.arrays import FloatImage, Plane
from lather.core.blend.composite import to_pixels
from lather.core.blend.modes import BlendMode
from lather.core.check.skin import TEXTURE_MM
from lather.core.colour.lab import to_encoded, to_linear
from lather.core.colour.labs import lab_of
from lather.core.filter.reach import gaussian_reach_px
from lather.core.rect import Rect
from lather.core.survey.findings.finding import Kind
from lather.core.tone.shine import Shine, ShinePatch, own_light
from lather.core.tone.skin_picture import CLIPPED, FLOOR, encoded_light
from lather.core.work import CancelToken, Progress, no_progress
from lather.document.findings import FindingState
from lather.document.layers.layer import new_id
from lather.document.layers.pixels import PixelLayer
from lather.document.operations.operation import Measure
from lather.document.state import JobState
from lather.document.tiles import NO_PIXELS, TILE_PX, Key
from lather.render.compositor import render

STRENGTH = 0.6  # of the highlight: some of it stays, so that the face keeps its form
ADVISED = (0.5, 0.75)
MIDDLE = np.float32(0.5)  # of a layer in linear light: adds nothing
DARKER_L = -1.0  # L* of a mark against its surroundings
CLIP_SOFT_MM = 0.3  # over which borrowed texture fades into what is there
CLEAR = 0.5  # weight of shine
SEARCHED_MM = 40.0  # how far away texture may be borrowed from


def propose_shine(
    state: JobState,
    meant: Meant = ALL_SURE,
    *,
    progress: Progress = no_progress,
    cancel: CancelToken | None = None,
) -> Proposal:
    """Shine taken down on a layer of its own, at 60 %; nothing where it is not sure of any.

    Raises
    ------
    Cancelled : by the token.
    """
    asked = Asked("Tame shine", STAGE, "No shine was tamed", state, meant, without_evening,
                  progress, cancel)  # fmt: skip
    return proposed(asked, _fill, Proposal)


def _fill(frame: Frame) -> Filled:
    view = frame.view
    frame.progress(0.1, "looking for shine")
    if TAMED in frame.state.photo.metadata.done and frame.asked.meant.ids is None:
        raise frame.refusal("the file says that its shine was tamed before",
                            "go to a patch and ask for that one alone")  # fmt: skip
    shine = photo_shine(frame.state, view.cancel)
    frame.progress(0.4, "looking for shine")
    found = [patch for patch in shine.patches
             if frame.takes(frame.finding_at(Kind.SHINE, patch.x, patch.y))]  # fmt: skip
    patches = frame.touched(found, lambda patch: shine.labels == patch.label)
    if not patches:
        raise frame.refusal(
            "no patch of skin stands out, fades in colour and is rough, as mirrored light is",
            "tame it by hand: Paint colour in 'tame brights' with a colour picked beside it",
        )
    tamer = _Tamer(frame, shine, view.once("roughness", lambda: roughness(view)), patches)
    tiles: dict[Key, np.ndarray | None] = {}
    cells = sorted(tamer.cells())
    for number, key in enumerate(cells):
        frame.progress(0.5 + 0.5 * number / len(cells), "taming shine")
        tiles[key] = tamer.tile(key)
    layer = PixelLayer(
        id=new_id(), name=named(SHINE, view, tamer.weight), stage=STAGE,
        mode=BlendMode.LINEAR_LIGHT, strength=STRENGTH, tiles=NO_PIXELS.with_tiles(tiles),
    )  # fmt: skip
    return Filled((layer,), tamer.measures(), _reasons(patches),
                  {layer.id: (Kind.SHINE, tamer.reach)}, len(found) - len(patches))  # fmt: skip


def _reasons(patches: list[ShinePatch]) -> tuple[str, ...]:
    low, high = ADVISED
    reasons = [f"strength {STRENGTH:.0%}: of {low:.0%} to {high:.0%}, so that the face keeps its "
               "form"]  # fmt: skip
    clipped = sum(p.clipped * p.area_mm2 for p in patches) / sum(p.area_mm2 for p in patches)
    if clipped > 0.005:
        reasons.append(f"{clipped:.0%} of it is clipped: its texture is borrowed from skin near by")
    return tuple(reasons)


class _Tamer:
    """Makes the tiles of the layer: what to add to the picture, as linear light has it."""

    def __init__(
        self, frame: Frame, shine: Shine, rough: Plane, patches: list[ShinePatch]
    ) -> None:
        view = frame.view
        self._view, self._state = view, view.state
        self._side = 1 << view.level
        self._sigma_px = view.picture.px(TEXTURE_MM) * self._side
        # What is darker than its own colour stays by itself: only light is taken away.
        kept = self._state.findings.in_state(FindingState.KEPT)
        spots = [f for f in kept if f.contrast_l > DARKER_L
                 and not (f.kind.is_line or f.kind.is_patch)]  # fmt: skip
        weight = shine.of({patch.label for patch in patches})
        weight = weight * (1 - marks_of(spots, view.rect, view.level))
        self.reach = weight
        self.weight = frame.limited(weight)
        self._own = encoded_light(own_light(view.own, shine.covered))
        self._tone = encoded_light(np.stack([
            view.own.mean(np.ascontiguousarray(view.own.light[..., c]), view.own.is_skin,
                          TEXTURE_MM) for c in range(3)], -1))  # fmt: skip
        self._less = _tone_less(self._tone, self._own, self.weight)
        self._gain = _texture_gain(shine, rough, view)
        self._shift = _shift_to_intact(view, weight)

    def measures(self) -> tuple[Measure, ...]:
        """How far the tone lies above the skin's own colour, where it shines clearly."""
        clear = self.weight > CLEAR
        if not clear.any():
            return ()
        after = self._tone + np.float32(STRENGTH) * self._less
        own, *tones = (lab_of(image)[..., 0][clear] for image in (self._own, self._tone, after))
        was, now = (float((tone - own).mean()) for tone in tones)
        return (Measure("shine above the skin's own colour", was, now, "L*"),)

    def cells(self) -> Iterator[Key]:
        rect = Rect.of_mask(self.weight > 0)
        whole = rect.grown(1).from_level(self._view.level).intersect(self._state.photo.rect)
        for key in whole.cells(TILE_PX):
            small = Rect.cell(key, TILE_PX).at_level(self._view.level).grown(1)
            if self.weight[small.intersect(self._view.rect).slices].any():
                yield key

    def tile(self, key: Key) -> np.ndarray | None:
        cell = Rect.cell(key, TILE_PX).intersect(self._state.photo.rect)
        weight = self._view.at_full_size(self.weight, cell)
        if not (weight > 0).any():
            return None
        glints = render(self._state, cell)[..., :3] - self._at_full_size(self._tone, cell)
        own = self._at_full_size(self._own, cell)
        texture = self._texture(cell) * self._view.at_full_size(self._gain, cell)
        light = (to_linear(own) + FLOOR) * np.exp(texture)[..., None] - FLOOR
        pores = to_encoded(np.maximum(light, 0)).astype(np.float32) - own
        # It only takes light away.
        less = self._at_full_size(self._less, cell) + weight[..., None] * (pores - glints)
        less = np.minimum(less, 0)
        out = np.zeros((TILE_PX, TILE_PX, 4), dtype=np.uint16)
        added = np.empty((cell.height, cell.width, 4), dtype=np.float32)
        added[..., :3] = MIDDLE + less / 2
        added[..., 3] = weight > 0
        to_pixels(added, out[: cell.height, : cell.width])
        return out

    def _at_full_size(self, image: FloatImage, cell: Rect) -> FloatImage:
        planes = (np.ascontiguousarray(image[..., c]) for c in range(3))
        return np.stack([self._view.at_full_size(plane, cell) for plane in planes], -1)

    def _texture(self, cell: Rect) -> Plane:
        """What is finer than tone, a logarithm of light; borrowed where the picture is clipped."""
        import cv2

        texture = self._fine(cell)
        if self._shift is None:
            return texture
        sigma_px = max(0.5, self._view.picture.px(CLIP_SOFT_MM) * self._side)
        wide = cell.grown(gaussian_reach_px(sigma_px)).intersect(self._state.photo.rect)
        clipped = (render(self._state, wide)[..., :3].max(-1) >= CLIPPED).astype(np.float32)
        if not clipped.any():
            return texture
        soft = cv2.GaussianBlur(clipped, (0, 0), sigma_px)
        share = np.clip(2 * soft[cell.shifted(-wide.x0, -wide.y0).slices], 0, 1)
        from_there = cell.shifted(*self._shift)
        if from_there.intersect(self._state.photo.rect) != from_there:
            return np.asarray(texture * (1 - share), dtype=np.float32)
        return np.asarray(texture + share * (self._fine(from_there) - texture))

    def _fine(self, cell: Rect) -> Plane:
        import cv2

        wide = cell.grown(gaussian_reach_px(self._sigma_px)).intersect(self._state.photo.rect)
        linear = to_linear(render(self._state, wide)[..., :3]).astype(np.float32)
        light = np.log(np.maximum(linear, 0).mean(-1) + FLOOR)
        fine = light - cv2.GaussianBlur(light, (0, 0), self._sigma_px)
        return np.asarray(fine[cell.shifted(-wide.x0, -wide.y0).slices])


def _tone_less(tone: FloatImage, own: FloatImage, weight: Plane) -> FloatImage:
    """(h, w, 3): what to take of the tone, so that the layer, at the strength that it is proposed
    at, leaves the skin's own colour and a share of the lamp's light, mixed as light mixes."""
    linear = to_linear(tone)
    mixed = linear + STRENGTH * weight[..., None] * np.minimum(to_linear(own) - linear, 0)
    less = (to_encoded(mixed) - tone) / STRENGTH
    return np.asarray(less, dtype=np.float32)


def _texture_gain(shine: Shine, rough: Plane, view: SkinView) -> Plane:
    """(h, w): glints make shine rougher than skin; so much of it is left that it is like the skin
    around."""
    picture = view.picture
    around = picture.mean(rough, picture.plain & (shine.weight <= 0), 6.0)
    # Lighter skin shows the same relief with a smaller logarithm: compared in logarithms of light,
    # to which L* is close to proportional.
    lighter = picture.light[..., 1] - shine.own[..., 1]
    gain = np.exp(np.clip(around - rough + lighter / 3, -3, 0))
    return picture.mean(gain.astype(np.float32), picture.is_skin, 1.0)


def _shift_to_intact(view: SkinView, weight: Plane) -> tuple[int, int] | None:
    """The shortest way, in pixels of the photo, by which clipped skin comes to lie on skin that
    neither shines nor is clipped; None if nothing is clipped, or there is no such way."""
    picture = view.picture
    clipped = (picture.rgb.max(-1) >= CLIPPED) & (weight > 0)
    if not clipped.any():
        return None
    intact = picture.plain & (weight <= 0)
    ys, xs = np.nonzero(clipped)
    step = max(1, round(picture.px(2.0)))
    reach = max(step, round(picture.px(SEARCHED_MM)))
    offsets = [(dx, dy) for dy in range(-reach, reach + 1, step)
               for dx in range(-reach, reach + 1, step)]  # fmt: skip
    best, least = None, 0.9
    for dx, dy in sorted(offsets, key=lambda o: o[0] ** 2 + o[1] ** 2):
        inside = (ys + dy >= 0) & (ys + dy < intact.shape[0])
        inside &= (xs + dx >= 0) & (xs + dx < intact.shape[1])
        share = float(intact[(ys + dy)[inside], (xs + dx)[inside]].sum()) / len(ys)
        if share > least + 0.02:
            best, least = (dx << view.level, dy << view.level), share
            if share > 0.98:
                break
    return best
