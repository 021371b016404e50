"""Flattening for delivery."""

from __future__ import annotations

from functools import partial

from bench.common import large_samples, large_state, median_ms, row


def measure() -> list[dict[str, object]]:
    """flattening 12 layers of 24 megapixels, against one float32 copy"""
    import numpy as np

    from lather.render.flatten import flatten

    frame = large_samples().astype(np.float32)
    reference = median_ms(frame.copy, 5)
    del frame
    rows = []
    for covering in (False, True):
        state = large_state(covering=covering)
        value = median_ms(partial(flatten, state, 16), 3)
        kind = "covering everything" if covering else "a third covered each"
        rows.append(row(f"flatten, 12 layers, {kind}", value, "ms", target="< 12x",
                        ok=value < 12 * reference, reference="full-frame float32 copy",
                        reference_value=reference))
        del state
    return rows
