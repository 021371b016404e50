"""What was done, in words: where on the person, with what, on which layer, for how long."""

from __future__ import annotations

import unittest
from dataclasses import replace

from lather.assist.request import Request
from lather.core.survey.faces.mesh_fit import face_of
from lather.document import edits
from lather.document.findings import Findings, FindingState
from lather.document.job import Job
from lather.document.layers.limits import Limits
from lather.document.operations.operation import Again, Measure, Operation, Spent
from lather.document.operations.place import Place
from lather.document.operations.placing import place_of
from lather.document.photo import Photo
from lather.document.state import new_state
from lather.operations.edits import call_of
from lather.operations.table import KINDS
from lather.operations.told import facts, how, seconds, steps_told, told
from lather.operations.where import place_in_words, where
from tests.core.test_anchors import MIDDLE, SIZE_PX, mesh
from tests.support import Case, draw, noise_photo, session_for, skin_photo

MM = 63 / SIZE_PX


class WhereTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        photo = Photo(skin_photo(1300, 1500).samples, name="face.png")
        cls.state = replace(new_state(photo), findings=Findings(
            mm_per_px=MM, faces=(face_of(mesh()),)))  # fmt: skip

    def words(self, across: float, down: float) -> str:
        """Of a place so many pupil distances from between the pupils; across is to the person's
        left."""
        x, y = MIDDLE[0] + SIZE_PX * across, MIDDLE[1] + SIZE_PX * down
        return place_in_words(self.state, place_of(self.state, x, y))

    def test_on_every_part(self) -> None:
        for (across, down), part in (
            ((-0.5, 0.0), "right eye"), ((0.5, 0.0), "left eye"), ((0.0, 0.5), "nose"),
            ((0.0, 1.0), "mouth"), ((0.65, 0.75), "left cheek"), ((-0.65, 0.75), "right cheek"),
            ((0.0, 1.5), "chin"), ((0.0, -0.7), "forehead"), ((0.5, 0.17), "under the left eye"),
        ):  # fmt: skip
            self.assertTrue(self.words(across, down).startswith(part), self.words(across, down))

    def test_with_the_distance_to_what_is_near(self) -> None:
        below = self.words(0.5, 0.3)
        self.assertRegex(below, r"^left cheek, \d+ mm below the eye$")
        mm = int(below.split(",")[1].split()[0])
        self.assertAlmostEqual(mm, 63 * 0.3, delta=6)  # from its rim, not from the pupil
        self.assertRegex(self.words(0.5, 0.6), r"^left cheek, \d+ mm beside the nose$")
        self.assertNotIn("right", self.words(0.4, 0.9))

    def test_beside_the_face(self) -> None:
        self.assertRegex(self.words(2.0, 0.3), r"^\d+ mm beside the face$")
        self.assertRegex(self.words(0.0, -2.2), r"^\d+ mm above the face$")
        self.assertRegex(self.words(0.0, 3.0), r"^\d+ mm below the face$")

    def test_a_turned_head_has_its_own_below(self) -> None:
        points = mesh(angle_deg=90.0)
        state = replace(self.state, findings=replace(
            self.state.findings, faces=(face_of(points),)))  # fmt: skip
        x, y = MIDDLE[0] - SIZE_PX * 0.3, MIDDLE[1] + SIZE_PX * 0.5
        self.assertRegex(place_in_words(state, place_of(state, x, y)),
                         r"^left cheek, \d+ mm below the eye$")  # fmt: skip

    def test_without_a_face_it_is_on_the_picture(self) -> None:
        state = new_state(noise_photo(300, 300))
        for (x, y), words in (((10, 10), "at the top left of the picture"),
                              ((150, 150), "in the middle of the picture"),
                              ((290, 150), "on the right of the picture"),
                              ((150, 299), "at the bottom of the picture")):  # fmt: skip
            self.assertEqual(place_in_words(state, place_of(state, x, y)), words)
        gone = Place(10.0, 10.0, place_of(self.state, 600.0, 700.0).face)
        self.assertIn("of the picture", place_in_words(state, gone))

    def test_several_places(self) -> None:
        places = tuple(place_of(self.state, 600.0 + n, 1000.0) for n in range(4))
        self.assertRegex(where(self.state, Operation(id="x", name="X", places=places)),
                         r"^chin.*, and 3 more$")  # fmt: skip
        self.assertEqual(where(self.state, Operation(id="x", name="X")), "")


class ToldTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.job = Job(new_state(noise_photo()))

    def do(self, edit, *args) -> None:
        self.job.change(edit.__name__, edit(self.job.state, *args), call=call_of(edit, *args))

    def last(self) -> str:
        return told(self.job.state, self.job.state.operations.last).line

    def test_a_stroke(self) -> None:
        draw(session_for(self.job), "paint_colour", [(20.0, 30.0), (60.0, 80.0)], size_px=12.0,
             hardness=0.5, opacity=0.4, flow=0.25)  # fmt: skip
        self.assertEqual(self.last(), "at the top left of the picture; 12 px, hardness 50%, "
                         "opacity 40%, flow 25%; on 'Paint'")  # fmt: skip

    def test_edits(self) -> None:
        self.do(edits.add_pixel_layer, "Glow")
        layer_id = self.job.state.active_id
        for edit, args, line in (
            (edits.set_strength, (layer_id, 0.4), "strength 40%; on 'Glow'"),
            (edits.rename, (layer_id, "Shine"), "Shine; on 'Shine'"),
            (edits.set_limits, (layer_id, Limits()), ""),
            (edits.set_visible, (layer_id, False), "on 'Shine'"),
            (edits.delete, (layer_id,), ""),
        ):
            if line:
                self.do(edit, *args)
                self.assertEqual(self.last(), line)

    def test_an_assistant_with_what_it_measured(self) -> None:
        request = Request.of("even.shine", {"ids": [3, 4]})
        operation = Operation(
            id="assist.even.shine", name="Tame shine", again=Again.MEANING,
            arguments={**request.arguments, "strength": 0.7, "parts": ["nose", "chin"]},
            measures=(Measure("shine", 4.0, 1.5, "cm2"), Measure("same", 1.0, 1.0)),
        )  # fmt: skip
        self.assertEqual(how(operation), "2 findings, strength 70%, nose and chin, "
                         "shine 4 to 1.5 cm2")  # fmt: skip

    def test_what_cannot_be_done_again_says_why(self) -> None:
        self.job.change("Whatever", edits.add_pixel_layer(self.job.state))
        self.assertIn("did not say what it was", self.last())

    def test_times(self) -> None:
        self.assertEqual([seconds(s) for s in (0, 0.2, 59.4, 60, 754)],
                         ["", "1 s", "59 s", "1 min 0 s", "12 min 34 s"])  # fmt: skip

    def test_all_of_it_goes_into_json(self) -> None:
        import json

        draw(session_for(self.job), "outline", [(20.0, 30.0), (60.0, 80.0), (20.0, 80.0)])
        self.do(edits.decide, [1, 2], FindingState.SKIPPED)
        self.do(edits.add_pixel_layer, "Glow")
        found = json.loads(json.dumps(facts(self.job.state)))
        self.assertEqual([one["number"] for one in found], [1, 2, 3][: len(found)])
        self.assertEqual(found[0]["strokes"][0]["n_readings"], 3)
        self.assertEqual(found[-1]["layers"][0]["name"], "Glow")
        self.assertTrue(found[-1]["layers"][0]["made"])

    def test_of_every_kind_something_can_be_told(self) -> None:
        odd = {"a": [1, {"b": None}], "strength": "high"}
        for name, kind in KINDS.items():
            arguments = {**dict.fromkeys(kind.arguments, 7), **odd}
            operation = Operation(id=name, name=name, arguments=arguments, spent=Spent(1, 2, 3))
            self.assertTrue(told(self.job.state, operation).line.endswith("3 s"), name)
        self.assertEqual(list(steps_told(self.job.state)), [])


if __name__ == "__main__":
    unittest.main()
