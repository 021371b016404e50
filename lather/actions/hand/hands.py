"""What is in the hand: a tool, its brush, its source; each tool remembers its own."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from lather.actions.stages.table import BEGINS_IN
from lather.core.area.combine import Combine
from lather.core.brush.stroke import Brush
from lather.core.mend.mode import MendMode
from lather.core.mend.placement import Turn
from lather.core.survey.regions.region import Part, Region
from lather.document.events import Signal
from lather.document.layers.layer import Stage
from lather.document.state import JobState
from lather.errors import EditError
from lather.settings.store import Settings
from lather.tools.base import Colour, Hand, ShapeHand
from lather.tools.presets import BUILT_IN, LONGEST_NAME, Preset, presets_from
from lather.tools.source import PickedSource, Reads, SourceGoes
from lather.tools.stages import has_brush, row
from lather.tools.table import TOOLS, tool

SIZE_STEP = 1.15
SMALLEST_SIZE_PX, LARGEST_SIZE_PX = 1.0, 2000.0
SMALLEST_SPACING = 0.02
SMALLEST_SCALE, LARGEST_SCALE = 0.25, 4.0
_LOWEST = {"hardness": 0.0, "opacity": 0.0, "flow": 0.0, "spacing": SMALLEST_SPACING}

PICK_DISCS_MM = (0.5, 1.0, 2.0)


@dataclass(frozen=True)
class _OfStage:
    """What of a hand does not go along into another stage."""

    brush: Brush
    mode: MendMode
    source_goes: SourceGoes


def _brush_of(hand: Hand) -> _OfStage:
    return _OfStage(hand.brush, hand.mode, hand.source_goes)


_Brushes = dict[str, _OfStage]  # by tool


class Hands:
    """The hand that works, and the hands that wait: one a tool.

    Attributes
    ----------
    picking : the next click picks the source, or a colour.
    pick_mm : diameter of the disc that a colour is picked from.

    Signals
    -------
    changed() : tool, brush, colour, source or mode changed.
    """

    def __init__(self, settings: Settings) -> None:
        self.picking = False
        self.pick_mm = PICK_DISCS_MM[1]
        self.changed: Signal[()] = Signal()
        self._settings = settings
        self._hands = {entry.id: Hand(entry.id, entry.brush) for entry in TOOLS}
        self._own: dict[str, Hand] = {}  # as it was before a preset was taken
        self._presets: dict[str, str] = {}  # the preset in use, by tool
        self._tool_id = TOOLS[0].id
        self._stage = BEGINS_IN
        self.worked_in = BEGINS_IN  # the last stage that has a brush
        self._left: dict[Stage, _Brushes] = {}  # as each stage was left
        self._used: dict[Stage, str] = {}  # the tool last used, by stage
        self._along: _Brushes = {}  # what came along into a stage: that tool's brush of the stage
        self._started: set[str] = set()
        self._on_mask = False
        self._reversed = False
        self._erasing = False

    @property
    def hand(self) -> Hand:
        hand = self._hands[self._tool_id]
        if self._erasing:
            hand = self._hands["ease_back" if tool(self._tool_id).reshapes else "erase"]
        elif self._reversed and tool(hand.tool).reverse:
            hand = replace(hand, tool=tool(hand.tool).reverse)
        on_mask = self._on_mask and tool(hand.tool).works_on_mask
        if hand.on_mask == on_mask and hand.stage is self._stage:
            return hand
        return replace(hand, on_mask=on_mask, stage=self._stage)

    @property
    def back_to(self) -> JobState | None:
        """What Paint back brings back: a state of the job, or the photo (None)."""
        return self._hands["paint_back"].back_to

    @property
    def on_mask(self) -> bool:
        """True while brushes work on the active layer's mask."""
        return self._on_mask

    def for_new_job(self) -> None:
        """Forget what belongs to a picture."""
        self._on_mask = False
        self._started.clear()
        self._left.clear()
        self._used.clear()
        self._along.clear()
        for tool_id, hand in self._hands.items():
            self._hands[tool_id] = replace(hand, back_to=None, source=None)
        self.changed.emit()

    def take_tool(self, tool_id: str) -> None:
        if tool_id != self._tool_id:
            self._put_back()
        self._tool_id = tool_id
        if self._on_mask and not tool(tool_id).works_on_mask:
            self._on_mask = False
        self.use()
        self._become()

    def use(self) -> None:
        """What is in the hand is used in this stage: it is taken up when that is gone to again."""
        self._used[self._stage] = self._tool_id

    def go_to_stage(self, stage: Stage) -> None:
        """Take up the tool last used in a stage, at first its own, with its brush of that stage; in
        one without a brush what is in the hand waits."""
        if stage is not self._stage:
            self._on_mask = False
        self._change_stage(stage)
        if has_brush(stage):
            self._put_back()
            self._tool_id = self._used.get(stage) or row(stage).first
        self._become()

    def show_stage(self, stage: Stage) -> None:
        """Look at a stage; what is in the hand stays in it, with its brush."""
        if stage is not self._stage:
            self._change_stage(stage)
            self._become()

    def _change_stage(self, stage: Stage) -> None:
        """Other tools than that in the hand have the brushes that the stage was left with, or
        begin with their own."""
        if stage is self._stage:
            return
        in_hand = _brush_of(self._hands[self._tool_id])
        self._put_back()
        self._left[self._stage] = {name: _brush_of(hand) for name, hand in self._hands.items()}
        self._stage = stage
        if has_brush(stage):
            self.worked_in = stage
        left = self._left.get(stage)
        for tool_id in self._hands:
            own = _OfStage(tool(tool_id).brush, MendMode.ALL, SourceGoes.FOLLOWING)
            self._set_brush_of(tool_id, own if left is None else left[tool_id])
        self._along = {self._tool_id: _brush_of(self._hands[self._tool_id])}
        self._set_brush_of(self._tool_id, in_hand)
        self._own.clear()

    def _put_back(self) -> None:
        """What came along with the hand has the stage's own brush again."""
        for tool_id, brush in self._along.items():
            self._set_brush_of(tool_id, brush)
        self._along.clear()

    def _set_brush_of(self, tool_id: str, of_stage: _OfStage) -> None:
        self._hands[tool_id] = replace(
            self._hands[tool_id], brush=of_stage.brush, mode=of_stage.mode,
            source_goes=of_stage.source_goes,
        )  # fmt: skip

    def set_reversed(self, is_reversed: bool) -> None:
        """With the same brush the tool does the reverse, if it has one."""
        self._reversed = is_reversed
        self.changed.emit()

    def set_erasing(self, erasing: bool) -> None:
        """The pen is turned round: its other end erases, and eases back what was reshaped."""
        if erasing is not self._erasing:
            self._erasing = erasing
            self.changed.emit()

    def set_on_mask(self, on_mask: bool) -> None:
        if on_mask and not tool(self._tool_id).works_on_mask:
            self._tool_id = "paint_colour"
        self._on_mask = on_mask
        self._become()

    def paint_back_from(self, state: JobState | None) -> None:
        """Set `back_to` and take Paint back."""
        self._hands["paint_back"] = replace(self._hands["paint_back"], back_to=state)
        self.take_tool("paint_back")

    # --- the brush -----------------------------------------------------------------------

    def set_brush(self, **changes: Any) -> None:
        """Change attributes of the brush in hand, kept within their bounds."""
        if "size_px" in changes:
            changes["size_px"] = min(max(changes["size_px"], SMALLEST_SIZE_PX), LARGEST_SIZE_PX)
        for name, lowest in _LOWEST.items():
            if name in changes:
                changes[name] = min(max(changes[name], lowest), 1.0)
        self._become(brush=replace(self._hands[self._tool_id].brush, **changes))

    def scale_brush(self, steps: int) -> None:
        """Larger (steps > 0) or smaller by a constant ratio per step, at least one pixel."""
        size_px = self.hand.brush.size_px
        grown = size_px * SIZE_STEP**steps
        if abs(grown - size_px) < 1:
            grown = size_px + (1 if steps > 0 else -1)
        self.set_brush(size_px=float(round(grown)))

    def set_mode(self, mode: MendMode) -> None:
        self._become(mode=mode)

    def set_colour(self, colour: Colour) -> None:
        self._for_all(colour=colour)

    # --- the source ----------------------------------------------------------------------

    def set_source(self, source: PickedSource | None) -> None:
        """Where all source tools take from."""
        self._for_all(source=source)

    @property
    def aims(self) -> bool:
        """The source goes with the brush, and does not know yet from where."""
        hand = self.hand
        goes_along = tool(hand.tool).uses_source and hand.source_goes is SourceGoes.FOLLOWING
        return goes_along and hand.source is not None and hand.source.about is None

    def aim(self, about: tuple[float, float]) -> None:
        """Where the brush is as the source begins to go with it."""
        assert self.hand.source is not None
        self.set_source(replace(self.hand.source, about=about))

    def set_source_goes(self, goes: SourceGoes) -> None:
        self._become(source_goes=goes)

    def set_turn(self, turn: Turn) -> None:
        """How all source tools turn what they take."""
        scale = min(max(turn.scale, SMALLEST_SCALE), LARGEST_SCALE)
        self._for_all(turn=replace(turn, angle_deg=turn.angle_deg % 360, scale=scale))

    def set_reads(self, reads: Reads) -> None:
        """Which layers all tools take from."""
        self._for_all(reads=reads)

    def set_pick_mm(self, pick_mm: float) -> None:
        """The disc that a colour is picked from."""
        self.pick_mm = pick_mm
        self.changed.emit()

    def set_picking(self, picking: bool) -> None:
        self.picking = picking
        self.changed.emit()

    def set_combine(self, combine: Combine) -> None:
        """What all outlines do to the area."""
        self._for_all(combine=combine)

    def set_weak(self, weak: bool) -> None:
        """Whether creases and eye bags go on layers of their own."""
        self._for_all(weak=weak)

    def set_curve(self, curve: str) -> None:
        """The curve that picked points go on."""
        self._for_all(curve=curve)

    def set_shape(self, shape: ShapeHand) -> None:
        """How all reshape tools work."""
        self._for_all(shape=shape)

    @property
    def is_fresh(self) -> bool:
        """True for a tool that reshapes until it was given a size for this job."""
        return tool(self.hand.tool).reshapes and self.hand.tool not in self._started

    def start(self, size_px: float) -> None:
        """Give the tool in hand the size that it begins this job with."""
        tool_id = self.hand.tool
        self._started.add(tool_id)
        hand = self._hands[tool_id]
        self._hands[tool_id] = replace(hand, brush=replace(hand.brush, size_px=size_px))
        self.changed.emit()

    def set_region(self, region: Region | Part) -> None:
        """What Correct region corrects, and the region lens shows."""
        self._for_all(region=region)

    # --- presets -------------------------------------------------------------------------

    @property
    def presets(self) -> list[Preset]:
        """The presets of the tool in hand, own ones last."""
        own = presets_from(self._settings["presets"])
        return [preset for preset in (*BUILT_IN, *own) if preset.tool == self._tool_id]

    @property
    def preset_name(self) -> str | None:
        """The preset in hand; None once the brush is set otherwise."""
        name = self._presets.get(self._tool_id)
        found = next((preset for preset in self.presets if preset.name == name), None)
        return name if found is not None and self._matches(found) else None

    def take_preset(self, name: str | None) -> None:
        """Take a preset of the tool in hand; None brings back the brush as it was before."""
        if name is None:
            self._presets.pop(self._tool_id, None)
            own = self._own.pop(self._tool_id, None)
            if own is not None:
                self._become(brush=own.brush, mode=own.mode, source_goes=own.source_goes)
            return
        preset = next(preset for preset in self.presets if preset.name == name)
        if self.preset_name is None:
            self._own[self._tool_id] = self._hands[self._tool_id]
        self._presets[self._tool_id] = name
        self._become(brush=preset.brush, mode=preset.mode, source_goes=preset.source_goes)

    def next_preset(self) -> None:
        """From the own brush through all presets and back to the own brush."""
        ring: list[str | None] = [None, *(preset.name for preset in self.presets)]
        self.take_preset(ring[(ring.index(self.preset_name) + 1) % len(ring)])

    def save_preset(self, name: str) -> None:
        """Keep the brush in hand under a name; one of the same name and tool is replaced."""
        name = " ".join(name.split())[:LONGEST_NAME]
        if not name:
            raise EditError("No preset was saved", "it has no name", "type one")
        if name in self._built_in_names:
            raise EditError(
                "No preset was saved", f"'{name}' comes with Lather", "choose another name"
            )
        hand = self.hand
        saved = Preset(name, hand.tool, hand.brush, hand.mode, hand.source_goes)
        self._keep([*self._own_presets_but(name), saved.as_entry()])
        self._presets[self._tool_id] = name
        self.changed.emit()

    @property
    def has_own_preset(self) -> bool:
        """True if the preset in hand is one of the person's own."""
        name = self.preset_name
        return name is not None and name not in self._built_in_names

    @property
    def _built_in_names(self) -> list[str]:
        return [preset.name for preset in BUILT_IN if preset.tool == self._tool_id]

    def delete_preset(self) -> None:
        """Forget the preset in hand, if it is one of the person's own."""
        if self.has_own_preset:
            self._keep(self._own_presets_but(self.preset_name))
            self.changed.emit()

    def _own_presets_but(self, name: str | None) -> list[Any]:
        return [
            preset.as_entry()
            for preset in presets_from(self._settings["presets"])
            if preset.name != name or preset.tool != self._tool_id
        ]

    def _keep(self, entries: list[Any]) -> None:
        self._settings.set("presets", entries)

    def _matches(self, preset: Preset) -> bool:
        hand = self._hands[self._tool_id]
        return (hand.brush, hand.mode, hand.source_goes) == (
            preset.brush, preset.mode, preset.source_goes,
        )  # fmt: skip

    def _for_all(self, **changes: Any) -> None:
        for tool_id, hand in self._hands.items():
            self._hands[tool_id] = replace(hand, **changes)
        self.changed.emit()

    def _become(self, **changes: Any) -> None:
        self._hands[self._tool_id] = replace(self._hands[self._tool_id], **changes)
        self.changed.emit()
