"""Faces and meshes: small, several, turned, hidden ones; and what happens without the networks."""

import json
import math
import shutil
import tempfile
import unittest
from pathlib import Path

import cv2
import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from bench.changed import portrait as reduced_portrait
from lather.core.survey.faces import mesh_points
from lather.core.survey.faces.crops import Crop
from lather.core.survey.faces.find import find_faces, with_meshes
from lather.core.survey.faces.geometry import FaceGeometry
from lather.core.survey.faces.mesh_fit import HANDLE_POINTS, fitted_points
from lather.core.survey.faces.mesh_points import N_POINTS
from lather.core.survey.faces.networks import MODELS, Network, Runner
from lather.core.survey.faces.person import find_person, persons
from lather.core.survey.survey import survey
from lather.errors import ModelError, ScaleError
from tests.support import DEMO, Case


def portrait(number: int, scale: float = 0.4) -> np.ndarray:
    return reduced_portrait(number, scale)


def facts_of(number: int) -> dict:
    return json.loads((DEMO / f"portrait{number}_truth.json").read_text())


def on_ground(picture: np.ndarray, height: int, width: int, x: int, y: int) -> np.ndarray:
    """A picture put somewhere on a plain grey one."""
    out = np.full((height, width, 3), 0.45, "f4")
    out[y : y + picture.shape[0], x : x + picture.shape[1]] = picture
    return out


def turned(picture: np.ndarray, degrees: float) -> np.ndarray:
    height, width = picture.shape[:2]
    matrix = cv2.getRotationMatrix2D((width / 2, height / 2), degrees, 1)
    return cv2.warpAffine(picture, matrix, (width, height), borderMode=cv2.BORDER_REPLICATE)


class MeshTest(Case):
    def test_handles_lie_where_the_truth_says_and_the_scale_follows(self) -> None:
        for number in (1, 2, 8, 9):
            facts, scale = facts_of(number), 0.4
            seen = find_faces(portrait(number, scale))
            with self.subTest(number):
                self.assertEqual((len(seen.faces), seen.lacking), (1, ""))
                face = seen.faces[0]
                self.assertEqual(len(face.mesh), N_POINTS)
                for side in ("left", "right"):
                    eye = [v * scale for v in facts["eyes"][side]]
                    off = math.dist(face.handles[f"pupil_{side}"], eye)
                    self.assertLess(off, 0.08 * face.pupil_distance_px)
                told = face.mm_per_px() * scale
                self.assertAlmostEqual(told / facts["mm_per_pixel"], 1, delta=0.13)

    def test_it_follows_turns_mirrors_and_sizes(self) -> None:
        upright = portrait(8)
        wanted = find_faces(upright).faces[0]
        mirrored = find_faces(np.ascontiguousarray(upright[:, ::-1])).faces[0]
        x, y = wanted.handles["pupil_right"]
        off = math.dist(mirrored.handles["pupil_left"], (upright.shape[1] - x, y))
        self.assertLess(off, 0.05 * wanted.pupil_distance_px)
        for degrees in (-45, -20, 30, 45):
            with self.subTest(degrees):
                face = find_faces(turned(upright, degrees)).faces[0]
                matrix = cv2.getRotationMatrix2D(
                    (upright.shape[1] / 2, upright.shape[0] / 2), degrees, 1
                )
                for name, place in wanted.handles.items():
                    there = matrix @ [*place, 1]
                    off = math.dist(face.handles[name], there)
                    self.assertLess(off, 0.16 * wanted.pupil_distance_px, name)

    def test_small_faces_many_faces_and_cut_ones(self) -> None:
        small = portrait(2, 0.08)  # 128 x 160: a face of 4 % of the long side
        frame = on_ground(small, 1400, 1000, 420, 900)
        found = find_faces(frame).faces
        self.assertEqual(len(found), 1)
        self.assertAlmostEqual(found[0].at(0, 0)[1], 900 + 160 * 0.32, delta=30)
        tile = portrait(9, 0.09)
        crowd = np.concatenate([np.concatenate([tile] * 8, 1)] * 5, 0)  # forty of them
        self.assertGreaterEqual(len(find_faces(crowd).faces), 36)
        cut = portrait(1, 0.3)[:, 300:]  # the frame goes through the face
        for face in find_faces(np.ascontiguousarray(cut)).faces:
            self.assertTrue(np.isfinite(fitted_points(face)).all())

    def test_what_is_no_face_is_none(self) -> None:
        rng = np.random.default_rng(2)
        drawing = np.ones((400, 400, 3), "f4")
        cv2.circle(drawing, (200, 200), 120, (0, 0, 0), 3)
        for picture in (np.zeros((300, 200, 3), "f4"), rng.random((300, 400, 3)).astype("f4"),
                        drawing, np.ones((1, 1, 3), "f4"), portrait(1, 0.3)[650:]):
            self.assertEqual(find_faces(np.ascontiguousarray(picture)).faces, ())
            with self.assertRaises(ScaleError):
                survey(np.ascontiguousarray(picture))


