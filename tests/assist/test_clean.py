"""Mending findings: inside their extents only, from clean skin, kept marks left alone."""

import math
from dataclasses import replace
from unittest import mock

import numpy as np

from lather.assist.clean.clean import NOTHING_TO_MEND, CleanOptions, propose_clean, touched_by
from lather.assist.clean.seam import leaves_seam
from lather.core.bounds import N_DIRECTIONS
from lather.core.rect import Rect
from lather.core.survey.findings.advice import advice_for
from lather.core.survey.findings.finding import Kind
from lather.core.survey.regions.region import Region
from lather.core.work import CancelToken
from lather.document import edits
from lather.document.avoid import avoided
from lather.document.digest import digest
from lather.document.findings import Findings, FindingState
from lather.document.job import Job
from lather.document.layers.layer import Stage
from lather.document.layers.pixels import PixelLayer
from lather.document.photo import Photo
from lather.document.planes import Regions, with_plane
from lather.document.state import new_state
from lather.document.tiles import BLACK_MASK
from lather.document.tree import walk
from lather.errors import Cancelled, EditError
from lather.render.compositor import render
from tests.support import Case, draw, finding, mended, session_for, skin_photo

PLACES = ((120, 90), (250, 220), (80, 260))
RADIUS_PX, REACH_PX = 5.0, 12.0


def spotted():
    """Skin with dark spots at `PLACES`, and the findings that say so; the last is kept."""
    samples = skin_photo(400, 360).samples.copy()
    ys, xs = np.mgrid[:360, :400] + 0.5
    for x, y in PLACES:
        spot = np.exp(-(np.hypot(xs - x, ys - y) ** 2) / (2 * 4.0**2))
        samples = (samples * (1 - 0.4 * spot[..., None])).astype(np.uint16)
    items = [
        finding(n, float(x), float(y), kind=Kind.DARK if n < 3 else Kind.MOLE,
                radius_px=RADIUS_PX, extent_px=tuple([REACH_PX] * N_DIRECTIONS))
        for n, (x, y) in enumerate(PLACES, start=1)
    ]  # fmt: skip
    state = new_state(Photo(samples, name="spots.png"))
    return edits.set_findings(state, Findings.of_survey(0.2, items))


def darkness_at(state, x: float, y: float) -> float:
    """How much darker a place is than the skin around it."""
    rect = Rect.around(x, y, 20)
    light = render(state, rect)[..., :3].mean(-1)
    ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1] + 0.5
    away = np.hypot(xs - x, ys - y)
    return float(light[away > 15].mean() - light[away < 4].mean())


class MendFindingsTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.state = spotted()
        self.open = list(self.state.findings.in_state(FindingState.OPEN))

    def test_open_ones_go_and_kept_ones_stay(self) -> None:
        after = mended(self.state, self.open)
        for (x, y), stays in zip(PLACES, (False, False, True), strict=True):
            before_px, after_px = darkness_at(self.state, x, y), darkness_at(after, x, y)
            self.assertGreater(before_px, 0.08)
            if stays:
                self.assertAlmostEqual(after_px, before_px, places=6)
            else:
                self.assertLess(abs(after_px), 0.2 * before_px)
        self.assertEqual([f.id for f in after.findings.in_state(FindingState.DONE)], [1, 2])

    def test_doubtful_ones_are_mended_only_when_they_are_asked_for(self) -> None:
        findings = self.state.findings
        items = (replace(findings.items[0], certainty=0.3), *findings.items[1:])
        state = edits.set_findings(self.state, replace(findings, items=items))
        for options, done in (
            (CleanOptions(), [2]), (CleanOptions(doubtful=True), [1, 2]),
            (CleanOptions(ids=frozenset({1})), [1]), (CleanOptions(kinds=frozenset({"mole"})), []),
        ):
            after = propose_clean(state, options).after
            found = [f.id for f in after.findings.in_state(FindingState.DONE)]
            self.assertEqual(found, done)

    def test_nothing_changes_outside_of_the_extents(self) -> None:
        after = mended(self.state, self.open)
        rect = self.state.photo.rect
        changed = (render(after, rect) != render(self.state, rect)).any(-1)
        covered = np.zeros(changed.shape, dtype=bool)
        for mark in self.open:
            covered |= mark.coverage(rect) > 0
        self.assertTrue(changed.any())
        self.assertFalse((changed & ~covered).any())

    def test_texture_never_comes_from_a_finding(self) -> None:
        after = mended(self.state, self.open)
        for record in after.layers[-1].strokes:
            x, y = record.readings[0, 1:3] + record.source
            for mark in self.state.findings.items:
                # Mends come one after the other: what is done by then may serve.
                if mark.kind is Kind.MOLE:
                    self.assertGreater(math.dist((x, y), (mark.x, mark.y)), REACH_PX)

    def test_the_grain_is_that_of_the_skin_around(self) -> None:
        after = mended(self.state, self.open)
        x, y = PLACES[1]
        rect = Rect.around(x, y, 30)
        light = render(after, rect)[..., 1]
        grain = light[1:, 1:] - light[:-1, :-1]
        ys, xs = np.mgrid[rect.y0 : rect.y1 - 1, rect.x0 : rect.x1 - 1] + 0.5
        away = np.hypot(xs - x, ys - y)
        ratio = grain[away < 9].std() / grain[away > 16].std()
        self.assertAlmostEqual(float(ratio), 1.0, delta=0.15)

    def test_they_go_on_a_layer_of_clean(self) -> None:
        after = mended(self.state, self.open)
        self.assertEqual([layer.name for layer in after.layers[1:]], ["Mended spots"])
        self.assertIs(after.layers[1].stage, Stage.CLEAN)
        again = edits.decide(after, [1], FindingState.OPEN)
        again = mended(again, [again.findings.get(1)])
        self.assertEqual(len(again.layers), 2)
        locked = edits.set_locked(again, again.layers[1].id, True)
        locked = edits.decide(locked, [1], FindingState.OPEN)
        more = mended(locked, [locked.findings.get(1)])
        self.assertEqual(len([x for x in walk(more.layers) if isinstance(x, PixelLayer)]), 2)

    def test_every_mend_is_kept_as_data(self) -> None:
        records = mended(self.state, self.open).layers[1].strokes
        self.assertEqual(sorted(record.extras["findings"] for record in records), [[1], [2]])
        self.assertTrue(all(record.source is not None for record in records))

    def test_findings_that_touch_are_mended_in_one_go(self) -> None:
        """Else the one mended first would take its tone from the other."""
        marks = [finding(n, 120.0 + 14 * n, 90.0, extent_px=tuple([10.0] * N_DIRECTIONS))
                 for n in (1, 2, 3)]  # fmt: skip
        marks.append(finding(4, 300, 250))
        state = edits.set_findings(self.state, Findings.of_survey(0.2, marks))
        after = mended(state, marks)
        groups = sorted(sorted(r.extras["findings"]) for r in after.layers[1].strokes)
        self.assertEqual(groups, [[1, 2, 3], [4]])
        self.assertEqual(len(list(after.findings.in_state(FindingState.DONE))), 4)

    def test_cancelling_changes_nothing(self) -> None:
        before, token = digest(self.state), CancelToken()
        token.cancel()
        with self.assertRaises(Cancelled):
            mended(self.state, self.open, cancel=token)
        self.assertEqual(digest(self.state), before)

    def test_what_lies_beside_an_edge_is_left_to_the_hand(self) -> None:
        marks = [finding(1, *PLACES[0], extent_px=tuple([REACH_PX] * N_DIRECTIONS)),
                 finding(2, *PLACES[1], rim_broken=0.3)]  # fmt: skip
        state = edits.set_findings(self.state, Findings.of_survey(0.2, marks))
        after = mended(state, marks)
        self.assertEqual([f.id for f in after.findings.in_state(FindingState.OPEN)], [2])
        with self.assertRaisesRegex(EditError, "edge crosses the rim"):
            mended(after, [marks[1]])
        advice = advice_for(marks[1])
        self.assertEqual((advice.tool, advice.opacity), ("copy_from_source", 0.15))

    def test_where_no_skin_is_left_it_says_so(self) -> None:
        huge = [finding(1, 200, 180, extent_px=tuple([390.0] * N_DIRECTIONS))]
        state = edits.set_findings(self.state, Findings.of_survey(0.2, huge))
        with self.assertRaisesRegex(EditError, "no clean"):
            mended(state, huge)


