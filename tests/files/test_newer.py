"""Jobs of a newer Lather of the same format: what is not known survives, and is shown as such."""

import copy
import json
import tempfile
import zipfile
from pathlib import Path

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from lather.assist.survey import Surveyed, with_survey
from lather.core.blend.modes import BlendMode
from lather.core.survey.findings.finding import Kind
from lather.core.survey.regions.region import Region
from lather.document import areas, edits
from lather.document.agreed.style import Style, Weak
from lather.document.digest import digest
from lather.document.findings import FindingState
from lather.document.job import Job
from lather.document.layers.layer import Stage
from lather.document.layers.unknown import UnknownLayer
from lather.document.planes import Regions, with_plane
from lather.document.tiles import BLACK_MASK
from lather.document.tree import walk
from lather.errors import EditError, NewerError
from lather.files.exchange import openraster
from lather.files.exchange.carried import not_carried
from lather.files.jobs.jobfile import load_job
from lather.files.jobs.jobwriter import save_job
from lather.files.jobs.journal import Journal
from lather.files.jobs.journalreader import read_journal
from lather.render.compositor import render
from lather.render.flatten import flatten
from lather.render.pictures import Pictures
from tests.files.test_job_file import described, edited, rewritten
from tests.support import Case, Rect, apply_edit, painted_state, photo_in, random_tile, surveyed

VALUES = st.one_of(
    st.none(), st.booleans(), st.integers(-5, 5), st.text("ab/.", max_size=8),
    st.lists(st.integers(0, 9), max_size=3), st.dictionaries(st.text("xy", max_size=3), st.text()),
)  # fmt: skip


def full_state(folder: Path):
    """A state with something of everything that a job file describes."""
    state = painted_state(photo_in(folder), 2)
    job = Job(state)
    for operation in (("paint", 2), ("mask", 1), ("paint mask", 1), ("group", 1)):
        apply_edit(job, *operation)
    state = edits.set_findings(job.state, surveyed(3))
    half = np.full((30, 40), 0.5, "f4")
    state = areas.set_area(state, with_plane(BLACK_MASK, Rect(0, 0, 40, 30), half))
    regions = Regions(0.1, {Region.SKIN: with_plane(BLACK_MASK, Rect(0, 0, 40, 30), half)},
                      frozenset({Region.LIPS}))  # fmt: skip
    return edits.set_survey(state, state.findings, regions)


def objects(value, path=()):
    """The path to every JSON object in a value, the outermost first."""
    if isinstance(value, dict):
        yield path
    pairs = value.items() if isinstance(value, dict) else enumerate(value)
    for key, item in pairs:
        if isinstance(item, (dict, list)):
            yield from objects(item, (*path, key))


def at(value, path):
    for key in path:
        value = value[key]
    return value


