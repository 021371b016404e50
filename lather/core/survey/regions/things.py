"""What a person wears on the head: hats and glasses are things, and left alone."""

from __future__ import annotations

import cv2
import numpy as np

from lather.core.blur import disc
from lather.core.survey.regions.evidence import Evidence, Mask

UNLIKE_SKIN = 6.0
SMOOTH = 0.45  # logarithm of fineness above skin's: what is less fine is no hair
LEAST_COVERED = 0.35  # of the head above the eyes, for a hat


def is_covered(evidence: Evidence, above: Mask) -> Mask:
    """The head above the eyes where it is neither skin nor as fine as hair, if that is much of it.

    Where a pixel is so large that no hair shows, nothing can be said, and hair is assumed.
    """
    nothing = np.zeros(evidence.shape, dtype=bool)
    if not above.any() or evidence.is_coarse:
        return nothing
    plain: Mask = above & (evidence.unlike_skin > UNLIKE_SKIN) & (evidence.fineness < SMOOTH)
    return plain if plain.sum() > LEAST_COVERED * above.sum() else nothing


def glasses(evidence: Evidence) -> Mask:
    """The frame of glasses: what is unlike skin at the eyes and crosses the bridge of the nose."""
    down, across = evidence.down, evidence.across
    near = (down > -0.16) & (down < 0.22) & (np.abs(across) < 0.5) & evidence.outer
    dark: Mask = near & (evidence.unlike_skin > UNLIKE_SKIN)
    bridge = (np.abs(across) < 0.05) & (down > -0.1) & (down < 0.12) & evidence.inner
    if not bridge.any() or (dark & bridge).sum() < 0.12 * bridge.sum():
        return np.zeros(evidence.shape, dtype=bool)
    joined = cv2.morphologyEx(dark.astype(np.uint8), cv2.MORPH_CLOSE, disc(1))
    _, labels = cv2.connectedComponents(joined)
    crossing = np.unique(labels[bridge & dark])
    worn: Mask = np.isin(labels, crossing[crossing > 0]) & dark & ~evidence.features
    return worn
