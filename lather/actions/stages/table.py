"""How each stage is worked in: its key, its texts, the lenses first offered, how findings are
answered."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

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
    letters : commands by their key in the plane of the stage.
    """

    key: str = ""
    intro: str = ""
    at_once: bool = False
    doing: str = ""
    lenses: tuple[str, ...] = ()
    letters: Mapping[str, str] = field(default_factory=dict)


# By the stage's value in files; `assist/stages.py` has the order of the stages.
STAGES: dict[str, StageRow] = {
    "brief": StageRow(
        "Alt+1", "What was agreed comes first: every assistant and every limit of the check goes "
        "by it. Without a brief the defaults are 'groomed', at full size.",
        letters={
            "1": "brief.natural", "2": "brief.groomed", "3": "brief.flawless", "4": "brief.infant",
            "5": "brief.identity", "D": "brief.open", "S": "brief.save", "G": "brief.clear",
        }),
    "clean": StageRow(
        "Alt+2", "Survey the portrait to list its blemishes and marks, or mend by hand with Mend "
        "spot: paint over a blemish or click on it.", at_once=True, doing="Mending",
        letters={"D": "proposal.mends", "V": "finding.survey", "X": "finding.scale"}),
    "even": StageRow(
        "Alt+3", "Survey the portrait to find shine, redness and blotches, and to measure how "
        "even its skin is; or even it by hand: Paint colour on a layer of its own.",
        doing="Evening the skin",
        letters={
            "D": "even.even_out", "W": "even.shine", "S": "even.redness", "C": "even.match",
            "R": "even.reference", "G": "even.forget_reference",
        }),
    "sculpt": StageRow(
        "Alt+4", "Not built yet: Sculpt will measure light and shade, and propose them. Until then "
        "Lighten and Darken paint them on a layer of their own."),
    "features": StageRow("Alt+5", "Not built yet. Features will hold eyes, teeth and lips."),
    "hair": StageRow(
        "Alt+6", "Not built yet. Hair will find stray hairs against the background and fill gaps. "
        "Until then single hairs on skin can be mended by hand."),
    "shape": StageRow(
        "Alt+7", "Push with a large soft brush, in small steps; the figures here say how far it "
        "went. Changing how a person looks needs their consent.",
        letters={
            "D": "tool.push", "W": "tool.gather", "E": "tool.swell", "A": "tool.turn",
            "S": "tool.calm", "Q": "tool.ease_back", "B": "tool.hold", "G": "shape.clear_hold",
            "T": "shape.mirrored", "R": "tool.warp_area", "X": "tool.feature",
            "C": "tool.straighten", "V": "lens.moved", "Z": "lens.stretched",
            "1": "shape.keep_straight", "2": "shape.even_other", "3": "shape.hold_region",
            "4": "shape.slower", "5": "shape.faster",
        }),
    "finish": StageRow(
        "Alt+8", "Not built yet in this stage: sharpening and grain as proposals.",
        letters={
            "D": "check.all", "A": "check.previous", "S": "check.next", "W": "check.lever",
            "T": "check.blind", "V": "check.show",
        }),
    "deliver": StageRow(
        "Alt+9", "Write the finished picture as JPEG, PNG, TIFF or WebP.",
        letters={"D": "job.deliver", "S": "job.export_layers"}),
}  # fmt: skip
_OTHER = StageRow()
BEGINS_IN = Stage.CLEAN  # what is looked at when the application starts


def row(stage: Stage) -> StageRow:
    return STAGES.get(stage.value, _OTHER)
