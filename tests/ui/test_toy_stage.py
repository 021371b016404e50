"""A stage that is added from outside: no module but the tables has to know of it."""

from __future__ import annotations

import json
import unittest
from dataclasses import replace
from unittest import mock

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel, QVBoxLayout

from lather.actions.keymap import default_keys
from lather.actions.stages import table as actions
from lather.assist import stages as assistants
from lather.assist.proposal import Meant, Proposal
from lather.assist.stages import Assistant, in_order
from lather.cli.main import main
from lather.core.survey.findings import kinds
from lather.core.survey.findings.finding import Kind
from lather.core.survey.findings.kinds import KindRow
from lather.document import edits
from lather.document.findings import FindingState
from lather.document.job import Job
from lather.document.layers.layer import Stage
from lather.document.state import JobState, new_state
from lather.files.jobs.jobfile import load_job
from lather.files.jobs.jobwriter import save_job
from lather.tools import stages as tools
from lather.ui.stages import table as views
from lather.ui.stages.part import StagePart
from tests.support import Case, finding, photo_in, random_tile, small_portrait, surveyed
from tests.ui.test_window import WindowCase, settle, wait_until

TOY, DOT = "toy", "toy.dot"


def look(state: JobState, *, progress, cancel):
    cancel.check()
    progress(0.5, "looking for dots")
    width, height = state.photo.width, state.photo.height
    return [finding(1, width / 2, height / 2, kind=Kind(DOT)),
            finding(2, width / 3, height / 3, kind=Kind(DOT))]  # fmt: skip


def propose(state: JobState, meant: Meant, *, progress, cancel) -> Proposal:
    open_ids = [f.id for f in state.findings.of_stage(TOY)
                if state.findings.state(f) is FindingState.OPEN
                and (meant.ids is None or f.id in meant.ids)]  # fmt: skip
    on_top = replace(state, active_id=state.layers[-1].id)
    after = edits.add_pixel_layer(on_top, "Toy", Stage(TOY))
    tile = np.copy(random_tile(len(after.layers)))
    tile[..., 3] = 1500  # so faint that no brief forbids it
    after = edits.set_pixels(after, after.active_id, after.active.tiles.with_tiles({(0, 0): tile}))
    after = edits.decide(after, open_ids, FindingState.DONE, by=after.active_id)
    return Proposal("Toy with it", state, after, stage=Stage(TOY))


class ToyPanel(StagePart):
    def __init__(self, *about) -> None:
        super().__init__(*about)
        QVBoxLayout(self).addWidget(QLabel("A toy's panel"))


class ToyCase:
    """The rows of a stage whose value the enumeration does not know."""

    def add_the_stage(self) -> None:
        rows = (
            (kinds.KINDS, DOT, KindRow("Toy dot", TOY)),
            (assistants.STAGES, TOY, assistants.StageRow(
                "Toy", {"dots": Assistant("Toying", propose, frozenset({Kind(DOT)}))}, look)),
            (tools.STAGES, TOY, tools.StageRow("lighten", ("lighten", "mend_spot", "push"))),
            (actions.STAGES, TOY, actions.StageRow(
                "Alt+0", "Toys are played with here.", doing="Toying", lenses=("change",))),
            (views.STAGES, TOY, views.StageRow(above=ToyPanel, heading="Toys", lists=True)),
        )  # fmt: skip
        for table, key, row in rows:
            patched = mock.patch.dict(table, {key: row})
            patched.start()
            self.addCleanup(patched.stop)  # type: ignore[attr-defined]


