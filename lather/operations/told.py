"""What was done, told: for a list of steps, a report, a script."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import asdict, dataclass
from typing import Any

from lather.document.operations.operation import Again, Operation
from lather.document.painting.strokes import StrokeRecord
from lather.document.state import JobState
from lather.document.tree import walk
from lather.operations.arguments import LAYER, SHARE, Argument
from lather.operations.kind import Kind
from lather.operations.table import KINDS
from lather.operations.where import where

MOST_TOLD = 4  # arguments, and layers


@dataclass(frozen=True)
class StepTold:
    """An operation in words; each '' where there is nothing to be said.

    Attributes
    ----------
    number : from 1.
    where : on the person, or the picture.
    how : with which brush or arguments.
    on : the layers that it changed, by the names that they have now.
    time : worked, without the pauses.
    not_again : why it cannot be done again.
    """

    number: int
    name: str
    where: str
    how: str
    on: str
    time: str
    not_again: str

    @property
    def line(self) -> str:
        """All but the number and the name, in one line."""
        return "; ".join(filter(None, (self.where, self.how, self.on, self.time, self.not_again)))


def steps_told(state: JobState) -> Iterator[StepTold]:
    """All that was done that led to a state."""
    for number, operation in enumerate(state.operations, 1):
        yield told(state, operation, number)


def told(state: JobState, operation: Operation, number: int = 0) -> StepTold:
    """An operation in the words of a state that it led to."""
    not_again = operation.why_not if operation.again is Again.NOT else ""
    return StepTold(
        number, operation.name, where(state, operation), how(operation), _on(state, operation),
        seconds(operation.spent.worked_s), not_again,
    )  # fmt: skip


def how(operation: Operation) -> str:
    """With what: the brush of a stroke, or the arguments."""
    kind = KINDS.get(operation.id)
    n_strokes = len(operation.strokes)
    parts = [_brush(operation.strokes[0]) if n_strokes == 1 else f"{n_strokes} strokes"]
    parts = parts if n_strokes else []
    if kind is not None and n_strokes != 1:
        parts += _arguments(kind, operation.arguments)
    parts += [f"{m.name} {m.before:.3g} to {m.after:.3g} {m.unit}".rstrip()
              for m in operation.measures if m.before != m.after]  # fmt: skip
    return ", ".join(parts[: 2 * MOST_TOLD])


def seconds(worked_s: float) -> str:
    """A time for a person to read."""
    if worked_s <= 0:
        return ""
    minutes, rest = divmod(round(worked_s), 60)
    return f"{minutes} min {rest} s" if minutes else f"{max(rest, 1)} s"


def facts(state: JobState) -> list[dict[str, Any]]:
    """All operations, ready for JSON."""
    names = {layer.id: layer.name for layer in walk(state.layers)}
    return [_facts(state, operation, number, names)
            for number, operation in enumerate(state.operations, 1)]  # fmt: skip


def _facts(
    state: JobState, operation: Operation, number: int, names: Mapping[int, str]
) -> dict[str, Any]:
    in_words = told(state, operation, number)
    return {
        "number": number, "id": operation.id, "name": operation.name,
        "where": in_words.where, "how": in_words.how, "again": operation.again.value,
        **({"why_not": operation.why_not} if operation.why_not else {}),
        "stage": operation.stage, "tool": operation.tool,
        "layers": [{"id": one, "name": names.get(one), "made": one in operation.made}
                   for one in operation.layers],
        "arguments": dict(operation.arguments), "findings": list(operation.findings),
        "measures": [asdict(one) for one in operation.measures],
        "strokes": [_stroke_facts(one) for one in operation.strokes],
        "places": [_place_facts(one) for one in operation.places],
        **asdict(operation.spent),
    }  # fmt: skip


def _stroke_facts(stroke: StrokeRecord) -> dict[str, Any]:
    rect = stroke.rect
    return {"tool": stroke.tool, "brush": asdict(stroke.brush), "mode": stroke.mode,
            "colour": stroke.colour, "source": stroke.source, "n_readings": len(stroke.readings),
            "rect": [rect.x0, rect.y0, rect.x1, rect.y1]}  # fmt: skip


def _place_facts(place: Any) -> dict[str, Any]:
    found = {"x": place.x, "y": place.y}
    if place.share is not None:
        found["share"] = place.share
    return found if place.face is None else {**found, **asdict(place.face)}


def _brush(stroke: StrokeRecord) -> str:
    brush = stroke.brush
    parts = [f"{brush.size_px:.3g} px", f"hardness {brush.hardness:.0%}"]
    if brush.opacity < 1:
        parts.append(f"opacity {brush.opacity:.0%}")
    if brush.flow < 1:
        parts.append(f"flow {brush.flow:.0%}")
    return ", ".join(parts)


def _arguments(kind: Kind, given: Mapping[str, Any]) -> list[str]:
    found = []
    for name, argument in kind.arguments.items():
        text = _value(name, argument, given[name]) if name in given else ""
        found += [text] if text else []
    return found[:MOST_TOLD]


def _value(name: str, argument: Argument, value: Any) -> str:
    """One argument; '' for what says nothing to a person."""
    if argument is LAYER or value is None or name in ("x", "y", "curve", "decision", "nth_source"):
        return ""
    words = name.replace("_", " ")
    if isinstance(value, bool):
        return words if value else ""
    if isinstance(value, (int, float)):
        for unit in ("px", "l"):
            if name.endswith(f"_{unit}"):
                unit = {"l": "L*"}.get(unit, unit)
                return f"{words.rsplit(' ', 1)[0]} {value:.3g} {unit}"
        if argument is SHARE:
            return f"{words} {value:.0%}"
        return f"{words} {value:.3g}"
    if isinstance(value, str):
        return value.replace("_", " ")
    if isinstance(value, list) and name == "ids":
        return "1 finding" if len(value) == 1 else f"{len(value)} findings"
    if isinstance(value, list) and all(isinstance(one, str) for one in value):
        return " and ".join(value)
    return ""


def _on(state: JobState, operation: Operation) -> str:
    """The layers that are still there, by name."""
    there = {layer.id: layer.name for layer in walk(state.layers)}
    names = [f"'{there[one]}'" for one in operation.layers if one in there]
    if not names:
        return ""
    more = f" and {len(names) - MOST_TOLD} more" if len(names) > MOST_TOLD else ""
    return f"on {', '.join(names[:MOST_TOLD])}{more}"
