"""Marks that belong to the person, as the command line takes them: X,Y,R in photo pixels."""

from __future__ import annotations

import argparse
import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

from lather.cli.text import tell
from lather.cli.written import did
from lather.errors import UsageError

if TYPE_CHECKING:
    from lather.document.photo import Photo
    from lather.document.state import JobState

Mark = tuple[float, float, float]  # x, y, radius in photo pixels


def add_keep_argument(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--keep", action="append", default=[], metavar="X,Y,R",
        help="a mark that belongs to the person: centre and radius, px; may be repeated",
    )  # fmt: skip


def read_marks(texts: Sequence[str], refused: str) -> list[Mark]:
    """UsageError that begins with `refused` if one is no mark."""
    return [_mark(text, refused) for text in texts]


def with_marks_kept(state: JobState, marks: Sequence[Mark]) -> JobState:
    """The findings kept that marks of the person's touch; where the survey found nothing the place
    is kept as a mark, and that is said."""
    from lather.assist.clean.clean import touched_by
    from lather.assist.survey import with_mark
    from lather.document import edits
    from lather.document.findings import FindingState

    touched = touched_by(state, marks)
    if touched:
        state = did(state, "Keep", edits.decide, ids=touched, decision=FindingState.KEPT)
    for mark in marks:
        if not touched_by(state, [mark]):
            x, y, radius_px = mark
            state = did(state, "Mark to keep", with_mark, x=x, y=y, radius_px=radius_px)
            tell([f"--keep {x:g},{y:g},{radius_px:g}: the survey found nothing there: kept as it "
                  "is."])  # fmt: skip
    return state


def check_inside(marks: Sequence[Mark], photo: Photo, refused: str) -> None:
    for x, y, radius_px in marks:
        if not (0 <= x < photo.width and 0 <= y < photo.height):
            text = f"{x:g},{y:g},{radius_px:g}"
            why = f"lies outside of the {photo.width} x {photo.height} picture"
            raise _no_mark(text, why, refused)


def _mark(text: str, refused: str) -> Mark:
    try:
        x, y, radius_px = (float(part) for part in text.split(","))
    except ValueError:
        raise _no_mark(text, "is not X,Y,R", refused) from None
    if not all(map(math.isfinite, (x, y, radius_px))) or radius_px <= 0:
        raise _no_mark(text, "has no place or no size", refused)
    return x, y, radius_px


def _no_mark(text: str, why: str, refused: str) -> UsageError:
    advice = "give three numbers in pixels: a place in the picture, and a radius above 0"
    return UsageError(refused, f"--keep: '{text}' {why}", advice)
