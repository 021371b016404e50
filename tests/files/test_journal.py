"""The journal: what was acknowledged comes back, wherever the file was cut."""

import errno
import os
import tempfile
import threading
from contextlib import suppress
from pathlib import Path
from unittest import mock

from hypothesis import given, settings
from hypothesis import strategies as st

from lather.document import edits
from lather.document.digest import digest
from lather.document.job import Job
from lather.document.state import new_state
from lather.document.tree import walk
from lather.errors import JobFileError, NewerError
from lather.files.jobs.delta import DeltaReader, DeltaWriter
from lather.files.jobs.journal import Journal
from lather.files.jobs.journalreader import read_journal
from lather.files.jobs.journalrecords import VERSION
from tests.support import Case, apply_edit, edit_sequences, noise_photo, painted_state, random_tile


class Recorded:
    """A job whose steps go into a journal; the digest after each."""

    def __init__(self, folder: Path, n_layers: int = 2) -> None:
        self.base = painted_state(noise_photo(300, 200), n_layers)
        self.job = Job(self.base)
        self.journal = Journal(folder / "journal", self.base, "first", {"title": "t"})
        self.digests = [digest(self.base)]
        self.job.recorder = self.record

    def record(self, step, after) -> None:
        if len(self.digests) % 2 == 0:  # every other step finds its pixels written
            with suppress(OSError):
                self.journal.ahead(step.before, after)
        gesture = None if step.gesture is None else repr(step.gesture)
        self.journal.record(step.name, after, gesture)
        self.digests.append(digest(after))

    def apply(self, operations) -> None:
        for name, pick in operations:
            apply_edit(self.job, name, pick)

    def replayed(self, revision: str = "first", base=None) -> list[str]:
        found = read_journal(self.journal.path)
        return [digest(step.state) for step in found.steps(revision, base or self.base)]


class ReplayTest(Case):
    @settings(max_examples=60, deadline=None)
    @given(edit_sequences(14))
    def test_any_sequence_of_edits_comes_back_bit_for_bit(self, operations) -> None:
        with tempfile.TemporaryDirectory() as folder:
            kept = Recorded(Path(folder))
            kept.apply(operations)
            self.assertEqual(kept.replayed(), kept.digests[1:])
            kept.journal.close(delete=False)

    @settings(max_examples=60, deadline=None)
    @given(edit_sequences(8), st.floats(0, 1), st.booleans())
    def test_cut_at_any_byte_all_whole_steps_come_back(self, operations, share, noise) -> None:
        """Steps written before the cut come back; nothing invented follows them."""
        with tempfile.TemporaryDirectory() as folder:
            kept = Recorded(Path(folder))
            ends = [kept.journal.size_bytes]
            for operation in operations:
                kept.apply([operation])
                while len(ends) < len(kept.digests):
                    ends.append(kept.journal.size_bytes)
            whole = kept.journal.path.read_bytes()
            cut = ends[0] + round(share * (len(whole) - ends[0]))
            kept.journal.path.write_bytes(whole[:cut] + (os.urandom(300) if noise else b""))
            n_whole = sum(end <= cut for end in ends[1:])
            self.assertEqual(kept.replayed(), kept.digests[1 : n_whole + 1])
            self.assertEqual(read_journal(kept.journal.path).n_steps, n_whole)
            kept.journal.close(delete=False)

    @settings(max_examples=40, deadline=None)
    @given(edit_sequences(6), edit_sequences(6), edit_sequences(6))
    def test_marks_and_restarts_keep_what_follows_them(self, first, second, third) -> None:
        """Steps made between the mark and the end of saving are in the shortened journal."""
        with tempfile.TemporaryDirectory() as folder:
            kept = Recorded(Path(folder))
            kept.apply(first)
            kept.journal.mark("saved")
            saved, n_saved = kept.job.state, len(kept.digests)
            kept.apply(second)
            self.assertEqual(kept.replayed("saved", saved), kept.digests[n_saved:])
            self.assertEqual(kept.replayed(), kept.digests[1:])
            kept.journal.restart("saved")
            kept.apply(third)
            self.assertEqual(kept.replayed("saved", saved), kept.digests[n_saved:])
            self.assertEqual(kept.journal.n_steps, len(kept.digests) - n_saved)
            self.assertEqual(kept.journal.size_bytes, kept.journal.path.stat().st_size)
            self.assertNotIn("first", read_journal(kept.journal.path).revisions)
            kept.journal.close(delete=False)

    @settings(max_examples=40, deadline=None)
    @given(st.data())
    def test_flipped_bytes_never_give_other_pixels(self, data) -> None:
        with tempfile.TemporaryDirectory() as folder:
            kept = Recorded(Path(folder))
            kept.apply([("paint", 2), ("mask", 1), ("paint", 1), ("strength", 4), ("group", 2)])
            content = bytearray(kept.journal.path.read_bytes())
            at = int(data.draw(st.floats(0, 0.9999)) * len(content))
            content[at] ^= 1 << data.draw(st.integers(0, 7))
            kept.journal.path.write_bytes(content)
            try:
                replayed = kept.replayed()
            except JobFileError:
                return  # the very first record
            self.assertEqual(replayed, kept.digests[1 : len(replayed) + 1])
            kept.journal.close(delete=False)


