"""Flattening for delivery."""

from __future__ import annotations

from functools import partial

from bench.common import Row, Scale, large_samples, large_state, row
from lather.document.photo import Photo
from lather.document.state import new_state


def measure(scale: Scale) -> list[Row]:
    """flattening 12 layers of 24 megapixels, against one float32 copy"""
    import numpy as np

    from lather.render.flatten import flatten

    frame = large_samples(scale).astype(np.float32)
    reference = scale.median_ms(frame.copy, 5)
    del frame
    rows = []
    for covering, most in ((False, 9), (True, 16)):
        state = large_state(scale, covering=covering)
        value = scale.median_ms(partial(flatten, state, 16), 3)
        kind = "covering everything" if covering else "a third covered each"
        rows.append(row(f"flatten, 12 layers, {kind}", value, "ms", target=f"< {most}x",
                        ok=value < most * reference, reference="full-frame float32 copy",
                        reference_value=reference))
        del state
    return [*rows, _wide(scale)]


def _wide(scale: Scale) -> Row:
    """Three layers that look far around themselves: pieces do not add up how far they look."""
    from lather.document import edits
    from lather.document.layers.blur import BlurLayer
    from lather.document.layers.smooth import SmoothLayer
    from lather.render.compositor import render_piece
    from lather.render.flatten import flatten

    state = new_state(Photo(large_samples(scale)[: scale.px(2000), : scale.px(3000)].copy()))
    state = edits.add_computed(state, SmoothLayer, scale_px=80.0)
    state = edits.add_computed(state, SmoothLayer, scale_px=60.0)
    state = edits.add_computed(state, BlurLayer, radius_px=60.0)
    at_once = scale.median_ms(partial(render_piece, state, state.photo.rect), 3)
    value = scale.median_ms(partial(flatten, state, 16), 3)
    return row("flatten, three wide layers", value, "ms", target="< 2x", ok=value < 2 * at_once,
               reference="the whole picture at once", reference_value=at_once)  # fmt: skip
