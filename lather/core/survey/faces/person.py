"""Who is person and what is behind: a small network, refined to the picture's edges.

Source of the network: Grishchenko et al. 2021, "Selfie Segmentation" (model card, MediaPipe).
"""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence

import cv2
import numpy as np

from lather.core.arrays import FloatImage, Plane
from lather.core.rect import Rect
from lather.core.survey.faces.geometry import FaceGeometry
from lather.core.survey.faces.networks import SHIPPED, Network, Runner

ROUGHLY = 0.12  # how far the mask of the whole may be wrong, of the part's side
LEAST_KNOWN = 0.4  # mean of the mask on a face that it knows


def find_person(
    rgb: FloatImage, turns: Collection[float] = (), runner: Runner = SHIPPED
) -> Plane:
    """(256, 256) 0-1 over the whole picture: hair, hands and clothing are person, too.

    Parameters
    ----------
    turns : of the faces in it, radians. The network knows people who stand: it is shown the
        picture by quarters as they do.
    """
    side = Network.PERSON.side_px
    squeezed = cv2.resize(rgb, (side, side), interpolation=cv2.INTER_AREA)
    seen = []
    for quarters in {round(turn / (math.pi / 2)) % 4 for turn in turns} or {0}:
        upright = np.ascontiguousarray(np.rot90(squeezed, quarters))  # against the clock
        mask = runner.run(Network.PERSON, upright)[side * side].reshape(side, side)
        seen.append(np.rot90(mask, -quarters))
    return np.ascontiguousarray(np.maximum.reduce(seen))


def seen_closely(
    rgb: FloatImage, place: Rect, person: Plane, turn: float, runner: Runner = SHIPPED
) -> Plane:
    """The mask of a part of the picture, looked at by itself; no farther than somebody is likely.

    Parameters
    ----------
    rgb : the whole picture.
    person : of that part, from the whole picture's mask: others in the part are not this person.
    turn : of the face, radians.
    """
    closely = find_person(rgb[place.slices], (turn,), runner)
    rough = cv2.resize(person, closely.shape[::-1], interpolation=cv2.INTER_LINEAR)
    reach = max(3, round(ROUGHLY * closely.shape[0])) | 1
    likely = cv2.dilate((rough > 0.2).astype(np.float32), np.ones((reach, reach), np.uint8))
    return np.asarray(closely * likely, dtype=np.float32)


def persons(
    person: Plane | None, faces: Sequence[FaceGeometry], picture: tuple[int, int]
) -> list[Plane]:
    """Each face's person, 0-1 over the whole picture: each pixel belongs to the nearest one.

    Parameters
    ----------
    person : all people, or None if that is not known: an expected outline stands in for it, as it
        does for a face of which the mask knows nothing (one of many, or very small).
    picture : height and width.
    """
    places = [_place(face, picture) for face in faces]
    if not places:
        return []
    if person is None:
        person = np.zeros_like(places[0][0])
    unknown = [place for place in places if not _knows(person, *place)]
    person = np.maximum.reduce([person, *(_expected(*place) for place in unknown)])
    if len(faces) == 1:
        return [person]
    nearest = np.argmin([_distance(*place) for place in places], axis=0)
    return [np.where(nearest == n, person, np.float32(0)) for n in range(len(faces))]


def _place(face: FaceGeometry, picture: tuple[int, int]) -> tuple[Plane, Plane]:
    """(256, 256) each: across and down from between the pupils, in pupil distances."""
    side = Network.PERSON.side_px
    ys, xs = np.mgrid[:side, :side].astype(np.float32) + np.float32(0.5)
    xs, ys = xs * np.float32(picture[1] / side), ys * np.float32(picture[0] / side)
    (ox, oy), (ax, ay) = face.at(0, 0), face.at(1, 0)
    dx, dy = ax - ox, ay - oy
    square = dx * dx + dy * dy
    across = ((xs - ox) * dx + (ys - oy) * dy) / square
    down = ((ys - oy) * dx - (xs - ox) * dy) / square
    return across.astype(np.float32), down.astype(np.float32)


def _knows(person: Plane, across: Plane, down: Plane) -> bool:
    """True if most of a face is person for the mask."""
    face = (np.abs(across) < 0.7) & (np.abs(down - 0.5) < 0.8)
    return bool(face.any()) and float(person[face].mean()) > LEAST_KNOWN


def _distance(across: Plane, down: Plane) -> Plane:
    """How far a place is from a person: the body below the face is near."""
    return np.hypot(across, np.where(down > 0, 0.3 * down, 1.5 * down)).astype(np.float32)


def _expected(across: Plane, down: Plane) -> Plane:
    """Head and shoulders as most people have them, softly, 0.05-0.9."""
    head = 1 - np.hypot(across / 1.6, (down - 0.3) / 2.1)
    shoulders = np.minimum(down - 1.6, 0.7 + 2.0 * np.clip(down - 2, 0, 1.3) - np.abs(across))
    depth = np.maximum(head * 1.8, shoulders)
    share = 0.05 + 0.85 / (1 + np.exp(-np.clip(depth / 0.25, -20, 20)))
    return np.asarray(share, dtype=np.float32)
