"""Masks as grey pictures for other programs."""

from __future__ import annotations

from pathlib import Path

from lather.core.arrays import ByteImage
from lather.files.atomic import replacing


def write_mask(plane: ByteImage, path: Path) -> None:
    """Write an (H, W) uint8 plane as a grey PNG.

    Raises
    ------
    LatherError : the folder cannot be written to.
    """
    import cv2

    _, encoded = cv2.imencode(".png", plane)
    with replacing(path) as temporary:
        temporary.write_bytes(encoded.tobytes())
