"""Finished pictures out: size, sharpening, profile, metadata, format."""

from __future__ import annotations

import errno
import math
import os
import re
import shutil
import time
from collections.abc import Mapping
from dataclasses import asdict, dataclass, fields
from enum import Enum
from pathlib import Path
from typing import Any

from lather.core.arrays import Samples
from lather.document.agreed.brief import Delivered
from lather.document.photo import Metadata, Photo, photo_hash
from lather.errors import UsageError
from lather.files.atomic import replacing
from lather.files.endings import WRITABLE_BITS
from lather.files.photos.metadata import Keep, filtered, into_tiff, wrapped_iptc
from lather.files.photos.profiles import (
    image_of,
    profile_of,
    to_8_bit,
    to_srgb,
    vips,
    with_dpi,
    with_profile,
)
from lather.files.photos.resolution import MM_PER_INCH

_JPEG, _TIFF = (".jpg", ".jpeg"), (".tif", ".tiff")
ENDINGS = {  # of each format, the usual one first
    Delivered.JPEG: _JPEG, Delivered.PNG: (".png",), Delivered.TIFF: _TIFF,
    Delivered.WEBP: (".webp",),
}  # fmt: skip
SMALLEST_BLUR_WEIGHT = 0.005  # of the middle; where the sharpening kernel is cut off
DEFAULT_PATTERN = "{title}_retouched"
LONGEST_NAME_BYTES = 255  # that disks take
LEAST_FREE_BYTES = 64 * 1024
_WORD = re.compile(r"{(\w*)}")
PATTERN_WORDS = ("title", "preset", "date", "width", "height")


class SizeBy(Enum):
    """What a delivery's size is given by."""

    FULL = "full size"
    LONG_SIDE_PX = "long side, px"
    LONG_SIDE_MM = "long side, mm"
    PERCENT = "per cent"


@dataclass(frozen=True)
class Delivery:
    """How a finished picture is written; as a named preset, one of several.

    Attributes
    ----------
    suffix : the format, by its ending.
    quality : 1-100, JPEG and WebP.
    full_chroma : JPEG keeps colour at full resolution (4:4:4) instead of half (4:2:0).
    to_srgb, intent : converted to sRGB, 'relative' or 'perceptual'; or the photo's own profile.
    size_by, size : with `dpi`, how large; pictures are never enlarged. `dpi` is what the file
        says, too, unless the photo says another and the size does not depend on it.
    sharpen_px, sharpen : output sharpening: radius in px of the delivered picture, amount 0-1.
    pattern : the file's name without ending; words in braces are filled in.
    """

    name: str = "Delivery"
    suffix: str = ".jpg"
    depth_bits: int = 8
    quality: int = 92
    full_chroma: bool = True
    to_srgb: bool = True
    intent: str = "relative"
    size_by: SizeBy = SizeBy.FULL
    size: float = 0.0
    dpi: float = 300.0
    sharpen_px: float = 0.7
    sharpen: float = 0.0
    keep: Keep = Keep.NO_LOCATION
    pattern: str = DEFAULT_PATTERN

    def scale(self, width: int, height: int) -> float:
        """Delivered size as a share of full size, at most 1."""
        long_side = max(width, height)
        wanted_px = {
            SizeBy.FULL: float(long_side),
            SizeBy.LONG_SIDE_PX: self.size,
            SizeBy.LONG_SIDE_MM: self.size / MM_PER_INCH * self.dpi,
            SizeBy.PERCENT: self.size / 100 * long_side,
        }[self.size_by]
        return min(1.0, max(wanted_px, 1.0) / long_side)

    def pixels(self, width: int, height: int) -> tuple[int, int]:
        """Width and height of the delivered picture."""
        scale = self.scale(width, height)
        return max(1, round(width * scale)), max(1, round(height * scale))

    def is_dpi_chosen(self, metadata: Metadata) -> bool:
        """False where the photo says its resolution, and no size depends on another."""
        return self.size_by is SizeBy.LONG_SIDE_MM or metadata.dpi is None

    def dpi_for(self, metadata: Metadata) -> float:
        """The resolution to write."""
        own = metadata.dpi
        return self.dpi if own is None or self.is_dpi_chosen(metadata) else own

    def file_name(self, title: str, width: int, height: int) -> str:
        """The name by the pattern.

        Raises
        ------
        UsageError : the pattern has a word that is not known, or is empty.
        """
        words = {
            "title": title, "preset": self.name, "date": time.strftime("%Y-%m-%d"),
            "width": width, "height": height,
        }  # fmt: skip
        unknown = [word for word in _WORD.findall(self.pattern) if word not in words]
        if unknown:
            raise UsageError(
                f"'{self.pattern}' is not a name pattern",
                f"'{{{unknown[0]}}}' is not one of its words",
                "use " + ", ".join(f"{{{word}}}" for word in PATTERN_WORDS),
            )
        name = _WORD.sub(lambda found: str(words[found[1]]), self.pattern).strip()
        name = name.replace("/", "-").replace("\0", "")
        if not name or name in (".", ".."):
            raise UsageError("The file has no name", "the pattern is empty", "use {title}")
        n_bytes = len(os.fsencode(name + self.suffix))
        if n_bytes > LONGEST_NAME_BYTES:
            raise UsageError(
                f"'{name[:24]}…' is no file name", f"it has {n_bytes} bytes; disks take "
                f"{LONGEST_NAME_BYTES}", "make the pattern shorter",
            )  # fmt: skip
        return name + self.suffix