class UnknownFieldsTest(Case):
    @classmethod
    def setUpClass(cls) -> None:
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.good = Path(folder.name) / "good.lather"
        save_job(full_state(Path(folder.name)), cls.good)
        cls.texts = described(cls.good)

    def test_the_sample_has_objects_of_every_kind(self) -> None:
        paths = [(name, path) for name, text in self.texts.items() for path in objects(text)]
        ends = {path[-1] if path else name for name, path in paths}
        self.assertLessEqual({"photo", "brief", "findings", "mask", "brush", "small", "area",
                              "regions", "planes"}, ends)  # fmt: skip

    @settings(max_examples=120, deadline=None)
    @given(st.data())
    def test_an_unknown_field_anywhere_survives_opening_and_saving(self, data) -> None:
        texts = copy.deepcopy(self.texts)
        places = [
            (name, path) for name, text in texts.items() for path in objects(text)
            if path[-1:] != ("planes",)  # a map of names: an unknown name is an unknown plane
        ]  # fmt: skip
        name, path = data.draw(st.sampled_from(places))
        value = data.draw(VALUES)
        at(texts[name], path)["of tomorrow"] = value
        key = name.replace(".", "_").replace("/", "_")
        with tempfile.TemporaryDirectory() as folder:
            first, second = Path(folder) / "newer.lather", Path(folder) / "again.lather"
            rewritten(self.good, first, **{key: json.dumps(texts[name]).encode()})
            loaded = load_job(first)
            self.assertEqual(loaded.notices, [])
            job = Job(loaded.state)
            for operation in (("size", 3), ("rename", 1), ("strength", 4), ("decide", 2)):
                apply_edit(job, *operation)  # and edits of all kinds
            save_job(job.state, second)
            again = described(second)
        self.assertEqual(at(again[name], path)["of tomorrow"], value)

    def test_an_unknown_field_survives_the_journal(self) -> None:
        """Steps on layers, findings and planes that carry unknown fields."""
        def extend(job) -> None:
            for path in list(objects(job)):
                if path[-1:] != ("planes",):
                    at(job, path)["of tomorrow"] = 1

        newer = rewritten(self.good, self.folder / "newer.lather", job_json=edited(extend))
        base = load_job(newer).state
        journal = Journal(self.folder / "journal", base, "r", {})
        job = Job(base)
        job.recorder = lambda step, after: journal.record(step.name, after)
        for operation in (("paint", 3), ("rename", 3), ("decide", 2), ("handle", 1), ("style", 0),
                          ("grow area", 7), ("paint mask", 2), ("duplicate", 3)):  # fmt: skip
            apply_edit(job, *operation)
        journal.close(delete=False)
        steps = list(read_journal(journal.path).steps("r", base))
        self.assertGreater(len(steps), 5)
        self.assertEqual(digest(steps[-1].state), digest(job.state))

    def test_a_seventh_number_of_a_reading_survives(self) -> None:
        """A newer Lather may measure more of the pen."""
        name = next(n for n in self.texts if "strokes" in n)
        text = copy.deepcopy(self.texts[name])
        text[0]["columns"].append("barrel_deg")
        numbers = np.arange(7, dtype="<f4").tobytes()
        key = name.replace(".", "_").replace("/", "_")
        newer = rewritten(self.good, self.folder / "newer.lather", **{
            key: json.dumps(text).encode(), key.replace("_json", "_f32"): numbers,
        })  # fmt: skip
        save_job(load_job(newer).state, self.folder / "again.lather")
        self.assertIn("barrel_deg", described(self.folder / "again.lather")[name][0]["columns"])
        with zipfile.ZipFile(self.folder / "again.lather") as archive:
            self.assertEqual(archive.read(name.replace(".json", ".f32")), numbers)


class UnknownKindsTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.state = full_state(self.folder)
        self.good = self.folder / "good.lather"
        save_job(self.state, self.good)

    def opened(self, change, **members):
        newer = rewritten(self.good, self.folder / "n.lather", job_json=edited(change), **members)
        return load_job(newer)

    def saved_again(self, state) -> dict:
        save_job(state, self.folder / "again.lather")
        return described(self.folder / "again.lather")["job.json"]

    def test_a_finding_of_an_unknown_kind(self) -> None:
        def change(job) -> None:
            job["findings"]["items"][0].update(kind="birthmark")
            job["findings"]["items"][1].update(state="postponed")

        loaded = self.opened(change)
        kind = loaded.state.findings.items[0].kind
        self.assertFalse(kind.known)
        self.assertEqual(kind.title, "birthmark (of a newer Lather)")
        self.assertIn("findings of the kind 'birthmark'", loaded.notices[0])
        open_ones = list(loaded.state.findings.in_state(FindingState.OPEN))
        self.assertNotIn(loaded.state.findings.items[1], open_ones)
        items = self.saved_again(loaded.state)["findings"]["items"]
        self.assertEqual((items[0]["kind"], items[1]["state"]), ("birthmark", "postponed"))

    def test_style_weak_region_and_stage(self) -> None:
        def change(job) -> None:
            job["brief"]["style"] = "velvet"
            job["layers"][-1].update(weak="pores", stage="print")
            job["planes"]["region.tattoo"] = job["planes"]["region.skin"]
            job["regions"]["corrected"].append("tattoo")

        loaded = self.opened(change)
        state = loaded.state
        self.assertIn("the style 'velvet', the region 'tattoo'", loaded.notices[0])
        self.assertIn("pores", loaded.notices[0])
        self.assertEqual(state.brief.style.strength(Weak.CREASES),
                         Style.GROOMED.strength(Weak.CREASES))  # fmt: skip
        again = self.saved_again(state)
        self.assertEqual(again["brief"]["style"], "velvet")
        self.assertEqual(again["layers"][-1]["weak"], "pores")
        self.assertEqual(again["layers"][-1]["stage"], "print")
        self.assertIn("region.tattoo", again["planes"])
        self.assertEqual(again["regions"]["corrected"], ["lips", "tattoo"])

    def test_a_layer_of_an_unknown_kind_is_kept_with_all_that_it_refers_to(self) -> None:
        def change(job) -> None:
            layer = job["layers"][-1]
            layer.update(kind="adjustment", curve=[[0, 0], [1, 0.9]], table="luts/a.cube")
            job["more"] = {"notes": "notes.txt"}

        bad = self.good.with_name("with.lather")
        with zipfile.ZipFile(self.good) as old, zipfile.ZipFile(bad, "w") as new:
            for info in old.infolist():
                new.writestr(info, old.read(info))
            new.writestr("luts/a.cube", b"0 1 2")
            new.writestr("notes.txt", b"hello")
        self.good = bad
        loaded = self.opened(change)
        layer = loaded.state.layers[-1]
        self.assertIsInstance(layer, UnknownLayer)
        self.assertIn("which is not shown", loaded.notices[0])
        without = edits.delete(self.state, self.state.layers[-1].id)
        self.assert_equal_arrays(
            render(loaded.state, self.state.photo.rect), render(without, self.state.photo.rect)
        )
        state = edits.rename(loaded.state, layer.id, "Curve of tomorrow")
        again = self.saved_again(edits.set_strength(state, layer.id, 0.5))
        entry = again["layers"][-1]
        self.assertEqual(entry["curve"], [[0, 0], [1, 0.9]])
        self.assertEqual((entry["name"], entry["strength"]), ("Curve of tomorrow", 0.5))
        with zipfile.ZipFile(self.folder / "again.lather") as archive:
            self.assertEqual(archive.read("luts/a.cube"), b"0 1 2")
            self.assertEqual(archive.read("notes.txt"), b"hello")
            for _, _, name in entry["planes"]["pixels"]["tiles"]:
                self.assertGreater(len(archive.read(name)), 60)
        for edit in (edits.duplicate, edits.add_mask):
            with self.assertRaisesRegex(EditError, "made by a newer Lather"):
                edit(loaded.state, layer.id)
        with self.assertRaisesRegex(EditError, "made by a newer Lather"):
            edits.set_mode(loaded.state, layer.id, BlendMode.SCREEN)
        merged = flatten(loaded.state, 16)
        openraster.write_openraster(loaded.state, merged, self.folder / "a.ora",
                                    pictures=Pictures(loaded.state))  # fmt: skip
        self.assertEqual(len(openraster.read_openraster(self.folder / "a.ora").layers),
                         len(loaded.state.layers) - 1)  # fmt: skip
        self.assertIn("stays in the job file", " ".join(not_carried(loaded.state)))
        # Deleted, it takes along what only it refers to.
        self.saved_again(edits.delete(loaded.state, layer.id))
        with zipfile.ZipFile(self.folder / "again.lather") as archive:
            self.assertNotIn("luts/a.cube", archive.namelist())
            self.assertIn("notes.txt", archive.namelist())

    def test_an_unknown_mode_or_group_is_a_layer_that_is_not_shown(self) -> None:
        for change in (
            lambda job: job["layers"][-1].update(mode="dissolve"),
            lambda job: job["layers"][1].update(kind="prism"),
        ):
            state = self.opened(change).state
            unknown = [x for x in walk(state.layers) if isinstance(x, UnknownLayer)]
            self.assertEqual(len(unknown), 1)
            changed = described(self.folder / "n.lather")["job.json"]["layers"]
            self.assertEqual(self.saved_again(state)["layers"], changed)
            self.assertNotIn(edits.add_pixel_layer(state).active_id,
                             [x.id for x in walk(self.state.layers)])  # fmt: skip

    def test_an_unknown_plane_and_a_mask_on_the_photo(self) -> None:
        def change(job) -> None:
            job["planes"]["depth"] = {**job["planes"]["area"], "unit": "mm"}
            job["layers"][0]["mask"] = {
                "enabled": True, "inverted": False, "fill": 65535, "tiles": [], "by": "hand",
            }  # fmt: skip

        state = self.opened(change).state
        job = Job(state)
        apply_edit(job, "grow area", 8)
        apply_edit(job, "no area", 0)
        again = self.saved_again(job.state)
        self.assertNotIn("area", again["planes"])
        self.assertEqual(again["planes"]["depth"]["unit"], "mm")
        loaded = load_job(self.folder / "again.lather").state
        self.assertTrue(loaded.unknown_planes["depth"].equals(self.state.area))
        self.assertEqual(again["layers"][0]["mask"]["by"], "hand")

    def test_a_higher_format_is_refused_as_such(self) -> None:
        with self.assertRaisesRegex(NewerError, "made by a newer Lather .format 7.*update Lather"):
            self.opened(lambda job: job.update(version=7))

    def test_a_survey_keeps_what_it_does_not_understand(self) -> None:
        def change(job) -> None:
            job["findings"]["items"][0].update(kind="birthmark", state="postponed")
            job["findings"]["mood"] = 1
            job["regions"]["mood"] = 2
            job["planes"]["region.tattoo"] = job["planes"]["region.skin"]

        state = self.opened(change).state
        new = Surveyed(0.2, tuple(surveyed(2).items), (), Regions(0.1, {}))
        again = self.saved_again(with_survey(state, new))
        kinds = [(item["kind"], item["state"]) for item in again["findings"]["items"]]
        self.assertIn(("birthmark", "postponed"), kinds)
        self.assertEqual((again["findings"]["mood"], again["regions"]["mood"]), (1, 2))
        self.assertIn("region.tattoo", again["planes"])

    def test_lookups_know_what_is_not_known(self) -> None:
        self.assertIs(Kind("birthmark"), Kind("birthmark"))
        self.assertNotIn(Kind("birthmark"), list(Kind))
        self.assertTrue(all(stage.known for stage in Stage))
        for kind in (7, None, "x" * 101):
            with self.assertRaises(ValueError):
                Kind(kind)


