"""All tools, declared once: the tool card, the commands and the tests read this table."""

from __future__ import annotations

from dataclasses import replace

from lather.core.brush.stroke import Brush
from lather.tools.base import Tool
from lather.tools.brush import begin_erase, begin_paint_back, begin_paint_colour
from lather.tools.copy import begin_copy_from_source
from lather.tools.graft import begin_graft
from lather.tools.light import begin_darken, begin_lighten
from lather.tools.mark import begin_mark
from lather.tools.mend import begin_mend_from_source, begin_mend_spot
from lather.tools.outline import begin_grow_area, begin_outline
from lather.tools.pick import begin_pick
from lather.tools.region import begin_correct_region
from lather.tools.shape import (
    begin_calm,
    begin_ease_back,
    begin_gather,
    begin_hold,
    begin_let_go,
    begin_middle_line,
    begin_push,
    begin_swell,
    begin_turn,
    begin_turn_back,
)
from lather.tools.shape_parts import begin_feature, begin_straighten, begin_warp_area

AIM = Brush(size_px=4, hardness=1.0, opacity=1.0, flow=1.0, spacing=0.25)  # a point
_SOFT = Brush(size_px=60, hardness=0.3, opacity=1.0, flow=0.3, pressure_flow=True)
_PICK = "Pick it with a click while the key of 'Pick the source' is held."

_MEND = Tool(
    id="mend_spot",
    title="Mend spot",
    help="Paint over a blemish or click on it; texture comes from a clean place near by.",
    icon="mend",
    begin=begin_mend_spot,
    brush=Brush(size_px=40, hardness=0.5, opacity=1.0, flow=1.0),
    uses_mode=True,
    waits=True,
    tests_rim=True,
)
_OUTLINE = Tool(
    id="outline",
    title="Outline area",
    help="Draw round what the tools are to be limited to.",
    icon="outline",
    begin=begin_outline,
    brush=AIM,
    waits=True,
    is_brush=False,
    uses_combine=True,
    on_photo=True,
)
_ERASE = Tool(
    id="erase",
    title="Erase",
    help="Take the active layer's own paint away; on a mask: hide the layer here.",
    icon="erase",
    begin=begin_erase,
    brush=_SOFT,
    works_on_mask=True,
)
_LIGHTEN = Tool(
    id="lighten",
    title="Lighten",
    help="Paint light on a light and shade layer; a new one if none is active.",
    icon="lighten",
    begin=begin_lighten,
    brush=replace(_SOFT, hardness=0.0, opacity=0.15, flow=0.15),
    makes_layer=True,
    works_on_mask=True,
    reverse="darken",
)

_PUSH = Tool(
    id="push",
    title="Push",
    help="Move what is under the brush along with the pen, on a reshape layer; a new one if there "
    "is none.",
    icon="push",
    begin=begin_push,
    brush=Brush(size_px=450, hardness=0.0, opacity=1.0, flow=0.5, spacing=0.06),
    makes_layer=True,
    reshapes=True,
)
_GATHER = replace(
    _PUSH,
    id="gather",
    title="Gather",
    help="Draw what is under the brush together, while the pen is down.",
    icon="gather",
    begin=begin_gather,
    brush=replace(_PUSH.brush, size_px=200, flow=1.0),
    by_time=True,
    reverse="swell",
)

_HOLD = replace(
    _PUSH,
    id="hold",
    title="Hold",
    help="Paint what is not to move.",
    icon="hold",
    begin=begin_hold,
    brush=replace(_PUSH.brush, size_px=200, hardness=0.4, flow=1.0, spacing=0.1),
    reverse="let_go",
)

