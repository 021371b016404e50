"""From the document's encoded RGB to the bytes a screen shows.

The conversion between profiles is sampled once per photo on a lattice (`lattice_colours`
goes through the colour management of lather.files.photos.reading), then applied per pixel by
trilinear interpolation. No lattice means that the document already is sRGB.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import ByteImage, FloatImage
from lather.core.kernels import Kernel

LATTICE_POINTS = 33
Lattice = NDArray[np.float32]  # (n, n, n, 3), indexed [r, g, b], encoded sRGB 0-1
NO_LATTICE: Lattice = np.zeros((1, 1, 1, 3), dtype=np.float32)


def lattice_colours() -> FloatImage:
    """The document colours at the lattice points: (n, n * n, 3) float32, r slowest."""
    n = LATTICE_POINTS
    steps = np.linspace(0.0, 1.0, n, dtype=np.float32)
    grid = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1)
    return grid.reshape(n, n * n, 3)


def lattice_from(converted: FloatImage) -> Lattice:
    """The lattice from `lattice_colours` after conversion to sRGB."""
    n = LATTICE_POINTS
    return np.ascontiguousarray(converted.reshape(n, n, n, 3), dtype=np.float32)


def to_screen(image: FloatImage, lattice: Lattice, surround: float) -> ByteImage:
    """(H, W, 4) float32 to (H, W, 4) bytes in the order blue, green, red, 255.

    Transparent parts show the neutral `surround` (0-1). `lattice` is `NO_LATTICE` for
    documents in sRGB.
    """
    out = np.empty(image.shape, dtype=np.uint8)
    to_bytes(image, lattice, np.float32(surround), out)
    return out


def _to_bytes_reference(
    image: FloatImage, lattice: Lattice, surround: float, out: ByteImage
) -> None:
    colour: FloatImage = np.clip(image[..., :3], 0, 1)
    if lattice.shape[0] > 1:
        colour = through_lattice(colour, lattice)
    colour = np.float32(surround) + image[..., 3:] * (colour - np.float32(surround))
    out[..., :3] = (colour[..., ::-1] * 255 + 0.5).clip(0, 255)
    out[..., 3] = 255


def through_lattice(colour: FloatImage, lattice: Lattice) -> FloatImage:
    """(..., 3) document colours 0-1 to sRGB by trilinear interpolation."""
    top = lattice.shape[0] - 1
    position = colour * top
    low = np.minimum(position.astype(np.int64), top - 1)
    part = position - low
    result = np.zeros_like(colour)
    for corner in np.ndindex(2, 2, 2):
        weight = np.prod(np.where(corner, part, 1 - part), axis=-1, keepdims=True)
        index = low + np.array(corner)
        result += weight * lattice[index[..., 0], index[..., 1], index[..., 2]]
    return result


def to_srgb(image: FloatImage, lattice: Lattice) -> FloatImage:
    """(h, w, 3) document colours in sRGB 0-1; the image itself where the document is in sRGB."""
    if lattice.shape[0] <= 1:
        return image
    out = np.array(image, dtype=np.float32)
    convert(out, lattice)
    return out


def _convert_reference(image: FloatImage, lattice: Lattice) -> None:
    image[...] = through_lattice(np.clip(image, 0, 1), lattice)


convert = Kernel("lather.core.colour.compiled", "convert", _convert_reference)
to_bytes = Kernel("lather.core.colour.compiled", "to_bytes", _to_bytes_reference)
