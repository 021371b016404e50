"""How long the check and a whole retouch take on 24 megapixels, against one blur."""

from __future__ import annotations

import time

import numpy as np

from bench.common import Row, Scale, large_samples, row, run_fresh
from bench.surveying import BLUR_SIGMA_PX
from lather.document import edits
from lather.document.layers.pixels import PixelLayer
from lather.document.state import JobState
from lather.document.tiles import TILE_PX

MOST_BLURS, MOST_QUICK_MS = 20, 500.0
MOST_RETOUCH_BLURS, MOST_GB = 120, 2.0
BLUR = "one Gaussian blur, sigma 6"
# The command itself in a process of its own, on a file; prints seconds and its peak.
_ALONE = """
import contextlib, io, tempfile, time
from pathlib import Path
from bench.common import Scale, large_samples
from lather.cli.main import main
from lather.core.kernels import prepare_kernels
prepare_kernels()
with tempfile.TemporaryDirectory() as folder:
    from lather.files.exchange.delivery import Delivery, encode_photo
    photo = Path(folder) / "large.tif"
    encode_photo(large_samples(SCALE), None, photo, Delivery(depth_bits=16))
    large_samples.cache_clear()
    start = time.perf_counter()
    with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()):
        main(["retouch", str(photo), str(photo.with_name("out.tif")), "--stages", "clean,even"])
    print(time.perf_counter() - start)
print(int(Path("/proc/self/status").read_text().split("VmHWM:")[1].split()[0]) / 1e6)
"""


def measure(scale: Scale) -> list[Row]:
    """the check of 24 megapixels, whole and after a stroke; lather retouch with clean and even"""
    from lather.assist.check.check import check
    from lather.assist.clean.clean import propose_clean
    from lather.assist.even.even_out import propose_even_out
    from lather.assist.survey import survey_photo, surveyed, with_survey
    from lather.document.photo import Photo
    from lather.document.state import new_state

    samples = large_samples(scale)
    blur_ms = _blur_ms(scale)
    photo = Photo(samples.copy(), name="large.tif")
    state = with_survey(new_state(photo), surveyed(survey_photo(photo)))
    state = propose_even_out(propose_clean(state).after).after
    start = time.perf_counter()
    check(state)
    first_ms = 1000 * (time.perf_counter() - start)
    painted = iter(_painted(state, number) for number in range(8))
    check(next(painted), quick=True)
    quick_ms = scale.median_ms(lambda: check(next(painted), quick=True), 5)
    spent_s, peak_gb = map(float, run_fresh(_ALONE, scale).split()[-2:])

    def blurs(name: str, spent_ms: float, target: str, ok: bool) -> Row:
        return row(name, spent_ms, "ms", target=target, ok=ok, reference=BLUR,
                   reference_value=blur_ms)  # fmt: skip

    return [
        blurs("check, 24 MP", first_ms, f"<= {MOST_BLURS}x", first_ms <= MOST_BLURS * blur_ms),
        blurs("check after a stroke, reduced", quick_ms, f"<= {MOST_QUICK_MS:g} ms",
              quick_ms <= MOST_QUICK_MS),
        blurs("lather retouch, clean and even, 24 MP", 1000 * spent_s,
              f"<= {MOST_RETOUCH_BLURS}x", 1000 * spent_s <= MOST_RETOUCH_BLURS * blur_ms),
        row("lather retouch: peak memory", peak_gb, "GB", target=f"<= {MOST_GB:g}",
            ok=peak_gb <= MOST_GB),
    ]  # fmt: skip


def _blur_ms(scale: Scale) -> float:
    import cv2

    rgb = large_samples(scale).astype(np.float32) / np.float32(65535)
    return scale.median_ms(lambda: cv2.GaussianBlur(rgb, (0, 0), BLUR_SIGMA_PX), 3)


def _painted(state: JobState, number: int) -> JobState:
    """The state after another short stroke on a layer of its own."""
    layer = state.layers[1]
    assert isinstance(layer, PixelLayer)
    tile = np.zeros((TILE_PX, TILE_PX, 4), dtype=np.uint16)
    tile[100:140, 60:220] = (40000, 30000, 25000, 20000 + 100 * number)
    y, x = (int(v) // TILE_PX for v in reversed(state.findings.faces[0].at(0, 0.5)))
    return edits.set_pixels(state, layer.id, layer.tiles.with_tiles({(y, x): tile}))
