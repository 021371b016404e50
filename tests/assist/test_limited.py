"""What is said to be done is done: assistants inside of an area, under what covers them, and on the
layers of their kind of work that are there."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from lather.assist.clean.clean import propose_clean
from lather.assist.even.even_out import propose_even_out
from lather.assist.even.findings import even_findings
from lather.assist.even.layers import grown, work_of
from lather.assist.even.match import propose_redness
from lather.assist.even.shine import propose_shine
from lather.assist.proposal import Meant, honest, new_layers
from lather.assist.retouch import RetouchOptions, as_one, retouch
from lather.assist.skin_view import roughness, skin_view
from lather.core.area.combine import Combine
from lather.core.last import forget_all
from lather.core.rect import Rect
from lather.core.survey.findings.finding import Kind
from lather.document import areas, edits
from lather.document.findings import FindingState
from lather.document.layers.area_colour import AreaColourLayer
from lather.document.layers.group import GroupLayer
from lather.document.layers.layer import Stage
from lather.document.state import JobState
from lather.render.flatten import merged_layer
from tests.assist.test_clean import PLACES, darkness_at, spotted
from tests.assist.test_even import seen
from tests.even_skin import BROWN, MM, SIDE, field, highlight, skin_rgb, skin_state
from tests.support import Case


def boxed(state: JobState, x0: int, y0: int, x1: int, y1: int) -> JobState:
    """The state with a rectangle as its area."""
    whole = np.ones((y1 - y0, x1 - x0), np.float32)
    return areas.outline(state, Rect(x0, y0, x1, y1), whole, Combine.NEW)


def rashes() -> np.ndarray:
    """Two patches of blood, left and right."""
    ys, xs = np.mgrid[:SIDE, :SIDE]
    return sum(0.55 * np.clip((11 - np.hypot(xs - x, ys - y) * MM) / 3, 0, 1)
               for x, y in ((90, 90), (230, 230)))  # fmt: skip


def even_state() -> JobState:
    """Skin with two patches of shine, blotches, and what the survey says of them."""
    mirrored = highlight(80, 80, 8.0, 0.5) + highlight(240, 240, 8.0, 0.5)
    state = skin_state(skin_rgb(0.09 * field(4.0, 7), mirrored, colour=BROWN))
    found = even_findings(skin_view(state))
    return edits.set_findings(state, replace(state.findings, items=tuple(found)))


class CleanTest(Case):
    def test_inside_of_the_area_it_works_and_leaves_the_rest_open(self) -> None:
        (x, y), (other_x, other_y), _ = PLACES
        state = boxed(spotted(), x - 40, y - 40, x + 40, y + 40)
        proposal = propose_clean(state)
        self.assertIsNone(proposal.refusal)
        states = [proposal.after.findings.state(f).value for f in state.findings.items]
        self.assertEqual(states, ["done", "open", "kept"])
        self.assertIn("1 left open: they lie outside of the area", proposal.reasons)
        self.assertLess(darkness_at(proposal.after, x, y), 0.3 * darkness_at(state, x, y))
        self.assertEqual(darkness_at(proposal.after, other_x, other_y),
                         darkness_at(state, other_x, other_y))  # fmt: skip

    def test_where_all_of_it_lies_outside_nothing_is_done_and_the_area_is_named(self) -> None:
        state = boxed(spotted(), 300, 10, 390, 60)
        proposal = propose_clean(state)
        self.assertIn("outside of the area", proposal.refusal.sentence())
        self.assertIs(proposal.after.layers, state.layers)
        self.assertEqual(len(list(proposal.after.findings.in_state(FindingState.DONE))), 0)

    def test_a_finding_of_which_half_lies_in_it_stays_open(self) -> None:
        x, y = PLACES[0]
        state = boxed(spotted(), x, y - 40, x + 40, y + 40)
        self.assertIsNotNone(propose_clean(state).refusal)


class EvenTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.state = even_state()
        self.addCleanup(forget_all)

    def change(self, proposal) -> np.ndarray:
        return np.abs(seen(proposal.after) - seen(proposal.before)).max(-1)

    def test_each_assistant_changes_the_inside_alone(self) -> None:
        red = skin_state(skin_rgb(rashes() + 0.02 * field(4.0, 7)))
        found = even_findings(skin_view(red))
        red = edits.set_findings(red, replace(red.findings, items=tuple(found)))
        for assistant, state, kind in (
            (propose_shine, self.state, Kind.SHINE), (propose_redness, red, Kind.REDNESS),
            (propose_even_out, self.state, Kind.UNEVEN),
        ):  # fmt: skip
            with self.subTest(kind=kind.value):
                left = boxed(state, 0, 0, 160, 320)
                proposal = honest(assistant(left))
                self.assertIsNone(proposal.refusal, proposal.refusal)
                change = self.change(proposal)
                self.assertGreater(change[40:160, 40:150].max(), 0.01)
                self.assertLess(float(change[:, 163:].max()), 1e-6)
                findings = proposal.after.findings
                for finding in findings.items:
                    if finding.kind is kind and finding.x > 180:
                        self.assertIs(findings.state(finding), FindingState.OPEN)
                if kind is not Kind.UNEVEN:
                    inside = [f for f in findings.items if f.kind is kind and f.x < 140]
                    self.assertTrue(inside)
                    self.assertTrue(all(findings.state(f) is FindingState.DONE for f in inside))
                    self.assertTrue(any("outside of the area" in r for r in proposal.reasons))

    def test_where_nothing_lies_inside_it_says_so(self) -> None:
        state = boxed(self.state, 10, 280, 40, 310)
        proposal = propose_shine(state)
        self.assertIn("outside of the area", proposal.refusal.sentence())
        self.assertIs(proposal.after, state)

    def test_all_of_it_below_a_merged_copy_is_not_proposed(self) -> None:
        copied = edits.insert_on_top(self.state, merged_layer(self.state, "Merged copy"))
        proposal = as_one(copied, Stage.EVEN)
        self.assertIsNotNone(proposal.refusal)
        self.assertIn("'Merged copy' above covers it", proposal.refusal.sentence())
        self.assertIs(proposal.after, copied)
        after, done = retouch(copied, RetouchOptions((Stage.EVEN,)))
        self.assertEqual(len(list(after.findings.in_state(FindingState.DONE))), 0)
        self.assertTrue(all(one.proposal.refusal is not None for one in done))

    def test_layers_are_called_by_what_and_where(self) -> None:
        names = {work_of(layer) for layer in as_one(self.state, Stage.EVEN).after.layers[1:]}
        self.assertTrue({"Tamed shine", "Evened colour"} <= names)
        name = propose_shine(self.state).after.active.name
        self.assertEqual(name, "Tamed shine: body")  # without a face all skin is the body's


class GrowTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.state = even_state()
        self.addCleanup(forget_all)

    def taken(self, state: JobState, assistant, ids) -> JobState:
        proposal = assistant(state, Meant(frozenset(ids)))
        self.assertIsNone(proposal.refusal, proposal.refusal)
        return grown(proposal.after, {layer.id for layer in new_layers(proposal)})

    def test_one_layer_a_kind_of_work_grows_and_looks_as_all_at_once(self) -> None:
        shines = [f.id for f in self.state.findings.items if f.kind is Kind.SHINE]
        self.assertEqual(len(shines), 2)
        at_once = propose_shine(self.state).after
        one_by_one = self.state
        for number in shines:
            one_by_one = self.taken(one_by_one, propose_shine, [number])
        self.assertEqual(len(one_by_one.layers), 2)
        self.assert_close(seen(one_by_one), seen(at_once), 5e-3)
        findings = one_by_one.findings
        self.assertEqual({findings.done_by[n] for n in shines}, {one_by_one.layers[1].id})
        gone = edits.delete(one_by_one, one_by_one.layers[1].id)
        self.assertTrue(all(gone.findings.state(f) is FindingState.OPEN for f in
                            gone.findings.items if f.id in shines))  # fmt: skip

    def test_it_looks_as_it_was_proposed_whatever_the_strengths(self) -> None:
        first, second = [f.id for f in self.state.findings.items if f.kind is Kind.SHINE]
        begun = self.taken(self.state, propose_shine, [first])
        begun = edits.set_strength(begun, begun.layers[1].id, 0.8)
        proposal = propose_shine(begun, Meant(frozenset({second})))
        joined = grown(proposal.after, {layer.id for layer in new_layers(proposal)})
        self.assertEqual(len(joined.layers), 2)
        self.assertEqual(joined.layers[1].strength, 0.8)
        self.assert_close(seen(joined), seen(proposal.after), 2e-3)

    def test_reddened_patches_are_layers_of_one_group(self) -> None:
        state = skin_state(skin_rgb(rashes() + 0.02 * field(4.0, 7)))
        found = even_findings(skin_view(state))
        state = edits.set_findings(state, replace(state.findings, items=tuple(found)))
        ids = [f.id for f in state.findings.items if f.kind is Kind.REDNESS]
        self.assertGreaterEqual(len(ids), 2)
        for number in ids[:2]:
            state = self.taken(state, propose_redness, [number])
        (group,) = state.layers[1:]
        self.assertIsInstance(group, GroupLayer)
        self.assertEqual([type(child) for child in group.children], [AreaColourLayer] * 2)
        self.assertEqual(group.name, "Calmed redness: body")

    def test_what_was_done_by_hand_to_a_layer_keeps_it_apart(self) -> None:
        first, second = [f.id for f in self.state.findings.items if f.kind is Kind.SHINE]
        begun = self.taken(self.state, propose_shine, [first])
        layer_id = begun.layers[1].id
        for changed in (
            edits.add_mask(begun, layer_id), edits.set_locked(begun, layer_id, True),
            edits.rename(begun, layer_id, "Mine"), edits.set_visible(begun, layer_id, False),
        ):  # fmt: skip
            after = self.taken(changed, propose_shine, [second])
            self.assertEqual(len(after.layers), 3)
            self.assertIs(after.layer(layer_id).tiles, begun.layer(layer_id).tiles)

    def test_what_was_measured_once_serves_all(self) -> None:
        from unittest import mock

        shines = [f.id for f in self.state.findings.items if f.kind is Kind.SHINE]
        with mock.patch("lather.assist.even.shine.roughness", wraps=roughness) as measured:
            state = self.state
            for number in shines:
                state = self.taken(state, propose_shine, [number])
            self.assertEqual(measured.call_count, 1)
            cleaned = edits.add_pixel_layer(replace(state, active_id=state.layers[0].id), "Mended")
            rect = Rect(10, 10, 40, 40)
            pixels = np.full((256, 256, 4), 65535, "u2")
            pixels[rect.slices][..., :3] = (30000, 20000, 15000)
            tiles = cleaned.active.tiles.with_tiles({(0, 0): pixels})
            cleaned = edits.set_pixels(cleaned, cleaned.active_id, tiles)
            propose_shine(cleaned, Meant(frozenset(shines)))
            self.assertEqual(measured.call_count, 2)  # what lies below has changed


if __name__ == "__main__":
    unittest.main()
