"""Mending findings: inside their extents only, from clean skin, kept marks left alone."""

import math
from dataclasses import replace

import numpy as np

from lather.assist.clean.clean import CleanOptions, propose_clean, touched_by
from lather.core.bounds import N_DIRECTIONS
from lather.core.rect import Rect
from lather.core.survey.findings.advice import advice_for
from lather.core.survey.findings.finding import Kind
from lather.core.work import CancelToken
from lather.document import edits
from lather.document.avoid import avoided
from lather.document.digest import digest
from lather.document.findings import Findings, FindingState
from lather.document.job import Job
from lather.document.layers.layer import Stage
from lather.document.layers.pixels import PixelLayer
from lather.document.photo import Photo
from lather.document.state import new_state
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
