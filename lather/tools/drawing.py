"""A stroke as a whole: what it is to have drawn it, and drawing it at once, by numbers or again."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lather.core.brush.stroke import PenSample, StrokePath
from lather.core.rect import Rect
from lather.document.operations.call import Call
from lather.document.operations.operation import Again
from lather.document.painting.strokes import MOST_READINGS, StrokeRecord, readings_of
from lather.document.state import JobState
from lather.render.space import Space, layer_space, photo_space
from lather.tools.base import Hand, Outcome, Work
from lather.tools.table import tool
from lather.tools.written_hand import hand_entry


def space_of(work: Work, hand: Hand, state: JobState) -> Space:
    """That a tool works in: the pen is mapped into it."""
    if tool(hand.tool).on_photo:
        return photo_space(state)
    preview = work.preview()  # its layer may be one of the tool's own
    return layer_space(preview, preview.active_id)


def drawn(
    state: JobState, hand: Hand, samples: Sequence[PenSample]
) -> tuple[Outcome, Call] | None:
    """What the tool in a hand makes of a stroke, in the space of the layer that it works on, and
    what it is to have done that; None if it touched nothing. `EditError` where it cannot work."""
    row = tool(hand.tool)
    work = row.begin(state, hand)
    space = space_of(work, hand, state)
    dabs = StrokePath(hand.brush, by_time=row.by_time).extend(samples)
    painted = work.add(dabs) if len(dabs) else Rect(0, 0, 0, 0)
    outcome = work.finish(tuple(samples))
    if outcome is None:
        return None
    return outcome, call_of_stroke(hand, samples, painted, space, state, outcome)


def call_of_stroke(
    hand: Hand, samples: Sequence[PenSample], painted: Rect, space: Space, begun: JobState,
    outcome: Outcome,
) -> Call:
    """What a stroke did that began with a state.

    Parameters
    ----------
    samples : where the pen went in `space`, as strokes keep them (`as_kept`).
    painted : the pixels that were painted on.
    """
    again, why_not = Again.SAME, ""
    if len(samples) > MOST_READINGS:
        again, why_not = Again.NOT, "the pen was down for so long that not all of it is kept"
    elif hand.back_to is not None and not begun.operations.begins_with(hand.back_to.operations):
        again, why_not = Again.NOT, "what it brought back was taken back itself"
    record = StrokeRecord(
        tool=hand.tool, brush=hand.brush, readings=readings_of(samples), rect=painted,
        colour=hand.colour, mode=hand.mode.value,
    )  # fmt: skip
    ends = np.array([(samples[n].x, samples[n].y) for n in (0, len(samples) // 2, -1)])
    at = tuple((x, y) for x, y in space.to_photo(ends).tolist())
    return Call(
        f"tool.{hand.tool}", hand_entry(hand), again, why_not, hand.stage.value, hand.tool,
        (record,), measures=outcome.measures, at=at, begun=begun,
    )  # fmt: skip