PRESETS = (
    Delivery("Client, full size", quality=95),
    Delivery(
        "Screen, 2048 px", quality=88, full_chroma=False, size_by=SizeBy.LONG_SIDE_PX, size=2048,
        sharpen=0.4, keep=Keep.COPYRIGHT, pattern="{title}_{width}x{height}",
    ),
    Delivery("Print, 16 bit", ".tif", 16, to_srgb=False, pattern="{title}_print"),
)  # fmt: skip


def delivery_to_json(delivery: Delivery) -> dict[str, Any]:
    return {
        key: value.value if isinstance(value, Enum) else value
        for key, value in asdict(delivery).items()
    }


def delivery_from_json(entry: Mapping[str, Any]) -> Delivery:
    """The inverse; raises ValueError or TypeError for what is not a delivery."""
    plain = Delivery()
    known = {
        f.name: type(getattr(plain, f.name))(entry[f.name])
        for f in fields(Delivery)
        if f.name in entry
    }
    delivery = Delivery(**known)
    sizes = (delivery.size, delivery.dpi, delivery.sharpen_px, delivery.sharpen)
    if not all(map(math.isfinite, sizes)) or delivery.dpi < 1:
        raise ValueError("a delivery is out of bounds")
    bits_ok = delivery.depth_bits in WRITABLE_BITS.get(delivery.suffix, ())
    if not bits_ok or not 1 <= delivery.quality <= 100 or delivery.size < 0:
        raise ValueError("a delivery is out of bounds")
    return delivery


def encode_photo(
    samples: Samples,
    profile: bytes | None,
    path: Path,
    delivery: Delivery,
    metadata: Metadata | None = None,
) -> None:
    """Write (H, W, 3) samples in the format of the path's ending, atomically.

    Raises
    ------
    UsageError : an ending or depth that cannot be written.
    LatherError : the folder cannot be written.
    """
    check_writable(path, delivery.depth_bits)
    image = with_profile(image_of(samples), profile)
    scale = delivery.scale(image.width, image.height)
    if scale < 1:
        width, height = delivery.pixels(image.width, image.height)
        image = image.resize(width / image.width, vscale=height / image.height, kernel="lanczos3")
    if delivery.sharpen > 0:
        image = _sharpened(image, delivery)
    if delivery.to_srgb and profile is not None:
        image = to_srgb(image, delivery.intent)
    if delivery.depth_bits == 8 and image.format == "ushort":
        image = to_8_bit(image)
    metadata = metadata or Metadata()
    dpi = delivery.dpi_for(metadata)
    image = with_dpi(image, dpi)
    kept = filtered(metadata, delivery.keep, image.width, image.height, dpi)
    suffix = path.suffix.lower()
    with replacing(path) as temporary:
        failed = _saving_failed(_with_metadata(image, kept, suffix), temporary, suffix, delivery)
        if failed is not None:
            raise failed
        if suffix in _TIFF:
            into_tiff(temporary, kept)


