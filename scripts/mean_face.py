"""Make lather/assets/models/mean_face.json: the mean mesh of the demo portraits, both halves alike;
and mesh_triangles.json, the triangles between its points.

It stands in for a face's own mesh where the networks saw none and only handles are known.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path

import cv2
import numpy as np
from scipy.spatial import Delaunay

sys.path.insert(0, str(Path(__file__).parents[1]))

from lather.core.survey.faces import mesh_points as points  # noqa: E402
from lather.core.survey.faces.anchors import TRIANGLES  # noqa: E402
from lather.core.survey.faces.find import find_faces  # noqa: E402
from lather.core.survey.faces.mesh_fit import MEAN_FACE  # noqa: E402
from lather.paths import demo_dir  # noqa: E402


def main() -> None:
    faces = [_normalised(path) for path in sorted(demo_dir().glob("portrait?.jpg"))]
    mean = np.mean(faces, axis=0)
    partner = _partners(mean)
    mirrored = mean[partner] * (-1, 1, 1)
    mean = (mean + mirrored) / 2
    MEAN_FACE.write_text(json.dumps(np.round(mean, 4).tolist(), separators=(",", ":")) + "\n")
    triangles = sorted(sorted(map(int, one)) for one in Delaunay(mean[:, :2]).simplices)
    TRIANGLES.write_text(json.dumps(triangles, separators=(",", ":")) + "\n")


def _normalised(path: Path) -> np.ndarray:
    """A portrait's mesh in pupil distances from between the pupils."""
    picture = cv2.imread(str(path))
    assert picture is not None, path
    rgb = np.ascontiguousarray(picture[..., ::-1], dtype=np.float32) / np.float32(255)
    face = find_faces(rgb).faces[0]
    mesh = np.array(face.mesh)
    places = np.array([face.place_of(x, y) for x, y, _ in mesh])
    return np.column_stack([places, mesh[:, 2] / face.pupil_distance_px])


def _partners(mean: np.ndarray) -> np.ndarray:
    """For each point the one on the other half: the nearest to its mirror image."""
    first = points.N_MESH
    face = mean[:first]
    away = ((face[:, None] * (-1, 1, 1) - face[None]) ** 2).sum(-1)
    eyes = np.arange(2 * points.N_EYE).reshape(2, -1)[::-1].ravel() + first
    return np.concatenate([away.argmin(1), eyes])


if __name__ == "__main__":
    main()