class AheadTest(Case):
    """Pixels written before the step that needs them."""

    def setUp(self) -> None:
        super().setUp()
        self.base = painted_state(noise_photo(900, 800), 1)
        self.journal = Journal(self.folder / "journal", self.base, "first", {})
        self.addCleanup(self.journal.close, delete=True)

    def painted(self, state, seed: int, n_tiles: int = 9):
        layer = state.active
        tiles = {(n // 3, n % 3): random_tile(seed + n) for n in range(n_tiles)}
        return edits.set_pixels(state, layer.id, layer.tiles.with_tiles(tiles))

    def replayed(self, revision: str = "first", base=None) -> list[str]:
        found = read_journal(self.journal.path)
        return [digest(step.state) for step in found.steps(revision, base or self.base)]

    def test_the_step_itself_is_short_and_holds_all(self) -> None:
        after = self.painted(self.base, 10)
        self.journal.ahead(self.base, after)
        before_bytes = self.journal.size_bytes
        self.assertGreater(before_bytes, 9 * random_tile(0).nbytes)
        self.journal.record("stroke", after)
        self.assertLess(self.journal.size_bytes - before_bytes, 2000)
        self.assertEqual(self.replayed(), [digest(after)])

    def test_only_what_differs_is_written(self) -> None:
        layer = self.base.active
        pixels = layer.tiles.pixels((0, 0)).copy()
        pixels[10:20, 30:60] += 1
        after = edits.set_pixels(self.base, layer.id, layer.tiles.with_tiles({(0, 0): pixels}))
        before_bytes = self.journal.size_bytes
        self.journal.ahead(self.base, after)
        self.assertLess(self.journal.size_bytes - before_bytes, 10 * 30 * 8 + 200)
        self.journal.record("stroke", after)
        self.assertEqual(self.replayed(), [digest(after)])

    def test_what_no_step_uses_does_no_harm(self) -> None:
        """A stroke that was taken back, and one that a mark came between."""
        self.journal.ahead(self.base, self.painted(self.base, 20))
        one, two = self.painted(self.base, 30, 2), self.painted(self.base, 40, 3)
        self.journal.record("stroke", one)
        self.journal.ahead(one, two)
        self.journal.mark("saved")
        self.journal.record("stroke", two)
        self.assertEqual(self.replayed(), [digest(one), digest(two)])
        self.assertEqual(self.replayed("saved", one), [digest(two)])
        self.assertEqual(read_journal(self.journal.path).n_steps, 2)
        self.journal.restart("saved")
        self.assertEqual(self.replayed("saved", one), [digest(two)])

    def test_other_steps_go_on_while_a_worker_writes_ahead(self) -> None:
        """Steps, marks and a restart on one thread, strokes to come on another."""
        strokes = [self.painted(self.base, 100 * n) for n in range(8)]
        ready = [threading.Event() for _ in strokes]
        digests, saved = [], None

        def ahead() -> None:
            for stroke, event in zip(strokes, ready, strict=True):
                self.journal.ahead(self.base, stroke)
                event.set()

        thread = threading.Thread(target=ahead)
        thread.start()
        for number, stroke in enumerate(strokes):
            for name in ("one", "two"):
                state = edits.rename(strokes[max(0, number - 1)], self.base.active_id, name)
                self.journal.record(name, state)
                digests.append(digest(state))
            if number == 3:
                self.journal.mark("saved")
                saved, n_saved = state, len(digests)
            if number == 5:
                self.journal.restart("saved")
            self.assertTrue(ready[number].wait(30))
            self.journal.record("stroke", stroke)
            digests.append(digest(stroke))
        thread.join()
        self.assertEqual(self.replayed("saved", saved), digests[n_saved:])
        self.assertEqual(self.journal.n_steps, len(digests) - n_saved)
        self.assertEqual(self.journal.size_bytes, self.journal.path.stat().st_size)

    def test_a_closed_journal_takes_no_more(self) -> None:
        journal = Journal(self.folder / "closed", self.base, "first", {})
        journal.mark("saved")
        journal.close(delete=True)
        journal.ahead(self.base, self.painted(self.base, 1))
        journal.sync()
        with self.assertRaises(FileNotFoundError):
            journal.restart("saved")
        self.assertEqual([p.name for p in self.folder.iterdir()], ["journal"])

    def test_tiles_of_no_plane_are_refused(self) -> None:
        for odd in ([3, 0], [10**9, 0], [4, -1], [1, 65536]):
            reader = DeltaReader(self.base)
            with self.assertRaises(ValueError):
                reader.learn({"tiles": [[*odd, 0, 0, 0, 0]]}, memoryview(b""))


class WritingTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.kept = Recorded(self.folder)
        self.addCleanup(self.kept.journal.close, delete=True)

    def test_a_small_stroke_is_a_small_record(self) -> None:
        before = self.kept.journal.size_bytes
        self.kept.apply([("paint", 2)])
        square_bytes = 20 * 27 * 8
        self.assertLess(self.kept.journal.size_bytes - before, square_bytes + 2500)

    def test_undo_and_redo_write_no_pixels(self) -> None:
        self.kept.apply([("paint", 2)])
        before = self.kept.journal.size_bytes
        self.kept.apply([("undo", 0), ("redo", 0)])
        self.assertLess(self.kept.journal.size_bytes - before, 3000)
        self.assertEqual(self.kept.replayed(), self.kept.digests[1:])

    def test_a_full_disk_leaves_the_journal_whole_and_the_next_step_makes_up(self) -> None:
        """The record is half on disk when space runs out."""
        kept, real = self.kept, os.write
        kept.apply([("paint", 2)])
        good = kept.journal.path.read_bytes()
        calls = []

        def full(fd: int, data: bytes) -> int:
            calls.append(len(data))
            if len(calls) == 1:
                return real(fd, data[: len(data) // 2])
            raise OSError(errno.ENOSPC, "No space left on device")

        layer_id = kept.job.state.active_id
        tiles = kept.job.state.active.tiles.with_tiles({(0, 0): random_tile(9)})
        after = edits.set_pixels(kept.job.state, layer_id, tiles)
        filling = mock.patch("lather.files.jobs.journalrecords.os.write", full)
        with filling, self.assertRaises(OSError):
            kept.journal.record("stroke", after)
        self.assertEqual(len(calls), 2)
        self.assertEqual(kept.journal.path.read_bytes(), good)
        kept.journal.record("stroke", edits.rename(after, layer_id, "later"))
        self.assertEqual(
            kept.replayed()[-1], digest(edits.rename(after, layer_id, "later"))
        )

    def test_going_on_with_a_found_journal(self) -> None:
        """What a cut-off record left at the end goes; new steps follow the whole ones."""
        kept = self.kept
        kept.apply([("paint", 1), ("mask", 2)])
        path, last = kept.journal.path, kept.job.state
        whole = path.read_bytes()
        path.write_bytes(whole + whole[-90:])
        found = read_journal(path)
        self.assertTrue(found.is_damaged)
        steps = list(found.steps("first", kept.base))
        again = Journal(path, last, "second", {}, found.replayed("first", len(steps), steps[-1]))
        self.addCleanup(again.close, delete=False)
        self.assertEqual(again.n_steps, 2)
        after = edits.rename(last, last.active_id, "new name")
        again.record("Rename", after)
        replayed = [digest(step.state) for step in read_journal(path).steps("first", kept.base)]
        self.assertEqual(replayed, [*kept.digests[1:], digest(after)])
        self.assertEqual(read_journal(path).n_steps_since("second"), 1)

    def test_a_step_that_does_not_fit_ends_the_replay_and_is_counted(self) -> None:
        """Three of seven steps fit: what goes on afterwards follows the third."""
        kept = self.kept
        kept.apply([("paint", 1), ("rename", 2), ("paint", 2)])
        end = kept.journal.size_bytes
        with mock.patch.object(DeltaWriter, "place", lambda *_: ["t", 99]):
            kept.apply([("paint", 1)])
        kept.apply([("rename", 1), ("paint", 2), ("rename", 0)])
        found = read_journal(kept.journal.path)
        self.assertEqual((found.n_steps, found.is_damaged), (7, False))
        steps = list(found.steps("first", kept.base))
        self.assertEqual([digest(step.state) for step in steps], kept.digests[1:4])
        replayed = found.replayed("first", len(steps), steps[-1])
        self.assertEqual((replayed.n_steps, replayed.n_lost, replayed.end_bytes), (3, 4, end))
        again = Journal(kept.journal.path, steps[-1].state, "second", {}, replayed)
        self.addCleanup(again.close, delete=False)
        again.record("Rename", edits.rename(steps[-1].state, steps[-1].state.active_id, "after"))
        found = read_journal(kept.journal.path)
        last = list(found.steps("first", kept.base))
        self.assertEqual(found.replayed("first", len(last), last[-1]).n_lost, 0)
        self.assertEqual(last[-1].state.active.name, "after")

    def test_a_record_that_is_no_step_ends_the_journal(self) -> None:
        from lather.files.jobs.journalrecords import _HEADER, _MAGIC, zlib

        self.kept.apply([("paint", 1)])
        path = self.kept.journal.path
        whole = path.read_bytes()
        for body in (b"{", b"[1]", b'{"op": "dance"}'):
            record = _HEADER.pack(_MAGIC, len(body), 0, zlib.crc32(body)) + body
            path.write_bytes(whole + record + whole[-90:])
            found = read_journal(path)
            self.assertEqual((found.n_steps, found.is_damaged), (1, True))
        for cut in (whole[:-1], whole + whole[:7], whole):
            path.write_bytes(cut)
            self.assertFalse(read_journal(path).is_damaged)

    def test_a_journal_of_a_newer_lather_is_called_so(self) -> None:
        with mock.patch("lather.files.jobs.journalrecords.VERSION", VERSION + 1):
            Journal(self.folder / "newer", self.kept.base, "r", {}).close(delete=False)
        with self.assertRaisesRegex(NewerError, "made by a newer Lather .format"):
            read_journal(self.folder / "newer")

    def test_a_step_too_large_for_the_journal_is_refused_and_leaves_it_whole(self) -> None:
        before = self.kept.journal.path.read_bytes()
        after = edits.rename(self.kept.base, self.kept.base.active_id, "x" * 500)
        small = mock.patch("lather.files.jobs.journalrecords._MOST_JSON_BYTES", 400)
        with small, self.assertRaisesRegex(JobFileError, "too large for the journal"):
            self.kept.journal.record("Rename", after)
        self.assertEqual(self.kept.journal.path.read_bytes(), before)

    def test_what_is_no_journal_says_so(self) -> None:
        for content in (b"", b"hello" * 40, self.kept.journal.path.read_bytes()[:20]):
            path = self.folder / "other"
            path.write_bytes(content)
            with self.assertRaisesRegex(JobFileError, "job file itself is not concerned"):
                read_journal(path)

    def test_a_large_job_needs_no_copy_of_its_pixels(self) -> None:
        """The base is in the job file: the journal starts small whatever the layers hold."""
        state = painted_state(noise_photo(600, 600), 6)
        journal = Journal(self.folder / "large", state, "r", {"title": "t"})
        self.addCleanup(journal.close, delete=True)
        self.assertLess(journal.size_bytes, 400)
        top = list(walk(state.layers))[-1]
        journal.record("Hide", edits.set_visible(state, top.id, False))
        self.assertLess(journal.size_bytes, 1500)

    def test_closing_with_delete_leaves_nothing(self) -> None:
        journal = Journal(self.folder / "gone", new_state(noise_photo(20, 20)), "r", {})
        journal.sync()
        journal.close(delete=True)
        journal.sync()  # after the end: nothing to do, nothing to fail
        self.assertFalse((self.folder / "gone").exists())
