"""Commands on where the source tools take from."""

from __future__ import annotations

from dataclasses import replace

from lather.actions.action import Action, Run, When, has_job, next_choice
from lather.actions.hand.hands import PICK_DISCS_MM
from lather.actions.workbench import Workbench
from lather.core.mend.placement import Turn
from lather.tools.source import PickedSource
from lather.tools.table import tool

ANGLE_STEP_DEG = 5.0
SCALE_STEP = 1.1


_SOURCE_TOOLS = "take one that does ({key:tool.mend_from_source}, {key:tool.copy_from_source})"
_uses_source = has_job & When.that(
    lambda bench: tool(bench.hand.tool).uses_source,
    f"the tool in the hand takes from no picked source: {_SOURCE_TOOLS}",
)
_uses_turn = has_job & When.that(
    lambda bench: tool(bench.hand.tool).uses_turn,
    f"the tool in the hand takes from no source that could be turned: {_SOURCE_TOOLS}",
)
_uses_colour = has_job & When.that(
    lambda bench: tool(bench.hand.tool).uses_colour,
    "the tool in the hand lays no colour: take Paint colour ({key:tool.paint_colour})",
)
_picks = has_job & When.that(
    lambda bench: tool(bench.hand.tool).uses_source or tool(bench.hand.tool).uses_colour,
    f"the tool in the hand takes from nowhere: {_SOURCE_TOOLS}",
)
_is_turned = _uses_turn & When.that(
    lambda bench: not bench.hand.turn.plain, "the source is as it is already"
)


def pick_at(bench: Workbench, x: float, y: float) -> None:
    """A click on the picture while the key is held: the source, or the colour of a disc for Paint
    colour."""
    if tool(bench.hand.tool).uses_source:
        bench.hands.set_source(PickedSource(*bench.layer_sight.under(x, y)))
        return
    from lather.assist.picking import disc_colour

    bench.hands.set_colour(disc_colour(bench.state, x, y, bench.hands.pick_mm))


def _next_disc(bench: Workbench) -> None:
    at = PICK_DISCS_MM.index(bench.hands.pick_mm)
    bench.hands.set_pick_mm(PICK_DISCS_MM[(at + 1) % len(PICK_DISCS_MM)])


def _picking(on: bool) -> Run:
    return lambda bench: bench.hands.set_picking(on)


def _next_goes(bench: Workbench) -> None:
    bench.hands.set_source_goes(next_choice(bench.hand.source_goes))


def _next_reads(bench: Workbench) -> None:
    bench.hands.set_reads(next_choice(bench.hand.reads))


def _mirror(bench: Workbench) -> None:
    turn = bench.hand.turn
    bench.hands.set_turn(replace(turn, mirrored=not turn.mirrored))


def _turn_by(steps: int) -> Run:
    def run(bench: Workbench) -> None:
        turn = bench.hand.turn
        bench.hands.set_turn(replace(turn, angle_deg=turn.angle_deg + steps * ANGLE_STEP_DEG))

    return run


def _scale_by(steps: int) -> Run:
    def run(bench: Workbench) -> None:
        turn = bench.hand.turn
        scale = turn.scale * SCALE_STEP**steps
        # Back at full size it is exactly that: only unscaled pixels keep their grain.
        bench.hands.set_turn(replace(turn, scale=1.0 if abs(scale - 1) < 0.02 else scale))

    return run


ACTIONS = (
    Action("source.pick", "Pick the source (hold)",
           "While the key is down, a click picks where to take from; for Paint colour the "
           "colour of a disc.", "Source",
           _picking(True), enabled=_picks, release=_picking(False)),
    Action("source.disc", "Next disc to pick from",
           "The disc whose mean colour Paint colour picks: 0.5, 1 or 2 mm across; pores, hairs "
           "and glints do not count.", "Source", _next_disc,
           enabled=_uses_colour),
    Action("source.goes", "Source: next way",
           "It follows the brush, stays fixed, or is looked for afresh at each stroke.", "Source",
           _next_goes, enabled=_uses_source),
    Action("source.reads", "Source: next layers",
           "It shows the photo only, this layer, what lies below, or everything.", "Source",
           _next_reads, enabled=_uses_turn),
    Action("source.mirror", "Mirror the source",
           "The other half of a face, coat or collar.", "Source", _mirror, "mirror",
           enabled=_uses_turn, checked=lambda bench: bench.hand.turn.mirrored),
    Action("source.turn_left", "Turn the source left", "5 degrees anticlockwise.", "Source",
           _turn_by(-1), enabled=_uses_turn, repeats=True),
    Action("source.turn_right", "Turn the source right", "5 degrees clockwise.", "Source",
           _turn_by(+1), enabled=_uses_turn, repeats=True),
    Action("source.smaller", "Source smaller", "A tenth smaller.", "Source",
           _scale_by(-1), enabled=_uses_turn, repeats=True),
    Action("source.larger", "Source larger", "A tenth larger.", "Source",
           _scale_by(+1), enabled=_uses_turn, repeats=True),
    Action("source.straight", "Source as it is", "Not mirrored, turned or scaled.", "Source",
           lambda bench: bench.hands.set_turn(Turn()),
           enabled=_is_turned),
)
