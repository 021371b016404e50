"""How each stage is worked in: its key, its texts, the lenses first offered, how findings are
answered."""

from __future__ import annotations

from dataclasses import dataclass

from lather.document.layers.layer import Stage


@dataclass(frozen=True)
class StageRow:
    """What commands and panels go by.

    Attributes
    ----------
    key : that goes to it, as `keymap.KEYS` writes keys.
    intro : what there is to do, while its panel has nothing else to show.
    at_once : what is asked for is done at once, each finding by itself; else it is proposed, and
        looked at first.
    doing : all that its assistants propose, while it is worked out.
    lenses : ids of those that are offered before the others.
    """

    key: str = ""
    intro: str = ""
    at_once: bool = False
    doing: str = ""
    lenses: tuple[str, ...] = ()


# By the stage's value in files; `assist/stages.py` has the order of the stages.
STAGES: dict[str, StageRow] = {
    "brief": StageRow(
        "Alt+1", "What was agreed comes first: every assistant and every limit of the check goes "
        "by it. Without a brief the defaults are 'groomed', at full size."),
    "clean": StageRow(
        "Alt+2", "Survey the portrait to list its blemishes and marks, or mend by hand with Mend "
        "spot: paint over a blemish or click on it.", at_once=True, doing="Mending"),
    "even": StageRow(
        "Alt+3", "Survey the portrait to find shine, redness and blotches, and to measure how "
        "even its skin is; or even it by hand: Paint colour on a layer of its own.",
        doing="Evening the skin"),
    "sculpt": StageRow(
        "Alt+4", "Not built yet. Sculpt will hold light and shade on maps of their own. Until "
        "then: Paint colour on a soft-light layer."),
    "features": StageRow("Alt+5", "Not built yet. Features will hold eyes, teeth and lips."),
    "hair": StageRow(
        "Alt+6", "Not built yet. Hair will find stray hairs against the background and fill gaps. "
        "Until then single hairs on skin can be mended by hand."),
    "shape": StageRow(
        "Alt+7", "Push with a large soft brush, in small steps; the figures here say how far it "
        "went. Changing how a person looks needs their consent."),
    "finish": StageRow(
        "Alt+8", "Not built yet in this stage: sharpening and grain as proposals."),
    "deliver": StageRow("Alt+9", "Write the finished picture as JPEG, PNG, TIFF or WebP."),
}  # fmt: skip
_OTHER = StageRow()
BEGINS_IN = Stage.CLEAN  # what is looked at when the application starts


def row(stage: Stage) -> StageRow:
    return STAGES.get(stage.value, _OTHER)
