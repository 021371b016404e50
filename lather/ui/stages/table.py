"""What each stage shows: its parts of the left column, and its page if it has one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from lather.actions.stages import table
from lather.actions.workbench import Workbench
from lather.document.layers.layer import Stage
from lather.ui.stages.brief import words as brief
from lather.ui.stages.brief.agreed import Agreed
from lather.ui.stages.brief.brief_page import BriefPage
from lather.ui.stages.clean.mended_places import MendedPlaces
from lather.ui.stages.deliver.deliver_button import DeliverButton, words
from lather.ui.stages.deliver.outputs import Outputs
from lather.ui.stages.even.assistants import Assistants
from lather.ui.stages.even.score_panel import ScorePanel
from lather.ui.stages.finish.check_panel import CheckPanel
from lather.ui.stages.page import StagePage
from lather.ui.stages.part import StagePart
from lather.ui.stages.shape.shape_panel import ShapePanel


def intro(stage: Stage, bench: Workbench) -> str:  # noqa: ARG001 - others go by the job
    """What the table of the commands says."""
    return table.row(stage).intro


@dataclass(frozen=True)
class StageRow:
    """What a stage shows.

    Attributes
    ----------
    above : its own part, above what is proposed and found.
    below : another one, below that.
    page : instead of the picture.
    beside : instead of the brush, in a stage that has none, with its title.
    words : what it says while its part does not speak for itself.
    heading : of the column; the stage's title without one.
    lists : its findings, with what can be done about them.
    measures : it goes by the survey, and offers it where there is none.
    is_built : False for one that only has words yet.
    """

    above: type[StagePart] | None = None
    below: type[StagePart] | None = None
    page: type[StagePage] | None = None
    beside: type[StagePart] | None = None
    beside_title: str = ""
    words: Callable[[Stage, Workbench], str] = intro
    heading: str = ""
    lists: bool = False
    measures: bool = True
    is_built: bool = True


_UNBUILT = StageRow(measures=False, is_built=False)

# By the stage's value in files; `assist/stages.py` has the order of the stages.
STAGES: dict[str, StageRow] = {
    "brief": StageRow(
        page=BriefPage, beside=Agreed, beside_title="How far to go", words=brief.words),
    "clean": StageRow(below=MendedPlaces, heading="Worklist", lists=True),
    "even": StageRow(above=ScorePanel, below=Assistants, heading="Worklist", lists=True),
    "sculpt": _UNBUILT,
    "features": _UNBUILT,
    "hair": _UNBUILT,
    "shape": StageRow(above=ShapePanel),
    "finish": StageRow(above=CheckPanel, heading="Check"),
    "deliver": StageRow(
        above=DeliverButton, beside=Outputs, beside_title="What is delivered", words=words,
        measures=False),
}


def row(stage: Stage) -> StageRow:
    return STAGES.get(stage.value, _UNBUILT)
