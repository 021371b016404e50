"""What is made can be kept: every value that a layer, the brief or a finding takes goes through a
save, a kill and reopening; what it does not take is refused when it is made. What does not fit on
reading costs itself alone. The tables of bounds are read, so that what is new is in it."""

import copy
import json
import math
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from lather.core import bounds
from lather.core.bounds import Bound, Several, Text, When, Within
from lather.document import edits
from lather.document.agreed.brief import Brief
from lather.document.digest import digest
from lather.document.findings import Findings
from lather.document.job import Job
from lather.document.layers.parameters import Choice, CurveSpec, Number, Rows, Spec
from lather.document.layers.reshape import ReshapeLayer
from lather.document.layers.split import Part, SplitLayer
from lather.document.layers.table import COMPUTED, KINDS
from lather.document.layers.unknown import UnknownLayer
from lather.document.scale import set_scale
from lather.document.state import JobState, new_state
from lather.document.tree import walk
from lather.errors import BoundsError, EditError
from lather.files.jobs.jobfile import load_job
from lather.files.jobs.jobwriter import save_job
from lather.files.jobs.journal import Journal
from lather.files.jobs.journalreader import read_journal
from tests.files.test_job_file import described, edited, rewritten
from tests.support import Case, finding, photo_in, skin_photo

NAN, ENDLESS = float("nan"), float("inf")


def at_bounds(bound: Bound) -> Iterator[Any]:
    """Values that are taken, at the bounds; of `Several` only numbers have any of their own."""
    if isinstance(bound, Within):
        number = int if bound.whole else float
        yield from (number(bound.low), number(bound.high))
        yield from (None,) if bound.optional else ()
    elif isinstance(bound, Text):
        yield from ("", "ß" * bound.longest)
    elif isinstance(bound, When):
        yield "2026-12-31T10:00:00" if bound.timed else "2026-12-31"
    elif isinstance(bound, Several) and bound.of is not None:
        inner = list(at_bounds(bound.of))
        yield from ((one,) * n for one in inner for n in {bound.least, bound.most})


def beyond(bound: Bound) -> Iterator[Any]:
    if isinstance(bound, Within):
        yield from (math.nextafter(bound.low, -ENDLESS), math.nextafter(bound.high, ENDLESS))
        yield from (NAN, ENDLESS, -ENDLESS, "many")
    elif isinstance(bound, Text):
        yield "n" * (bound.longest + 1)
    elif isinstance(bound, When):
        yield from ("2026-02-30", "tomorrow")
    elif isinstance(bound, Several) and bound.of is not None:
        inner = next(at_bounds(bound.of))
        yield (inner,) * (bound.most + 1)
        yield from ((one,) * max(1, bound.least) for one in beyond(bound.of))


def specs_at_bounds(spec: Spec) -> Iterator[Any]:
    if isinstance(spec, Number):
        yield from (spec.low, spec.high)
    elif isinstance(spec, Choice):
        yield from spec.options
    elif isinstance(spec, CurveSpec):
        yield ((0.0, 1.0), (1.0, 0.0))
        yield tuple((n / 63, n % 2) for n in range(64))
    elif isinstance(spec, Rows):
        yield ()
        for name, inner in spec.row.specs().items():
            for value in specs_at_bounds(inner):
                yield (spec.row(**{name: value}),) * 32


def specs_beyond(spec: Spec) -> Iterator[Any]:
    if isinstance(spec, Number):
        yield from beyond(spec.bound)
    elif isinstance(spec, Choice):
        yield "of tomorrow"
    elif isinstance(spec, CurveSpec):
        yield from (((0.0, 0.0),), ((0.0, 0.0), (1.0, 1.01)), ((0.5, 0.0), (0.5, 1.0)),
                    tuple((n / 64, 0.5) for n in range(65)))  # fmt: skip
    elif isinstance(spec, Rows):
        yield (spec.row(),) * 33


BRIEF_VALUES = [
    (name, value) for name, bound in bounds.BRIEF.items() if name != "moved_limits"
    for value in at_bounds(bound)
]  # fmt: skip
FINDING_VALUES = [(name, v) for name, bound in bounds.FINDING.items() for v in at_bounds(bound)]