class FittedMeshTest(Case):
    face = FaceGeometry.from_pupils((100.0, 80.0), (160.0, 80.0))

    @given(st.floats(-300, 300), st.floats(-300, 300))
    def test_a_face_moved_as_a_whole_keeps_its_shape(self, dx: float, dy: float) -> None:
        moved = fitted_points(self.face.shifted(dx, dy))
        np.testing.assert_allclose(moved[:, :2], fitted_points(self.face)[:, :2] + [dx, dy],
                                   atol=0.02)

    @given(st.sampled_from(sorted(HANDLE_POINTS)), st.floats(-40, 40), st.floats(-40, 40))
    def test_a_dragged_handle_wins_over_the_mesh(self, name: str, dx: float, dy: float) -> None:
        x, y = self.face.handles[name]
        dragged = self.face.with_handle(name, x + dx, y + dy)
        if name.startswith("pupil"):  # the mean face itself stands on the pupils
            dragged = FaceGeometry(dragged.handles, tuple(map(tuple, fitted_points(self.face))))
        points = fitted_points(dragged)
        for handle, number in HANDLE_POINTS.items():
            off = math.dist(points[number, :2], dragged.handles[handle])
            self.assertLess(off, 0.05)
        self.assertTrue(np.isfinite(points).all())

    def test_the_mean_face_is_a_face(self) -> None:
        points = fitted_points(FaceGeometry.from_pupils((-0.5, 0.0), (0.5, 0.0)))
        self.assertEqual(points.shape, (N_POINTS, 3))
        right, left = (points[list(mesh_points.EYES[side]), :2] for side in (0, 1))
        np.testing.assert_allclose(right.mean(0) * (-1, 1), left.mean(0), atol=0.03)
        self.assertGreater(points[mesh_points.CHIN, 1], 1.5)

    def test_handles_that_were_set_are_gone_by(self) -> None:
        rgb = portrait(8)
        measured = find_faces(rgb).faces[0]
        self.assertEqual(with_meshes(rgb, (measured,)).faces, (measured,))
        bare = FaceGeometry(measured.handles)
        again = with_meshes(rgb, (bare,)).faces[0]
        self.assertEqual(again.handles, measured.handles)
        self.assertEqual(len(again.mesh), N_POINTS)
        elsewhere = measured.shifted(-200, 250)  # on the shoulder: no mesh is seen there
        self.assertEqual(with_meshes(rgb, (FaceGeometry(elsewhere.handles),)).faces[0].mesh, ())


