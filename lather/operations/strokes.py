"""Strokes as operations: the tool, what else was in the hand, and where the pen went."""

from __future__ import annotations

from lather.document.operations.operation import Again
from lather.document.painting.strokes import samples_of
from lather.document.state import JobState
from lather.errors import EditError
from lather.operations.arguments import Argument
from lather.operations.kind import Doing, Kind
from lather.tools.drawing import BACK_TO, FIELDS, drawn, hand_from
from lather.tools.table import TOOLS

PREFIX = "tool."


def draw_again(doing: Doing) -> JobState:
    """The stroke once more; what lay in the hand comes from the operation."""
    operation = doing.operation
    if not operation.strokes:
        raise EditError(f"'{operation.name}' was not done again", "its stroke is lost")
    stroke = operation.strokes[0]
    hand = hand_from(operation.id.removeprefix(PREFIX), operation.arguments, stroke, doing.state_at)
    found = drawn(doing.begun, hand, samples_of(stroke.readings))
    return doing.now if found is None else found[0].apply(doing.now)


_HAND = {
    BACK_TO: Argument("how much was done of what it brings back", int, int),
    **{name: Argument(field.told, field.write, field.read) for name, field in FIELDS.items()},
}
STROKES = tuple(
    Kind(f"{PREFIX}{tool.id}", f"a stroke of '{tool.title}'", draw_again, _HAND, Again.SAME)
    for tool in TOOLS
)