def _saving_failed(image: Any, path: Path, suffix: str, delivery: Delivery) -> OSError | None:
    """Why the picture could not be written; None if it was.

    The encoder's own error is let go of here: as long as anybody holds it, it holds the file open,
    and with it the room on the disk.
    """
    try:
        _save(image, path, suffix, delivery)
    except vips().Error as error:
        is_full = os.strerror(errno.ENOSPC) in str(error) or not _has_room(path.parent)
        if is_full:
            return OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        return OSError(0, "the encoder failed")
    return None


def _has_room(folder: Path) -> bool:
    """False if next to nothing more can be written there."""
    try:
        return shutil.disk_usage(folder).free > LEAST_FREE_BYTES
    except OSError:
        return True


def check_writable(path: Path, depth_bits: int) -> None:
    """Raise `UsageError` unless the ending is known and holds that depth."""
    depths = WRITABLE_BITS.get(path.suffix.lower())
    if depths is None:
        raise UsageError(
            f"'{path.name}' was not written",
            f"'{path.suffix}' is not a format for delivery",
            "use .jpg, .png, .tif or .webp",
        )
    if depth_bits not in depths:
        raise UsageError(
            f"'{path.name}' was not written",
            f"{path.suffix} holds 8 bit only",
            "choose 8 bit, or .png or .tif for 16",
        )


def refuse_the_photo(path: Path, photo: Photo) -> None:
    """Raise `UsageError` if a file at `path` is a copy of the photo: it may be the only one."""
    try:
        same_size = path.is_file() and path.stat().st_size == len(photo.encoded)
        if same_size and photo_hash(path.read_bytes()) == photo.sha256:
            raise UsageError(
                f"'{path.name}' was not written",
                "it is the photo itself, which is never changed",
                "choose another name",
            )
    except OSError:
        return  # nothing is there, or nothing that can be read


def _sharpened(image: Any, delivery: Delivery) -> Any:
    """Unsharp masking at the delivered size."""
    top = 65535 if image.format == "ushort" else 255
    soft = image.cast("float").gaussblur(
        delivery.sharpen_px, precision="float", min_ampl=SMALLEST_BLUR_WEIGHT
    )
    sharp = image + (image - soft) * delivery.sharpen
    clipped = (sharp < 0).ifthenelse(0, (sharp > top).ifthenelse(top, sharp))
    done = clipped.rint().cast(image.format).copy(interpretation=image.interpretation)
    return with_profile(done, profile_of(image))


def _with_metadata(image: Any, metadata: Metadata, suffix: str) -> Any:
    pyvips = vips()
    image = image.copy()
    iptc = metadata.iptc
    if iptc is not None and suffix in _JPEG:
        iptc = wrapped_iptc(iptc)
    elif suffix in _TIFF:
        iptc = None  # the encoder would cut it short; `into_tiff` adds it
    for field, blob in (
        ("exif-data", metadata.exif), ("xmp-data", metadata.xmp), ("iptc-data", iptc),
    ):  # fmt: skip
        if blob is not None:
            image.set_type(pyvips.GValue.blob_type, field, blob)
    return image


def _save(image: Any, path: Path, suffix: str, delivery: Delivery) -> None:
    quality, name = delivery.quality, os.fsencode(path)  # any bytes are a name
    if suffix in _JPEG:
        chroma = "off" if delivery.full_chroma else "on"
        image.jpegsave(name, Q=quality, optimize_coding=True, subsample_mode=chroma)
    elif suffix == ".png":
        image.pngsave(name, compression=6)
    elif suffix == ".webp":
        image.webpsave(name, Q=quality, smart_subsample=True)
    else:
        image.tiffsave(name, compression="deflate", predictor="horizontal")
