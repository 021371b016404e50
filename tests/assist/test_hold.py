"""The machine keeps its brief: what it proposes is held inside, by its own layers alone."""

from __future__ import annotations

import unittest
from dataclasses import replace
from functools import lru_cache

import numpy as np

from bench.changed import portrait
from bench.evenness import surveyed
from lather.assist.check.check import check
from lather.assist.check.hold import limit_of, within_brief
from lather.assist.check.lever import strength_within
from lather.assist.check.table import BY_ID
from lather.assist.clean.clean import propose_clean
from lather.assist.clean.taking_back import mends_at, take_back
from lather.assist.pending import Pending
from lather.assist.proposal import new_layers
from lather.assist.request import Request
from lather.assist.retouch import RetouchOptions, retouch
from lather.core.kernels import prepare_kernels
from lather.document import edits
from lather.document.agreed.briefing import set_brief
from lather.document.findings import FindingState
from lather.document.layers.layer import Stage
from lather.document.state import JobState
from lather.render.compositor import render
from tests.support import Case

SCALE = 0.5
BOTH = RetouchOptions((Stage.CLEAN, Stage.EVEN))


def setUpModule() -> None:
    prepare_kernels()


@lru_cache(maxsize=1)
def sitter() -> JobState:
    return surveyed(portrait(8, SCALE))


def moved(state: JobState, **limits: float) -> JobState:
    """The state under a brief in which some limits are others."""
    names = {name.replace("__", "."): value for name, value in limits.items()}
    return set_brief(state, replace(state.brief, moved_limits=names))


class HeldTest(Case):
    def test_what_would_pass_a_limit_is_weakened_and_it_is_said(self) -> None:
        free = Request("even.even_out").proposal(sitter(), hold=False)
        reached = check(free.after, quick=True, rows=[BY_ID["evenness"]]).rows[0].reading.value
        least = (1 + reached) / 2  # half of what it would do
        strict = moved(sitter(), evenness__least=least)
        held = Request("even.even_out").proposal(strict)
        strengths = [layer.strength for layer in new_layers(held)]
        self.assertLess(min(strengths), 0.75)
        self.assertGreater(min(strengths), 0.2)
        found = check(held.after, quick=True, rows=[BY_ID["evenness"]]).rows[0]
        self.assertFalse(found.is_beyond)
        self.assertTrue(any("instead of 100%: unevenness left" in why for why in held.reasons))

    def test_what_cannot_be_weakened_enough_is_withdrawn_with_the_reason(self) -> None:
        strict = moved(sitter(), evenness__least=0.9999)
        held = Request("even.even_out").proposal(strict)
        self.assertIsNotNone(held.refusal)
        self.assertIs(held.after, held.before)
        self.assertRegex(held.refusal.why, "withdrawn: unevenness left .*, at least 100%")

    def test_the_persons_own_layers_are_never_weakened(self) -> None:
        state = edits.start_computed(sitter(), _kind("exposure"), None)
        limits = replace(state.layers[-1].limits, regions=())
        mine = edits.set_limits(state, state.active_id, limits)
        strict = moved(mine, evenness__least=0.9)
        before = {layer.id: layer for layer in strict.layers}
        after, _ = retouch(strict, BOTH)
        for layer in after.layers:
            if layer.id in before:
                self.assertEqual(layer.strength, before[layer.id].strength)

    def test_a_limit_that_was_passed_before_is_asked_no_better(self) -> None:
        state = edits.add_computed(sitter(), _kind("blur"))
        blurred = edits.set_parameter(state, state.active_id, "radius_px", 4.0)
        row = BY_ID["texture_kept"]
        self.assertTrue(check(blurred, quick=True, rows=[row]).rows[0].is_beyond)
        added = edits.add_pixel_layer(blurred, "Mine")
        kept, done = within_brief(blurred, added, [added.active_id], rows=[row])
        self.assertEqual((kept, done), (added, []))

    def test_the_ruler_shows_where_the_limit_lies_and_starts_inside(self) -> None:
        free = Request("even.even_out").proposal(sitter())
        reached = check(free.after, quick=True, rows=[BY_ID["evenness"]]).rows[0].reading.value
        strict = moved(sitter(), evenness__least=1 - 0.6 * (1 - reached))
        held = Request("even.even_out").proposal(strict)
        pending = Pending.of(held, times=limit_of(held))
        self.assertIsNotNone(pending.limit)
        self.assertLessEqual(pending.strength, pending.limit + 0.005)
        beyond = replace(pending, strength=min(1.0, pending.limit + 0.1)).after
        self.assertTrue(check(beyond, quick=True, rows=[BY_ID["evenness"]]).rows[0].is_beyond)
        easy = Request("even.even_out").proposal(moved(sitter(), evenness__least=0.01))
        self.assertIsNone(Pending.of(easy, times=limit_of(easy)).limit)

    def test_a_run_ends_within_its_brief_and_its_steps_tell_what_gave(self) -> None:
        strict = moved(sitter(), evenness__least=0.85)
        after, done = retouch(strict, BOTH)
        self.assertEqual(check(after).beyond, ())
        said = [why for one in done for why in one.proposal.reasons]
        self.assertTrue(any("instead of" in why or "withdrawn" in why for why in said), said)

    def test_strength_0_does_nothing_and_marks_nothing_done(self) -> None:
        after, done = retouch(sitter(), RetouchOptions((Stage.CLEAN, Stage.EVEN), 0.0))
        self.assertIs(after.layers, sitter().layers)
        self.assertEqual(after.findings, sitter().findings)
        self.assertTrue(all("strength of 0 %" in one.proposal.refusal.why for one in done))

    def test_strength_counts_on_a_job_that_has_mends_already(self) -> None:
        first, *_ = [f for f in sitter().findings.in_state(FindingState.OPEN)
                     if f.kind.is_blemish and f.stands_free]  # fmt: skip
        from lather.assist.clean.clean import CleanOptions

        begun = propose_clean(sitter(), CleanOptions(ids=frozenset({first.id}))).accepted()
        after, _ = retouch(begun, RetouchOptions((Stage.CLEAN,), 0.4, as_a_whole=False))
        old = {layer.id: layer for layer in begun.layers}
        for layer in after.layers:
            if layer.id in old:
                self.assertIs(layer.tiles if hasattr(layer, "tiles") else None,
                              getattr(old[layer.id], "tiles", None))  # fmt: skip
            else:
                self.assertLessEqual(layer.strength, 0.4)


