"""A step happens whole or not at all; undo's memory stays within bounds on any disk."""

import errno
from unittest import mock

from lather.actions.job.keeping import Keeper
from lather.actions.job.recovery import Opened
from lather.document import edits
from lather.document.digest import digest
from lather.document.events import Signal
from lather.document.history import History, Step, planes_of
from lather.document.job import Job
from lather.files.jobs.spill import Spill
from tests.support import Case, Later, apply_edit, painted_state, random_tile


class RecorderTest(Case):
    def test_a_step_that_cannot_be_recorded_does_not_happen(self) -> None:
        """Whatever the recorder raises: state, history and listeners agree."""
        job, told = Job(painted_state(n_layers=2)), []
        job.changed.connect(lambda before, after: told.append(after))
        apply_edit(job, "paint", 1)
        apply_edit(job, "rename", 2)
        job.undo()
        before, done, undone = job.state, job.history.done, job.history.undone

        def broken(step, after) -> None:
            raise RuntimeError("no")

        job.recorder = broken
        told.clear()
        for act in (
            lambda: job.change("Rename", edits.rename(before, before.active_id, "x")),
            job.undo, job.redo, lambda: job.go_to(0),
        ):  # fmt: skip
            with self.assertRaisesRegex(RuntimeError, "no"):
                act()
            self.assertIs(job.state, before)
            self.assertEqual((job.history.done, job.history.undone), (done, undone))
            self.assertEqual(told, [])
        job.recorder = None
        self.assertEqual(job.redo(), "rename")
        self.assertIs(told[-1], job.state)

    def test_all_are_told_even_if_one_fails(self) -> None:
        heard, signal = [], Signal()

        def broken() -> None:
            raise ValueError("mine")

        for subscriber in (lambda: heard.append(1), broken, lambda: heard.append(2)):
            signal.connect(subscriber)
        with self.assertRaisesRegex(ValueError, "mine"):
            signal.emit()
        self.assertEqual(heard, [1, 2])


OTHER_SEEDS = 100  # than those of the state that is begun with


class UndoMemoryTest(Case):
    TILE_BYTES = random_tile(0).nbytes

    def recorded(self, job: Job, seed: int) -> None:
        layer = job.state.active
        tiles = layer.tiles.with_tiles({(0, 0): random_tile(OTHER_SEEDS + seed)})
        job.change("Paint", edits.set_pixels(job.state, layer.id, tiles))

    def held_bytes(self, history: History) -> int:
        """What really is in memory for old steps alone."""
        after = planes_of(history.done[-1].after)
        now = {id(tile) for plane in after for tile in plane.tiles.values()}
        old = {
            id(tile): tile
            for step in history.done for plane in planes_of(step.before)
            for tile in plane.tiles.values() if id(tile) not in now
        }  # fmt: skip
        return sum(tile.nbytes for tile in old.values())

    def test_a_disk_that_is_full_costs_old_steps_and_not_memory(self) -> None:
        keep = Later()
        job = Job(painted_state(n_layers=1))
        keeper = Keeper(Opened(job), keep)
        keeper.start(Opened(job))
        self.addCleanup(keeper.close)
        troubles = []
        keeper.troubled.connect(troubles.append)
        job.history.budget_bytes = 3 * self.TILE_BYTES
        full = mock.patch.object(Spill, "_write", side_effect=OSError(errno.ENOSPC, "full"))
        with full:
            for seed in range(20):
                self.recorded(job, seed)
                keep.run()
                self.assertLessEqual(self.held_bytes(job.history), 4 * self.TILE_BYTES)
        self.assertEqual(job.history.memory_bytes, self.held_bytes(job.history))
        self.assertLess(len(job.history.done), 6)
        self.assertEqual([t.what for t in troubles], ["Undo reaches back less far from here on"])
        for seed in range(20, 40):  # room again: nothing more is forgotten
            self.recorded(job, seed)
            keep.run()
        self.assertGreater(len(job.history.done), 20)
        self.assertLessEqual(self.held_bytes(job.history), 4 * self.TILE_BYTES)

    def test_what_is_counted_is_what_is_there(self) -> None:
        """Also while tiles are on their way, and after some of them did not get there."""
        waiting: list = []
        history = History(2 * self.TILE_BYTES)
        history.park = lambda tiles, parked: waiting.append((tiles, parked)) or True
        job = Job(painted_state(n_layers=1))
        job.history = history
        spill = Spill(self.folder)
        for seed in range(8):
            self.recorded(job, seed)
        self.assertEqual(len(history.done), 8)
        self.assertEqual(len(waiting), 6)
        for number, (tiles, parked) in enumerate(waiting):
            parked(spill.park(tiles) if number % 2 else False)
        self.assertEqual(history.memory_bytes, self.held_bytes(history))
        self.assertLessEqual(history.memory_bytes, 2 * self.TILE_BYTES)
        states = [digest(step.after) for step in history.done]
        for expected in reversed(states[:-1]):
            job.undo()
            self.assertEqual(digest(job.state), expected)

    def test_the_budget_holds_while_history_is_walked(self) -> None:
        """Back and forth: what undone steps hold counts too, and what was read again."""
        job = Job(painted_state(n_layers=1))
        spill = Spill(self.folder)
        job.history.budget_bytes = 4 * self.TILE_BYTES
        job.history.park = spill.park_now
        states = [digest(job.state)]
        for seed in range(24):
            self.recorded(job, seed)
            states.append(digest(job.state))
        for n_done in (0, 24, 12, 3, 20, 0, 24):
            job.go_to(n_done)
            self.assertEqual(digest(job.state), states[n_done])
            steps = (*job.history.done, *job.history.undone)
            now = {id(tile) for plane in planes_of(job.state) for tile in plane.tiles.values()}
            held = {id(tile): tile for step in steps for state in (step.before, step.after)
                    for plane in planes_of(state) for tile in plane.tiles.values()
                    if id(tile) not in now}  # fmt: skip
            in_memory = sum(tile.nbytes for tile in held.values())
            self.assertLessEqual(job.history.memory_bytes, 4 * self.TILE_BYTES)
            self.assertLessEqual(in_memory, 6 * self.TILE_BYTES)

    def test_a_step_can_be_looked_at_before_it_is_taken_back(self) -> None:
        history, state = History(), painted_state(n_layers=1)
        self.assertEqual((history.next_undo, history.next_redo), (None, None))
        step = Step("Rename", state, edits.rename(state, state.active_id, "x"))
        history.record(step)
        self.assertIs(history.next_undo, step)
        history.undo()
        self.assertIs(history.next_redo, step)