TOOLS: tuple[Tool, ...] = (
    _MEND,
    replace(
        _MEND,
        id="mend_from_source",
        title="Mend from source",
        help=f"Texture from the picked place, colour and light from around. {_PICK}",
        icon="mend_source",
        begin=begin_mend_from_source,
        uses_source=True,
        uses_turn=True,
    ),
    Tool(
        id="copy_from_source",
        title="Copy from source",
        help="Exact pixels of the picked place; only what is lighter or darker if you like. "
        f"{_PICK}",
        icon="copy_source",
        begin=begin_copy_from_source,
        brush=Brush(size_px=30, hardness=0.3, opacity=0.2, flow=0.7),
        uses_mode=True,
        uses_source=True,
        uses_turn=True,
    ),
    replace(
        _OUTLINE,
        id="graft",
        title="Graft",
        help="Draw round an area, then drag from inside it to where its texture is to come from: "
        "colour and light meet the surround.",
        icon="graft",
        begin=begin_graft,
        uses_turn=True,
        on_photo=False,
    ),
    _OUTLINE,
    replace(
        _OUTLINE,
        id="grow_area",
        title="Grow area",
        help="Click or drag on a tooth, a collar, the background: the area grows from there to "
        "its edges.",
        icon="grow",
        begin=begin_grow_area,
        brush=Brush(size_px=8, hardness=1.0, opacity=1.0, flow=1.0),
    ),
    Tool(
        id="mark",
        title="Mark to keep",
        help="Click on what belongs to the person: automatic work leaves it, a brush over it "
        "warns. A mole that changed is for a doctor.",
        icon="mark",
        begin=begin_mark,
        brush=Brush(size_px=40, hardness=1.0, opacity=1.0, flow=1.0),
        only_size=True,
        waits=True,
        on_photo=True,
    ),
    Tool(
        id="correct_region",
        title="Correct region",
        help="Paint what belongs to the region, or take away what does not. The survey goes by "
        "it.",
        icon="region",
        begin=begin_correct_region,
        brush=Brush(size_px=80, hardness=0.5, opacity=1.0, flow=1.0),
        uses_combine=True,
        uses_region=True,
        on_photo=True,
    ),
    Tool(
        id="pick",
        title="Pick from picture",
        help="Press on a colour for the layer in work: a hue or ink range, a grey, a point on the "
        "curve; on a mask: show the layer on such colours. Drag the ellipse of a radial light.",
        icon="pick",
        begin=begin_pick,
        paints=False,
        brush=Brush(size_px=15, hardness=1.0, opacity=1.0, flow=1.0),
        only_size=True,
        works_on_mask=True,
    ),
    _LIGHTEN,
    replace(
        _LIGHTEN,
        id="darken",
        title="Darken",
        help="Paint shade on a light and shade layer; a new one if none is active.",
        icon="darken",
        begin=begin_darken,
        reverse="lighten",
    ),
    Tool(
        id="paint_colour",
        title="Paint colour",
        help="Lay a colour on the active layer, everywhere or only on what is darker or brighter; "
        "pick it with a click while the key of 'Pick the source' is held. On a mask: show the "
        "layer here.",
        icon="paint",
        begin=begin_paint_colour,
        brush=replace(_SOFT, hardness=0.0, opacity=0.25, flow=0.25),
        uses_colour=True,
        uses_mode=True,
        works_on_mask=True,
    ),
    _ERASE,
    replace(
        _ERASE,
        id="paint_back",
        title="Paint back",
        help="Bring the photo, or a state chosen in the history, back on the active layer.",
        icon="paint_back",
        begin=begin_paint_back,
        works_on_mask=False,
    ),
    _PUSH,
    _GATHER,
    replace(
        _GATHER,
        id="swell",
        title="Swell",
        help="Spread what is under the brush, while the pen is down.",
        icon="swell",
        begin=begin_swell,
        reverse="gather",
    ),
    replace(
        _GATHER,
        id="turn",
        title="Turn",
        help="Turn what is under the brush clockwise, while the pen is down.",
        icon="turn",
        begin=begin_turn,
        reverse="turn_back",
    ),
    replace(
        _GATHER,
        id="turn_back",
        title="Turn back",
        help="Turn what is under the brush anticlockwise, while the pen is down.",
        icon="turn",
        begin=begin_turn_back,
        reverse="turn",
    ),
    replace(
        _GATHER,
        id="ease_back",
        title="Ease back",
        help="Bring what was moved towards where the photo has it, while the pen is down.",
        icon="ease_back",
        begin=begin_ease_back,
        reverse="",
    ),
    replace(
        _GATHER,
        id="calm",
        title="Calm",
        help="Smooth how far neighbouring places were moved, while the pen is down.",
        icon="calm",
        begin=begin_calm,
        reverse="",
    ),
    _HOLD,
    replace(
        _HOLD,
        id="let_go",
        title="Let go",
        help="Let what was held move again.",
        begin=begin_let_go,
        reverse="hold",
    ),
    replace(
        _PUSH,
        id="feature",
        title="Shape a feature",
        help="Drag a dot of the face along its way: jaw, cheek, chin, nose, eyes, lips, brows, "
        "neck, shoulders. The brief limits how far.",
        icon="feature",
        begin=begin_feature,
        brush=AIM,
        is_brush=False,
    ),
    replace(
        _PUSH,
        id="warp_area",
        title="Warp area",
        help="Drag the area by its edge, or from its middle all of it; neighbours share the gap.",
        icon="warp_area",
        begin=begin_warp_area,
        brush=AIM,
        is_brush=False,
    ),
    replace(
        _PUSH,
        id="middle_line",
        title="Middle line",
        help="Draw the line that strokes are mirrored at, where there is no face or it lies "
        "otherwise.",
        icon="middle_line",
        begin=begin_middle_line,
        brush=AIM,
        is_brush=False,
    ),
    replace(
        _PUSH,
        id="straighten",
        title="Straighten",
        help="Draw along a collar, a strap, a horizon, from end to end: it becomes straight.",
        icon="straighten",
        begin=begin_straighten,
        brush=AIM,
        is_brush=False,
    ),
)

_BY_ID: dict[str, Tool] = {tool.id: tool for tool in TOOLS}


def tool(tool_id: str) -> Tool:
    return _BY_ID[tool_id]
