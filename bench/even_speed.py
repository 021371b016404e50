"""How long Even's assistants take on 24 megapixels, against one blur of the same picture."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from bench.changed import portrait
from bench.common import Row, Scale, row, run_fresh
from bench.evenness import surveyed
from bench.surveying import BLUR_SIGMA_PX
from lather.core.rect import Rect
from lather.document.photo import Photo
from lather.document.planes import with_plane
from lather.document.state import JobState, new_state
from lather.document.tiles import BLACK_MASK

MOST_BLURS, MOST_GB, PREVIEW_MS = 30, 1.5, 500.0
FLASHED = 8  # the portrait with strong shine
VIEW_PX = (700, 668)
# In a process of its own, after a survey of the picture as it was before it was enlarged.
_ALONE = """
from pathlib import Path
from bench.common import Scale
from bench.even_speed import large_portrait, run_all
from lather.core.kernels import prepare_kernels
prepare_kernels()
run_all(large_portrait(SCALE))
# Not getrusage: its maximum includes that of the parent process before exec.
print(int(Path("/proc/self/status").read_text().split("VmHWM:")[1].split()[0]) / 1e6)
"""


def measure(scale: Scale) -> list[Row]:
    """shine, redness, match and even-out of 24 megapixels; their preview"""
    import cv2

    from lather.assist.even.even_out import propose_even_out
    from lather.assist.even.match import propose_redness
    from lather.assist.even.scores import skin_scores
    from lather.assist.even.shine import propose_shine
    from lather.assist.retouch import as_one
    from lather.document.layers.layer import Stage
    from lather.render.compositor import render

    state = large_portrait(scale)
    rgb = state.photo.read_float(state.photo.rect)[..., :3].copy()
    blur_ms = scale.median_ms(lambda: cv2.GaussianBlur(rgb, (0, 0), BLUR_SIGMA_PX), 3)
    rows, total_ms = [], 0.0
    for name, work in (
        ("tame shine", lambda: propose_shine(state)),
        ("calm redness", lambda: propose_redness(state)),
        ("match colour", lambda: _matched(state)),
        ("even out", lambda: propose_even_out(state)),
    ):
        spent_ms = scale.median_ms(work, 1, 1)
        total_ms += spent_ms
        rows.append(_blurs(f"{name}, 24 MP", spent_ms, blur_ms))
    rows.append(_blurs("shine, redness, match and even-out, 24 MP", total_ms, blur_ms, MOST_BLURS))
    scores_ms = scale.median_ms(lambda: skin_scores(state), 1, 0)
    rows.append(_blurs("scores of the skin, 24 MP", scores_ms, blur_ms))
    after = as_one(state, Stage.EVEN).after
    level = max(0, (max(after.photo.width, after.photo.height) // VIEW_PX[1]).bit_length() - 1)
    view = Rect(0, 0, *VIEW_PX).intersect(after.photo.rect.at_level(level))
    render(after, view, level)  # the pyramid of a fresh layer is made once
    preview_ms = scale.median_ms(lambda: render(after, view, level), 5)
    peak_gb = float(run_fresh(_ALONE, scale).split()[-1])
    return [
        *rows,
        row("preview of a proposal at view size", preview_ms, "ms", target=f"< {PREVIEW_MS:g}",
            ok=preview_ms < PREVIEW_MS, reference="one Gaussian blur, sigma 6",
            reference_value=blur_ms),
        row("shine, redness and even-out: peak memory", peak_gb, "GB", target=f"< {MOST_GB}",
            ok=peak_gb < MOST_GB),
    ]  # fmt: skip


def run_all(state: JobState) -> None:
    """Every assistant of the stage, once."""
    from lather.assist.retouch import as_one
    from lather.document.layers.layer import Stage

    as_one(state, Stage.EVEN)
    _matched(state)


def large_portrait(scale: Scale) -> JobState:
    """The portrait with a flash, surveyed and then enlarged."""
    import cv2

    small = portrait(FLASHED, scale.portrait)
    was = surveyed(small)
    ratio = scale.long_side_px / small.shape[0]
    size = round(small.shape[1] * ratio), scale.long_side_px
    large = cv2.resize(small, size, interpolation=cv2.INTER_CUBIC)
    photo = Photo((np.clip(large, 0, 1) * 65535 + 0.5).astype(np.uint16), name="large.png")
    findings = was.findings
    items = tuple(
        replace(f, x=f.x * ratio, y=f.y * ratio, radius_px=f.radius_px * ratio,
                extent_px=tuple(r * ratio for r in f.extent_px),
                path_px=tuple((x * ratio, y * ratio) for x, y in f.path_px))
        for f in findings.items
    )  # fmt: skip
    assert findings.mm_per_px is not None
    regions = replace(was.regions, scale=was.regions.scale / ratio)
    return replace(
        new_state(photo), regions=regions,
        findings=replace(
            findings, items=items, mm_per_px=findings.mm_per_px / ratio,
            faces=tuple(face.scaled(ratio) for face in findings.faces),
        ),
    )  # fmt: skip


def _matched(state: JobState) -> None:
    """A piece of the neck to a good cheek."""
    from lather.assist.even.match import MatchOptions, propose_match

    face = state.findings.faces[0]
    x, y = face.at(0, 1.6)
    reach = 0.25 * face.pupil_distance_px
    rect = Rect.around(x, y, reach).intersect(state.photo.rect)
    target = with_plane(BLACK_MASK, rect, np.ones((rect.height, rect.width), np.float32))
    propose_match(state, MatchOptions(target=target))


def _blurs(name: str, spent_ms: float, blur_ms: float, most: float | None = None) -> Row:
    target = "" if most is None else f"< {most}x"
    ok = None if most is None else spent_ms < most * blur_ms
    return row(name, spent_ms, "ms", target=target, ok=ok, reference="one Gaussian blur, sigma 6",
               reference_value=blur_ms)  # fmt: skip
