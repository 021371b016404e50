"""What the check finds of overdoing that was planted, and what it says of a clean retouch.

The clean retouch is the truth of the made-up portraits: the same person without blemishes, creases,
shine, blotches, dull eyes and yellow teeth, as far as the demo has each.
"""

from __future__ import annotations

import cv2
import numpy as np

from bench.changed import (
    CHANGES,
    PORTRAITS,
    Image,
    Planes,
    encoded,
    portrait,
    truth,
    without_flaw,
)
from bench.common import Row, Scale, row
from bench.evenness import surveyed
from bench.planted import PLANTS, Plant, painted, with_lines
from lather.assist.check.check import Check, check
from lather.assist.check.table import BY_ID
from lather.core.colour.lab import luma, to_linear
from lather.core.survey.regions.region import Region
from lather.document.state import JobState
from lather.paths import demo_dir
from lather.render.ground import photo_ground
from lather.render.regions import region_coverage

CHECKED = PORTRAITS
DELTAS = ("creases", "tone", "shine", "teeth_eyes", "redness")
NOISE, DENOISED_SEED = 0.012, 5
WHOLE = {"half a stop lighter": 2**0.5, "half a stop darker": 2**-0.5}
CHANGED = ("little light", "warm light", "light from the side", "noise", "smaller", "mirrored",
           "dark skin")  # fmt: skip
CHANGED_PORTRAIT = 8
MARK_GROWS_PX = 25


def measure(scale: Scale) -> list[Row]:
    """planted overdoing is found, a clean retouch and a photo by itself pass; changed pictures"""
    size = scale.portrait
    rows: list[Row] = []
    for number in CHECKED[: scale.runs(len(CHECKED))]:
        rgb, planes = portrait(number, size), truth(number, size)
        clean = clean_truth(number, size)
        rows += _of_picture(f"portrait {number}", rgb, planes, clean)
    for name in () if scale.is_small else CHANGED:
        rgb, planes = portrait(CHANGED_PORTRAIT), truth(CHANGED_PORTRAIT)
        clean, _ = CHANGES[name](clean_truth(CHANGED_PORTRAIT), planes)
        rgb, planes = CHANGES[name](rgb, planes)
        rows += _of_picture(f"portrait {CHANGED_PORTRAIT}, {name}", rgb, planes, clean)
    return rows


def clean_truth(number: int, size: float = 1.0) -> Image:
    """A portrait without its flaws, as far as the demo has them apart."""
    rgb = portrait(number)
    out = rgb + _without_blemishes(number, rgb)
    for name in DELTAS:
        change = without_flaw(number, name)
        if change is not None:
            out += change
    clean: Image = np.clip(out, 0, 1)
    if size == 1:
        return clean
    return np.asarray(cv2.resize(clean, None, fx=size, fy=size, interpolation=cv2.INTER_AREA))


def _without_blemishes(number: int, rgb: Image) -> Image:
    """What taking the blemishes away changes, around them alone: the rest is compression."""
    folder = demo_dir()
    names = (f"portrait{number}_noblemishes.png", f"portrait{number}_noblemishes.jpg")
    path = next((folder / name for name in names if (folder / name).exists()), None)
    if path is None:
        return np.zeros_like(rgb)
    other = cv2.imread(str(path))
    assert other is not None
    where = np.abs(other.astype(np.float32) / 255 - rgb[..., ::-1]).max(-1) > 0.03
    marks = cv2.morphologyEx(where.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3)))
    grown = cv2.dilate((marks > 0).astype(np.uint8), np.ones((MARK_GROWS_PX,) * 2))
    soft = cv2.GaussianBlur(grown.astype(np.float32), (0, 0), MARK_GROWS_PX / 4)[..., None]
    change = other[..., ::-1].astype(np.float32) / np.float32(255) - rgb
    return np.asarray(soft * change, dtype=np.float32)


def _of_picture(name: str, rgb: Image, planes: Planes, clean: Image) -> list[Row]:
    state = surveyed(rgb)
    mm = state.findings.mm_per_px or 1.0
    passed = check(painted(state, clean))
    rows = [
        _passes(f"{name}: the photo by itself", check(state)),
        _passes(f"{name}: a clean retouch", passed),
    ]
    rows += _whole(name, state, rgb)
    for plant in PLANTS:
        made = _planted(plant, state, rgb, planes, mm)
        if made is not None:
            rows.append(_found(f"{name}: {plant.name}", plant, made))
    return rows


def _whole(name: str, state: JobState, rgb: Image) -> list[Row]:
    """What is done to a picture as a whole is no retouch; of grain, only what skin alone lost."""
    rows = [_passes(f"{name}: {what}", check(painted(state, encoded(to_linear(rgb) * gain))))
            for what, gain in WHOLE.items()]  # fmt: skip
    grey = encoded(np.repeat(luma(to_linear(rgb).astype(np.float32))[..., None], 3, -1))
    rows.append(_passes(f"{name}: black and white", check(painted(state, grey))))
    noise = np.random.default_rng(DENOISED_SEED).normal(0, NOISE, rgb.shape).astype(np.float32)
    noisy = surveyed(np.clip(rgb + noise, 0, 1))
    rows.append(_passes(f"{name}: a perfect denoise", check(painted(noisy, rgb))))
    skin = region_coverage(photo_ground(noisy), Region.SKIN, noisy.photo.rect)
    halved = painted(noisy, np.clip(rgb + noise / 2, 0, 1), skin)
    found = check(halved, rows=[BY_ID["grain"]])
    rows.append(row(f"{name}: grain of skin halved, of the limit", found.share, "x", target="> 1",
                    ok=found.share > 1))  # fmt: skip
    return rows


def _planted(
    plant: Plant, state: JobState, rgb: Image, planes: Planes, mm: float
) -> JobState | None:
    """None where the picture has nothing to plant it in."""
    if "teeth_lighter" in plant.found_by and planes[Region.TEETH].max() < 0.5:
        return None
    if "straight_lines" in plant.found_by:
        rgb = with_lines(rgb, planes)
        lined = surveyed(rgb)
        return painted(lined, *plant.make(rgb, planes, mm))
    return painted(state, *plant.make(rgb, planes, mm))


def _passes(name: str, found: Check) -> Row:
    worst = found.worst.row.id if found.worst is not None else ""
    return row(f"{name}: of the limit, most ({worst})", found.share, "x", target="<= 1",
               ok=found.share <= 1)  # fmt: skip


def _found(name: str, plant: Plant, state: JobState) -> Row:
    """By the measures that are made for it, whatever else rises."""
    found = check(state, rows=[BY_ID[row_id] for row_id in plant.found_by])
    return row(f"{name}: of the limit", found.share, "x", target="> 1", ok=found.share > 1)