class KeptTest(Case):
    """At the bounds: saved, killed and opened again it is the same."""

    def setUp(self) -> None:
        super().setUp()
        self.start = new_state(photo_in(self.folder, width=40, height=30))
        self.base = self.folder / "base.lather"
        save_job(self.start, self.base, revision="r")

    def assert_kept(self, after: JobState, what: object) -> None:
        base = load_job(self.base).state
        journal = Journal(self.folder / "journal", base, "r", {})
        job = Job(base)
        job.recorder = lambda step, now: journal.record(step.name, now)
        job.change("To the bound", replace(after, photo=base.photo))
        journal.close(delete=False)
        steps = list(read_journal(journal.path).steps("r", base))
        self.assertEqual([digest(step.state) for step in steps], [digest(job.state)], what)
        saved = self.folder / "saved.lather"
        save_job(job.state, saved)
        loaded = load_job(saved)
        self.assertEqual(digest(loaded.state), digest(job.state), what)
        self.assertEqual(loaded.notices, [], what)

    def test_every_parameter_of_every_kind(self) -> None:
        """All that are at one end in one job: a kind a layer."""
        for end in range(2):
            state = self.start
            for kind in COMPUTED:
                state = edits.add_computed(state, kind)
                for name, spec in kind.TAKES.specs().items():
                    values = list(specs_at_bounds(spec))
                    state = edits.set_parameter(
                        state, state.active_id, name, values[end % len(values)]
                    )
            self.assert_kept(state, end)

    def test_every_field_of_the_brief(self) -> None:
        for name, value in BRIEF_VALUES:
            brief = replace(Brief(), **{name: value})
            if brief != self.start.brief:
                with self.subTest(name):
                    self.assert_kept(replace(self.start, brief=brief), (name, value))

    def test_every_field_of_findings(self) -> None:
        """All in one job, each value in a finding of its own."""
        items = tuple(
            replace(finding(n + 1, 5.0, 5.0), **{name: value})
            for n, (name, value) in enumerate(FINDING_VALUES) if name != "id"
        )  # fmt: skip
        self.assert_kept(edits.set_findings(self.start, Findings(items=items)), "findings")

    def test_what_all_layers_have(self) -> None:
        for name in ("name", "strength"):
            for value in at_bounds(bounds.LAYER[name]):
                state = edits.add_pixel_layer(self.start, "a")
                self.assert_kept(
                    edits.update_layer(state, state.active_id, **{name: value}), (name, value)
                )


class RefusedTest(Case):
    """Beyond the bounds nothing is made, and what was there stays."""

    def assert_refused(self, make: Any, what: object) -> None:
        with self.assertRaises(BoundsError, msg=what) as caught:
            make()
        self.assertIn(": ", caught.exception.sentence())

    def test_every_parameter(self) -> None:
        for kind in COMPUTED:
            for name, spec in kind.TAKES.specs().items():
                for value in specs_beyond(spec):
                    what = (kind.KIND, name, value)
                    self.assert_refused(lambda n=name, v=value, k=kind: k.TAKES(**{n: v}), what)
                    with self.assertRaises(EditError, msg=what):
                        kind.TAKES().with_value(name, value)

    def test_every_field(self) -> None:
        layer = edits.add_pixel_layer(new_state(skin_photo())).active
        for thing, table in ((Brief(), bounds.BRIEF), (finding(1), bounds.FINDING),
                             (layer, bounds.LAYER), (Findings(), bounds.FINDINGS)):  # fmt: skip
            for name, bound in table.items():
                for value in beyond(bound):
                    self.assert_refused(
                        lambda t=thing, n=name, v=value: replace(t, **{n: v}), (name, value)
                    )

    @settings(max_examples=200)
    @given(st.sampled_from([b for b in bounds.FINDING.values() if isinstance(b, Within)]),
           st.floats())  # fmt: skip
    def test_a_number_is_taken_exactly_where_it_lies_within(self, bound, number) -> None:
        fits = bound.low <= number <= bound.high and not (bound.whole and number != int(number))
        self.assertEqual(bound.fault(number) == "", fits)

    def test_a_middle_line_of_no_length(self) -> None:
        layer = edits.add_computed(new_state(skin_photo()), ReshapeLayer).active
        with self.assertRaisesRegex(BoundsError, "has no length"):
            replace(layer, middle=(5.0, 5.0, 5.0, 5.0))

    def test_all_lines_together(self) -> None:
        path = tuple((float(n), 1.0) for n in range(500))
        with self.assertRaisesRegex(BoundsError, "3,000,000 points"):
            Findings(items=(replace(finding(1), path_px=path),) * 6000)

    def test_a_scale_that_makes_a_patch_too_large_leaves_the_scale(self) -> None:
        patch = replace(finding(1), area_mm2=40_000.0)
        state = edits.set_findings(new_state(skin_photo()), Findings(0.1, (patch,)))
        with self.assertRaisesRegex(EditError, "The scale stays as it was: in a finding, the area"):
            set_scale(state, 3.7)


