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
    ),
    Tool(
        id="pick",
        title="Pick from picture",
        help="Press on a colour for the layer in work: a hue or ink range, a grey, a point on the "
        "curve; on a mask: show the layer on such colours. Drag the ellipse of a radial light.",
        icon="pick",
        begin=begin_pick,
        is_listed=False,
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
)

_BY_ID = {tool.id: tool for tool in TOOLS}


def tool(tool_id: str) -> Tool:
    return _BY_ID[tool_id]
