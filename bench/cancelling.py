"""How long whoever cancels has to wait: the longest time that work aside does not look up."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from bench.common import Row, Scale, demo_picture, large_state, row
from lather.core.rect import Rect
from lather.core.work import CancelToken
from lather.document.layers.layer import new_id
from lather.document.layers.reshape import ReshapeLayer
from lather.document.state import JobState, new_state

if TYPE_CHECKING:
    from lather.assist.proposal import Proposal

LONGEST_S = 0.3

Work = Callable[[CancelToken], object]


class Watching(CancelToken):
    """Notes how long nobody asked it."""

    def __init__(self) -> None:
        super().__init__()
        self.longest_s = 0.0
        self._last_s = time.perf_counter()

    def check(self) -> None:
        now_s = time.perf_counter()
        self.longest_s = max(self.longest_s, now_s - self._last_s)
        self._last_s = now_s
        super().check()

    @property
    def cancelled(self) -> bool:
        self.check()
        return super().cancelled


def longest_s(work: Work) -> float:
    """The longest time between two looks at the token, the ends included."""
    token = Watching()
    work(token)
    token.check()
    return token.longest_s


def measure(scale: Scale) -> list[Row]:
    """cancelling: the longest time that work aside does not look up"""
    rows = []
    for name, work in {**_on_a_portrait(scale), **_on_a_reshape(scale)}.items():
        if not scale.is_small:
            work(CancelToken())  # kernels and models are loaded once
        waited_s = longest_s(work)
        rows.append(row(f"cancelled at the latest after: {name}", waited_s, "s",
                        target=f"< {LONGEST_S:g}", ok=waited_s < LONGEST_S))  # fmt: skip
    return rows


def _on_a_portrait(scale: Scale) -> dict[str, Work]:

    from lather.assist.check.check import check
    from lather.assist.clean.clean import propose_clean
    from lather.assist.even.even_out import propose_even_out
    from lather.assist.even.match import propose_match, propose_redness
    from lather.assist.even.scores import skin_scores
    from lather.assist.even.shine import propose_shine
    from lather.assist.survey import survey_photo, surveyed, with_survey
    from lather.document.photo import Photo

    picture = demo_picture("portrait8.jpg", scale)
    photo = Photo(np.ascontiguousarray(picture[..., ::-1]), name="portrait.png")
    state = with_survey(new_state(photo), surveyed(survey_photo(photo)))
    mended = propose_clean(state).after

    def asked(assistant: Callable[..., Proposal]) -> Work:
        return lambda cancel: assistant(state, cancel=cancel)

    return {
        "survey": lambda cancel: survey_photo(photo, cancel=cancel),
        "mend all": asked(propose_clean), "tame shine": asked(propose_shine),
        "calm redness": asked(propose_redness), "even out": asked(propose_even_out),
        "match colour": asked(propose_match),
        "scores": lambda cancel: skin_scores(state, cancel=cancel),
        "check": lambda cancel: check(mended, cancel=cancel),
    }


def _on_a_reshape(scale: Scale) -> dict[str, Work]:
    """Of 24 megapixels, half of which are moved."""
    from lather.assist.shape.shape import even_other_side, hold_area, straighten_background
    from lather.document.planes import with_plane
    from lather.document.tiles import BLACK_MASK

    state = _reshaped(large_state(scale))
    picture = state.photo.rect
    half = np.ones((picture.height, picture.width // 2), np.float32)
    left = Rect(0, 0, picture.width // 2, picture.height)
    in_area = replace(state, area=with_plane(BLACK_MASK, left, half))
    return {
        "even the other side": lambda cancel: even_other_side(state, cancel),
        "hold the area": lambda cancel: hold_area(in_area, cancel),
        "straighten the background": lambda cancel: straighten_background(state, cancel),
    }


def _reshaped(state: JobState) -> JobState:
    picture = state.photo.rect
    middle = (picture.width / 2, 0.0, picture.width / 2, float(picture.height))
    layer = ReshapeLayer(id=new_id(), name="Reshape", middle=middle)
    nodes = layer.samples_rect(Rect(0, 0, picture.width // 2, picture.height))
    y, x = np.mgrid[: nodes.height, : nodes.width].astype(np.float32)
    wave = 6 * np.sin(x / 90) * np.sin(y / 110)
    layer = layer.with_nodes(nodes, np.dstack([wave, 0.5 * wave]))
    return replace(state, layers=(*state.layers, layer), active_id=layer.id)
