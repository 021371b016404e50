"""Commands of the Even stage: what its assistants are asked."""

from __future__ import annotations

from lather.actions.action import Action, Run, When, has_job
from lather.actions.findings.geometry import has_regions
from lather.actions.layers.area import has_area
from lather.actions.looking.people import person_of
from lather.actions.work import asking
from lather.actions.work.proposing import propose
from lather.actions.workbench import Workbench
from lather.assist import stages
from lather.assist.request import Request
from lather.core.survey.regions.region import Part
from lather.document import areas
from lather.document.layers.layer import Stage

STAGE = Stage.EVEN


def tame_shine(bench: Workbench) -> None:
    _ask(bench, "shine")


def calm_redness(bench: Workbench) -> None:
    _ask(bench, "redness")


def even_out(bench: Workbench) -> None:
    _ask(bench, "even_out")


def propose_all(bench: Workbench) -> None:
    """Shine, redness and blotches, one after the other, as one proposal."""
    asking.propose_all(bench, STAGE)


def _ask(bench: Workbench, name: str) -> None:
    asking.ask(bench, stages.row(STAGE).assistants[name])


def match_colour(bench: Workbench) -> None:
    """The area, or else the strongest patch, gets the reference's colour, or a good cheek's."""
    propose(bench, "Matching colours", Request("even.match"))


def take_reference(bench: Workbench) -> None:
    """The area is whose colour others are to have; it is free for the target then."""
    bench.change("Take as reference", areas.take_reference)
    bench.say("That colour is the reference. Outline the target, then match colour.")


def forget_reference(bench: Workbench) -> None:
    bench.change("Forget the reference", areas.forget_reference)
    bench.say("A good cheek is the reference again.")


def look_at_part(bench: Workbench, part: Part) -> None:
    """Centre the picture on a part of the skin."""
    from lather.assist.face_map import part_rect

    rect = part_rect(bench.state, part, person_of(bench))
    if rect is not None:
        bench.centre_on(rect)


def _in_even(run: Run) -> Run:
    def go(bench: Workbench) -> None:
        bench.show_stage(STAGE)
        run(bench)

    return go


ACTIONS = (
    Action("even.shine", "Tame shine",
           "Propose to take mirrored light down to the skin's own colour, with its texture.",
           "Even", _in_even(tame_shine), enabled=has_regions),
    Action("even.redness", "Calm redness",
           "Propose to calm patches that are redder than is natural where they lie.",
           "Even", _in_even(calm_redness), enabled=has_regions),
    Action("even.even_out", "Even out",
           "Propose to take out blotches of blood and pigment; texture and light stay.",
           "Even", _in_even(even_out), enabled=has_regions),
    Action("even.match", "Match colour",
           "Give the area, or else the reddest patch, the reference's colour.",
           "Even", _in_even(match_colour), enabled=has_regions),
    Action("even.reference", "Take the area as reference",
           "Its colour is the one that others are matched to; without one it is a good cheek.",
           "Even", take_reference, enabled=has_area),
    Action("even.forget_reference", "Forget the reference",
           "A good cheek is the reference again.", "Even", forget_reference,
           enabled=has_job & When.that(lambda bench: bench.state.reference is not None,
                                       "no area was taken as reference")),
)  # fmt: skip
