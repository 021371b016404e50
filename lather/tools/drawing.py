"""A stroke as a whole: what it is to have drawn it, with what in the hand, and drawing it at once,
by numbers or again.

Of the hand, what is not what a hand begins with is written down; the brush, its colour and its mode
are the stroke's.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from lather.core.area.combine import Combine
from lather.core.brush.stroke import PenSample, StrokePath
from lather.core.mend.mode import MendMode
from lather.core.mend.placement import Turn
from lather.core.rect import Rect
from lather.core.survey.regions.region import region_named
from lather.document.layers.layer import Stage
from lather.document.operations.call import Call
from lather.document.operations.operation import Again
from lather.document.operations.placing import places_of
from lather.document.painting.strokes import MOST_READINGS, StrokeRecord, readings_of
from lather.document.state import JobState
from lather.render.space import Space, layer_space, photo_space
from lather.tools.base import Hand, Outcome, ShapeHand, Work
from lather.tools.source import PickedSource, Reads, SourceGoes
from lather.tools.table import tool

BACK_TO = "back_to"  # how many operations were done of the state that is brought back


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
    at = [(x, y) for x, y in space.to_photo(ends).tolist()]
    return Call(
        id=f"tool.{hand.tool}", arguments=hand_entry(hand), again=again, why_not=why_not,
        stage=hand.stage.value, tool=hand.tool, strokes=(record,), measures=outcome.measures,
        places=places_of(begun, at), begun=begun,
    )  # fmt: skip


def hand_entry(hand: Hand) -> dict[str, Any]:
    """What of a hand is not what a hand begins with."""
    plain = Hand(hand.tool)
    entry: dict[str, Any] = {
        name: field.write(getattr(hand, name)) for name, field in FIELDS.items()
        if getattr(hand, name) != getattr(plain, name)
    }
    if hand.back_to is not None:
        entry[BACK_TO] = len(hand.back_to.operations)
    return entry


def hand_from(
    tool_id: str, entry: Mapping[str, Any], stroke: StrokeRecord,
    state_at: Callable[[int], JobState],
) -> Hand:
    """The inverse; `state_at` gives the state of which so many operations were done. ValueError,
    KeyError or TypeError for what is no hand."""
    values = {name: field.read(entry[name]) for name, field in FIELDS.items() if name in entry}
    if stroke.colour is not None:
        values["colour"] = stroke.colour
    back_to = state_at(int(entry[BACK_TO])) if BACK_TO in entry else None
    return Hand(tool_id, stroke.brush, mode=MendMode(stroke.mode), back_to=back_to, **values)


def _source_entry(source: PickedSource) -> dict[str, Any]:
    about = source.about
    return {"x": float(source.x), "y": float(source.y),
            "about": None if about is None else [float(about[0]), float(about[1])]}  # fmt: skip


def _source(entry: Mapping[str, Any]) -> PickedSource:
    about = entry["about"]
    return PickedSource(float(entry["x"]), float(entry["y"]),
                        None if about is None else (float(about[0]), float(about[1])))  # fmt: skip


def _turn(entry: Mapping[str, Any]) -> Turn:
    return Turn(**{name: type(value)(entry[name]) for name, value in asdict(Turn()).items()})


def _shape(entry: Mapping[str, Any]) -> ShapeHand:
    return ShapeHand(**{name: type(value)(entry[name])
                        for name, value in asdict(ShapeHand()).items()})  # fmt: skip


def _value(choice: Any) -> Any:
    return choice.value


@dataclass(frozen=True)
class Field:
    """One thing of a hand: in words, and how it is written as JSON and read."""

    told: str
    write: Callable[[Any], Any]
    read: Callable[[Any], Any]


FIELDS: Mapping[str, Field] = {
    "on_mask": Field("on the mask", bool, bool),
    "source": Field("the picked source", _source_entry, _source),
    "source_goes": Field("how it goes with the brush", _value, SourceGoes),
    "turn": Field("how it is turned", asdict, _turn),
    "reads": Field("what it shows", _value, Reads),
    "combine": Field("what becomes of the area", _value, Combine),
    "weak": Field("creases on a layer of their own", bool, bool),
    "curve": Field("the curve that is set", str, str),
    "region": Field("the region that is corrected", _value, region_named),
    "shape": Field("how reshape tools work", asdict, _shape),
    "stage": Field("the stage", _value, Stage),
}