class ToyStageTest(ToyCase, WindowCase):
    def setUp(self) -> None:
        self.add_the_stage()
        super().setUp()
        self.open(edits.set_findings(new_state(photo_in(self.folder)), surveyed(3)))

    def go_there(self) -> None:
        places = dict(self.window.stages.places())
        QTest.mouseClick(self.window.stages, Qt.MouseButton.LeftButton,
                         pos=places[Stage(TOY)].center().toPoint())  # fmt: skip
        wait_until(lambda: self.bench.state.findings.looked_in == (TOY,))
        settle(self.app)

    def rows(self) -> list[str]:
        rows = self.window.worklist.findings.list
        return [rows.item(n).text().split("\n")[0] for n in range(rows.count())]

    def test_it_stands_where_its_row_does_and_has_its_key(self) -> None:
        self.assertIs(in_order()[-1], Stage(TOY))
        self.assertEqual(default_keys("stage.toy", "right"), ("Alt+0",))
        self.key(Qt.Key.Key_0, modifier=Qt.KeyboardModifier.AltModifier)
        self.assertIs(self.bench.stage, Stage(TOY))

    def test_its_tools_panel_lenses_and_findings_are_shown(self) -> None:
        self.go_there()
        work, grid = self.window.worklist, self.window.hand.tools
        self.assertEqual([button.action_id for button in grid.buttons],
                         ["tool.lighten", "tool.mend_spot", "tool.push"])  # fmt: skip
        self.assertEqual(self.bench.hand.tool, "lighten")
        self.assertTrue(all(button.isVisible() for button in grid.buttons))
        self.assertEqual(work.title.text(), "Toys")
        self.assertTrue(work.part(ToyPanel).isVisible())
        self.assertEqual(self.rows(), ["Toy dot", "Toy dot"])
        self.assertEqual(work.note.text(), "0 of 2 decided")
        lenses = self.window.lenses
        self.assertLess(lenses.buttons["change"].x(), lenses.buttons["tone"].x())
        self.bench.go_to_stage(Stage.CLEAN)
        settle(self.app)
        self.assertFalse(work.part(ToyPanel).isVisible())
        self.assertGreater(lenses.buttons["change"].x(), lenses.buttons["tone"].x())

    def test_its_findings_are_looked_for_once_and_are_no_step(self) -> None:
        self.go_there()
        self.assertEqual(self.bench.job.history.n_done, 0)
        ids = [f.id for f in self.bench.state.findings.of_stage(TOY)]
        self.assertEqual(len({f.id for f in self.bench.state.findings.items}), 5)
        self.bench.go_to_stage(Stage.CLEAN)
        self.bench.go_to_stage(Stage(TOY))
        settle(self.app)
        self.assertEqual([f.id for f in self.bench.state.findings.of_stage(TOY)], ids)

    def test_an_assistant_answers_a_finding_and_all_of_them(self) -> None:
        self.go_there()
        first = self.bench.state.findings.of_stage(TOY)[0]
        work = self.window.worklist
        work.findings.list.setCurrentRow(0)
        work.findings.list.itemClicked.emit(work.findings.list.item(0))
        self.assertEqual(work.findings.buttons[0].text(), "Propose")
        work.findings.buttons[0].click()
        wait_until(lambda: self.bench.pending is not None)
        self.assertEqual(self.bench.pending.ids, {first.id})
        settle(self.app)
        self.assertTrue(work.proposal.isVisible())
        work.proposal.buttons[0].click()
        wait_until(lambda: self.bench.task is None and self.bench.state.layers[-1].name == "Toy")
        state = self.bench.state
        self.assertIs(state.layers[-1].stage, Stage(TOY))
        self.assertIs(state.findings.state(first), FindingState.DONE)
        wait_until(lambda: self.bench.task is None and self.bench.pending is not None)
        self.bench.set_pending(None)
        work.findings.mend_all.click()
        wait_until(lambda: self.bench.pending is not None and not self.bench.pending.ids)
        self.assertEqual(self.bench.pending.proposal.name, "All of Toy")

    def test_what_was_decided_stays_when_it_is_surveyed_anew_and_in_a_file(self) -> None:
        self.go_there()
        first, other = self.bench.state.findings.of_stage(TOY)
        self.bench.change("Skip", edits.decide, [first.id], FindingState.SKIPPED)
        path = self.folder / "toy.lather"
        save_job(self.bench.state, path)
        loaded = load_job(path).state
        self.assertEqual(loaded.findings, self.bench.state.findings)
        self.bench.take_job(Job(replace(loaded, findings=replace(loaded.findings, looked_in=()))))
        wait_until(lambda: self.bench.state.findings.looked_in == (TOY,))
        findings = self.bench.state.findings
        states = [findings.state(f) for f in findings.of_stage(TOY)]
        self.assertEqual(states, [FindingState.SKIPPED, FindingState.OPEN])
        self.assertNotIn(other.id, [f.id for f in findings.of_stage(TOY)])


class ToyCommandTest(ToyCase, Case):
    def setUp(self) -> None:
        super().setUp()
        self.add_the_stage()
        self.photo = small_portrait(self.folder, 0.25)

    def test_retouch_runs_it(self) -> None:
        job = self.folder / "a.lather"
        status = main(["retouch", str(self.photo), str(self.folder / "a.png"), "--stages", TOY,
                       "--job", str(job)])  # fmt: skip
        self.assertIn(status, (0, 3))
        state = load_job(job).state
        self.assertEqual([layer.name for layer in state.layers[1:]], ["Toy"])
        self.assertIs(state.layers[1].stage, Stage(TOY))
        dots = state.findings.of_stage(TOY)
        self.assertEqual({state.findings.state(f) for f in dots}, {FindingState.DONE})

    def test_survey_looks_for_what_it_decides_on(self) -> None:
        counts = []
        for more in ([], ["--stages", TOY]):
            out = self.folder / "facts.json"
            self.assertEqual(main(["survey", str(self.photo), "--json", str(out), *more]), 0)
            found = json.loads(out.read_text("utf-8"))["findings"]
            counts.append(sum(entry["stage"] == TOY for entry in found))
        self.assertEqual(counts, [0, 2])


if __name__ == "__main__":
    unittest.main()
