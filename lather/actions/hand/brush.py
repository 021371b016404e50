"""Commands on what is in the hand."""

from __future__ import annotations

from lather.actions.action import Action, Run, When, next_choice
from lather.actions.hand.taking import take
from lather.actions.workbench import Workbench
from lather.tools.table import TOOLS, tool

HARDNESS_STEP = 0.1
AMOUNT_STEP = 0.05


def _take(tool_id: str) -> Run:
    return lambda bench: take(bench, tool_id)


def _harder(steps: int) -> Run:
    return lambda bench: bench.hands.set_brush(
        hardness=bench.hand.brush.hardness + steps * HARDNESS_STEP
    )


def _next_mode(bench: Workbench) -> None:
    bench.hands.set_mode(next_choice(bench.hand.mode))


_is_brush = When.that(
    lambda bench: tool(bench.hand.tool).is_brush, "the tool in the hand is no brush: take one"
)


def _save_preset(bench: Workbench) -> None:
    name = bench.ask.text("Save as preset", "Name", bench.hands.preset_name or "")
    if name is not None:
        bench.hands.save_preset(name)


def _choose_colour(bench: Workbench) -> None:
    colour = bench.ask.colour(bench.hand.colour)
    if colour is not None:
        bench.hands.set_colour(colour)


def _toggle(attribute: str) -> Run:
    return lambda bench: bench.hands.set_brush(
        **{attribute: not getattr(bench.hand.brush, attribute)}
    )


def _switch(attribute: str, title: str, text: str) -> Action:
    return Action(
        f"brush.{attribute}",
        title,
        text,
        "Tool",
        _toggle(attribute),
        checked=lambda bench: bool(getattr(bench.hand.brush, attribute)),
    )


def _more(attribute: str, steps: int) -> Run:
    return lambda bench: bench.hands.set_brush(
        **{attribute: getattr(bench.hand.brush, attribute) + steps * AMOUNT_STEP}
    )


ACTIONS = (
    Action("brush.more", "More of the brush",
           "Unfold what is set more rarely: presets, spacing, source and pen.", "Tool",
           lambda bench: bench.settings.set("more_of_hand", not bench.settings["more_of_hand"]),
           checked=lambda bench: bool(bench.settings["more_of_hand"])),
    *(
        Action(
            f"tool.{entry.id}",
            entry.title,
            entry.help,
            "Tool",
            _take(entry.id),
            entry.icon,
            checked=lambda bench, tool_id=entry.id: bench.hand.tool == tool_id,  # type: ignore[misc]
        )
        for entry in TOOLS
    ),
    Action("brush.smaller", "Smaller brush", "A step smaller.", "Tool",
           lambda bench: bench.hands.scale_brush(-1), repeats=True),
    Action("brush.larger", "Larger brush", "A step larger.", "Tool",
           lambda bench: bench.hands.scale_brush(+1), repeats=True),
    Action("brush.softer", "Softer brush", "10 % less hardness.", "Tool",
           _harder(-1), repeats=True),
    Action("brush.harder", "Harder brush", "10 % more hardness.", "Tool",
           _harder(+1), repeats=True),
    Action("brush.less_flow", "Less flow", "5 % less flow.", "Tool",
           _more("flow", -1), repeats=True),
    Action("brush.more_flow", "More flow", "5 % more flow.", "Tool",
           _more("flow", +1), repeats=True),
    Action(
        "brush.mode",
        "Acts on: next",
        "Mend everything, only lift darks, or only tame brights.",
        "Tool",
        _next_mode,
        enabled=When.that(lambda bench: tool(bench.hand.tool).uses_mode,
                          "the tool in the hand acts on everything: take one that mends or copies"),
    ),
    Action("brush.next_preset", "Next preset",
           "The next named brush of this tool, and after the last your own again.", "Tool",
           lambda bench: bench.hands.next_preset(), enabled=_is_brush),
    Action("brush.save_preset", "Save as preset…", "Keep the brush in hand under a name.",
           "Tool", _save_preset, enabled=_is_brush),
    Action("brush.delete_preset", "Delete preset", "Forget the preset in hand.", "Tool",
           lambda bench: bench.hands.delete_preset(),
           enabled=When.that(lambda bench: bench.hands.has_own_preset,
                             "the brush in the hand is no preset of your own")),
    Action(
        "brush.colour",
        "Choose colour…",
        "The colour that Paint colour lays down.",
        "Tool",
        _choose_colour,
    ),
    Action("brush.hold_inverted", "Reverse (hold)",
           "While the key is down Lighten darkens and Darken lightens, with the same brush.",
           "Tool",
           lambda bench: bench.hands.set_reversed(True),
           enabled=When.that(lambda bench: bool(tool(bench.hand.tool).reverse),
                             "the tool in the hand has no reverse"),
           release=lambda bench: bench.hands.set_reversed(False)),
    Action("brush.weak", "Soften creases and eye bags",
           "They go on layers of their own, as strongly as the brief's style says; switched off "
           "they are mended like spots.", "Tool",
           lambda bench: bench.hands.set_weak(not bench.hand.weak),
           checked=lambda bench: bench.hand.weak),
    _switch("pressure_size", "Pressure drives size", "A lighter pen is a smaller brush."),
    _switch("pressure_opacity", "Pressure drives opacity", "A lighter pen covers less."),
    _switch("pressure_flow", "Pressure drives flow", "A lighter pen lays down less per dab."),
    _switch("build_up", "Build up while resting", "Paint keeps flowing while the pen rests."),
)
