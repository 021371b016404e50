"""Work done aside, merged into a state that went on meanwhile."""

from dataclasses import replace

import numpy as np
from hypothesis import given, settings

from lather.assist.survey import with_mark
from lather.core.brush.stroke import Brush
from lather.core.rect import Rect
from lather.core.survey.regions.region import Region
from lather.document import areas, edits
from lather.document.digest import digest
from lather.document.findings import FindingState
from lather.document.job import Job
from lather.document.merge import merge, same_work
from lather.document.painting.strokes import StrokeRecord, readings_of
from lather.document.planes import Regions, with_plane
from lather.document.tiles import BLACK_MASK
from lather.document.tree import walk
from tests.support import Case, apply_edit, edit_sequences, finding, painted_state, surveyed


def walked(state, operations):
    job = Job(state)
    for operation in operations:
        apply_edit(job, *operation)
    return job.state


def with_square(state, rect: Rect, value: int, ids=(), layer_id=None):
    """A square painted by one stroke."""
    layer = state.layer(layer_id or state.active_id)
    tiles = layer.tiles
    for key in rect.cells(256):
        cell = Rect.cell(key, 256)
        pixels = tiles.pixels(key).copy()
        pixels[rect.intersect(cell).shifted(-cell.x0, -cell.y0).slices] = value
        tiles = tiles.with_tiles({key: pixels})
    stroke = StrokeRecord("mend_spot", Brush(), readings_of([]), rect,
                          extras={"findings": list(ids)} if ids else {})  # fmt: skip
    state = edits.set_pixels(state, layer.id, tiles, stroke)
    return edits.decide(state, ids, FindingState.DONE)


class LawsTest(Case):
    @settings(max_examples=60, deadline=None)
    @given(edit_sequences(8))
    def test_with_one_side_unchanged_the_other_one_comes_out(self, operations) -> None:
        before = painted_state(n_layers=2)
        after = walked(before, [op for op in operations if op[0] not in ("raise", "lower")])
        merged = merge(before, after, before)
        self.assertEqual(digest(merged.state), digest(after))
        self.assertEqual(merged.left_out, ())
        groups = {"group", "ungroup"}
        if groups.isdisjoint(name for name, _ in operations):  # nothing moves between groups
            went_on = edits.add_pixel_layer(before, "Meanwhile")
            merged = merge(before, after, went_on)
            self.assertEqual(merged.left_out, ())
            alone = [layer for layer in merged.state.layers if layer.name != "Meanwhile"]
            expected = replace(after, active_id=0)
            self.assertEqual(digest(replace(expected, layers=tuple(alone))), digest(expected))
        merged = merge(before, before, after)
        self.assertIs(merged.state, after)

    @settings(max_examples=60, deadline=None)
    @given(edit_sequences(6), edit_sequences(6))
    def test_what_the_person_did_meanwhile_is_never_lost(self, work, meanwhile) -> None:
        """On a layer of its own: the work never touches what only the person changed."""
        before = painted_state(n_layers=2)
        mine = edits.add_pixel_layer(before)
        now = walked(mine, [op for op in meanwhile if op[0] not in ("undo", "redo")])
        after = walked(before, work)
        merged = merge(before, after, now).state
        theirs = {layer.id for layer in walk(before.layers)}
        for layer in walk(now.layers):
            if layer.id not in theirs:
                self.assertIsNotNone(
                    next((x for x in walk(merged.layers) if x.id == layer.id), None)
                )
        self.assertEqual(merged.photo, now.photo)

    def test_the_active_layer_is_no_change(self) -> None:
        before = painted_state(n_layers=2)
        selected = replace(before, active_id=before.layers[1].id)
        self.assertTrue(same_work(before, selected))
        after = with_square(before, Rect(3, 3, 9, 9), 500)
        merged = merge(before, after, selected)
        self.assertEqual(merged.state.active_id, selected.active_id)
        self.assertIs(merged.state.layers[2], after.layers[2])
        added = edits.add_pixel_layer(before)
        self.assertEqual(merge(before, added, before).state.active_id, added.active_id)


class LayersTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.before = edits.set_findings(painted_state(n_layers=2), surveyed(4))
        self.ids = [finding.id for finding in self.before.findings.items]

    def pixels(self, state, rect: Rect, index: int = 2) -> np.ndarray:
        return state.layers[index].tiles.read(rect)

    def test_pixels_of_one_tile_come_from_both(self) -> None:
        mended, painted = Rect(10, 10, 30, 30), Rect(100, 100, 140, 140)
        after = with_square(self.before, mended, 700, self.ids[:1])
        now = with_square(self.before, painted, 900)
        merged = merge(self.before, after, now)
        self.assertEqual(merged.left_out, ())
        self.assertTrue((self.pixels(merged.state, mended) == 700).all())
        self.assertTrue((self.pixels(merged.state, painted) == 900).all())
        self.assertEqual(len(merged.state.layers[2].strokes), 2)
        self.assertIs(merged.state.findings.states[self.ids[0]], FindingState.DONE)

    def test_a_stroke_is_taken_whole_or_not_at_all(self) -> None:
        """One mend lies where the person painted: it stays open. The other one is taken."""
        over, free = Rect(100, 100, 130, 130), Rect(10, 10, 30, 30)
        after = with_square(self.before, over, 700, self.ids[:1])
        after = with_square(after, free, 700, self.ids[1:2])
        now = with_square(self.before, Rect(120, 120, 140, 140), 900)
        merged = merge(self.before, after, now)
        self.assert_equal_arrays(self.pixels(merged.state, over), self.pixels(now, over))
        self.assertTrue((self.pixels(merged.state, free) == 700).all())
        self.assertEqual(
            merged.left_out, ("1 change on 'Layer 2' where you decided or painted meanwhile",)
        )
        states = merged.state.findings.states
        self.assertNotIn(self.ids[0], states)
        self.assertIs(states[self.ids[1]], FindingState.DONE)
        self.assertEqual(len(merged.state.layers[2].strokes), 2)

    def test_what_is_kept_or_marked_meanwhile_is_not_mended(self) -> None:
        spot = Rect(15, 25, 26, 36)  # where finding 1 lies
        after = with_square(self.before, spot, 700, self.ids[:1])
        for now in (
            edits.decide(self.before, self.ids[:1], FindingState.KEPT),
            with_mark(self.before, 20.0, 30.0, 6.0),
        ):
            merged = merge(self.before, after, now)
            self.assert_equal_arrays(self.pixels(merged.state, spot), self.pixels(now, spot))
            self.assertEqual(merged.state.findings, now.findings)
            self.assertEqual(len(merged.left_out), 1)

    def test_decisions_of_both_come_together(self) -> None:
        after = with_square(self.before, Rect(200, 200, 210, 210), 700, self.ids[:1])
        now = edits.decide(self.before, self.ids[1:2], FindingState.SKIPPED)
        now = with_mark(now, 90.0, 90.0, 6.0)
        merged = merge(self.before, after, now).state.findings
        self.assertIs(merged.states[self.ids[0]], FindingState.DONE)
        self.assertIs(merged.states[self.ids[1]], FindingState.SKIPPED)
        self.assertEqual(len(merged.items), 5)

    def test_new_findings_with_one_id_both_stay(self) -> None:
        number = 1 + max(self.ids)
        after = edits.set_findings(self.before, replace(
            self.before.findings, items=(*self.before.findings.items, finding(number, 5.0))))
        now = with_mark(self.before, 90.0, 90.0, 6.0)
        items = merge(self.before, after, now).state.findings.items
        self.assertEqual([item.id for item in items][-2:], [number, number + 1])
        self.assertEqual([item.x for item in items][-2:], [90.0, 5.0])

    def test_a_new_layer_goes_where_it_was_meant_to(self) -> None:
        middle = replace(self.before, active_id=self.before.layers[1].id)
        after = edits.add_pixel_layer(middle, "Mended spots")
        now = edits.add_pixel_layer(self.before, "Meanwhile")
        names = [layer.name for layer in merge(self.before, after, now).state.layers[1:]]
        self.assertEqual(names, ["Layer 1", "Mended spots", "Layer 2", "Meanwhile"])

    def test_what_was_done_on_a_deleted_layer_is_said(self) -> None:
        after = with_square(self.before, Rect(10, 10, 30, 30), 700)
        now = edits.delete(self.before, self.before.active_id)
        merged = merge(self.before, after, now)
        self.assertIs(merged.state, now)
        self.assertEqual(merged.left_out, ("what was done on 'Layer 2', deleted meanwhile",))

    def test_attributes_are_merged_one_by_one(self) -> None:
        number = self.before.active_id
        after = edits.set_strength(self.before, number, 0.4)
        now = edits.rename(edits.set_visible(self.before, number, False), number, "Mine")
        layer = merge(self.before, after, now).state.active
        self.assertEqual((layer.strength, layer.visible, layer.name), (0.4, False, "Mine"))
        both = merge(self.before, after, edits.set_strength(self.before, number, 0.7))
        self.assertEqual(both.state.active.strength, 0.7)
        self.assertEqual(both.left_out, ("'Layer 2': strength, changed meanwhile",))

    def test_masks_and_planes_are_merged_too(self) -> None:
        before = edits.add_mask(self.before, self.before.active_id)
        def painted(state, at: int):
            pixels = state.active.mask.tiles.pixels((0, 0)).copy()
            pixels[at : at + 5] = 99
            tiles = state.active.mask.tiles.with_tiles({(0, 0): pixels})
            return edits.set_mask_pixels(state, state.active_id, tiles)

        tile = merge(before, painted(before, 10), painted(before, 60)).state.active.mask.tiles
        rows = np.flatnonzero((tile.pixels((0, 0)) == 99).all(1))
        self.assertEqual(rows.tolist(), [*range(10, 15), *range(60, 65)])
        plane = with_plane(BLACK_MASK, Rect(0, 0, 9, 9), np.ones((9, 9), "f4"))
        after = areas.set_area(before, plane)
        other = with_plane(BLACK_MASK, Rect(0, 0, 3, 3), np.ones((3, 3), "f4"))
        merged = merge(before, after, areas.set_area(before, other))
        self.assertIs(merged.state.area, other)
        self.assertEqual(merged.left_out, ("the area, changed meanwhile",))

    def test_regions_are_merged_by_name(self) -> None:
        def plane(value: float):
            return with_plane(BLACK_MASK, Rect(0, 0, 9, 9), np.full((9, 9), value, "f4"))

        old = {Region.SKIN: plane(0.1), Region.HAIR: plane(0.1)}
        before = replace(self.before, regions=Regions(0.1, old))
        after = replace(before, regions=Regions(0.1, {**old, Region.SKIN: plane(0.5)}))
        now = replace(before, regions=Regions(0.1, {**old, Region.HAIR: plane(0.9)},
                                              frozenset({Region.HAIR})))  # fmt: skip
        regions = merge(before, after, now).state.regions
        self.assertIs(regions.masks[Region.SKIN], after.regions.masks[Region.SKIN])
        self.assertIs(regions.masks[Region.HAIR], now.regions.masks[Region.HAIR])
        self.assertEqual(regions.corrected, {Region.HAIR})