class IdsTest(Case):
    def test_layers_with_one_id_both_stay(self) -> None:
        state = painted_state(photo_in(self.folder), 3)
        good = self.folder / "good.lather"
        save_job(state, good)
        twice = state.layers[2].id
        bad = rewritten(good, self.folder / "twice.lather",
                        job_json=edited(lambda job: job["layers"][1].update(id=twice)))  # fmt: skip
        first, second = load_job(bad).state, load_job(bad).state
        ids = [layer.id for layer in first.layers]
        self.assertEqual(len(set(ids)), 4)
        self.assertEqual(ids, [layer.id for layer in second.layers])  # a journal refers to them
        self.assert_equal_arrays(
            render(first, state.photo.rect), render(state, state.photo.rect)
        )

    def test_findings_with_one_id_both_stay(self) -> None:
        state = edits.set_findings(painted_state(photo_in(self.folder), 1), surveyed(3))
        good = self.folder / "good.lather"
        save_job(state, good)
        bad = rewritten(good, self.folder / "twice.lather", job_json=edited(
            lambda job: job["findings"]["items"][0].update(id=3)))  # fmt: skip
        items = load_job(bad).state.findings.items
        self.assertEqual([item.id for item in items], [3, 2, 4])

    def test_mended_ids_replay(self) -> None:
        """Journals of jobs whose ids were mended replay in another process."""
        state = painted_state(photo_in(self.folder), 2)
        good = self.folder / "good.lather"
        save_job(state, good)
        bad = rewritten(good, self.folder / "twice.lather", job_json=edited(
            lambda job: job["layers"][1].update(id=job["layers"][2]["id"])))  # fmt: skip
        base = load_job(bad).state
        journal = Journal(self.folder / "journal", base, "r", {})
        tiles = base.layers[2].tiles.with_tiles({(0, 0): random_tile(7)})
        after = edits.set_pixels(base, base.layers[2].id, tiles)
        journal.record("Paint", after)
        journal.close(delete=False)
        again = load_job(bad).state
        (step,) = read_journal(journal.path).steps("r", again)
        self.assertEqual(digest(step.state), digest(after))
