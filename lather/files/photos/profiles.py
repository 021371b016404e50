"""Colour profiles: the lattice for the view, and conversion for delivery."""

from __future__ import annotations

import io
from enum import Enum
from typing import Any

import numpy as np

from lather.core.arrays import Samples, quantise
from lather.core.colour.display import NO_LATTICE, Lattice, lattice_colours, lattice_from
from lather.document.photo import NO_PROFILE
from lather.files.photos.resolution import MM_PER_INCH

_HEADER_BYTES = 132  # with the number of tags (ICC.1:2022, 7.2)
_CLASSES = (b"mntr", b"scnr", b"prtr", b"spac")  # that say how a picture's colours look
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


def image_of(samples: Samples, dpi: float | None = None) -> Any:
    """A vips image of (H, W, 3) samples; shares their memory."""
    wide = samples.itemsize == 2
    image = vips().Image.new_from_memory(
        samples.data, samples.shape[1], samples.shape[0], 3, "ushort" if wide else "uchar"
    )
    return with_dpi(image.copy(interpretation="rgb16" if wide else "srgb"), dpi)


def with_dpi(image: Any, dpi: float | None) -> Any:
    """A copy at a resolution; as it is for None."""
    per_mm = None if dpi is None else dpi / MM_PER_INCH
    return image if per_mm is None else image.copy(xres=per_mm, yres=per_mm)


def profile_of(image: Any) -> bytes | None:
    if image.get_typeof("icc-profile-data") == 0:
        return None
    profile: bytes = image.get("icc-profile-data")
    return profile


class Space(Enum):
    """The colour space of a profile, by its signature (ICC.1:2022, 7.2.8)."""

    RGB = b"RGB "
    GREY = b"GRAY"
    OTHER = b""


def space_of(profile: bytes) -> Space:
    signature = profile[16:20]
    return Space(signature) if signature in (Space.RGB.value, Space.GREY.value) else Space.OTHER


def unusable(profile: bytes, n_colours: int) -> str | None:
    """Why a profile cannot be that of a picture; None if it can."""
    if len(profile) < _HEADER_BYTES or profile[36:40] != b"acsp":
        return "is broken"
    space = space_of(profile)
    if space is Space.OTHER:
        return f"is for {profile[16:20].decode('latin-1').strip()} pictures"
    if profile[12:16] not in _CLASSES:
        return "does not describe a picture"
    if space is Space.GREY and n_colours == 3:
        return "is for grey pictures and this one is RGB"
    return None if _converts(profile, space) else "is broken"


def _converts(profile: bytes, space: Space) -> bool:
    """Tried out: what is inside of a profile shows nowhere else."""
    from PIL import ImageCms

    if int.from_bytes(profile[:4], "big") > len(profile):
        return False
    try:
        opened = ImageCms.getOpenProfile(io.BytesIO(profile))
        mode = "RGB" if space is Space.RGB else "L"
        ImageCms.buildTransform(opened, ImageCms.createProfile("sRGB"), mode, "RGB")
    except (ImageCms.PyCMSError, OSError, ValueError):
        return False
    return True


def sound(profile: bytes) -> bytes | None:
    """A usable profile as every format takes it: itself, or where a part of it is damaged without
    that part; None if it is not usable then.

    PNG is the strictest: its writer leaves out whatever has a part beyond its end.
    """
    from PIL import ImageCms

    if _goes_into_a_png(profile):
        return profile
    try:
        anew: bytes = ImageCms.getOpenProfile(io.BytesIO(profile)).tobytes()
    except (ImageCms.PyCMSError, OSError, ValueError):
        return None
    return anew if unusable(anew, 3) is None and _goes_into_a_png(anew) else None


def _goes_into_a_png(profile: bytes) -> bool:
    """Tried out with a single pixel."""
    pyvips = vips()
    pixel = pyvips.Image.black(1, 1, bands=3).copy(interpretation="srgb")
    try:
        written = with_profile(pixel, profile).pngsave_buffer()
        return profile_of(pyvips.Image.new_from_buffer(written, "")) is not None
    except pyvips.Error:
        return False


def title_of(profile: bytes | None) -> str:
    """What a profile calls itself."""
    from PIL import ImageCms

    if profile is None:
        return NO_PROFILE
    try:
        title = ImageCms.getProfileDescription(ImageCms.getOpenProfile(io.BytesIO(profile)))
    except (ImageCms.PyCMSError, OSError, ValueError):
        title = ""
    return " ".join(title.split()) or "without a name"


def without_profile(image: Any) -> Any:
    image = image.copy()
    if image.get_typeof("icc-profile-data"):
        image.remove("icc-profile-data")
    return image


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
