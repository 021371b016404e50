"""Photos in and out, through libvips: decoding, profiles, resizing, encoding."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from lather.core.arrays import Samples, quantise
from lather.core.colour.display import NO_LATTICE, Lattice, lattice_colours, lattice_from
from lather.document.photo import Photo
from lather.errors import PhotoError, UsageError
from lather.files.atomic import replacing

READABLE = (".jpg", ".jpeg", ".png", ".tif", ".tiff")
WRITABLE = {".jpg": (8,), ".jpeg": (8,), ".png": (8, 16), ".tif": (8, 16), ".tiff": (8, 16)}
MOST_MEGAPIXELS = 400
SAME_AS_SRGB = 0.75 / 255  # a profile this close to sRGB is shown without conversion
_SIGNATURES = (b"\xff\xd8", b"\x89PNG", b"II*\x00", b"MM\x00*", b"II+\x00", b"MM\x00+")


@dataclass(frozen=True)
class Delivery:
    """How a finished picture is written.

    `long_side_px` None keeps full size; pictures are never enlarged.
    """

    depth_bits: int = 8
    to_srgb: bool = True
    quality: int = 92
    long_side_px: int | None = None


def _vips() -> Any:
    """The image library, told not to keep whole pictures that are decoded once."""
    import pyvips

    pyvips.cache_set_max(0)
    return pyvips


def read_photo(path: Path) -> Photo:
    """Read and decode a photo file.

    Raises
    ------
    PhotoError : missing, unreadable, empty, damaged, or of a kind that cannot be retouched.
    """
    try:
        encoded = path.read_bytes()
    except FileNotFoundError:
        raise PhotoError(
            f"'{path.name}' was not opened", "there is no such file", "check the name and folder"
        ) from None
    except IsADirectoryError:
        raise PhotoError(
            f"'{path.name}' was not opened", "it is a folder", "choose a photo in it"
        ) from None
    except OSError as error:
        raise PhotoError(
            f"'{path.name}' was not opened",
            error.strerror or str(error),
            "check the disk and the file's permissions",
        ) from error
    photo = decode_photo(encoded, path.name)
    photo.path = path
    return photo


def decode_photo(encoded: bytes, name: str) -> Photo:
    """Decode the bytes of a JPEG, PNG or TIFF file; orientation is applied."""
    pyvips = _vips()

    if not encoded:
        raise PhotoError(f"'{name}' was not opened", "the file is empty", "copy it again")
    if not encoded.startswith(_SIGNATURES):
        raise PhotoError(
            f"'{name}' was not opened",
            "it is not a JPEG, PNG or TIFF picture",
            "export it in one of these formats first",
        )
    try:
        image = pyvips.Image.new_from_buffer(encoded, "", fail_on="truncated")
        image, notices = _as_rgb(image, name)
        samples = _samples(image)
    except pyvips.Error as error:
        raise PhotoError(
            f"'{name}' was not opened",
            f"the file is damaged ({_first_line(error)})",
            "copy it again from the camera or the backup",
        ) from error
    profile = _profile_of(image)
    lattice = _lattice(profile)
    if profile is None:
        notices = (*notices, "No colour profile in the file: taken as sRGB.")
    return Photo(samples, profile, lattice, encoded, name, notices)


def encode_photo(
    samples: Samples, profile: bytes | None, path: Path, delivery: Delivery
) -> None:
    """Write (H, W, 3) samples as JPEG, PNG or TIFF, by the path's ending, atomically.

    Raises
    ------
    UsageError : an ending or depth that cannot be written.
    LatherError : the folder cannot be written.
    """
    pyvips = _vips()

    check_writable(path, delivery.depth_bits)
    image = pyvips.Image.new_from_memory(
        samples.data,
        samples.shape[1],
        samples.shape[0],
        3,
        "ushort" if samples.itemsize == 2 else "uchar",
    ).copy(interpretation="rgb16" if samples.itemsize == 2 else "srgb")
    image = _with_profile(image, profile)
    scale = _scale(samples, delivery.long_side_px)
    if scale < 1:
        image = image.resize(scale, kernel="lanczos3")
    if delivery.to_srgb and profile is not None:
        image = image.icc_transform(
            "srgb",
            embedded=True,
            depth=8 * samples.itemsize,
            intent="relative",
            black_point_compensation=True,
        )
    if delivery.depth_bits == 8 and image.format == "ushort":
        # Rounded, not cut: 65535 / 257 = 255.
        image = ((image.cast("uint") + 128) / 257).floor().cast("uchar")
        image = image.copy(interpretation="srgb")
    with replacing(path) as temporary:
        try:
            _save(image, temporary, delivery)
        except pyvips.Error as error:
            raise OSError(0, _first_line(error)) from error


def check_writable(path: Path, depth_bits: int) -> None:
    """Raise `UsageError` unless the ending is known and holds that depth."""
    depths = WRITABLE.get(path.suffix.lower())
    if depths is None:
        raise UsageError(
            f"'{path.name}' was not written",
            f"'{path.suffix}' is not a format for delivery",
            "use .jpg, .png or .tif",
        )
    if depth_bits not in depths:
        raise UsageError(
            f"'{path.name}' was not written",
            f"{path.suffix} holds 8 bit only",
            "choose 8 bit, or .png or .tif for 16",
        )


def _as_rgb(image: Any, name: str) -> tuple[Any, tuple[str, ...]]:
    """Upright, three bands, 8 or 16 bit; refuses what cannot become that without loss."""
    notices: list[str] = []

    def refuse(why: str, advice: str) -> PhotoError:
        return PhotoError(f"'{name}' was not opened", why, advice)

    if image.width * image.height > MOST_MEGAPIXELS * 1e6:
        raise refuse(f"it has more than {MOST_MEGAPIXELS} megapixels", "reduce it first")
    if _number(image, "n-pages") > 1:
        raise refuse("it holds several pages", "save the page you want as a file of its own")
    if image.interpretation == "cmyk":
        raise refuse("it is in CMYK, a printing space", "convert it to RGB first")
    if image.format not in ("uchar", "ushort"):
        raise refuse(f"its samples are '{image.format}'", "save it with 8 or 16 bits per channel")
    if image.hasalpha():
        image = image.flatten(background=[255 if image.format == "uchar" else 65535])
        notices.append("The file had transparent parts: laid on white.")
    image = image.autorot()
    if image.bands == 1:
        if _profile_of(image) is not None:
            image = image.icc_transform(
                "srgb", embedded=True, depth=16 if image.format == "ushort" else 8
            )
            notices.append("Grey picture with a grey profile: converted to sRGB.")
        else:
            image = image.bandjoin([image, image])
    if image.bands != 3:
        raise refuse(f"it has {image.bands} channels", "save it as RGB or grey")
    return image, tuple(notices)


def _samples(image: Any) -> Samples:
    dtype = np.uint16 if image.format == "ushort" else np.uint8
    memory = np.frombuffer(image.write_to_memory(), dtype=dtype)
    return memory.reshape(image.height, image.width, 3)


def _profile_of(image: Any) -> bytes | None:
    if image.get_typeof("icc-profile-data") == 0:
        return None
    profile: bytes = image.get("icc-profile-data")
    return profile


def _number(image: Any, field: str) -> int:
    return int(image.get(field)) if image.get_typeof(field) else 1


def _lattice(profile: bytes | None) -> Lattice:
    """Document colours to sRGB at the lattice points; `NO_LATTICE` if there is no difference."""
    pyvips = _vips()

    if profile is None:
        return NO_LATTICE
    colours = lattice_colours()
    samples = quantise(colours, np.uint16)
    height, width = samples.shape[:2]
    image = pyvips.Image.new_from_memory(samples.data, width, height, 3, "ushort")
    image = _with_profile(image.copy(interpretation="rgb16"), profile)
    try:
        shown = image.icc_transform(
            "srgb", embedded=True, depth=16, intent="relative", black_point_compensation=True
        )
        converted = _samples(shown).astype(np.float32) / np.float32(65535)
    except pyvips.Error:
        return NO_LATTICE  # an unusable profile: shown as sRGB, still kept for delivery
    if float(np.abs(converted - colours).max()) < SAME_AS_SRGB:
        return NO_LATTICE
    return lattice_from(converted)


def _with_profile(image: Any, profile: bytes | None) -> Any:
    pyvips = _vips()

    image = image.copy()
    if profile is None:
        profile = pyvips.Operation.call("profile_load", "srgb")
    image.set_type(pyvips.GValue.blob_type, "icc-profile-data", profile)
    return image


def _scale(samples: Samples, long_side_px: int | None) -> float:
    return 1.0 if long_side_px is None else min(1.0, long_side_px / max(samples.shape[:2]))


def _save(image: Any, path: Path, delivery: Delivery) -> None:
    suffix = path.suffix.lower()
    if suffix in (".jpg", ".jpeg"):
        image.jpegsave(str(path), Q=delivery.quality, optimize_coding=True)
    elif suffix == ".png":
        image.pngsave(str(path), compression=6)
    else:
        image.tiffsave(str(path), compression="deflate", predictor="horizontal")


def _first_line(error: Exception) -> str:
    detail = getattr(error, "detail", None) or str(error)
    lines = [line.strip() for line in str(detail).splitlines() if line.strip()]
    return lines[0] if lines else "unreadable"
