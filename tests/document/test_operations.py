"""What was done, as part of the state: in order, through undo, redo, branches and work aside."""

from __future__ import annotations

import unittest
from dataclasses import replace

from lather.document import edits
from lather.document.job import Job
from lather.document.ledger import Ledger
from lather.document.operations.call import Call
from lather.document.operations.operation import (
    NOTHING_DONE,
    UNKNOWN,
    Again,
    Operation,
    Operations,
)
from lather.document.operations.recording import (
    recorded,
    with_carried,
    with_what_was_there,
)
from lather.document.state import new_state
from lather.operations.edits import call_of
from tests.support import Case, draw, noise_photo, painted_state, session_for, surveyed


def named(*names: str) -> Operations:
    return Operations.of(tuple(Operation(id="x", name=name) for name in names))


class ChainTest(unittest.TestCase):
    def test_it_shares_what_is_before(self) -> None:
        chain = named("a", "b")
        one = chain.followed_by(Operation(id="x", name="c"))
        other = chain.followed_by(Operation(id="x", name="d"))
        self.assertEqual([o.name for o in one], ["a", "b", "c"])
        self.assertEqual((len(one), one.n_common(other)), (3, 2))
        self.assertTrue(one.begins_with(chain))
        self.assertFalse(one.begins_with(other))
        self.assertTrue(one.begins_with(NOTHING_DONE))
        self.assertEqual([o.name for o in other.from_number(1)], ["b", "d"])
        self.assertIs(one.first(2), chain)

    def test_a_long_one_is_let_go_without_a_deep_call(self) -> None:
        chain = NOTHING_DONE
        operation = Operation(id="x", name="a")
        for _ in range(200_000):
            chain = chain.followed_by(operation)
        self.assertEqual(len(chain), 200_000)
        del chain

    def test_what_is_to_be_read_is_read_once_and_when_it_is_asked_for(self) -> None:
        n_read = []
        chain = Operations.to_be_read(2, lambda: n_read.append(1) or named("a", "b"))
        longer = chain.followed_by(Operation(id="x", name="c"))
        self.assertEqual((len(longer), n_read), (3, []))
        self.assertTrue(longer.begins_with(chain))
        self.assertEqual(longer.n_common(chain), 2)
        self.assertEqual(n_read, [])
        self.assertEqual([o.name for o in longer], ["a", "b", "c"])
        self.assertEqual([o.name for o in chain], ["a", "b"])
        self.assertEqual(n_read, [1])

    def test_what_cannot_be_read_now_may_be_read_later(self) -> None:
        answers = [OSError("gone"), None]

        def load() -> Operations:
            fault = answers.pop(0)
            if fault is not None:
                raise fault
            return named("a")

        chain = Operations.to_be_read(1, load)
        with self.assertRaises(OSError):
            list(chain)
        self.assertEqual([o.name for o in chain], ["a"])


class JobTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.job = Job(new_state(noise_photo()))

    def do(self, edit, *args, gesture=None, **options) -> None:
        after = edit(self.job.state, *args, **options)
        self.job.change(edit.__name__, after, gesture, call_of(edit, *args, **options))

    def names(self) -> list[str]:
        return [operation.name for operation in self.job.state.operations]

    def test_they_are_those_of_the_state_that_is_shown(self) -> None:
        for name in ("One", "Two", "Three"):
            self.do(edits.add_pixel_layer, name)
        self.assertEqual(len(self.names()), 3)
        self.job.undo()
        self.job.undo()
        self.assertEqual(len(self.names()), 1)
        self.job.redo()
        self.assertEqual([o.arguments["name"] for o in self.job.state.operations], ["One", "Two"])
        self.do(edits.set_visible, self.job.state.active_id, False)  # a branch
        self.assertEqual(self.names(), ["add_pixel_layer"] * 2 + ["set_visible"])
        self.job.go_to(1)
        self.assertEqual(len(self.names()), 1)
        self.job.go_to(3)
        self.assertEqual(self.names()[-1], "set_visible")

    def test_a_gesture_is_one_with_what_came_of_it(self) -> None:
        self.do(edits.add_pixel_layer)
        layer_id = self.job.state.active_id
        for strength in (0.9, 0.6, 0.3):
            self.do(edits.set_strength, layer_id, strength, gesture="drag")
        self.assertEqual(self.names(), ["add_pixel_layer", "set_strength"])
        self.assertEqual(self.job.state.operations.last.arguments["strength"], 0.3)

    def test_where_it_went(self) -> None:
        self.do(edits.add_pixel_layer)
        made = self.job.state.operations.last
        self.assertEqual(made.layers, made.made)
        self.assertEqual(made.made, (self.job.state.active_id,))
        self.do(edits.group, made.made[0])
        group = self.job.state.operations.last
        self.assertEqual(group.made, (self.job.state.active_id,))
        self.do(edits.delete, self.job.state.active_id)
        gone = self.job.state.operations.last
        self.assertEqual(set(gone.layers), {*group.made, *made.made})
        self.assertEqual(gone.made, ())

    def test_a_stroke_is_kept_once_and_has_its_places(self) -> None:
        session = session_for(self.job)
        draw(session, "paint_colour", [(20.0, 30.0), (60.0, 80.0), (120.0, 90.0)], size_px=12.0)
        stroke = self.job.state.operations.last
        self.assertEqual((stroke.id, stroke.again), ("tool.paint_colour", Again.SAME))
        self.assertIs(stroke.strokes[0], self.job.state.active.strokes[0])
        self.assertEqual([(p.x, p.y) for p in stroke.places],
                         [(20.0, 30.0), (60.0, 80.0), (120.0, 90.0)])  # fmt: skip
        self.assertEqual(stroke.places[0].share, (round(20 / 300, 5), round(30 / 280, 5)))
        draw(session, "outline", [(20.0, 20.0), (90.0, 20.0), (90.0, 90.0)])
        outline = self.job.state.operations.last
        self.assertEqual(outline.id, "tool.outline")
        self.assertEqual(len(outline.strokes[0].readings), 3)
        self.assertEqual(outline.layers, ())

    def test_on_a_face_it_is_relative_to_that(self) -> None:
        self.do(edits.set_findings, surveyed(3))
        draw(session_for(self.job), "paint_colour", [(90.0, 70.0), (92.0, 71.0)])
        place = self.job.state.operations.last.places[0]
        self.assertIsNone(place.share)
        self.assertEqual(place.face.face, 0)
        self.assertIsNotNone(place.face.inside_mm)

    def test_what_nobody_said_what_it_was_carries_what_it_left(self) -> None:
        self.do(edits.add_pixel_layer, "Below")
        state = painted_state(self.job.state.photo, 2)
        self.job.change("Whatever", replace(self.job.state, layers=(
            *self.job.state.layers, *state.layers[1:])))  # fmt: skip
        last, before = self.job.state.operations.last, self.job.history.done[-1].before
        self.assertEqual((last.id, last.again), (UNKNOWN, Again.NOT))
        self.assertEqual(len(last.carried.own_layers), 2)
        again = with_carried(before, last.carried)
        self.assertEqual(again.layers, self.job.state.layers)

    def test_what_comes_by_itself_is_in_all_states(self) -> None:
        self.do(edits.add_pixel_layer)
        self.do(edits.add_pixel_layer)
        call = Call(id="finding.survey", arguments={"mm_per_px": None}, again=Again.MEANING)
        self.job.absorb("Survey", lambda s: edits.set_findings(s, surveyed(4)), call=call)
        self.assertEqual(self.names(), ["add_pixel_layer", "add_pixel_layer", "Survey"])
        there = self.job.state.operations
        self.job.undo()
        self.job.redo()
        self.assertIs(self.job.state.operations, there)
        self.job.undo()
        self.assertEqual(self.names(), ["add_pixel_layer", "Survey"])
        self.do(edits.add_pixel_layer)
        self.assertEqual(self.names(), ["add_pixel_layer", "Survey", "add_pixel_layer"])
        self.job.go_to(0)
        self.assertEqual(self.names(), ["Survey"])

    def test_what_was_worked_out_on_a_state_that_is_gone_carries_it(self) -> None:
        self.do(edits.add_pixel_layer)
        begun = self.job.state
        self.job.undo()
        after = edits.add_pixel_layer(self.job.state)
        call = replace(call_of(edits.add_pixel_layer), begun=begun)
        self.job.change("Late", after, call=call)
        last = self.job.state.operations.last
        self.assertIs(last.again, Again.NOT)
        self.assertIn("taken back", last.why_not)
        self.assertIsNotNone(last.carried)

    def test_going_back_to_what_was_saved_is_nothing_that_was_done(self) -> None:
        self.do(edits.add_pixel_layer)
        saved = self.job.state
        self.do(edits.set_visible, saved.active_id, False)
        self.job.return_to("Back to the saved state", saved)
        self.assertEqual(self.names(), ["add_pixel_layer"])
        self.job.undo()
        self.assertEqual(self.names(), ["add_pixel_layer", "set_visible"])

    def test_a_state_without_operations_is_one_that_carries_it(self) -> None:
        self.assertIs(with_what_was_there(self.job.state, "Before"), self.job.state)
        state = painted_state(self.job.state.photo, 2)
        told = with_what_was_there(state, "Before")
        (only,) = told.operations
        self.assertEqual((only.name, only.id), ("Before", "earlier"))
        bare = replace(new_state(state.photo), layers=state.layers[:1])
        self.assertEqual(with_carried(bare, only.carried).layers, state.layers)

    def test_recorded_takes_the_state_of_now(self) -> None:
        before = self.job.state
        after = recorded(before, edits.add_pixel_layer(before), "A", call_of(edits.add_pixel_layer))
        self.assertEqual(len(after.operations), 1)
        self.assertEqual(after.operations.last.active, before.active_id)


class LedgerTest(unittest.TestCase):
    def test_each_has_the_time_since_the_one_before(self) -> None:
        ledger = Ledger()
        for at_s in (100.0, 110.0, 115.0):
            ledger.sign_of_life(at_s)
        one = ledger.spent(118.0, 1000.0)
        self.assertEqual((one.at_s, one.wall_s, one.worked_s), (1000.0, 18.0, 15.0))
        ledger.sign_of_life(300.0)  # after a pause
        ledger.sign_of_life(307.0)
        two = ledger.spent(310.0, 1192.0)
        self.assertEqual((two.wall_s, two.worked_s), (192.0, 7.0))
        both = two.after(one)
        self.assertEqual((both.at_s, both.wall_s, both.worked_s), (1192.0, 210.0, 22.0))
        self.assertEqual(ledger.worked_s, 22.0)

    def test_what_was_worked_before_is_not_counted_again(self) -> None:
        ledger = Ledger()
        ledger.go_on_from(500.0)
        ledger.sign_of_life(1.0)
        ledger.sign_of_life(3.0)
        self.assertEqual(ledger.spent(4.0, 0.0).worked_s, 2.0)
        self.assertEqual(ledger.worked_s, 502.0)


if __name__ == "__main__":
    unittest.main()
