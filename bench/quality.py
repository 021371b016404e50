"""What the survey finds and what mends leave, against the truth of the made-up portraits.

Per blemish, inside 1.35 of its true radius: tone error (mean CIEDE2000 after a 2 px blur) and
texture ratio (rms of lightness minus its 2 px blur, against the truth's). Lather is given
nothing but the picture; the references of the same run are given the true places.
"""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.common import Row, Scale, demo_picture, row
from lather.core.colour.lab import ciede2000, srgb_to_lab
from lather.core.rect import Rect
from lather.core.survey.findings.finding import Finding
from lather.paths import demo_dir

PORTRAITS = (
    ("portrait 1", "portrait1", "portrait1_noblemishes.jpg"),
    ("portrait 2", "portrait2", "portrait2_noblemishes.png"),
)
INSIDE, BLUR_PX = 1.35, 2.0
MASK_RADII = {"papule": 2.8, "pustule": 2.8}  # of what the references are given; others
OTHER_RADII = 2.0
LEAST_RECALL, LEAST_PRECISION = 0.95, 0.90

Image = NDArray[np.float32]
Mark = dict[str, Any]  # x, y, r, kind, keep
Fill = Callable[[Image, Image], Image]  # (picture, mask 0-1) -> filled


def measure(scale: Scale) -> list[Row]:
    """recall and precision of the survey; tone, texture and change of the mends"""
    rows: list[Row] = []
    for title, name, truth_name in PORTRAITS[: scale.runs(len(PORTRAITS))]:
        image = _read(f"{name}.jpg", scale)
        truth = _read(truth_name, scale)
        marks = json.loads((demo_dir() / f"{name}_truth.json").read_text())["marks"]
        marks = [{**m, **{k: m[k] * scale.portrait for k in ("x", "y", "r")}} for m in marks]
        rows += _portrait(title, image, truth, marks)
    return rows


def _portrait(title: str, image: Image, truth: Image, marks: list[Mark]) -> list[Row]:
    out, findings, covered = _cleaned(image)
    wanted = [mark for mark in marks if not mark["keep"]]
    proposed = [f for f in findings if f.kind.is_blemish]
    recall = sum(any(_is_at(f, mark) for f in findings) for mark in wanted) / len(wanted)
    precision = sum(any(_is_at(f, mark) for mark in wanted) for f in proposed) / len(proposed)
    kept = [m for m in marks if m["keep"]]
    n_hurt = sum(any(_is_inside(f, mark) for f in proposed) for mark in kept)
    tones, textures = _errors(out, truth, wanted)
    references = {name: _errors(_filled(image, wanted, fill), truth, wanted)
                  for name, fill in _references().items()}
    best = min(references, key=lambda name: float(np.mean(references[name][0])))
    best_mean, best_median = (f(references[best][0]) for f in (np.mean, np.median))
    outside = ciede2000(srgb_to_lab(out), srgb_to_lab(image))[covered == 0].mean()
    rows = [
        row(f"{title}: recall", recall, "", target=f">= {LEAST_RECALL}",
            ok=recall >= LEAST_RECALL),
        row(f"{title}: precision", precision, "", target=f">= {LEAST_PRECISION}",
            ok=precision >= LEAST_PRECISION),
        row(f"{title}: moles and scars proposed", n_hurt, "", target="0", ok=n_hurt == 0),
        row(f"{title}: tone error, mean", tones.mean(), "dE", target="<= 0.5x",
            ok=tones.mean() <= 0.5 * best_mean, reference=best, reference_value=best_mean),
        row(f"{title}: tone error, median", np.median(tones), "dE", target="<= 0.5x",
            ok=np.median(tones) <= 0.5 * best_median, reference=best,
            reference_value=best_median),
        row(f"{title}: texture ratio", textures.mean(), "", target="0.9-1.1",
            ok=0.9 <= textures.mean() <= 1.1, reference=best,
            reference_value=references[best][1].mean()),
        row(f"{title}: change elsewhere", outside, "dE", target="<= 0.05", ok=outside <= 0.05),
    ]  # fmt: skip
    return rows + [
        row(f"{title}: tone error of {name}", errors.mean(), "dE", target="")
        for name, (errors, _) in references.items()
    ]


def _cleaned(image: Image) -> tuple[Image, list[Finding], Image]:
    """The picture as Lather cleans it, what it found, and where it mended."""
    from lather.assist.clean.clean import CleanOptions, propose_clean
    from lather.assist.survey import survey_photo, surveyed, with_survey
    from lather.document.findings import FindingState
    from lather.document.photo import Photo
    from lather.document.state import new_state
    from lather.render.flatten import flatten

    photo = Photo((image * 65535 + 0.5).astype(np.uint16), name="portrait.png")
    state = with_survey(new_state(photo), surveyed(survey_photo(photo)))
    findings = state.findings
    blemishes = frozenset(f.id for f in findings.items if f.kind.is_blemish)
    state = propose_clean(state, CleanOptions(ids=blemishes)).accepted()
    covered = np.zeros(image.shape[:2], dtype=np.float32)
    for finding in state.findings.in_state(FindingState.DONE):
        rect = finding.rect.intersect(photo.rect)
        covered[rect.slices] = np.maximum(covered[rect.slices], finding.coverage(rect))
    out: Image = flatten(state, 16).astype(np.float32) / np.float32(65535)
    return out, list(findings.items), covered


