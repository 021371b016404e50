"""A kind of layer that is added from outside: no module but the tables has to know of it."""

from __future__ import annotations

import unittest
from dataclasses import dataclass, field, replace
from unittest import mock

import numpy as np

from lather.document import edits
from lather.document.diff import changed_cells
from lather.document.digest import digest
from lather.document.job import Job
from lather.document.layers.computed import ComputedLayer
from lather.document.layers.layer import Leaf, Unpainted
from lather.document.layers.parameters import Parameters, number
from lather.document.layers.table import KINDS
from lather.document.merge import merge
from lather.document.state import new_state
from lather.files.jobs.jobfile import load_job
from lather.files.jobs.jobwriter import save_job
from lather.files.jobs.journal import Journal
from lather.files.jobs.journalreader import read_journal
from lather.render.compositor import render
from lather.render.flatten import flatten
from lather.render.layers.table import ADD
from tests.support import Case, photo_in


@dataclass(frozen=True)
class ShiftParameters(Parameters):
    down_px: float = number(
        3.0, title="Down", unit="px", low=0.0, high=64.0, help="How far the picture is moved."
    )


@dataclass(frozen=True, eq=False, kw_only=True)
class ShiftLayer(Leaf, Unpainted, ComputedLayer):
    """Moves what lies below: it looks as far as it moves."""

    KIND = "shift"
    NOUN = "a toy"
    TAKES = ShiftParameters
    TITLE = "Shift"
    HELP = "Moves the picture down."

    parameters: ShiftParameters = field(default_factory=ShiftParameters)

    def reach_px(self, level: int) -> int:
        return int(self.parameters.down_px) >> level


def add(layer, scene, out, rect, below) -> None:
    down = int(layer.parameters.down_px) >> scene.level
    moved = below.part(rect.shifted(0, -down))
    out[...] = np.where(moved[..., 3:] > 0, moved, out)


class ToyKindTest(Case):
    def setUp(self) -> None:
        super().setUp()
        for table, key, value in ((KINDS, "shift", ShiftLayer), (ADD, ShiftLayer, add)):
            patched = mock.patch.dict(table, {key: value})
            patched.start()
            self.addCleanup(patched.stop)
        self.state = edits.add_computed(new_state(photo_in(self.folder)), ShiftLayer, down_px=40.0)

    def test_it_is_rendered_in_parts_as_in_the_whole(self) -> None:
        whole = self.state.photo.rect
        picture = render(self.state, whole)
        self.assert_equal_arrays(picture[60:], self.state.photo.read_float(whole)[20:-40])
        flat = flatten(self.state, 16)
        self.assert_close(flat, np.round(picture[..., :3] * 65535), 1)

    def test_it_is_saved_journaled_and_told_apart(self) -> None:
        save_job(self.state, self.folder / "a.lather")
        loaded = load_job(self.folder / "a.lather")
        self.assertEqual(digest(loaded.state), digest(self.state))
        other = edits.set_parameter(loaded.state, loaded.state.active_id, "down_px", 9.0)
        self.assertNotEqual(digest(other), digest(self.state))
        journal = Journal(self.folder / "j", loaded.state, loaded.revision, {})
        self.addCleanup(journal.close, delete=True)
        journal.record("Shift", other)
        steps = list(read_journal(journal.path).steps(loaded.revision, loaded.state))
        self.assertEqual(digest(steps[-1].state), digest(other))

    def test_a_change_of_it_and_below_it_shows_and_is_merged(self) -> None:
        other = edits.set_parameter(self.state, self.state.active_id, "down_px", 9.0)
        self.assertTrue(changed_cells(self.state, other))
        renamed = edits.rename(self.state, self.state.active_id, "Mine")
        merged = merge(self.state, other, renamed).state.active
        self.assertEqual((merged.name, merged.parameters.down_px), ("Mine", 9.0))

    def test_edits_and_undo(self) -> None:
        job = Job(self.state)
        for edit in (edits.duplicate, edits.group):
            job.change("Edit", edit(job.state, self.state.active_id))
        job.undo()
        job.undo()
        self.assertEqual(digest(job.state), digest(self.state))

    def test_without_its_row_it_is_kept_and_not_shown(self) -> None:
        save_job(self.state, self.folder / "a.lather")
        with mock.patch.dict(KINDS):
            del KINDS["shift"]
            loaded = load_job(self.folder / "a.lather")
            self.assertIn("'Shift', which is not shown", loaded.notices[0])
            save_job(edits.rename(loaded.state, loaded.state.active_id, "Kept"),
                     self.folder / "b.lather")  # fmt: skip
        again = load_job(self.folder / "b.lather").state.active
        assert isinstance(again, ShiftLayer)
        self.assertEqual((again.name, again.parameters.down_px), ("Kept", 40.0))
        self.assertEqual(replace(again, name="Shift").parameters, self.state.active.parameters)


if __name__ == "__main__":
    unittest.main()