class CropTest(Case):
    @given(st.floats(60, 240), st.floats(60, 180), st.floats(20, 200), st.floats(-3, 3),
           st.booleans())
    def test_places_go_in_and_out(self, x, y, side_px, turn, mirrored) -> None:
        crop = Crop(x, y, side_px, turn, mirrored)
        places = np.array([[0, 0, 1], [64, 10, 2], [30, 64, 3]], "f4")
        back = crop.own(crop.placed(places, 64), 64)
        np.testing.assert_allclose(back, places[:, :2], atol=1e-2)
        np.testing.assert_allclose(crop.placed(np.array([[32, 32]], "f4"), 64)[0], [x, y],
                                   atol=1e-3)

    def test_what_is_cut_out_and_laid_back_is_where_it_was(self) -> None:
        rng = np.random.default_rng(1)
        picture = cv2.GaussianBlur(rng.random((240, 300, 3)).astype("f4"), (0, 0), 6)
        for mirrored in (False, True):
            crop = Crop(150, 120, 100, 0.4, mirrored)
            cut = crop.cut(picture, 128)
            onto = np.zeros((240, 300), "f4")
            crop.lay(np.ascontiguousarray(cut[..., 0]), onto, 1.0)
            np.testing.assert_allclose(onto[90:150, 120:180], picture[90:150, 120:180, 0],
                                       atol=0.01)


class PersonTest(Case):
    def test_each_pixel_belongs_to_the_nearest_person(self) -> None:
        small = portrait(2, 0.3)
        both = np.concatenate([small, small[:, ::-1]], 1)
        faces = find_faces(both).faces
        self.assertEqual(len(faces), 2)
        planes = persons(find_person(both), faces, both.shape[:2])
        self.assertEqual(float(np.minimum(*planes).max()), 0.0)
        for face, plane in zip(faces, planes, strict=True):
            half = plane[:, :128] if face.at(0, 0)[0] < small.shape[1] else plane[:, 128:]
            self.assertGreater(float(half.sum()), 0.9 * float(plane.sum()))

    def test_without_the_mask_an_outline_is_expected(self) -> None:
        face = find_faces(portrait(1)).faces[0]
        known = find_person(portrait(1)) > 0.5
        expected = persons(None, (face,), portrait(1).shape[:2])[0] > 0.5
        self.assertGreater((known & expected).sum() / (known | expected).sum(), 0.7)
        self.assertEqual(persons(None, (), (20, 20)), [])


class ModelsTest(Case):
    """Files of the networks that are missing, damaged, or not those that ship."""

    def setUp(self) -> None:
        super().setUp()
        self.folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, self.folder)
        for network in Network:
            shutil.copy(MODELS / network.file_name, self.folder)

    def test_all_that_ship_are_the_ones_written_down(self) -> None:
        for network in Network:
            side = network.side_px
            outputs = Runner().run(network, np.zeros((side, side, 3), "f4"))
            self.assertTrue(all(np.isfinite(o).all() for o in outputs.values()))
        self.assertIn("Apache License", (MODELS / "LICENSE.txt").read_text())

    def test_a_changed_or_missing_file_is_refused_and_less_is_seen(self) -> None:
        rgb = portrait(1, 0.3)
        for network in Network:
            path = self.folder / network.file_name
            whole = path.read_bytes()
            for content in (None, b"", whole[:-1], whole[:100] + b"x" + whole[101:]):
                path.unlink(missing_ok=True)
                if content is not None:
                    path.write_bytes(content)
                runner = Runner(self.folder)
                blank = np.zeros((network.side_px, network.side_px, 3), "f4")
                with self.assertRaisesRegex(ModelError, "install Lather again"):
                    runner.run(network, blank)
            seen = find_faces(rgb, runner=Runner(self.folder))
            self.assertIn("less surely", seen.lacking)
            self.assertEqual(len(seen.faces), 1)  # by the cascades
            self.assertEqual(seen.faces[0].mesh, ())
            path.write_bytes(whole)

    def test_less_is_said_and_the_portrait_is_surveyed_all_the_same(self) -> None:
        from unittest import mock

        (self.folder / Network.MESH.file_name).unlink()
        with mock.patch("lather.core.survey.faces.networks.SHIPPED._folder", self.folder), \
                mock.patch("lather.core.survey.faces.networks.SHIPPED._loaded", {}):
            measured = survey(portrait(1, 0.3))
        self.assertIn("face_landmark.tflite was not used", measured.lacking)
        self.assertGreater(measured.share(next(iter(measured.regions))), 0.2)


if __name__ == "__main__":
    unittest.main()