def _errors(out: Image, truth: Image, marks: list[Mark]) -> tuple[Image, Image]:
    """Tone error and texture ratio of every mark."""
    tones, textures = [], []
    for mark in marks:
        rect = Rect.around(mark["x"], mark["y"], 4 * mark["r"] + 8).intersect(
            Rect(0, 0, truth.shape[1], truth.shape[0])
        )
        inside = _away(rect, mark) < INSIDE * mark["r"]
        parts = [np.ascontiguousarray(a[rect.slices]) for a in (out, truth)]
        tone = [srgb_to_lab(cv2.GaussianBlur(part, (0, 0), BLUR_PX)) for part in parts]
        tones.append(ciede2000(*tone)[inside].mean())
        light = [srgb_to_lab(part)[..., 0].astype(np.float32) for part in parts]
        fine = [plane - cv2.GaussianBlur(plane, (0, 0), BLUR_PX) for plane in light]
        mine, true = (float(np.sqrt(np.square(plane[inside]).mean())) for plane in fine)
        textures.append(mine / true)
    return np.array(tones, np.float32), np.array(textures, np.float32)


def _filled(image: Image, marks: list[Mark], fill: Fill) -> Image:
    """The picture with every true place filled by a reference."""
    out = image.copy()
    for mark in marks:
        radius = mark["r"] * MASK_RADII.get(mark["kind"], OTHER_RADII)
        rect = Rect.around(mark["x"], mark["y"], 3 * radius + 12).intersect(
            Rect(0, 0, image.shape[1], image.shape[0])
        )
        mask = (_away(rect, mark) < radius).astype(np.float32)
        part = np.ascontiguousarray(out[rect.slices])
        out[rect.slices] = fill(part, mask)
    return out


def _references() -> dict[str, Fill]:
    return {
        "OpenCV inpaint, Telea": lambda part, mask: _opencv(part, mask, cv2.INPAINT_TELEA),
        "OpenCV inpaint, NS": lambda part, mask: _opencv(part, mask, cv2.INPAINT_NS),
        "seamlessClone": _clone,
        "biharmonic": _biharmonic,
    }


def _opencv(part: Image, mask: Image, method: int) -> Image:
    filled = cv2.inpaint(_bytes(part), (mask > 0).astype(np.uint8), 3, method)
    return as_image(filled)


def _clone(part: Image, mask: Image) -> Image:
    """From the place right beside it that differs least along its rim."""
    ys, xs = np.nonzero(mask)
    height, width = np.ptp(ys) + 1, np.ptp(xs) + 1
    box = np.s_[ys.min() : ys.max() + 1, xs.min() : xs.max() + 1]
    blurred = cv2.GaussianBlur(part, (0, 0), 2)
    best, least = (ys.min(), xs.min()), math.inf
    for dy in (-height, 0, height):
        for dx in (-width, 0, width):
            y, x = ys.min() + dy, xs.min() + dx
            if (dy or dx) and 0 <= y <= part.shape[0] - height and 0 <= x <= part.shape[1] - width:
                other = blurred[y : y + height, x : x + width]
                cost = float(np.abs(other - other.mean((0, 1))).mean())
                if cost < least:
                    best, least = (y, x), cost
    source = part[best[0] : best[0] + height, best[1] : best[1] + width]
    centre = (int(xs.min() + width // 2), int(ys.min() + height // 2))
    cloned = cv2.seamlessClone(
        _bytes(source), _bytes(part), (255 * mask[box]).astype(np.uint8), centre, cv2.NORMAL_CLONE
    )
    return as_image(cloned)


def _biharmonic(part: Image, mask: Image) -> Image:
    from skimage.restoration import inpaint_biharmonic

    filled: Image = inpaint_biharmonic(part, mask > 0, channel_axis=-1).astype(np.float32)
    return filled


def _is_at(finding: Finding, mark: Mark) -> bool:
    reach_px = max(INSIDE * mark["r"], 0.5 * finding.radius_px / max(finding.diameter_mm, 0.1) * 3)
    return bool(math.dist((finding.x, finding.y), (mark["x"], mark["y"])) < reach_px)


def _is_inside(finding: Finding, mark: Mark) -> bool:
    """A scar is long: only what lies near its middle is on it."""
    share = 0.3 if mark["kind"] == "scar" else 1.0
    return bool(math.dist((finding.x, finding.y), (mark["x"], mark["y"])) < share * mark["r"])


def _away(rect: Rect, mark: Mark) -> Image:
    ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1]
    away: Image = np.hypot(xs + 0.5 - mark["x"], ys + 0.5 - mark["y"]).astype(np.float32)
    return away


def _bytes(image: Image) -> NDArray[np.uint8]:
    return (255 * np.clip(image, 0, 1) + 0.5).astype(np.uint8)


def _read(name: str, scale: Scale) -> Image:
    return as_image(np.ascontiguousarray(demo_picture(name, scale)[..., ::-1]))


def as_image(samples: NDArray[Any]) -> Image:
    """8 bit samples as 0-1."""
    image: Image = samples.astype(np.float32) / np.float32(255)
    return image
