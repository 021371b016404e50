"""Strokes in the job file: hours of them, parts that are damaged, bounds that writers keep."""

import json
import zipfile
from unittest import mock

import numpy as np

from lather.core.brush.stroke import Brush, PenSample
from lather.core.rect import Rect
from lather.core.work import CancelToken
from lather.document import bounds, edits
from lather.document.digest import digest
from lather.document.job import Job
from lather.document.painting import strokes
from lather.document.painting.strokes import (
    READING_COLUMNS,
    StrokeRecord,
    readings_of,
)
from lather.document.scale import set_scale
from lather.errors import Cancelled, EditError, JobFileError
from lather.files.jobs import jobwriter
from lather.files.jobs.jobfile import load_job
from lather.files.jobs.jobwriter import save_job
from lather.files.jobs.journal import Journal
from lather.files.jobs.journalreader import read_journal
from lather.files.jobs.strokes import PackedNumbers, packed_readings, stroke_entry, strokes_from
from lather.render.compositor import render
from tests.files.test_job_file import DATA, edited, rewritten
from tests.support import Case, finding, painted_state, photo_in


def stroke(n_readings: int, seed: int = 0) -> StrokeRecord:
    """A stroke of noise: nothing in it packs away."""
    readings = np.random.default_rng(seed).random((n_readings, 6)).astype(np.float32)
    return StrokeRecord("paint_colour", Brush(), readings, Rect(0, 0, 5, 5))


def with_strokes(state, *strokes):
    layer = state.active
    return edits.update_layer(state, layer.id, strokes=(*layer.strokes, *strokes))


class LongWorkTest(Case):
    def test_hours_on_one_layer_open_again(self) -> None:
        """960,000 readings on one layer: more than an hour with the pen down."""
        state = painted_state(photo_in(self.folder), 1)
        state = with_strokes(state, *(stroke(8000, n) for n in range(120)))
        path = self.folder / "long.lather"
        save_job(state, path)
        loaded = load_job(path)
        self.assertEqual(digest(loaded.state), digest(state))
        self.assertEqual(loaded.notices, [])

    def test_no_call_holds_the_interpreter_for_long(self) -> None:
        """Encoding is not interruptible: it must come in small pieces."""
        state = painted_state(photo_in(self.folder), 1)
        state = with_strokes(state, *(stroke(300, n) for n in range(2000)))
        encoded, real = [], json.dumps

        def watched(value, **options):
            text = real(value, **options)
            if "indent" not in options:  # that form is interruptible
                encoded.append(len(text))
            return text

        with mock.patch("lather.files.jobs.jobwriter.json.dumps", watched):
            save_job(state, self.folder / "a.lather")
        self.assertEqual(len(encoded), 2000)
        self.assertLess(max(encoded), 2000)  # characters in one go

    def test_saving_strokes_can_be_cancelled(self) -> None:
        state = painted_state(photo_in(self.folder), 1)
        state = with_strokes(state, *(stroke(50, n) for n in range(600)))
        token, seen = CancelToken(), []
        real = jobwriter.stroke_entry

        def cancelling(record):
            seen.append(record)
            if len(seen) == 300:
                token.cancel()
            return real(record)

        with mock.patch("lather.files.jobs.jobwriter.stroke_entry", cancelling), self.assertRaises(
            Cancelled
        ):
            save_job(state, self.folder / "a.lather", cancel=token)
        self.assertEqual(len(seen), 300)

    def test_a_stroke_of_half_a_day_is_kept_with_every_other_reading(self) -> None:
        self.assertGreater(strokes.MOST_READINGS, 2 * 3600 * 200)
        most = 2**14  # a tenth of a second instead
        with mock.patch.object(strokes, "MOST_READINGS", most):
            readings = readings_of(PenSample(0.01 * n, n, 0.0) for n in range(2 * most + 1))
        self.assertLessEqual(len(readings), most)
        self.assertEqual(readings[-1, 1], 2 * most - 2 * most % 3)

    def test_time_counts_from_the_first_reading(self) -> None:
        """Clocks count from the machine's start: float32 would lose the milliseconds."""
        readings = readings_of([PenSample(9e6, 1, 2), PenSample(9e6 + 0.004, 3, 4, 0.5, 10, -5)])
        self.assert_close(readings, [[0, 1, 2, 1, 0, 0], [0.004, 3, 4, 0.5, 10, -5]], 1e-5)
        self.assertFalse(readings_of([PenSample(0, 1, 2)]).shape == (0, 6))
        self.assertEqual(readings_of([]).shape, (0, 6))

    def test_the_journal_holds_readings_packed(self) -> None:
        state = painted_state(photo_in(self.folder), 1)
        journal = Journal(self.folder / "journal", state, "first", {})
        self.addCleanup(journal.close, delete=True)
        before = journal.size_bytes
        after = with_strokes(state, stroke(1000, 1), stroke(0, 2))
        journal.record("Two strokes", after)
        self.assertLess(journal.size_bytes - before, 1000 * 24 + 3000)
        replayed = [s.state for s in read_journal(journal.path).steps("first", state)]
        self.assertEqual([digest(s) for s in replayed], [digest(after)])


