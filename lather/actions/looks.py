"""How the picture is looked at."""

from __future__ import annotations

from dataclasses import dataclass

from lather.render.view import Shown


@dataclass(frozen=True)
class Looks:
    """How the picture is looked at. Nothing here changes it."""

    before: bool = False
    before_held: bool = False
    split: bool = False
    split_at: float = 0.5  # share of the view's width
    mask_alone: bool = False

    @property
    def shown(self) -> Shown:
        if self.before or self.before_held:
            return Shown.BEFORE
        return Shown.MASK if self.mask_alone else Shown.AFTER
