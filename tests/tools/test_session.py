"""The pen session when work fails, and strokes that overlap in time."""

from dataclasses import replace
from unittest import mock

from lather.core.brush.stroke import PenSample
from lather.document.job import Job
from lather.errors import EditError
from lather.tools.brush import PixelWork
from lather.tools.session import PenSession, Viewport
from tests.support import Case, Later, painted_state, skin_photo


class FailureTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.later = Later()
        self.job = Job(painted_state(skin_photo(), 1))
        self.session = PenSession(
            self.job, self.later, lambda: Viewport(0, self.job.state.photo.rect, 0.2)
        )
        self.session.hand = replace(self.session.hand, tool="paint_colour")
        self.ended, self.failed = [], []
        self.session.ended.connect(lambda: self.ended.append(1))
        self.session.failed.connect(self.failed.append)

    def stroke(self, x: float) -> None:
        self.session.down(PenSample(0, x, 100))
        self.session.move(PenSample(0.1, x + 10, 100))
        self.session.up(PenSample(0.2, x + 10, 100, 0.0))

    def run_all(self) -> None:
        """Everything posted; faults are raised at the edge and the loop goes on."""
        self.faults = []
        while self.later.posted:
            try:
                self.later.run(first=1)
            except Exception as error:  # noqa: BLE001 - the edge
                self.faults.append(error)

    def painted_at(self) -> list[float]:
        return [float(s.readings[0, 1]) for s in self.job.state.active.strokes]

    def test_after_a_fault_waiting_readings_are_drawn_at_once_and_not_later(self) -> None:
        self.stroke(50)
        self.stroke(150)  # waits for the first
        real, calls = PixelWork.finish, []

        def finish(work, samples):
            calls.append(1)
            if len(calls) == 1:
                raise RuntimeError("a fault")
            return real(work, samples)

        with mock.patch.object(PixelWork, "finish", finish):
            self.run_all()
        self.assertEqual([str(e) for e in self.faults], ["a fault"])
        self.assertEqual(self.painted_at(), [150.0])
        self.assertFalse(self.session.busy)
        self.stroke(250)
        self.run_all()
        self.assertEqual(self.painted_at(), [150.0, 250.0])

    def test_a_fault_in_the_job_does_not_keep_readings_either(self) -> None:
        def broken(step, after) -> None:
            self.job.recorder = None
            raise RuntimeError("a fault")

        self.job.recorder = broken
        self.stroke(50)
        self.stroke(150)
        self.run_all()
        self.assertEqual([str(e) for e in self.faults], ["a fault"])
        self.assertEqual(self.painted_at(), [150.0])
        self.assertEqual(len(self.ended), 2)

    def test_a_failure_ends_only_its_own_stroke(self) -> None:
        """The work of a stroke that was given up fails when the next one is under way."""
        for error in (EditError("It was refused"), RuntimeError("a fault")):
            with self.subTest(error=error):
                n_before, n_failed = len(self.painted_at()), len(self.failed)
                self.session.down(PenSample(0, 50, 100))
                self.session.cancel()
                self.session.down(PenSample(0, 150, 100))
                with mock.patch.object(PixelWork, "add", side_effect=error):
                    try:
                        self.later.run(first=1)
                    except RuntimeError as fault:
                        self.assertIs(fault, error)
                self.assertTrue(self.session.busy)
                self.session.up(PenSample(0.1, 150, 100, 0.0))
                self.run_all()
                self.assertEqual(self.painted_at()[n_before:], [150.0])
                self.assertEqual(len(self.failed), n_failed)

    def test_a_stroke_whose_painting_failed_leaves_nothing(self) -> None:
        self.stroke(50)
        with mock.patch.object(PixelWork, "add", side_effect=EditError("It was refused")):
            self.later.run(first=1)
        self.run_all()
        self.assertEqual(self.painted_at(), [])
        self.assertEqual([e.what for e in self.failed], ["It was refused"])
        self.assertEqual(len(self.ended), 1)

