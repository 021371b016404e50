"""A step that changes nothing is none; a group that is taken apart looks the same; what a layer did
is open again without it."""

import unittest
from dataclasses import replace

import numpy as np

from lather.core.blend.modes import BlendMode
from lather.core.survey.regions.region import Region
from lather.document import areas, edits
from lather.document.agreed.style import Style
from lather.document.effect import changes_anything, changes_more_than_notes
from lather.document.findings import FindingState
from lather.document.job import Job
from lather.document.layers.blur import BlurLayer
from lather.document.layers.exposure import ExposureLayer
from lather.document.layers.limits import Limits, Span
from lather.document.state import new_state
from lather.document.tiles import WHITE_MASK, Tile
from lather.document.ungrouping import lost_by_ungrouping, ungroup
from lather.errors import EditError
from lather.files.jobs.findings import findings_entry, findings_from
from lather.render.compositor import render
from lather.render.effect import shows
from tests.support import Case, Rect, noise_photo, painted_state, random_tile, surveyed


def square(state, value: float = 1.0):
    return areas.outline(state, Rect(10, 10, 60, 60), np.full((50, 50), value, "f4"),
                         areas.Combine.NEW)  # fmt: skip


class ChangesTest(Case):
    def test_the_same_samples_in_other_objects_are_no_change(self) -> None:
        state = painted_state()
        layer = state.active
        copied = {key: Tile(tile.pixels.copy()) for key, tile in layer.tiles.tiles.items()}
        same = edits.update_layer(state, layer.id, tiles=layer.tiles.with_tile_objects(copied))
        self.assertIsNot(same, state)
        self.assertFalse(changes_anything(state, same))
        self.assertFalse(changes_anything(square(state), square(state)))
        self.assertFalse(changes_anything(state, replace(state, active_id=state.layers[0].id)))

    def test_every_part_of_a_job_counts(self) -> None:
        state = painted_state()
        masked = edits.add_mask(state, state.active_id)
        tile = masked.active.mask.tiles.with_tiles({(0, 0): np.zeros((256, 256), "u2")})
        for one, other in (
            (state, edits.rename(state, state.active_id, "Other")),
            (state, edits.set_strength(state, state.active_id, 0.5)),
            (state, edits.set_mode(state, state.active_id, BlendMode.MULTIPLY)),
            (state, masked), (masked, edits.invert_mask(masked, masked.active_id)),
            (masked, edits.set_mask_pixels(masked, masked.active_id, tile)),
            (state, square(state)), (square(state), square(state, 0.5)),
            (state, edits.set_findings(state, surveyed(3))),
            (state, edits.add_pixel_layer(state)), (state, edits.group(state, state.active_id)),
            (state, edits.lower_layer(state, state.active_id)),
            (state, edits.set_limits(state, state.active_id, Limits(Span(low_l=20.0)))),
            (state, edits.set_delivery_long_side(state, 700)),
        ):  # fmt: skip
            self.assertTrue(changes_anything(one, other))
            self.assertTrue(changes_anything(other, one))

    def test_a_new_layer_with_nothing_on_it_is_a_note_of_a_stroke_alone(self) -> None:
        state = painted_state()
        added = edits.add_pixel_layer(state)
        self.assertTrue(changes_anything(state, added))
        self.assertFalse(changes_more_than_notes(state, added))
        tiles = added.active.tiles.with_tiles({(0, 0): random_tile(5)})
        self.assertTrue(changes_more_than_notes(state, edits.set_pixels(added, added.active_id,
                                                                        tiles)))  # fmt: skip

    def test_a_job_makes_no_step_of_it(self) -> None:
        job = Job(painted_state())
        told = []
        job.changed.connect(lambda before, after: told.append(after))
        layer = job.state.active
        copied = {key: Tile(tile.pixels.copy()) for key, tile in layer.tiles.tiles.items()}
        same = edits.update_layer(job.state, layer.id, tiles=layer.tiles.with_tile_objects(copied))
        self.assertFalse(job.change("Nothing", same))
        self.assertEqual((job.history.n_done, told), (0, []))
        self.assertTrue(job.change("Size", edits.set_delivery_long_side(job.state, 500)))
        self.assertEqual(job.history.n_done, 1)


