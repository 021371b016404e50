"""How large a millimetre on the person is: roughly, as it was measured, or as somebody says."""

from __future__ import annotations

from dataclasses import replace

from lather.document.findings import Findings
from lather.document.photo import Photo
from lather.document.state import JobState
from lather.errors import BoundsError, EditError

FACE_WIDTH_MM = 140.0
LEAST_PUPIL_DISTANCE_PX = 4.0
FACE_SHARE_OF_SHORT_SIDE = 0.55  # of a head-and-shoulders portrait


def pixels_per_mm(photo: Photo) -> float:
    """A rough scale from the picture's size alone, until a survey measures it."""
    return FACE_SHARE_OF_SHORT_SIDE * min(photo.width, photo.height) / FACE_WIDTH_MM


def px_per_mm(state: JobState) -> float:
    """On the photo at full size: as surveyed, or the rough one."""
    mm_per_px = state.findings.mm_per_px
    return float(pixels_per_mm(state.photo) if mm_per_px is None else 1 / mm_per_px)


def move_handle(state: JobState, face_index: int, name: str, x: float, y: float) -> JobState:
    """A handle of a face somewhere else; moved pupils of the largest face change the scale."""
    findings = state.findings
    face = findings.faces[face_index].with_handle(name, x, y)
    if face.pupil_distance_px < LEAST_PUPIL_DISTANCE_PX:
        raise EditError(
            "The handle stays where it was", "the pupils would lie in one place",
            "drag it to the middle of the other eye",
        )  # fmt: skip
    faces = tuple(face if n == face_index else f for n, f in enumerate(findings.faces))
    findings = replace(findings, faces=faces)
    if face_index == 0:
        findings = _at_scale(findings, faces[0].mm_per_px())
    return _measured(state, findings)


def set_scale(state: JobState, mm_per_px: float) -> JobState:
    """The scale by a length that somebody knows."""
    return _measured(state, _at_scale(state.findings, mm_per_px))


def _at_scale(findings: Findings, mm_per_px: float) -> Findings:
    try:
        return findings.at_scale(mm_per_px)
    except BoundsError as error:
        raise BoundsError("The scale stays as it was", error.why,
                          "measure the known length again") from error  # fmt: skip


def _measured(state: JobState, findings: Findings) -> JobState:
    return state if findings == state.findings else replace(state, findings=findings)