class EarlierFormatsTest(Case):
    def test_strokes_of_format_2_come_over(self) -> None:
        with zipfile.ZipFile(DATA / "job-v2.lather") as archive:
            old = json.loads(archive.read("layers/2/strokes.json"))
        loaded = load_job(DATA / "job-v2.lather").state
        strokes = loaded.layer(2).strokes
        self.assertEqual(len(strokes), len(old))
        for new, entry in zip(strokes, old, strict=True):
            self.assertEqual((new.tool, new.mode), (entry["tool"], entry["mode"]))
            rows = np.array(entry["samples"])
            rows[:, 0] -= rows[0, 0]
            self.assert_close(new.readings, rows, 1e-4)

    def test_a_journal_of_the_earlier_format_is_replayed(self) -> None:
        from lather.files.photos.reading import read_photo
        from lather.render.flatten import flatten

        base = load_job(DATA / "job-v2.lather")
        found = read_journal(DATA / "journal-v1.journal")
        steps = list(found.steps(base.revision, base.state))
        self.assertEqual(len(steps), found.n_steps)
        expected = read_photo(DATA / "journal-v1.png").samples
        self.assert_close(flatten(steps[-1].state, 16).astype(int), expected.astype(int), 1)
        self.assertEqual(len(steps[-1].state.active.strokes), 3)

    def test_journals_of_formats_3_and_4_are_replayed(self) -> None:
        """The one knew one plane of a layer, without a name; the other no limits of layers."""
        from lather.files.photos.reading import read_photo
        from lather.render.flatten import flatten

        for version, n_steps in ((3, 6), (4, 4)):
            base = load_job(DATA / f"job-v{version}.lather")
            found = read_journal(DATA / f"journal-v{version}.journal")
            steps = list(found.steps(base.revision, base.state))
            self.assertEqual(len(steps), n_steps)
            expected = read_photo(DATA / f"journal-v{version}.png").samples
            self.assert_close(flatten(steps[-1].state, 16).astype(int), expected.astype(int), 1)

    def test_seven_numbers_and_a_brush_with_one_field_more(self) -> None:
        """A newer Lather of format 2 may have written them: they are kept."""
        entry = {
            "tool": "erase", "brush": {"size_px": 12, "bristles": 7}, "rect": [0, 0, 1, 1],
            "samples": [[5, 1, 2, 0.5, 0, 0, 90], [6, 1, 2, 0.5, 0, 0, 91]],
            "colour": None, "source": None, "mode": "all",
        }  # fmt: skip
        (record,) = strokes_from([entry], PackedNumbers(b""))
        self.assertEqual(record.more_columns, ("column 6",))
        self.assertEqual(record.readings[:, [0, 6]].tolist(), [[0, 90], [1, 91]])
        again = stroke_entry(record)
        self.assertEqual(again["brush"]["bristles"], 7)
        self.assertEqual(again["brush"]["size_px"], 12.0)
        numbers = PackedNumbers(bytes(packed_readings(record)))
        (same,) = strokes_from(json.loads(json.dumps([again])), numbers)
        self.assert_equal_arrays(same.readings, record.readings)
        with self.assertRaisesRegex(ValueError, "fewer readings"):
            numbers.take(1)


