"""How long a survey takes, against one blur of the same picture."""

from __future__ import annotations

import time

import numpy as np

from bench.common import Row, Scale, large_samples, row, run_fresh
from lather.core.work import CancelToken

BLUR_SIGMA_PX = 6.0
MOST_BLURS, MOST_BLURS_SEEING = 10, 0.3
CANCEL_MS = 300.0  # the longest that a cancel may wait

MOST_GB = 1.25
# The survey of an open photo in a process of its own; prints its peak.
_ALONE = """
import resource
from bench.common import Scale, large_samples
from lather.assist.survey import survey_photo
from lather.document.photo import Photo
survey_photo(Photo(large_samples(SCALE), name="large.tif"))
print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6)
"""


class _Watch(CancelToken):
    """Never cancels; notes how long nobody asked."""

    def __init__(self) -> None:
        super().__init__()
        self.gaps_s: list[float] = []
        self._asked_s: float | None = None

    def check(self) -> None:
        now_s = time.perf_counter()
        if self._asked_s is not None:
            self.gaps_s.append(now_s - self._asked_s)
        self._asked_s = now_s


def measure(scale: Scale) -> list[Row]:
    """survey of 24 megapixels, and mending what it found"""
    import cv2

    from lather.assist.clean.clean import propose_clean
    from lather.assist.survey import survey_photo, surveyed, with_survey
    from lather.core.survey.faces.find import find_faces
    from lather.core.survey.survey import survey
    from lather.document.photo import Photo
    from lather.document.state import new_state

    samples = large_samples(scale)
    rgb = samples.astype(np.float32) / np.float32(65535)
    blur_ms = scale.median_ms(lambda: cv2.GaussianBlur(rgb, (0, 0), BLUR_SIGMA_PX), 3)
    seeing_ms = scale.median_ms(lambda: find_faces(rgb), 3)
    survey_ms = scale.median_ms(lambda: survey(rgb), 3)
    state = with_survey(new_state(Photo(samples.copy(), name="large.tif")), surveyed(survey(rgb)))
    mend_ms = scale.median_ms(lambda: propose_clean(state), 1, 0)
    peak_gb = float(run_fresh(_ALONE, scale).split()[-1])
    watch = _Watch()
    survey_photo(Photo(samples.copy(), name="large.tif"), cancel=watch)
    longest_ms = 1000 * max(watch.gaps_s)
    return [
        row("survey, 24 MP: a cancel is seen after", longest_ms, "ms", target=f"< {CANCEL_MS}",
            ok=longest_ms < CANCEL_MS, reference="one Gaussian blur, sigma 6",
            reference_value=blur_ms),
        row("survey, 24 MP", survey_ms, "ms", target=f"< {MOST_BLURS}x",
            ok=survey_ms < MOST_BLURS * blur_ms, reference="one Gaussian blur, sigma 6",
            reference_value=blur_ms),
        row("survey, 24 MP: mesh, eyes, person", seeing_ms, "ms",
            target=f"< {MOST_BLURS_SEEING}x", ok=seeing_ms < MOST_BLURS_SEEING * blur_ms,
            reference="one Gaussian blur, sigma 6", reference_value=blur_ms),
        row("survey, 24 MP: peak memory", peak_gb, "GB", target=f"< {MOST_GB}",
            ok=peak_gb < MOST_GB),
        row("mend all open findings, 24 MP", mend_ms, "ms", target=""),
    ]  # fmt: skip
