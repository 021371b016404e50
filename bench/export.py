"""Flattening for delivery."""

from __future__ import annotations

from functools import partial

from bench.common import Row, Scale, large_samples, large_state, row


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
    return rows