class ProposalTest(Case):
    """What is proposed, measured and left alone, and why."""

    def setUp(self) -> None:
        super().setUp()
        self.state = spotted()

    def test_it_is_an_edit_with_what_was_measured(self) -> None:
        proposal = propose_clean(self.state)
        self.assertIs(proposal.before, self.state)
        self.assertEqual(digest(proposal.accepted()), digest(proposal.after))
        self.assertEqual(proposal.name, "Mend 2 findings")
        opens = list(self.state.findings.in_state(FindingState.OPEN))
        figures = {m.name: (m.before, m.after) for m in proposal.measures}
        self.assertEqual(figures["open findings"], (len(opens), 0))
        worst = max(f.severity for f in opens)
        self.assertEqual(figures["severity of the worst"], (worst, 0))
        self.assertEqual(proposal.reasons, ())

    def test_nothing_is_proposed_where_nothing_is_sure_and_it_says_why(self) -> None:
        marks = [finding(n, *PLACES[n], rim_broken=0.3) for n in (0, 1)]
        state = edits.set_findings(self.state, Findings.of_survey(0.2, marks))
        proposal = propose_clean(state)
        self.assertIs(proposal.after, state)
        self.assertEqual(proposal.reasons, ("2 left open: an edge crosses the rim",))
        with self.assertRaisesRegex(EditError, "Nothing was mended"):
            proposal.accepted()
        self.assertIs(propose_clean(state, CleanOptions(kinds=frozenset({"hair"}))).after, state)

    def test_kinds_and_numbers_choose(self) -> None:
        red = [f.id for f in self.state.findings.items if f.kind is Kind.RED]
        for options, expected in (
            (CleanOptions(kinds=frozenset({"blemish"})), [1, 2]),
            (CleanOptions(kinds=frozenset({"blemish.red"})), red),
            (CleanOptions(kinds=frozenset({"crease"})), []),
            (CleanOptions(ids=frozenset({2})), [2]),
            (CleanOptions(ids=frozenset({2}), kinds=frozenset({"hair"})), []),
        ):
            with self.subTest(options):
                done = propose_clean(self.state, options).after.findings
                self.assertEqual([f.id for f in done.in_state(FindingState.DONE)], expected)

    def test_what_a_mark_of_the_person_touches_is_kept(self) -> None:
        x, y = PLACES[0]
        touched = touched_by(self.state, [(x + 4, y, 3.0)])
        state = edits.decide(self.state, touched, FindingState.KEPT)
        kept = [f.id for f in state.findings.in_state(FindingState.KEPT)]
        self.assertIn(1, kept)
        self.assertNotIn(2, kept)
        self.assertEqual(touched_by(self.state, [(5.0, 5.0, 1.0)]), [])


class AvoidTest(Case):
    def test_what_is_not_done_is_avoided(self) -> None:
        findings = spotted().findings
        cover = avoided(findings.decided([1], FindingState.DONE))
        rect = Rect(0, 0, 400, 360)
        covered = cover(rect) > 0.5
        self.assertFalse(covered[90, 120])
        self.assertTrue(covered[220, 250] and covered[260, 80])
        self.assert_equal_arrays(cover(Rect(60, 240, 100, 280)), cover(rect)[240:280, 60:100])
        self.assertIsNone(avoided(Findings()))


class ByHandTest(Case):
    def test_a_finding_mended_by_hand_is_done_in_the_same_step(self) -> None:
        job = Job(spotted())
        session = session_for(job)
        draw(session, "mend_spot", [PLACES[0]], size_px=34.0, hardness=0.5)
        self.assertEqual([f.id for f in job.state.findings.in_state(FindingState.DONE)], [1])
        self.assertEqual(len(job.history.done), 1)
        job.undo()
        self.assertEqual(list(job.state.findings.in_state(FindingState.DONE)), [])

    def test_a_stroke_that_leaves_it_visible_leaves_it_open(self) -> None:
        job = Job(spotted())
        session = session_for(job)
        draw(session, "mend_spot", [PLACES[0]], size_px=34.0, opacity=0.2)
        draw(session, "mend_spot", [(330, 60)], size_px=30.0)
        self.assertEqual(list(job.state.findings.in_state(FindingState.DONE)), [])


