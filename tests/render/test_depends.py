"""What is shown follows all that it depends on: no tile of a lens or a mask view stays behind."""

from __future__ import annotations

import unittest
from dataclasses import replace
from functools import lru_cache

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from lather.core.kernels import prepare_kernels
from lather.core.rect import Rect
from lather.core.survey.faces.geometry import FaceGeometry
from lather.core.survey.regions.region import Region
from lather.document import edits
from lather.document.agreed.style import Style
from lather.document.diff import changed_cells
from lather.document.findings import Findings
from lather.document.layers.limits import Limits, Span
from lather.document.layers.table import KINDS
from lather.document.scale import move_handle
from lather.document.state import JobState, new_state
from lather.document.tiles import NO_PIXELS
from lather.document.tree import replaced
from lather.render.lenses.lens import LensLook
from lather.render.lenses.table import LENSES
from lather.render.screen.request import Shown, ViewRequest
from lather.render.screen.view import ViewTiles
from lather.render.worker import SameThread
from tests.stacks import bell, lips_at
from tests.support import Case, random_tile, skin_photo

FACE = FaceGeometry.from_pupils((120.0, 130.0), (190.0, 132.0))


def setUpModule() -> None:  # noqa: N802 - as unittest calls it
    prepare_kernels()


@lru_cache(maxsize=1)
def begun() -> JobState:
    """Skin, a reshape, a layer that another one covers, and curves limited by all that limits."""
    photo = skin_photo(300, 280)
    regions = lips_at(photo, Rect(100, 90, 220, 200))
    regions = replace(regions, masks={**regions.masks, Region.SKIN: regions.masks[Region.LIPS]})
    state = replace(new_state(photo), regions=regions, findings=Findings(0.2, faces=(FACE,)))
    layer = bell(photo, (9.0, 4.0), (150.0, 140.0))
    state = replace(state, layers=(*state.layers, layer), active_id=layer.id)
    for opacity in (30000, 65535):
        state = edits.add_pixel_layer(state)
        tile = random_tile(opacity) // 2 + 16000
        tile[..., 3] = opacity
        tiles = NO_PIXELS.with_tiles({(0, 0): tile, (0, 1): tile})
        state = edits.set_pixels(state, state.active_id, tiles)
    state = edits.add_computed(state, KINDS["split"], sigma_px=3.0)
    state = edits.add_computed(state, KINDS["curves"])
    state = edits.add_mask(state, state.active_id)
    limits = Limits(Span(low_l=40.0), (Region.LIPS,))
    return edits.set_limits(state, state.active_id, limits)


def _pushed(state: JobState) -> JobState:
    layer = state.layers[1]
    more = bell(state.photo, (-12.0, 15.0), (170.0, 120.0))
    pushed = replace(layer, across=more.across, down=more.down)
    return replace(state, layers=replaced(state.layers, layer.id, (pushed,)))


def _mask_painted(state: JobState) -> JobState:
    layer = state.layers[-1]
    tiles = layer.mask.tiles.with_tiles({(0, 0): random_tile(4, channels=1)})
    return edits.set_mask_pixels(state, layer.id, tiles)


CHANGES = {
    "scale": lambda s: replace(s, findings=replace(s.findings, mm_per_px=0.11)),
    "handle": lambda s: move_handle(s, 0, "temple_left", 260.0, 120.0),
    "style": lambda s: edits.set_style(s, Style.NATURAL if s.brief.style is not Style.NATURAL
                                       else Style.GROOMED),
    "push": _pushed,
    "hidden lower layer": lambda s: edits.set_visible(s, s.layers[2].id, False),
    "region": lambda s: replace(s, regions=lips_at(s.photo, Rect(20, 20, 90, 90))),
    "limits": lambda s: edits.set_limits(s, s.layers[-1].id, Limits(Span(low_l=70.0))),
    "another layer": lambda s: replace(s, active_id=s.layers[2].id),
    "mask": _mask_painted,
    "radius": lambda s: edits.set_parameter(s, s.layers[4].id, "sigma_px", 9.0),
    "the split in work": lambda s: replace(s, active_id=s.layers[4].id),
}  # fmt: skip


class DependsTest(Case):
    def assert_follows(self, shown: Shown, look: LensLook, changes: list[str]) -> None:
        state = begun()
        view = ViewTiles(state, SameThread(), lambda request: None)  # noqa: ARG005
        view.set_lens(look)
        cells = [(0, 0), (0, 1), (1, 0), (1, 1)]
        rect = state.photo.rect
        view.look(shown, 0, rect)
        for name in changes:
            after = CHANGES[name](state)
            view.set_state(after, changed_cells(state, after))
            state = after
            view.look(shown, 0, rect)
            picture = view.picture(shown, 0, rect)
            for key in cells:
                part = Rect.cell(key, 256).intersect(rect)
                request = ViewRequest(0, state, shown, 0, Rect.cell(key, 256), 0.2, look)
                expected = request.render()[: part.height, : part.width]
                away = np.abs(picture[part.slices].astype(int) - expected)
                self.assertLessEqual(int(away.max(initial=0)), 1, f"{look.id}, {shown}: {name}")

    def test_every_lens_follows_every_change(self) -> None:
        for lens in LENSES:
            for name in CHANGES:
                self.assert_follows(Shown.LENS, LensLook(lens, region=Region.LIPS), [name])

    def test_the_mask_alone_follows_every_change(self) -> None:
        for name in CHANGES:
            self.assert_follows(Shown.MASK, LensLook(), [name])

    @settings(max_examples=30, deadline=None)
    @given(st.sampled_from([*LENSES]), st.lists(st.sampled_from([*CHANGES]), max_size=4))
    def test_so_it_does_after_several(self, lens, changes) -> None:
        self.assert_follows(Shown.LENS, LensLook(lens, region=Region.LIPS), changes)
        self.assert_follows(Shown.MASK, LensLook(lens), changes)


if __name__ == "__main__":
    unittest.main()