class TakingBackTest(Case):
    def test_one_mend_goes_and_the_others_stay_to_the_last_bit(self) -> None:
        state = sitter()
        after = propose_clean(state).accepted()
        stroke = next(s for layer in after.layers for s in getattr(layer, "strokes", ())
                      if len(s.extras["findings"]) == 1)  # fmt: skip
        (gone,) = stroke.extras["findings"]
        found = after.findings.get(gone)
        layers = [layer.id for layer in after.layers[1:]]
        self.assertIn(gone, mends_at(after, layers, found.x, found.y))
        back = take_back(after, [gone])
        self.assertIs(back.findings.state(found), FindingState.OPEN)
        core = found.rect.intersect(state.photo.rect)
        others = [f for f in after.findings.items
                  if f.id != gone and after.findings.state(f) is FindingState.DONE]  # fmt: skip
        self.assertTrue(all(back.findings.state(f) is FindingState.DONE for f in others))
        rect = state.photo.rect
        photo, mended, now = (render(one, rect)[..., :3] for one in (state, after, back))
        np.testing.assert_array_equal(now[core.slices][found.coverage(core) > 0.5],
                                      photo[core.slices][found.coverage(core) > 0.5])  # fmt: skip
        far = np.ones(photo.shape[:2], bool)
        far[core.grown(2).intersect(rect).slices] = False
        np.testing.assert_array_equal(now[far], mended[far])


class LeverSearchTest(unittest.TestCase):
    def test_the_largest_strength_that_holds_is_found_in_few_looks(self) -> None:
        for power in (0.5, 1.0, 2.0, 4.0):
            for limit in (0.3, 0.8):
                looks: list[float] = []

                def share(strength: float, power: float = power, limit: float = limit,
                          looks: list[float] = looks) -> float:  # fmt: skip
                    looks.append(strength)
                    return strength**power / limit

                found = strength_within(share, 1.0, 1 / limit, 0.0, 1.0)
                with self.subTest(power=power, limit=limit):
                    self.assertLessEqual(share(found), 1.0)
                    self.assertGreater(share(found), 0.7)
                    self.assertLessEqual(len(looks), 7)


def _kind(name: str):
    from lather.document.layers.table import KINDS

    return KINDS[name]