class ShowsTest(Case):
    def test_what_a_layer_above_covers_does_not_show(self) -> None:
        state = painted_state(n_layers=1)
        covered = edits.add_pixel_layer(state, "Cover")
        opaque = random_tile(9)
        opaque[..., 3] = 65535
        covered = edits.set_pixels(covered, covered.active_id, covered.active.tiles.with_tiles(
            {(y, x): opaque for y in range(2) for x in range(2)}))  # fmt: skip
        below = covered.layers[1]
        tiles = below.tiles.with_tiles({(0, 0): random_tile(77)})
        after = edits.update_layer(covered, below.id, tiles=tiles)
        self.assertFalse(shows(covered, after))
        half = edits.set_strength(covered, covered.active_id, 0.5)
        self.assertTrue(shows(half, edits.update_layer(half, below.id, tiles=tiles)))
        self.assertFalse(shows(state, edits.rename(state, state.active_id, "Other")))

    def test_what_brings_back_what_a_filter_took_shows(self) -> None:
        """Without the filter it would look the same as before."""
        state = edits.add_computed(new_state(noise_photo()), BlurLayer, radius_px=4.0)
        back = edits.add_pixel_layer(state)
        pixels = np.full((256, 256, 4), 65535, "u2")
        pixels[..., :3] = state.photo.samples[:256, :256]
        tiles = back.active.tiles.with_tiles({(0, 0): pixels})
        back = edits.set_pixels(back, back.active_id, tiles)
        self.assertTrue(shows(state, back))


class UngroupTest(Case):
    def grouped(self, n_inside: int = 1):
        state = painted_state(n_layers=n_inside + 1)
        group = edits.group(state, state.layers[2].id)
        for layer in state.layers[3:]:
            group = edits.move_into(group, layer.id, group_id=group.active_id)
        return group

    def looks(self, state):
        return render(state, state.photo.rect)

    def test_one_layer_takes_over_all_that_the_group_did(self) -> None:
        plain = self.grouped()
        group_id = plain.active_id
        mask = WHITE_MASK.with_tiles({(0, 0): random_tile(3, channels=1)})
        masked = edits.set_mask_pixels(edits.add_mask(plain, group_id), group_id, mask)
        both = edits.set_strength(edits.set_mode(masked, group_id, BlendMode.MULTIPLY), group_id,
                                  0.4)  # fmt: skip
        limited = edits.set_limits(plain, group_id, Limits(Span(low_l=30.0)))
        hidden = edits.set_visible(both, group_id, False)
        for state in (plain, masked, both, limited, hidden,
                      edits.set_strength(plain, group_id, 0.0)):  # fmt: skip
            self.assertEqual(lost_by_ungrouping(state.layer(group_id)), ())
            after = ungroup(state, group_id)
            self.assertNotIn("group", [layer.kind for layer in after.layers])
            self.assert_close(self.looks(after), self.looks(state), 1e-6)

    def test_what_cannot_be_taken_over_is_told(self) -> None:
        several = self.grouped(3)
        group_id = several.active_id
        masked = edits.add_mask(edits.set_strength(several, group_id, 0.4), group_id)
        masked = edits.set_mode(masked, group_id, BlendMode.SCREEN)
        lost = lost_by_ungrouping(masked.layer(group_id))
        self.assertEqual(lost, ("its mode screen", "its strength of 40%", "its mask"))
        self.assertEqual(lost_by_ungrouping(several.layer(group_id)), ())
        self.assert_close(self.looks(ungroup(several, group_id)), self.looks(several), 1e-6)
        hidden = edits.set_visible(masked, group_id, False)
        self.assertEqual(lost_by_ungrouping(hidden.layer(group_id)), ())
        self.assert_close(self.looks(ungroup(hidden, group_id)), self.looks(hidden), 1e-6)
        inner = self.grouped()
        own = edits.add_mask(edits.add_mask(inner, inner.active_id), inner.active.children[0].id)
        self.assertEqual(lost_by_ungrouping(own.layer(inner.active_id)), ("its mask",))