class WideGamutTest(Case):
    def test_a_photo_in_another_space_is_surveyed_in_srgb(self) -> None:
        """The same colours in a wider space give the same findings."""
        import pyvips

        from lather.assist.survey import survey_photo
        from lather.files.photos.reading import read_photo
        from tests.support import DEMO

        path = self.folder / "wide.tif"
        image = pyvips.Image.new_from_file(str(DEMO / "portrait2.jpg")).cast("ushort") * 257
        image = image.cast("ushort").copy(interpretation="rgb16")
        image.icc_transform("p3", input_profile="srgb", depth=16).tiffsave(str(path))
        plain = survey_photo(read_photo(DEMO / "portrait2.jpg"))
        wide = survey_photo(read_photo(path))
        self.assertAlmostEqual(wide.mm_per_px, plain.mm_per_px, delta=0.01)
        # Of a line another piece may be its middle: spots are what can be compared by place.
        spots, others = ([f for f in s.findings if not f.path_px] for s in (wide, plain))
        near = sum(any(math.dist((f.x, f.y), (g.x, g.y)) < 5 for g in others) for f in spots)
        self.assertGreaterEqual(near, 0.85 * len(others))


class WhatCutsTest(Case):
    """What is to be kept cuts a mend only where it is compact, and never half of a spot."""

    def setUp(self) -> None:
        super().setUp()
        self.state = spotted()
        self.spot, other, _ = self.state.findings.items
        self.others = (other,)

    def with_kept(self, kept):
        items = (self.spot, *self.others, kept)
        return edits.set_findings(self.state, Findings.of_survey(0.2, items))

    def test_a_natural_fold_cuts_no_spot_in_half(self) -> None:
        x, y = self.spot.x, self.spot.y
        fold = finding(9, x, y, kind=Kind.FOLD, extent_px=(5.0,) * N_DIRECTIONS,
                       path_px=tuple((x - 60 + 4.0 * n, y + 4) for n in range(31)))  # fmt: skip
        after = mended(self.with_kept(fold), [self.spot])
        self.assertLess(abs(darkness_at(after, x, y)),
                        0.2 * darkness_at(self.state, x, y))  # fmt: skip
        rect = Rect.around(x, y, 30)
        light = render(after, rect)[..., 1]
        steps, were = (np.abs(np.diff(one, axis=0)).max()
                       for one in (light, render(self.state, rect)[..., 1]))  # fmt: skip
        self.assertLess(steps, 1.5 * were)

    def test_a_mark_that_would_cut_it_leaves_the_spot_open_with_the_reason(self) -> None:
        mole = finding(9, self.spot.x + 9, self.spot.y, kind=Kind.MOLE,
                       extent_px=(9.0,) * N_DIRECTIONS)  # fmt: skip
        proposal = propose_clean(self.with_kept(mole))
        self.assertIs(proposal.after.findings.state(self.spot), FindingState.OPEN)
        self.assertIn("1 left open: a mark to be kept lies in it", proposal.reasons)
        alone = propose_clean(self.with_kept(mole), CleanOptions(ids=frozenset({self.spot.id})))
        self.assertRegex(str(alone.refusal), "a mark to be kept lies in it")

    def test_nothing_to_mend_is_said_so_and_not_that_no_skin_lies_near(self) -> None:
        flat = new_state(Photo(np.full((300, 300, 3), 40000, np.uint16), name="flat.png"))
        hair = finding(1, 150.0, 150.0, kind=Kind.SKIN_HAIR, extent_px=(4.0,) * N_DIRECTIONS,
                       path_px=((120.0, 150.0), (180.0, 150.0)))  # fmt: skip
        state = edits.set_findings(flat, Findings.of_survey(0.2, [hair]))
        proposal = propose_clean(state)
        self.assertEqual(proposal.refusal.why, NOTHING_TO_MEND)


