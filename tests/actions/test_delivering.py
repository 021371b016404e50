"""What a delivery says."""

from dataclasses import replace

from lather.actions.job.delivering import deliver_to
from lather.actions.start import start_workbench
from lather.document.job import Job
from lather.document.layers.unknown import UnknownLayer
from lather.document.state import new_state
from lather.files.exchange.delivery import Delivery
from lather.settings.store import Settings
from tests.support import Answers, Case, photo_in


class DeliveringTest(Case):
    def test_a_layer_that_is_not_understood_is_missing_and_named(self) -> None:
        bench, said = start_workbench(Settings(self.folder / "settings.json"), Answers()), []
        bench.said.connect(lambda text, error: said.append((text, error)))
        state = new_state(photo_in(self.folder, width=40, height=30))
        glow = UnknownLayer(id=10**6, name="Glow", newer_kind="glow")
        for layers, is_error, text in (
            (state.layers, False, "out.png"), ((*state.layers, glow), True, "without 'Glow'"),
        ):  # fmt: skip
            bench.take_job(Job(replace(state, layers=layers)))
            deliver_to(bench, [(self.folder / "out.png", Delivery())])
            self.assertIn(text, said[-1][0])
            self.assertEqual(said[-1][1], is_error)
            self.assertEqual("without" in said[-1][0], is_error)
        bench.take_job(None)