class DoneByTest(Case):
    def setUp(self) -> None:
        super().setUp()
        state = edits.set_findings(painted_state(n_layers=2), surveyed(4))
        self.layers = [layer.id for layer in state.layers[1:]]
        state = edits.decide(state, [1], FindingState.DONE, by=self.layers[0])
        self.state = edits.decide(state, [2], FindingState.DONE, by=self.layers[1])

    def states(self, state) -> list[str]:
        return [state.findings.state(f).value for f in state.findings.items]

    def test_deleting_a_layer_opens_what_it_did(self) -> None:
        after = edits.delete(self.state, self.layers[0])
        self.assertEqual(self.states(after), ["open", "done", "open", "kept"])
        grouped = edits.group(self.state, self.layers[1])
        gone = edits.delete(grouped, grouped.active_id)
        self.assertEqual(self.states(gone), ["done", "open", "open", "kept"])

    def test_it_is_saved_and_a_decision_forgets_it(self) -> None:
        again = findings_from(findings_entry(self.state.findings))
        self.assertEqual(again, self.state.findings)
        self.assertEqual(dict(again.done_by), {1: self.layers[0], 2: self.layers[1]})
        reopened = edits.decide(self.state, [1], FindingState.OPEN)
        self.assertEqual(dict(reopened.findings.done_by), {2: self.layers[1]})
        older = findings_entry(self.state.findings)
        for item in older["items"]:
            item.pop("done_by", None)
        self.assertEqual(dict(findings_from(older).done_by), {})


class AbsorbTest(Case):
    def test_it_is_part_of_all_states_and_no_step(self) -> None:
        job = Job(painted_state())
        job.change("One", edits.set_delivery_long_side(job.state, 400))
        job.change("Two", edits.set_delivery_long_side(job.state, 500))
        job.undo()
        found = surveyed(3)
        job.absorb("Survey", lambda state: edits.set_findings(state, found))
        self.assertEqual([step.name for step in job.history.done], ["One"])
        for move in (job.undo, job.redo, job.redo):
            move()
            self.assertEqual(job.state.findings, found)
        self.assertEqual(job.state.brief.delivery_long_side_px, 500)

    def test_an_untouched_job_stays_so(self) -> None:
        job = Job(painted_state())
        job.absorb("Survey", lambda state: edits.set_findings(state, surveyed(3)))
        self.assertFalse(job.modified)
        self.assertEqual(job.history.n_done, 0)
        job.absorb("Survey", lambda state: state)
        job.change("One", edits.set_delivery_long_side(job.state, 400))
        job.absorb("Survey", lambda state: edits.set_findings(state, surveyed(2)))
        self.assertTrue(job.modified)


class IdentityTest(Case):
    """A picture for a document: light of the whole of it, and nothing else."""

    def setUp(self) -> None:
        super().setUp()
        state = edits.set_style(new_state(noise_photo()), Style.IDENTITY)
        self.job = Job(state)
        self.job.change("Exposure", edits.add_computed(state, ExposureLayer))
        self.layer_id = self.job.state.active_id

    def test_neither_mask_nor_limits_nor_mode_nor_a_hidden_photo(self) -> None:
        state, layer_id = self.job.state, self.layer_id
        photo_id = state.layers[0].id
        grouped = edits.group(state, layer_id)
        for name, after in (
            ("mask", edits.add_mask(state, layer_id, hide_all=True)),
            ("limits", edits.set_limits(state, layer_id, Limits(regions=(Region.SKIN,)))),
            ("mode", edits.set_mode(state, layer_id, BlendMode.MULTIPLY)),
            ("photo", edits.set_visible(state, photo_id, False)),
            ("group mask", edits.add_mask(grouped, grouped.active_id, hide_all=True)),
            ("group mode", edits.set_mode(grouped, grouped.active_id, BlendMode.SCREEN)),
        ):
            with self.subTest(name), self.assertRaisesRegex(EditError, "document"):
                self.job.change(name, after)
        self.assertTrue(self.job.change("Brighter", edits.set_parameter(
            state, layer_id, next(iter(state.active.parameters.specs())), 0.5)))  # fmt: skip
        shown = edits.add_mask(self.job.state, layer_id)  # everywhere: still the whole picture
        self.assertTrue(self.job.change("Add mask", shown))


if __name__ == "__main__":
    unittest.main()
