"""Can it show here? Asked by every tool, of every way in which a layer can be hidden at a place: a
stroke of which nothing shows is no step, says why, and does no finding."""

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from lather.core.area.combine import Combine
from lather.core.rect import Rect
from lather.core.survey.regions.region import Region
from lather.document import areas, edits
from lather.document.findings import Findings, FindingState
from lather.document.job import Job
from lather.document.layers.layer import Mask
from lather.document.layers.light import LightLayer
from lather.document.layers.limits import Limits, Span
from lather.document.layers.reshape import ReshapeLayer
from lather.document.layers.split import Part, SplitLayer
from lather.document.planes import Regions, with_plane
from lather.document.state import JobState, new_state
from lather.document.tiles import BLACK_MASK, WHITE_MASK
from lather.render.effect import shows
from lather.render.flatten import merged_layer
from lather.tools.source import PickedSource, SourceGoes
from lather.tools.table import TOOLS
from tests.support import Case, draw, finding, session_for, skin_photo

PIXELS = {"paint_colour", "erase", "paint_back", "mend_spot", "mend_from_source",
          "copy_from_source", "graft"}  # fmt: skip
LIGHT = {"lighten", "darken"}
MOVES = {"push", "gather", "swell", "turn", "turn_back"}
ELSEWHERE = Limits(regions=(Region.HAIR,))
DARK = Limits(Span(high_l=10.0, soft_high_l=0.5))
PLACE = Rect(90, 90, 140, 140)


def portrait() -> JobState:
    """Skin with hair at its left border, far from where the strokes go."""
    hair = np.zeros((360, 400), np.float32)
    hair[:, :60] = 1
    tiles = with_plane(BLACK_MASK, Rect(0, 0, 400, 360), hair)
    return replace(new_state(skin_photo()), regions=Regions(1.0, {Region.HAIR: tiles}))


def with_layer_for(tool_id: str, state: JobState) -> JobState:
    """With a layer that a tool works on; spoilt for those that take something back."""
    if tool_id in LIGHT:
        return edits.add_computed(state, LightLayer)
    if tool_id in MOVES:
        return edits.add_computed(state, ReshapeLayer)
    state = edits.add_pixel_layer(state)
    if tool_id not in ("erase", "paint_back"):
        return state
    pixels = np.zeros((256, 256, 4), np.uint16)
    pixels[PLACE.slices] = (50000, 20000, 20000, 65535)
    return edits.set_pixels(state, state.active_id, state.active.tiles.with_tiles({(0, 0): pixels}))


def hidden_here() -> Mask:
    pixels = np.full((256, 256), 65535, np.uint16)
    pixels[60:180, 60:180] = 0
    return Mask(tiles=WHITE_MASK.with_tiles({(0, 0): pixels}))


def hidden(state: JobState, holder_id: int) -> Iterator[tuple[str, JobState]]:
    """One layer, or what holds it, hidden at the place in every way that its kind takes."""
    layer = state.layer(holder_id)
    yield "mask", edits.update_layer(state, holder_id, mask=hidden_here())
    if layer.BLENDS:
        yield "region", edits.update_layer(state, holder_id, limits=ELSEWHERE)
        yield "lightness", edits.update_layer(state, holder_id, limits=DARK)


def covered(state: JobState) -> Iterator[tuple[str, JobState]]:
    layer_id = state.active_id
    above = edits.insert_on_top(state, merged_layer(state, "Cover"))
    yield "covered", replace(above, active_id=layer_id)
    yield "covered by a group", replace(edits.group(above, above.active_id), active_id=layer_id)


def ways(tool_id: str) -> Iterator[tuple[str, JobState]]:
    """Every way in which a stroke at the place would not show, with its name."""
    state = with_layer_for(tool_id, portrait())
    layer_id = state.active_id
    yield from hidden(state, layer_id)
    grouped = edits.group(state, layer_id)
    for name, held in hidden(grouped, grouped.active_id):
        yield f"group's {name}", replace(held, active_id=layer_id)
    yield from covered(state)
    split = edits.add_computed(portrait(), SplitLayer)
    for part in Part:
        stack = split.active.stack(part)
        state = with_layer_for(tool_id, replace(split, active_id=stack.id))
        for holder in (split.active_id, stack.id):
            for name, held in hidden(state, holder):
                yield f"{name} of {part.value}'s {held.layer(holder).kind}", held
        for name, held in covered(state):
            yield f"{part.value} {name}", held


class EveryToolTest(Case):
    def drawn(self, tool_id: str, state: JobState) -> tuple[JobState, list[str]]:
        """The state after a stroke at the place, and what was said."""
        if tool_id == "graft":
            square = np.ones((40, 40), np.float32)
            state = areas.outline(state, Rect(90, 90, 130, 130), square, Combine.NEW)
        mark = finding(1, 112.0, 112.0, extent_px=(10.0,) * 24)
        state = edits.set_findings(state, Findings(0.2, (mark,)))
        job, said = Job(state), list[str]()
        session = session_for(job)
        session.failed.connect(lambda error: said.append(error.sentence()))
        session.hand = replace(session.hand, source=PickedSource(200, 200),
                               source_goes=SourceGoes.FIXED)  # fmt: skip
        draw(session, tool_id, [(110, 110), (116, 112), (122, 112)], size_px=24.0, hardness=0.5)
        return job.state, said

    def test_no_tool_is_left_out(self) -> None:
        ours = PIXELS | LIGHT | MOVES
        others = {"outline", "grow_area", "mark", "correct_region", "pick", "hold", "let_go",
                  "middle_line"}  # what they do shows elsewhere, or later  # fmt: skip
        by_measure = {"feature", "warp_area", "straighten", "ease_back", "calm"}
        lays = {one.id for one in TOOLS if one.paints or one.reshapes}
        self.assertLessEqual(lays - ours - others - by_measure, set())

    def test_where_nothing_is_in_the_way_it_is_taken(self) -> None:
        for tool_id in sorted(PIXELS | LIGHT | MOVES):
            with self.subTest(tool_id):
                before = with_layer_for(tool_id, portrait())
                after, said = self.drawn(tool_id, before)
                self.assertTrue(shows(before, after), said)

    def test_where_it_would_not_show_it_is_no_step(self) -> None:
        for tool_id in sorted(PIXELS | LIGHT | MOVES):
            for name, state in ways(tool_id):
                with self.subTest(tool=tool_id, way=name):
                    after, said = self.drawn(tool_id, state)
                    if shows(state, after):
                        continue  # a span of lightness lets a part of it show
                    self.assertIs(after.layers, state.layers)
                    self.assertEqual(len(said), 1)
                    self.assertFalse(list(after.findings.in_state(FindingState.DONE)))