class SourceTest(Case):
    def test_skin_takes_nothing_from_what_is_no_skin(self) -> None:
        """Hair beside a spot is nearer and smoother than any skin; it is no source."""
        rng = np.random.default_rng(3)
        skin = 0.6 + 0.03 * rng.standard_normal((360, 400)).astype(np.float32)
        rgb = np.repeat(skin[..., None], 3, -1)
        hair = np.zeros((360, 400), bool)
        hair[:, 150:] = True  # as light as skin, and with a finer texture
        rgb[hair] = 0.6 + 0.028 * rng.standard_normal((int(hair.sum()), 1)).astype(np.float32)
        ys, xs = np.mgrid[:360, :400] + 0.5
        rgb *= 1 - 0.4 * np.exp(-(np.hypot(xs - 120, ys - 180) ** 2) / 32)[..., None]
        photo = Photo((np.clip(rgb, 0, 1) * 65535).astype(np.uint16), name="hair.png")
        spot = finding(1, 120.0, 180.0, kind=Kind.DARK, extent_px=(12.0,) * N_DIRECTIONS)
        state = edits.set_findings(new_state(photo), Findings.of_survey(0.2, [spot]))
        plane = with_plane(BLACK_MASK, Rect(0, 0, 400, 360), (~hair).astype(np.float32))
        for masks, may in (({}, True), ({Region.SKIN: plane}, False)):
            after = mended(replace(state, regions=Regions(1.0, masks)), [spot])
            (stroke,) = after.active.strokes
            source = stroke.rect.shifted(*stroke.source)
            share = hair[source.slices].mean()
            with self.subTest(regions=bool(masks)):
                self.assertTrue(may or share == 0, share)

    def test_hairs_that_reach_into_a_spot_are_not_cut_in_half(self) -> None:
        state = spotted()
        spot = state.findings.items[0]
        hair = np.zeros((360, 400), bool)
        hair[:, int(spot.x) + 3 : int(spot.x) + 6] = True
        plane = with_plane(BLACK_MASK, Rect(0, 0, 400, 360), (~hair).astype(np.float32))
        state = replace(state, regions=Regions(1.0, {Region.SKIN: plane}))
        after, whole = mended(state, [spot]), state.photo.rect
        changed = np.abs(render(after, whole) - render(state, whole)).max(-1)
        self.assertEqual(float(changed[hair].max()), 0)
        self.assertGreater(float(changed[~hair].max()), 0.05)

    def test_a_mend_that_leaves_a_seam_is_set_in_anew_or_left_open(self) -> None:
        state = spotted()
        first = state.findings.items[0]
        wanted = CleanOptions(ids=frozenset({first.id}))
        tried: list[tuple[float, float]] = []

        def leaves(before, after, layer_id, rect) -> bool:  # noqa: ARG001
            tried.append(after.layer(layer_id).strokes[-1].source)
            return len(tried) < 3

        with mock.patch("lather.assist.clean.clean.leaves_seam", leaves):
            after = propose_clean(state, wanted).accepted()
        self.assertEqual(len(set(tried)), 3)
        self.assertEqual(after.active.strokes[-1].source, tried[-1])
        with mock.patch("lather.assist.clean.clean.leaves_seam", lambda *_: True):
            refused = propose_clean(state, wanted)
        self.assertRegex(str(refused.refusal), "a mend would leave a seam; .*smaller brush")
        self.assertIs(refused.after.findings.state(first), FindingState.OPEN)

    def test_a_hard_patch_is_a_seam_and_a_soft_mend_is_none(self) -> None:
        state = spotted()
        plane = with_plane(BLACK_MASK, Rect(0, 0, 400, 360), np.ones((360, 400), np.float32))
        state = replace(state, regions=Regions(1.0, {Region.SKIN: plane}))
        before = edits.add_pixel_layer(state, "Mine")
        tile = np.zeros((256, 256, 4), np.uint16)
        tile[60:120, 60:160] = (52000, 40000, 34000, 65535)
        patched = edits.set_pixels(before, before.active_id,
                                   before.active.tiles.with_tiles({(0, 0): tile}))  # fmt: skip
        self.assertTrue(leaves_seam(before, patched, before.active_id, Rect(60, 60, 160, 120)))
        spot = state.findings.items[1]
        soft = mended(state, [spot])
        empty = edits.update_layer(soft, soft.active_id, tiles=before.active.tiles)
        self.assertFalse(leaves_seam(empty, soft, soft.active_id, spot.rect))