class DamagedPartsTest(Case):
    """What cannot be read never costs the rest of the picture."""

    def setUp(self) -> None:
        super().setUp()
        state = painted_state(photo_in(self.folder), 2)
        state = edits.set_findings(state, set_scale(state, 0.2).findings)
        self.state = with_strokes(state, *(stroke(20, n) for n in range(300)))
        self.path = self.folder / "good.lather"
        save_job(self.state, self.path)
        self.top = self.state.active_id

    def opened(self, **members):
        loaded = load_job(rewritten(self.path, self.folder / "bad.lather", **members))
        self.assertEqual(len(loaded.state.layers), 3)
        return loaded

    def test_strokes_that_cannot_be_read(self) -> None:
        for name, content in (
            ("0_json", b"[{"), ("0_json", b"{}"), ("0_f32", b"\0" * 40), ("0_json", b"[1, 2]"),
        ):
            with self.subTest(name, content=content):
                loaded = self.opened(**{f"layers_{self.top}_strokes_{name}": content})
                self.assert_equal_arrays(
                    render(loaded.state, self.state.photo.rect),
                    render(self.state, self.state.photo.rect),
                )
                self.assertEqual(len(loaded.state.active.strokes), 50)  # those of the other part
                self.assertIn("Layer 2", loaded.notices[0])

    def test_a_layers_tiles_that_cannot_be_read(self) -> None:
        """The layer stays, empty; the other ones show."""
        for tiles in ("nonsense", [[0, 0]], [[0, 99, "job.json"]], [[0, 0, "nowhere.png"]]):
            with self.subTest(tiles=tiles):
                def spoilt(job, tiles=tiles) -> None:
                    job["layers"][1]["planes"]["pixels"]["tiles"] = tiles

                loaded = self.opened(job_json=edited(spoilt))
                self.assertFalse(loaded.state.layers[1].tiles)
                self.assertTrue(loaded.state.layers[2].tiles)
                self.assertIn("cannot be read", loaded.notices[0])

    def test_a_tile_that_is_left_out_moves_no_other_one(self) -> None:
        """Also in the reduced pictures, in which tiles lie by their number."""
        photo = photo_in(self.folder, width=800, height=600)
        state = edits.add_pixel_layer(painted_state(photo, 0))
        flat = {}
        for number, key in enumerate(sorted(photo.rect.cells(256))):
            flat[key] = np.full((256, 256, 4), 5000 * (number + 1), np.uint16)
            flat[key][..., 3] = 65535
        tiles = state.active.tiles.with_tiles(flat)
        state = edits.set_pixels(state, state.active_id, tiles)
        save_job(state, self.folder / "a.lather")

        def without_a_tile(job) -> None:
            job["layers"][1]["planes"]["pixels"]["tiles"][1][2] = "nowhere.png"

        bad = rewritten(self.folder / "a.lather", self.folder / "b.lather",
                        job_json=edited(without_a_tile))  # fmt: skip
        loaded = load_job(bad).state.active.tiles
        self.assertEqual(set(loaded.tiles), set(flat) - {(0, 1)})
        for key in loaded.tiles:
            for level in (2, 3, 0):
                self.assertEqual(int(loaded.mip(key, level, photo.rect)[0, 0, 0]),
                                 int(flat[key][0, 0, 0]), (key, level))  # fmt: skip

    def test_findings_brief_and_planes_that_cannot_be_read(self) -> None:
        for change in (
            lambda job: job["findings"].update(items=7),
            lambda job: job["brief"].update(delivery_long_side_px="wide"),
            lambda job: job.update(planes={"area": {"fill": 3, "tiles": []}}),
            lambda job: job["layers"][1].update(strokes=12),
        ):
            loaded = self.opened(job_json=edited(change))
            self.assertEqual(len(loaded.notices), 1)

    def test_what_is_opened_with_damage_is_saved_whole(self) -> None:
        bad = edited(lambda job: job["layers"][1].update(tiles="nonsense"))
        loaded = self.opened(job_json=bad)
        save_job(loaded.state, self.folder / "again.lather")
        self.assertEqual(load_job(self.folder / "again.lather").notices, [])


class BoundsTest(Case):
    """A job that can be saved can be opened."""

    def test_nothing_replaces_a_job_that_cannot_be_read_back(self) -> None:
        path = self.folder / "a.lather"
        state = painted_state(photo_in(self.folder), 1)
        save_job(state, path)
        earlier = path.read_bytes()
        far = edits.set_findings(state, type(state.findings)(0.1, (finding(1, x=9e5),)))
        refused = ValueError("x")
        reading = mock.patch("lather.files.jobs.jobreader.findings_from", side_effect=refused)
        with reading, self.assertRaisesRegex(JobFileError, "cannot be read back .the findings"):
            save_job(far, path)
        self.assertEqual(path.read_bytes(), earlier)
        self.assertEqual(len(list(self.folder.iterdir())), 2)

    def test_a_step_beyond_what_a_file_holds_is_not_done(self) -> None:
        job = Job(painted_state(photo_in(self.folder), 1))
        before = job.state
        with mock.patch.object(bounds, "MOST_LAYERS", 2), self.assertRaisesRegex(
            EditError, "'Layer' was not done: a job holds at most 2 layers"
        ):
            job.change("Layer", edits.add_pixel_layer(job.state))
        self.assertIs(job.state, before)
        self.assertEqual(job.history.done, ())
        for _ in range(62):
            job.change("Group", edits.group(job.state, job.state.active_id))
        with self.assertRaisesRegex(EditError, "63 deep"):
            job.change("Group", edits.group(job.state, job.state.active_id))
            job.change("Group", edits.group(job.state, job.state.active_id))
        path = self.folder / "deep.lather"
        save_job(job.state, path)
        self.assertEqual(digest(load_job(path).state), digest(job.state))

    def test_columns_say_what_a_reading_is(self) -> None:
        self.assertEqual(READING_COLUMNS[:4], ("time_s", "x", "y", "pressure"))
        with self.assertRaisesRegex(ValueError, "not .N, 6."):
            StrokeRecord("mend_spot", Brush(), np.zeros((3, 7), np.float32), Rect(0, 0, 1, 1))
