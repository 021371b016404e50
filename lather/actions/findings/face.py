"""Face handles and the scale: what the survey goes by, set by hand."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from lather.document import scale
from lather.errors import EditError

if TYPE_CHECKING:
    from lather.actions.workbench import Workbench

HANDLE_TITLES = {
    "pupil_right": "right pupil", "pupil_left": "left pupil", "mouth_right": "mouth, right",
    "mouth_left": "mouth, left", "nose_tip": "nose tip", "chin": "chin",
    "temple_right": "right temple", "temple_left": "left temple",
}  # fmt: skip
SHORTEST_PX = 8.0


def move_handle(bench: Workbench, face_index: int, name: str, x: float, y: float) -> None:
    """Put a handle where it was dragged to, or on what attracts it there."""
    from lather.core.survey.faces.snapping import snapped

    state = bench.state
    face = state.findings.faces[face_index]
    photo = state.photo
    x, y = snapped(lambda rect: photo.read_float(rect), photo.rect, face, name, (x, y))
    bench.change(
        f"Move {HANDLE_TITLES[name]}", scale.move_handle, face_index, name, float(x), float(y)
    )
    bench.say(
        f"{1 / (bench.state.findings.mm_per_px or 1):.1f} px per mm. Survey again to measure by it."
    )


def start_measuring(bench: Workbench) -> None:
    """The next drag on the picture is along a length that the person knows."""
    bench.look(measuring=True)
    bench.say("Drag along something whose length you know: an eye, a ring, a finger's width.")


def measured(bench: Workbench, start: tuple[float, float], end: tuple[float, float]) -> None:
    """Ask how long what was dragged along is, and set the scale by it."""
    bench.look(measuring=False)
    length_px = math.dist(start, end)
    if length_px < SHORTEST_PX:
        bench.say("The scale stays as it is: the line was too short to measure by.", error=True)
        return
    text = bench.ask.text("Set the scale", "How long is that, in mm?", "")
    if text is None:
        return
    bench.change("Set the scale", scale.set_scale, _millimetres(text) / length_px)
    mm_per_px = bench.state.findings.mm_per_px or 0.0
    bench.say(f"{mm_per_px:.3f} mm per pixel. Survey the picture now.")


def _millimetres(text: str) -> float:
    try:
        length_mm = float(text.replace(",", ".").removesuffix("mm").strip())
    except ValueError:
        length_mm = math.nan
    if not 0.1 <= length_mm <= 3000:
        raise EditError(
            "The scale stays as it is", f"'{text}' is no length in mm", "type a number, as in 11.7"
        )
    return length_mm
