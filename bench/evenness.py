"""What Even does, against the truth of the made-up portraits, and on changed versions of them.

Every portrait has the same picture without its blotches, and without its shine. Lather is given the
photo alone. Beside it, at equal evenness, what is done without it: blur, bilateral and guided
filter on the skin, which even by losing texture.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.changed import Image, portrait, truth, without_flaw
from bench.common import Row, Scale, row
from lather.core.check.skin import fine_lightness
from lather.core.colour.lab import ciede2000, to_encoded, to_linear
from lather.core.colour.labs import lab_of
from lather.core.survey.regions.region import Part, Region
from lather.document.state import JobState
from lather.paths import demo_dir

PORTRAITS = (1, 8, 9)
SHINING = (8, 1)  # a strong one, a faint one
STRENGTHS = (0.6, 0.75, 1.0)
SMOOTH_MM, SHRUNK_MM, MODEL_MM = 0.7, 1.0, 10.0
IN_SHINE, NO_SHINE, SURE = 0.5, 0.1, 0.95
SPARED = (Region.LIPS, Region.EYE_WHITE, Region.IRIS, Region.BROWS, Region.HAIR, Region.BACKGROUND)
FLUSH_MM, FLUSH_A, FLUSH_BLOOD = 14.0, 9.0, 0.4  # radius; a*; density
RASHES = (0.3, 0.5)  # densities


@dataclass(frozen=True, eq=False)
class Sitting:
    """A portrait as Lather has it, with its truths.

    Attributes
    ----------
    rgb, no_tone, no_shine : (H, W, 3) encoded 0-1: the photo, without blotches, without shine.
    shine : (H, W) 0-1 of the strongest shine.
    masks : the true regions.
    state : surveyed.
    """

    rgb: Image
    no_tone: Image
    no_shine: Image
    shine: Image
    masks: dict[Region, Image]
    state: JobState

    @property
    def px_per_mm(self) -> float:
        return 1 / (self.state.findings.mm_per_px or 1.0)

    @property
    def skin(self) -> NDArray[np.bool_]:
        return np.asarray(self.masks[Region.SKIN] > SURE)


def measure(scale: Scale) -> list[Row]:
    """evenness: error in tone and shine against the truth, texture and form kept"""
    size = scale.portrait
    rows: list[Row] = []
    for number in PORTRAITS[: scale.runs(len(PORTRAITS))]:
        rows += _tone(number, size)
    for number in SHINING[: scale.runs(len(SHINING))]:
        rows += _shine(number, size)
    rows += _redness(1, size)
    rows += _rash(PORTRAITS[: scale.runs(len(PORTRAITS))], size)
    for name, change in (() if scale.is_small else CHANGES.items()):
        rows += _changed(8, name, change)
    return rows


def _tone(number: int, size: float) -> list[Row]:
    from lather.assist.even.even_out import propose_even_out

    sitting = sit(number, size)
    out = flattened(propose_even_out(sitting.state).after)
    name = f"portrait {number}"
    before, after = (tone_errors(picture, sitting) for picture in (sitting.rgb, out))
    rows = [
        _limit(f"{name}: tone error a*", after[1] / before[1], "x", "<= 0.80", 0.80),
        _limit(f"{name}: tone error L*", after[0] / before[0], "x", "<= 0.98", 0.98),
        row(f"{name}: tone error b*", after[2] / before[2], "x", target=""),
    ]
    rows += _kept(name, out, sitting)
    return rows + _filters(name, out, sitting)


def _shine(number: int, size: float) -> list[Row]:
    from lather.assist.even.shine import propose_shine
    from lather.document import edits

    sitting = sit(number, size)
    proposal = propose_shine(sitting.state)
    inside = sitting.skin & (sitting.shine > IN_SHINE)
    rows, name = [], f"portrait {number}, shine"
    for strength in STRENGTHS:
        state = proposal.after
        if proposal.refusal is None:
            state = edits.set_strength(state, state.active_id, strength)
        out = flattened(state) if proposal.refusal is None else sitting.rgb
        goal = sitting.rgb + np.float32(strength) * (sitting.no_shine - sitting.rgb)
        left = difference(out, goal, inside) / difference(sitting.rgb, goal, inside)
        rows.append(_limit(f"{name}: error left at {strength:.0%}", left, "x", "<= 0.45", 0.45))
    elsewhere = sitting.skin & (sitting.shine < NO_SHINE)
    changed = difference(out, sitting.rgb, elsewhere)
    rows.append(_limit(f"{name}: change elsewhere", changed, "dE", "<= 0.15", 0.15))
    return rows


def _redness(number: int, size: float) -> list[Row]:
    """A flush planted on the neck, matched to the skin around it: as colour alone, and as blood,
    which takes light, too."""
    from lather.assist.even.match import MatchOptions, propose_match
    from lather.core.colour.lab import lab_to_srgb
    from lather.core.tone.chromophores import BLOOD
    from lather.document.planes import with_plane
    from lather.document.tiles import BLACK_MASK

    sitting = sit(number, size)
    away, soft = _planted(sitting, Part.NECK)
    flush = lab_of(sitting.rgb).astype(np.float64)
    flush[..., 1:2] += FLUSH_A * soft
    blood = to_encoded(to_linear(sitting.rgb) * np.exp(-FLUSH_BLOOD * soft * BLOOD))
    target, around = away < 1.1, (away > 1.5) & (away < 2.1) & sitting.skin
    tiles = [with_plane(BLACK_MASK, sitting.state.photo.rect, np.asarray(area, dtype=np.float32))
             for area in (target, around)]  # fmt: skip
    rows = []
    for kind, picture in (("as colour", lab_to_srgb(flush)), ("as blood", blood)):
        name = f"portrait {number}, a flush on the neck {kind}"
        red = sit_again(np.asarray(picture, dtype=np.float32), sitting)
        proposal = propose_match(red, MatchOptions(target=tiles[0], reference=tiles[1]))
        if proposal.refusal is not None:
            rows.append(row(f"{name}: refused", 1, "", target="0", ok=False))
            continue
        start, out = flattened(red), flattened(proposal.after)
        before, after = (
            float(ciede2000(lab_of(p)[target].mean(0), lab_of(p)[around].mean(0)))
            for p in (start, out)
        )
        was, now = (_band(p, 2.0, 8.0, sitting)[target] for p in (start, out))
        same = float(np.corrcoef(was, now)[0, 1])
        rows += [
            row(f"{name}: difference left", after, "dE", target="<= 2", ok=after <= 2.0,
                reference="before", reference_value=before),
            row(f"{name}: pattern of light", same, "", target=">= 0.99", ok=same >= 0.99),
        ]  # fmt: skip
    return rows


def _rash(numbers: tuple[int, ...], size: float) -> list[Row]:
    """A rash planted as blood on neck, cheek and forehead: found, and how much of it is left."""
    from lather.assist.even.match import propose_redness
    from lather.core.tone.chromophores import BLOOD

    rows = []
    for density in RASHES:
        found, left = 0, []
        places = [(sit(n, size), part) for n in numbers
                  for part in (Part.NECK, Part.CHEEK_LEFT, Part.FOREHEAD)]  # fmt: skip
        for sitting, part in places:
            away, soft = _planted(sitting, part)
            rgb = to_encoded(to_linear(sitting.rgb) * np.exp(-density * soft * BLOOD))
            red = sit_again(np.asarray(rgb, dtype=np.float32), sitting)
            proposal = propose_redness(red)
            core = (away < 0.7) & sitting.skin
            true, start, out = (float(lab_of(p)[..., 1][core].mean()) for p in (
                sitting.rgb, flattened(red), flattened(proposal.after)))
            found += proposal.refusal is None
            left.append((out - true) / (start - true))
        name = f"a rash of density {density:g}"
        rows.append(row(f"{name}: proposed, of {len(places)}", found, "", target=""))
        rows.append(row(f"{name}: a* left", float(np.mean(left)), "x", target=""))
    return rows


def _planted(sitting: Sitting, part: Part) -> tuple[Image, Image]:
    """(H, W) distance from the middle of a part in radii of a patch, and (H, W, 1) the patch."""
    from lather.assist.skin_view import skin_view

    view = skin_view(sitting.state)
    ys, xs = np.nonzero(view.parts[part] * view.picture.plain > 0.9)
    y, x = (float(np.median(v)) * (1 << view.level) for v in (ys, xs))
    grid = np.mgrid[: sitting.rgb.shape[0], : sitting.rgb.shape[1]].astype(np.float32)
    radius_px = FLUSH_MM * sitting.px_per_mm
    away = np.asarray(np.hypot(grid[0] - y, grid[1] - x) / radius_px, dtype=np.float32)
    return away, np.clip((1 - away) / 0.25 + 0.5, 0, 1)[..., None]


def _kept(name: str, out: Image, sitting: Sitting) -> list[Row]:
    """Texture, form, and what is no skin."""
    sigma_px = 0.5 * sitting.px_per_mm
    where = sitting.skin
    texture = [
        math.sqrt(
            float(np.square(fine_lightness(lab_of(picture)[..., 0], sigma_px)[where]).mean())
        )
        for picture in (sitting.rgb, out)
    ]
    ratio = texture[1] / texture[0]
    form = [_within(lab_of(picture)[..., 0], where, MODEL_MM * sitting.px_per_mm)[where]
            for picture in (sitting.rgb, out, sitting.no_tone)]  # fmt: skip
    kept = float(np.corrcoef(form[0], form[1])[0, 1])
    to_truth = [float(np.corrcoef(form[n], form[2])[0, 1]) for n in (0, 1)]
    rows = [
        row(f"{name}: texture energy", ratio, "x", target="0.97-1.03", ok=0.97 <= ratio <= 1.03),
        row(f"{name}: modelling correlation", kept, "", target=">= 0.995", ok=kept >= 0.995),
        row(f"{name}: modelling against the truth", to_truth[1], "", target=">= before",
            ok=to_truth[1] >= to_truth[0] - 1e-5, reference="before", reference_value=to_truth[0]),
    ]  # fmt: skip
    side = 2 * max(1, round(SHRUNK_MM * sitting.px_per_mm)) + 1
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
    for region in SPARED:
        inside = cv2.erode((sitting.masks[region] > SURE).astype(np.uint8), disc) > 0
        if inside.any():
            changed = difference(out, sitting.rgb, inside)
            rows.append(
                _limit(f"{name}: change of {region.label}", changed, "dE", "<= 0.05", 0.05)
            )
    return rows


def _filters(name: str, out: Image, sitting: Sitting) -> list[Row]:
    """Texture that filters keep at the evenness that Lather reached."""
    wanted = _unevenness(out, sitting)
    rows = [row(f"{name}: texture kept", _texture_kept(out, sitting), "x", target="")]
    for title, smooth in _references(sitting).items():
        low, high = 0.0, 1.0
        for _ in range(7):
            share = (low + high) / 2
            mixed = sitting.rgb + np.float32(share) * (smooth - sitting.rgb)
            low, high = (share, high) if _unevenness(mixed, sitting) > wanted else (low, share)
        mixed = sitting.rgb + np.float32(high) * (smooth - sitting.rgb)
        rows.append(row(f"{name}: texture kept by {title}", _texture_kept(mixed, sitting), "x",
                        target=""))  # fmt: skip
    return rows


def _references(sitting: Sitting) -> dict[str, Image]:
    """The skin through filters as wide as blotches are."""
    from lather.core.guided import Guide

    sigma_px = 3.0 * sitting.px_per_mm
    rgb = np.ascontiguousarray(sitting.rgb)
    step = max(1, round(sigma_px / 4))
    small = cv2.resize(rgb, None, fx=1 / step, fy=1 / step, interpolation=cv2.INTER_AREA)
    bilateral = cv2.bilateralFilter(small, 0, 0.12, sigma_px / step)
    size = rgb.shape[1], rgb.shape[0]
    guide = Guide(rgb, max(1, round(sigma_px)), 0.01)
    return {
        "a blur": cv2.GaussianBlur(rgb, (0, 0), sigma_px),
        "a bilateral filter": cv2.resize(bilateral, size, interpolation=cv2.INTER_LINEAR),
        "a guided filter": np.stack(
            [guide.refine(np.ascontiguousarray(rgb[..., c])) for c in range(3)], -1
        ),
    }


def _changed(number: int, name: str, change: Callable[[Image], Image]) -> list[Row]:
    """Both on a changed photo: its truth is changed alike."""
    from lather.assist.even.even_out import propose_even_out
    from lather.assist.even.shine import propose_shine

    was = sit(number, 1.0)
    rgb, no_tone, no_shine = (change(picture) for picture in (was.rgb, was.no_tone, was.no_shine))
    state = surveyed(rgb)
    masks = {region: _reshaped(plane, rgb) for region, plane in was.masks.items()}
    sitting = Sitting(rgb, no_tone, no_shine, _reshaped(was.shine, rgb), masks, state)
    if name in MIRRORED:
        flipped = {region: np.ascontiguousarray(p[:, ::-1]) for region, p in masks.items()}
        shine = np.ascontiguousarray(sitting.shine[:, ::-1])
        sitting = Sitting(rgb, no_tone, no_shine, shine, flipped, state)
    even = flattened(propose_even_out(state).after)
    before, after = (tone_errors(picture, sitting) for picture in (rgb, even))
    title = f"portrait {number}, {name}"
    rows = [
        _limit(f"{title}: tone error a*", after[1] / before[1], "x", "<= 0.80", 0.80),
        _limit(f"{title}: tone error L*", after[0] / before[0], "x", "<= 0.98", 0.98),
    ]
    proposal = propose_shine(state)
    tamed = flattened(proposal.after) if proposal.refusal is None else rgb
    inside = sitting.skin & (sitting.shine > IN_SHINE)
    goal = rgb + np.float32(0.6) * (no_shine - rgb)
    left = difference(tamed, goal, inside) / difference(rgb, goal, inside)
    return [*rows, _limit(f"{title}: shine left at 60 %", left, "x", "<= 0.45", 0.45)]


def _lit(share: float) -> Callable[[Image], Image]:
    def change(rgb: Image) -> Image:
        return np.asarray(to_encoded(to_linear(rgb) * share), dtype=np.float32)

    return change


def _warm(rgb: Image) -> Image:
    lamp = np.array((1.0, 0.9, 0.72), dtype=np.float32)
    return np.asarray(to_encoded(to_linear(rgb) * lamp), dtype=np.float32)


def _noisy(rgb: Image) -> Image:
    noise = np.random.default_rng(5).normal(0, 0.02, rgb.shape).astype(np.float32)
    return np.asarray(np.clip(rgb + noise, 0, 1), dtype=np.float32)


def _small(rgb: Image) -> Image:
    return np.asarray(cv2.resize(rgb, None, fx=0.6, fy=0.6, interpolation=cv2.INTER_AREA))


def _large(rgb: Image) -> Image:
    return np.asarray(cv2.resize(rgb, None, fx=1.8, fy=1.8, interpolation=cv2.INTER_CUBIC))


def _mirrored(rgb: Image) -> Image:
    return np.ascontiguousarray(rgb[:, ::-1])


CHANGES: dict[str, Callable[[Image], Image]] = {
    "less light": _lit(0.5), "warm light": _warm, "noise": _noisy, "smaller": _small,
    "larger": _large, "mirrored": _mirrored,
}  # fmt: skip
MIRRORED = ("mirrored",)


@lru_cache(maxsize=4)
def sit(number: int, size: float) -> Sitting:
    rgb = portrait(number, size)
    masks = truth(number, size)
    shine = cv2.imread(str(demo_dir() / f"portrait{number}_mask_shine.png"), 0)
    assert shine is not None
    return Sitting(
        rgb, _without(number, "tone", rgb, size), _without(number, "shine", rgb, size),
        _reshaped(shine.astype(np.float32) / np.float32(255), rgb), masks, surveyed(rgb),
    )  # fmt: skip


def sit_again(rgb: Image, sitting: Sitting) -> JobState:
    """Another photo of the same person in the same place: nothing is surveyed anew."""
    from dataclasses import replace

    from lather.document.photo import Photo
    from lather.document.state import new_state

    fresh = new_state(Photo((np.clip(rgb, 0, 1) * 65535 + 0.5).astype(np.uint16), name="red.png"))
    return replace(fresh, findings=sitting.state.findings, regions=sitting.state.regions)


def surveyed(rgb: Image) -> JobState:
    from lather.assist.survey import survey_photo, with_survey
    from lather.assist.survey import surveyed as taken
    from lather.document.photo import Photo
    from lather.document.state import new_state

    photo = Photo((np.clip(rgb, 0, 1) * 65535 + 0.5).astype(np.uint16), name="portrait.png")
    return with_survey(new_state(photo), taken(survey_photo(photo)))


def flattened(state: JobState) -> Image:
    from lather.render.flatten import flatten

    return flatten(state, 16).astype(np.float32) / np.float32(65535)


def tone_errors(picture: Image, sitting: Sitting) -> NDArray[np.float64]:
    """Rms of L*, a*, b* against the picture without blotches, in skin after a 0.7 mm blur."""
    sigma_px = SMOOTH_MM * sitting.px_per_mm
    here, there = (lab_of(cv2.GaussianBlur(p, (0, 0), sigma_px))
                   for p in (picture, sitting.no_tone))  # fmt: skip
    away = (here - there)[sitting.skin].astype(np.float64)
    rms: NDArray[np.float64] = np.sqrt(np.square(away).mean(0))
    return rms


def difference(one: Image, other: Image, where: NDArray[np.bool_]) -> float:
    """Mean CIEDE2000 where a mask says so."""
    if not where.any():
        return 0.0
    return float(ciede2000(lab_of(one)[where], lab_of(other)[where]).mean())


def _without(number: int, flaw: str, rgb: Image, size: float) -> Image:
    change = without_flaw(number, flaw)
    assert change is not None
    if size != 1:
        change = cv2.resize(change, (rgb.shape[1], rgb.shape[0]), interpolation=cv2.INTER_AREA)
    return np.asarray(np.clip(rgb + change, 0, 1), dtype=np.float32)


def _reshaped(plane: Image, rgb: Image) -> Image:
    size = rgb.shape[1], rgb.shape[0]
    return np.asarray(cv2.resize(plane, size, interpolation=cv2.INTER_AREA))


def _within(plane: Image, where: NDArray[np.bool_], sigma_px: float) -> Image:
    """The Gaussian mean of what is in a mask."""
    step = max(1, round(sigma_px / 6))
    size = plane.shape[1] // step, plane.shape[0] // step
    both = [cv2.resize(np.asarray(p, np.float32), size, interpolation=cv2.INTER_AREA)
            for p in (plane * where, where.astype(np.float32))]  # fmt: skip
    soft = [cv2.GaussianBlur(p, (0, 0), sigma_px / step) for p in both]
    mean = soft[0] / np.maximum(soft[1], 1e-3)
    return np.asarray(cv2.resize(mean, plane.shape[1::-1], interpolation=cv2.INTER_LINEAR))


def _band(picture: Image, fine_mm: float, coarse_mm: float, sitting: Sitting) -> Image:
    light = np.ascontiguousarray(lab_of(picture)[..., 0])
    fine, coarse = (cv2.GaussianBlur(light, (0, 0), mm * sitting.px_per_mm)
                    for mm in (fine_mm, coarse_mm))  # fmt: skip
    return np.asarray(fine - coarse)


def _unevenness(picture: Image, sitting: Sitting) -> float:
    """Rms of a* in skin between 1 and 16 mm."""
    a = np.ascontiguousarray(lab_of(picture)[..., 1])
    fine, coarse = (_within(a, sitting.skin, mm * sitting.px_per_mm) for mm in (1.0, 16.0))
    return math.sqrt(float(np.square((fine - coarse)[sitting.skin]).mean()))


def _texture_kept(picture: Image, sitting: Sitting) -> float:
    sigma_px = 0.5 * sitting.px_per_mm
    now, was = (fine_lightness(lab_of(p)[..., 0], sigma_px)[sitting.skin]
                for p in (picture, sitting.rgb))  # fmt: skip
    return float((now * was).mean()) / float(np.square(was).mean())


def _limit(name: str, value: float, unit: str, target: str, most: float) -> Row:
    return row(name, value, unit, target=target, ok=value <= most)
