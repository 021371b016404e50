"""How large a millimetre on the person is."""

from __future__ import annotations

from lather.document.photo import Photo
from lather.document.state import JobState

FACE_WIDTH_MM = 140.0
FACE_SHARE_OF_SHORT_SIDE = 0.55  # of a head-and-shoulders portrait


def pixels_per_mm(photo: Photo) -> float:
    """A rough scale from the picture's size alone, until a survey measures it."""
    return FACE_SHARE_OF_SHORT_SIDE * min(photo.width, photo.height) / FACE_WIDTH_MM


def px_per_mm(state: JobState) -> float:
    """On the photo at full size: as surveyed, or the rough one."""
    mm_per_px = state.findings.mm_per_px
    return float(pixels_per_mm(state.photo) if mm_per_px is None else 1 / mm_per_px)
