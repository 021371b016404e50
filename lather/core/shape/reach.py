"""How far around a place the resampler looks, beyond the displacement."""

from __future__ import annotations

LOBES = 3
REACH_PX = LOBES + 1