class UnreadTest(Case):
    """What does not fit is kept, told and written again; all else is there."""

    def setUp(self) -> None:
        super().setUp()
        state = new_state(photo_in(self.folder, width=40, height=30))
        state = edits.set_findings(state, Findings(0.1, (finding(1, 5.0, 5.0), finding(2, 9.0))))
        for kind in COMPUTED:
            state = edits.add_computed(replace(state, active_id=state.layers[-1].id), kind)
        self.state = state
        self.good = self.folder / "good.lather"
        save_job(state, self.good)
        self.entries = described(self.good)["job.json"]["layers"]

    def reopened(self, change: Any) -> tuple[Any, dict[str, Any], dict[str, Any]]:
        """The job with a change, its description, and that of the job saved again."""
        odd = rewritten(self.good, self.folder / "odd.lather", job_json=edited(change))
        loaded = load_job(odd)
        again = self.folder / "again.lather"
        save_job(loaded.state, again)
        return loaded, described(odd)["job.json"], described(again)["job.json"]

    def assert_one_unknown(self, change: Any, what: object) -> None:
        loaded, odd, again = self.reopened(change)
        unknown = [x for x in walk(loaded.state.layers) if isinstance(x, UnknownLayer)]
        self.assertEqual(len(unknown), 1, what)
        self.assertEqual(again["layers"], odd["layers"], what)
        self.assertIn("which is not shown", loaded.notices[0])
        self.assertEqual(len(loaded.state.layers), len(self.state.layers), what)

    def entry_of(self, job: dict[str, Any], kind: str) -> dict[str, Any]:
        return next(entry for entry in job["layers"] if entry["kind"] == kind)

    def test_every_parameter_beyond_its_bounds(self) -> None:
        for kind in COMPUTED:
            for name, spec in kind.TAKES.specs().items():
                value = next(specs_beyond(spec))
                value = [one.values for one in value] if isinstance(spec, Rows) else value

                def change(job, kind=kind, name=name, value=value) -> None:
                    self.entry_of(job, kind.KIND)["parameters"][name] = value

                self.assert_one_unknown(change, (kind.KIND, name))

    def test_layers_that_have_more_than_their_kind(self) -> None:
        def third_stack(job) -> None:
            split = self.entry_of(job, "split")
            split["layers"].append({**split["layers"][0], "id": 999, "name": "Third"})

        def third_part(job) -> None:
            split = self.entry_of(job, "split")
            split["layers"].append({**split["layers"][0], "id": 999, "part": "grain"})

        def plane(job) -> None:
            planes = self.entry_of(job, "light")["planes"]
            planes["gloss"] = copy.deepcopy(planes["map"])

        def strength(job) -> None:
            self.entry_of(job, "light")["strength"] = 1.5

        def grid(job) -> None:
            self.entry_of(job, "reshape")["step_px"] = 3

        def limits(job) -> None:
            self.entry_of(job, "light")["limits"] = {"low_l": 300.0}

        for change in (third_stack, plane, strength, grid, limits):
            with self.subTest(change.__name__):
                self.assert_one_unknown(change, change.__name__)
        loaded, odd, again = self.reopened(third_part)
        self.assertEqual(again["layers"], odd["layers"])
        self.assertIn("which is not shown", loaded.notices[0])

    def test_it_survives_a_kill_too(self) -> None:
        """The journal of a Lather that takes more: what it wrote can be read and saved."""
        base = load_job(self.good).state
        split = next(x for x in base.layers if isinstance(x, SplitLayer))
        texture = split.stack(Part.TEXTURE)
        state = edits.add_pixel_layer(replace(base, active_id=texture.id), "Inside")
        journal = Journal(self.folder / "journal", base, "r", {})
        journal.record("Inside", state)
        journal.close(delete=False)
        text = journal.path.read_bytes()
        self.assertIn(b'"sigma_px":8.0', text)
        from lather.files.jobs.journalrecords import packed_record, records

        written = [(entry, bytes(blobs)) for entry, blobs, _ in records(journal.path)]
        step = json.loads(json.dumps(written[-1][0]).replace('"sigma_px": 8.0', '"sigma_px": 900'))
        with journal.path.open("wb") as file:
            for entry, blob in ((written[0][0], b""), (step, written[-1][1])):
                file.writelines(packed_record(entry, [memoryview(blob)]))
        steps = list(read_journal(journal.path).steps("r", base))
        self.assertEqual(len(steps), 1)
        unknown = next(x for x in steps[0].state.layers if isinstance(x, UnknownLayer))
        self.assertEqual(unknown.kind, "split")
        save_job(steps[0].state, self.folder / "again.lather")
        entry = self.entry_of(described(self.folder / "again.lather")["job.json"], "split")
        self.assertEqual(entry["parameters"]["sigma_px"], 900)
        self.assertEqual([x["name"] for x in entry["layers"][1]["layers"]], ["Inside"])
        self.assertEqual(load_job(self.folder / "again.lather").archive.damaged, set())

    def test_a_row_of_tomorrow_is_kept_and_told(self) -> None:
        def change(job) -> None:
            self.entry_of(job, "hues")["parameters"]["ranges"] = [
                {"middle_deg": 40.0, "width_deg": 20.0, "feather": 3}
            ]

        loaded, odd, again = self.reopened(change)
        self.assertIn("'feather' of 'Hue ranges'", loaded.notices[0])
        ranges = self.entry_of(again, "hues")["parameters"]["ranges"]
        self.assertEqual(ranges[0]["feather"], 3)
        self.assertTrue(KINDS)

    def test_one_finding(self) -> None:
        for name, bound in bounds.FINDING.items():
            if name in ("id", "severity"):
                continue
            value = next(beyond(bound))

            def change(job, name=name, value=value) -> None:
                job["findings"]["items"][0][name] = value

            with self.subTest(name):
                loaded, odd, again = self.reopened(change)
                self.assertEqual([f.id for f in loaded.state.findings.items], [2])
                self.assertIn("a finding", loaded.notices[0])
                self.assertEqual(again["findings"]["items"][1], odd["findings"]["items"][0])

    def test_one_field_of_the_brief(self) -> None:
        for name, bound in bounds.BRIEF.items():
            if name == "moved_limits" or not (wrong := list(beyond(bound))):
                continue

            def change(job, name=name, value=wrong[0]) -> None:
                job["brief"].update(words="hello")
                job["brief"][name] = value

            with self.subTest(name):
                loaded, odd, again = self.reopened(change)
                self.assertIn(f"'{name}' of the brief", loaded.notices[0])
                self.assertEqual(again["brief"], odd["brief"])
                if name != "words":
                    self.assertEqual(loaded.state.brief.words, "hello")
                    told = replace(loaded.state.brief, **{name: next(reversed(list(
                        at_bounds(bound))), None)})  # fmt: skip
                    if getattr(told, name) != getattr(Brief(), name):
                        save_job(replace(loaded.state, brief=told), self.folder / "set.lather")
                        self.assertEqual(load_job(self.folder / "set.lather").notices, [])

    def test_one_limit_of_the_brief(self) -> None:
        def change(job) -> None:
            job["brief"]["limits"] = {"texture_kept.least": -1, "grain.most": 1.2}

        loaded, odd, again = self.reopened(change)
        self.assertEqual(loaded.state.brief.moved_limits, {"grain.most": 1.2})
        self.assertIn("the limit 'texture_kept.least'", loaded.notices[0])
        self.assertEqual(again["brief"]["limits"], odd["brief"]["limits"])

    def test_limits_that_are_none(self) -> None:
        loaded, odd, again = self.reopened(lambda job: job["brief"].update(limits=[3]))
        self.assertIn("the limits of the brief", loaded.notices[0])
        self.assertEqual(again["brief"], odd["brief"])

    def test_the_photo_is_there_whatever_is_said_of_it(self) -> None:
        for name, value in (("strength", 2.5), ("mode", "dissolve"), ("limits", {"low_l": 300.0}),
                            ("stage", 7)):  # fmt: skip
            def change(job, name=name, value=value) -> None:
                job["layers"][0][name] = value

            with self.subTest(name):
                loaded, odd, again = self.reopened(change)
                self.assertIn(f"'{name}' of 'portrait'", loaded.notices[0])
                self.assertEqual(again["layers"], odd["layers"])
                self.assertEqual(len(loaded.state.layers), len(self.state.layers))

    def test_one_blinded_test(self) -> None:
        good = {"answer": "right", "on": "2026-12-01T10:00:00", "scale": 1.0, "n_flips": 3}
        tests = [good, {**good, "scale": 4.0}, {**good, "on": "tomorrow"}, 7, good]
        loaded, _, again = self.reopened(lambda job: job.update(trials=tests))
        self.assertEqual(len(loaded.state.trials), 2)
        self.assertIn("a blinded test", loaded.notices[0])
        self.assertEqual(again["trials"], [good, good, *tests[1:4]])

    def test_odd_ids_are_given_anew(self) -> None:
        for odd_id in (0, -4, "7", None, 2**70):
            def change(job, odd_id=odd_id) -> None:
                job["layers"][3]["id"] = odd_id

            with self.subTest(odd_id):
                loaded, _, again = self.reopened(change)
                self.assertEqual(loaded.notices, [])
                ids = [layer.id for layer in walk(loaded.state.layers)]
                self.assertEqual(len(set(ids)), len(ids))
                self.assertGreater(ids[3], 0)
                self.assertEqual(edits.add_pixel_layer(loaded.state).active.name, "Layer 1")
                self.assertEqual(len(again["layers"]), len(self.entries))


