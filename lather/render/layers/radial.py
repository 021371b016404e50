"""Other light in an ellipse."""

from __future__ import annotations

from lather.core.adjust.ellipse import Ellipse, light_ellipse
from lather.core.adjust.tone import exposure_tables, light_gains
from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.layers.radial import RadialLayer
from lather.render.layers.scene import Patch, Scene
from lather.render.masks import change


def add(layer: RadialLayer, scene: Scene, out: FloatImage, rect: Rect, below: Patch) -> None:  # noqa: ARG001
    p = layer.parameters
    gains = light_gains(p.exposure_ev, p.warmth_mired, 0.0)
    if (gains == 1).all():
        return
    ellipse = Ellipse(
        (p.centre_x_px, p.centre_y_px), (p.radius_x_px, p.radius_y_px), p.angle_deg,
        p.softness_percent / 100, p.side,
    )  # fmt: skip
    tables = exposure_tables(*gains)
    change(layer, scene, out, rect,
           lambda px: light_ellipse(px, rect, 1 << scene.level, ellipse, tables))  # fmt: skip
