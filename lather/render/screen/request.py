"""What a worker needs to render pixels of the view."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

from lather.core.arrays import ByteImage, FloatImage
from lather.core.colour.display import to_screen
from lather.core.rect import Rect
from lather.document.state import JobState
from lather.render.compositor import render, render_kept, render_on_kept, render_photo
from lather.render.lenses.lens import LensLook
from lather.render.lenses.table import looked_through
from lather.render.screen.dragged import render_dragged
from lather.render.shown import render_mask


class Shown(Enum):
    """What a view shows."""

    AFTER = "after"
    BEFORE = "before"
    MASK = "mask"
    LENS = "lens"
    PROPOSED = "proposed"


@dataclass(frozen=True)
class ViewRequest:
    """A rectangle of a level in a state; `id` is the number of that state.

    `n_kept`: so many of the lowest layers are as they were, and what they make is kept, for the
    next request of the same place; None: this is no one of many requests. `coarser`: it is of a
    frame so many levels coarser than the view; `held`: of a drag that began with a state, and soon
    replaced.
    """

    id: int
    state: JobState
    shown: Shown
    level: int
    rect: Rect
    surround: float
    look: LensLook
    proposed: JobState | None = None
    n_kept: int | None = None
    coarser: int = 0
    held: bool = False
    began: JobState | None = None

    def render(self) -> ByteImage:
        """(h, w, 4) blue, green, red, 255."""
        return screen_bytes(self.state, self._pixels(), self.surround)

    def _pixels(self) -> FloatImage:
        state, rect, level = self.state, self.rect, self.level
        if self.shown is Shown.PROPOSED and self.proposed is not None:
            return self._read(self.proposed, rect, level)
        if self.shown is Shown.BEFORE:
            return render_photo(state.photo, rect, level)
        if self.shown is Shown.MASK:
            return render_mask(state, state.active, rect, level)
        if self.shown is Shown.LENS:
            return looked_through(self.look, state, rect, level, self._read_through)
        return self._read(state, rect, level)

    def _read(self, state: JobState, rect: Rect, level: int) -> FloatImage:
        if self.n_kept is None:
            return render(state, rect, level)
        if self.held and self.began is not None:
            return render_dragged(state, self.n_kept, rect, level, self.coarser, self.began)
        return render_on_kept(state, self.n_kept, rect, level)

    def _read_through(self, rect: Rect, level: int) -> FloatImage:
        if self.n_kept is None:  # the surroundings that a lens looks at are asked for by others too
            return render_kept(self.state, rect, level)
        return render_on_kept(self.state, self.n_kept, rect, level)


@dataclass(frozen=True)
class Fresh:
    """Pixels of the view as they came in; `exact`: of its own level, else of a coarser one."""

    shown: Shown
    level: int
    rect: Rect
    image: ByteImage  # (h, w, 4) blue, green, red, 255
    exact: bool = True


def screen_bytes(state: JobState, pixels: FloatImage, surround: float) -> ByteImage:
    return to_screen(pixels, state.photo.lattice, surround)
