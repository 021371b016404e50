"""The pictures of a state's layers at full size, for files that cannot compute them."""

from __future__ import annotations

from dataclasses import dataclass, replace

from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.state import JobState
from lather.render.compositor import render_content, render_with


@dataclass(frozen=True)
class Pictures:
    """Of one state."""

    state: JobState

    def up_to(self, layer_id: int, rect: Rect) -> FloatImage:
        """What a layer is laid on, with it: in full where its strength mixes."""
        layer = self.state.layer(layer_id)
        if layer.STRENGTH_MIXES:
            layer = replace(layer, strength=1.0)
        return render_with(self.state, layer, rect)

    def content(self, group_id: int, rect: Rect) -> FloatImage:
        """The layers of an isolated group, by themselves."""
        return render_content(self.state, group_id, rect)
