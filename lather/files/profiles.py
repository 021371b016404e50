"""Colour profiles: the lattice for the view, and conversion for delivery."""

from __future__ import annotations

from typing import Any

import numpy as np

from lather.core.arrays import Samples, quantise
from lather.core.colour.display import NO_LATTICE, Lattice, lattice_colours, lattice_from

SAME_AS_SRGB = 0.75 / 255  # a profile this close to sRGB is shown without conversion


def vips() -> Any:
    """The image library, told not to keep whole pictures that are decoded once."""
    import pyvips

    pyvips.cache_set_max(0)
    return pyvips


def samples_of(image: Any) -> Samples:
    """An (H, W, C) array of a vips image."""
    dtype = np.uint16 if image.format == "ushort" else np.uint8
    memory = np.frombuffer(image.write_to_memory(), dtype=dtype)
    return memory.reshape(image.height, image.width, image.bands)


def image_of(samples: Samples) -> Any:
    """A vips image of (H, W, 3) samples; shares their memory."""
    wide = samples.itemsize == 2
    image = vips().Image.new_from_memory(
        samples.data, samples.shape[1], samples.shape[0], 3, "ushort" if wide else "uchar"
    )
    return image.copy(interpretation="rgb16" if wide else "srgb")


def profile_of(image: Any) -> bytes | None:
    if image.get_typeof("icc-profile-data") == 0:
        return None
    profile: bytes = image.get("icc-profile-data")
    return profile


def with_profile(image: Any, profile: bytes | None) -> Any:
    """A copy with a profile attached; sRGB for None."""
    pyvips = vips()
    image = image.copy()
    if profile is None:
        profile = pyvips.Operation.call("profile_load", "srgb")
    image.set_type(pyvips.GValue.blob_type, "icc-profile-data", profile)
    return image


def to_srgb(image: Any, intent: str = "relative") -> Any:
    """Converted from its attached profile to sRGB.

    `intent` is 'relative' (colorimetric, with black-point compensation) or 'perceptual'.
    """
    return image.icc_transform(
        "srgb",
        embedded=True,
        depth=16 if image.format == "ushort" else 8,
        intent=intent,
        black_point_compensation=intent == "relative",
    )


def to_8_bit(image: Any) -> Any:
    """A 16-bit image rounded, not cut: 65535 / 257 = 255."""
    narrow = ((image.cast("uint") + 128) / 257).floor().cast("uchar")
    return narrow.copy(interpretation="srgb")


def lattice_of(profile: bytes | None) -> Lattice:
    """Document colours to sRGB at the lattice points; `NO_LATTICE` if there is no difference."""
    if profile is None:
        return NO_LATTICE
    colours = lattice_colours()
    image = with_profile(image_of(quantise(colours, np.uint16)), profile)
    try:
        converted = samples_of(to_srgb(image)).astype(np.float32) / np.float32(65535)
    except vips().Error:
        return NO_LATTICE  # an unusable profile: shown as sRGB, still kept for delivery
    if float(np.abs(converted - colours).max()) < SAME_AS_SRGB:
        return NO_LATTICE
    return lattice_from(converted)
