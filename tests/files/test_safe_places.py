"""Locks, backups, parked tiles: the small files that keep work safe."""

import json
import os
import subprocess
import sys
import threading
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

from lather.document.history import History, Step
from lather.document.tiles import Tile
from lather.errors import InUseError, LatherError
from lather.files.jobs.backups import backups_of, keep_backup
from lather.files.jobs.lock import Lock, is_alive, read_holder
from lather.files.jobs.spill import Spill
from lather.files.places import all_apart, apart, beside
from tests.support import Case, noise_photo, painted_state, random_tile

ROOT = Path(__file__).parents[2]
HOLD = """
import sys
from pathlib import Path
from lather.files.jobs.lock import Lock
lock = Lock.acquire(Path(sys.argv[1]), "a.lather")
print("held", flush=True)
sys.stdin.readline()
"""


class LockTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.path = self.folder / ".a.lather.lock"

    def held_elsewhere(self) -> subprocess.Popen:
        process = subprocess.Popen(
            [sys.executable, "-c", HOLD, str(self.path)], cwd=ROOT, text=True,
            stdin=subprocess.PIPE, stdout=subprocess.PIPE,
        )  # fmt: skip

        def end() -> None:
            process.kill()
            process.wait()
            process.stdin.close()
            process.stdout.close()

        self.addCleanup(end)
        self.assertEqual(process.stdout.readline(), "held\n")
        return process

    def test_another_process_is_named(self) -> None:
        process = self.held_elsewhere()
        with self.assertRaisesRegex(InUseError, f"process {process.pid} on .* has it open since"):
            Lock.acquire(self.path, "a.lather")
        self.assertTrue(is_alive(read_holder(self.path)))

    def test_a_lock_left_by_a_killed_process_is_stale(self) -> None:
        process = self.held_elsewhere()
        process.kill()
        process.wait()
        self.assertEqual(read_holder(self.path).pid, process.pid)
        self.assertFalse(is_alive(read_holder(self.path)))
        lock = Lock.acquire(self.path, "a.lather")
        self.assertEqual(read_holder(self.path).pid, os.getpid())
        lock.release()
        self.assertFalse(self.path.exists())

    def test_the_same_number_of_a_later_process_is_told_apart(self) -> None:
        lock = Lock.acquire(self.path, "a.lather")
        self.addCleanup(lock.release)
        holder = json.loads(self.path.read_text())
        self.path.write_text(json.dumps({**holder, "started": "1"}))
        self.assertFalse(is_alive(read_holder(self.path)))

    def test_within_a_process_it_is_shared(self) -> None:
        first, second = (Lock.acquire(self.path, "a.lather") for _ in range(2))
        first.release()
        self.assertTrue(self.path.exists())
        second.release()
        self.assertFalse(self.path.exists())

    def test_a_lock_file_with_nonsense_in_it_is_taken_over(self) -> None:
        self.path.write_text("{nonsense")
        self.assertIsNone(read_holder(self.path))
        Lock.acquire(self.path, "a.lather").release()


class BackupTest(Case):
    @settings(max_examples=40, deadline=None)
    @given(st.integers(0, 4), st.integers(1, 9))
    def test_the_latest_are_kept_in_order(self, most: int, n_saves: int) -> None:
        path = self.folder / "a.lather"
        for old in self.folder.iterdir():
            old.unlink()
        for number in range(n_saves):
            keep_backup(path, most)
            later = self.folder / "new"  # saving replaces the file, it never writes into it
            later.write_text(str(number))
            later.replace(path)
        kept = [int(backup.read_text()) for backup in backups_of(path)]
        expected = list(range(n_saves - 2, -1, -1))[:most]
        self.assertEqual(kept, expected)
        self.assertEqual(path.read_text(), str(n_saves - 1))

    def test_a_folder_that_allows_none_is_no_reason_to_fail(self) -> None:
        path = self.folder / "a.lather"
        path.write_text("x")
        (self.folder / "a.backup1.lather").mkdir()
        keep_backup(path, 3)
        self.assertEqual(path.read_text(), "x")


class PlacesTest(Case):
    def test_beside_and_apart(self) -> None:
        places = beside(self.folder / "a.lather")
        self.assertEqual(places.journal.name, ".a.lather.journal")
        self.assertFalse(places.is_apart)
        own = apart("a title that is as long as " * 9)
        self.addCleanup(own.folder.rmdir)
        self.assertTrue(own.is_apart)
        self.assertLess(len(own.folder.name), 80)
        self.assertIn(own.journal, [found.journal for found in all_apart()])


class SpillTest(Case):
    def test_parked_tiles_read_the_same_and_leave_no_file(self) -> None:
        spill = Spill(self.folder)
        tiles = [Tile(random_tile(n)) for n in range(4)] + [Tile(random_tile(9, channels=1))]
        copies = [tile.pixels.copy() for tile in tiles]
        self.assertTrue(spill.park(tiles))
        self.assertEqual(list(self.folder.iterdir()), [])
        self.assertEqual(sum(tile.nbytes for tile in tiles), 0)
        for tile, copy in zip(tiles, copies, strict=True):
            self.assert_equal_arrays(tile.pixels, copy)
        self.assertEqual(spill.size_bytes, sum(copy.nbytes for copy in copies))

    def test_many_threads_may_read_and_park(self) -> None:
        spill, faults = Spill(self.folder), []
        tiles = [Tile(random_tile(n)) for n in range(12)]
        copies = [tile.pixels.copy() for tile in tiles]

        def work(seed: int) -> None:
            for n in range(40):
                at = (n * 7 + seed) % 12
                if n % 3 == 0:
                    spill.park([tiles[at]])
                if not (tiles[at].pixels == copies[at]).all():
                    faults.append(at)

        threads = [threading.Thread(target=work, args=(seed,)) for seed in range(4)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(faults, [])

    def test_a_cut_off_file_is_said_and_not_shown_as_pixels(self) -> None:
        spill, tile = Spill(self.folder), Tile(random_tile(1))
        spill.park([tile])
        os.ftruncate(spill._fd, 100)
        with self.assertRaisesRegex(LatherError, "An older state was not read"):
            _ = tile.pixels

    def test_undo_goes_to_disk_beyond_its_budget_and_comes_back(self) -> None:
        from lather.document import edits

        spill, history = Spill(self.folder), History(budget_bytes=3 * random_tile(0).nbytes)
        history.park = spill.park_now
        state = painted_state(noise_photo(), 1)
        looks = []
        for seed in range(10):
            tiles = state.active.tiles.with_tiles({(0, 0): random_tile(seed)})
            after = edits.set_pixels(state, state.active_id, tiles)
            history.record(Step(str(seed), state, after))
            looks.append(state.active.tiles.pixels((0, 0)).copy())
            state = after
        self.assertEqual(len(history.done), 10)
        self.assertGreater(spill.size_bytes, 5 * random_tile(0).nbytes)
        for look in reversed(looks):
            self.assert_equal_arrays(
                history.undo().before.active.tiles.pixels((0, 0)), look
            )
