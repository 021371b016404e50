"""The size that a reshape tool begins with: in proportion to this person's face."""

from __future__ import annotations

from lather.core.shape.field import step_for
from lather.document.scale import FACE_WIDTH_MM, px_per_mm
from lather.document.state import JobState
from lather.tools.table import tool

# Of the face's width: a jaw or a cheek goes under a brush of a third, what is drawn together or
# held is smaller.
SHARES = {"push": 0.32}
OTHERS = 0.16
ADVISED = {"push": (0.22, 0.45)}
OTHERS_ADVISED = (0.06, 0.25)
SMALLEST_STEPS = 12  # of the grid: the smallest brush that is right to a tenth of a pixel


def face_width_px(state: JobState) -> float:
    """As surveyed; estimated from the picture's size before."""
    if state.findings.faces:
        from lather.assist.face_features import mesh_of
        from lather.core.shape.head import face_width_px as measured

        mesh = mesh_of(state)
        assert mesh is not None
        return measured(mesh)
    return FACE_WIDTH_MM * px_per_mm(state)


def starting_size_px(tool_id: str, state: JobState) -> float:
    """The brush's diameter when it is first taken; that of the table where no brush is used."""
    if not tool(tool_id).is_brush:
        return tool(tool_id).brush.size_px
    share = SHARES.get(tool_id, OTHERS)
    return float(round(max(share * face_width_px(state), smallest_size_px(state))))


def smallest_size_px(state: JobState) -> float:
    return float(SMALLEST_STEPS * step_for(state.photo.rect))


def advised_size_px(tool_id: str, state: JobState) -> tuple[int, int]:
    low, high = ADVISED.get(tool_id, OTHERS_ADVISED)
    width = face_width_px(state)
    return round(max(low * width, smallest_size_px(state))), round(high * width)
