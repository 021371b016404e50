"""Photos in, through libvips: decoding, orientation, profiles, metadata."""

from __future__ import annotations

import io
from dataclasses import replace
from pathlib import Path
from typing import Any

from lather.core.arrays import Samples
from lather.document.photo import Metadata, Photo
from lather.errors import PhotoError
from lather.files.endings import RAW
from lather.files.metadata import bare_iptc, of_tiff
from lather.files.profiles import lattice_of, profile_of, samples_of, to_srgb, vips

MOST_MEGAPIXELS = 400
_TIFF = (b"II*\x00", b"MM\x00*", b"II+\x00", b"MM\x00+")
_SIGNATURES = (b"\xff\xd8", b"\x89PNG", *_TIFF)
_NO_PROFILE = "No colour profile in the file: taken as sRGB."


def read_photo(path: Path) -> Photo:
    """Read and decode a photo file.

    Raises
    ------
    PhotoError : missing, unreadable, empty, damaged, or of a kind that cannot be retouched.
    """
    try:
        encoded = path.read_bytes()
    except FileNotFoundError:
        raise _refusal(path.name, "there is no such file", "check the name and folder") from None
    except IsADirectoryError:
        raise _refusal(path.name, "it is a folder", "choose a photo in it") from None
    except OSError as error:
        why, advice = error.strerror or str(error), "check the disk and the file's permissions"
        raise _refusal(path.name, why, advice) from error
    photo = decode_photo(encoded, path.name)
    photo.path = path
    return photo


def decode_photo(encoded: bytes, name: str) -> Photo:
    """Decode the bytes of a photo file; orientation is applied.

    Raises
    ------
    PhotoError : damaged, or of a kind that cannot be retouched.
    """
    if not encoded:
        raise _refusal(name, "the file is empty", "copy it again")
    if Path(name).suffix.lower() in RAW:
        return _decode_raw(encoded, name)
    webp = encoded[:4] == b"RIFF" and encoded[8:12] == b"WEBP"
    if not webp and not encoded.startswith(_SIGNATURES):
        raise _refusal(
            name,
            "it is not a JPEG, PNG, TIFF or WebP picture",
            "export it in one of these formats first",
        )
    pyvips = vips()
    try:
        image = pyvips.Image.new_from_buffer(encoded, "", fail_on="truncated")
        metadata = _metadata(image, encoded)
        image, notices = _as_rgb(image, name)
        samples = samples_of(image)
    except pyvips.Error as error:
        raise _refusal(
            name,
            f"the file is damaged ({first_line(error)})",
            "copy it again from the camera or the backup",
        ) from error
    profile = profile_of(image)
    if profile is None:
        notices = (*notices, _NO_PROFILE)
    return Photo(samples, profile, lattice_of(profile), encoded, name, notices, metadata=metadata)


def first_line(error: Exception) -> str:
    """The first line of what the image library says."""
    detail = getattr(error, "detail", None) or str(error)
    lines = [line.strip() for line in str(detail).splitlines() if line.strip()]
    return lines[0] if lines else "unreadable"


def _as_rgb(image: Any, name: str) -> tuple[Any, tuple[str, ...]]:
    """Upright, three bands, 8 or 16 bit; refuses what cannot become that without loss."""
    notices: list[str] = []
    if image.width * image.height > MOST_MEGAPIXELS * 1e6:
        raise _refusal(name, f"it has more than {MOST_MEGAPIXELS} megapixels", "reduce it first")
    if _number(image, "n-pages") > 1:
        moving = image.get_typeof("delay") != 0
        why = "it is animated" if moving else "it holds several pages"
        raise _refusal(name, why, "save the one you want as a file of its own")
    if image.interpretation == "cmyk":
        raise _refusal(name, "it is in CMYK, a printing space", "convert it to RGB first")
    if image.format not in ("uchar", "ushort"):
        why = f"its samples are '{image.format}'"
        raise _refusal(name, why, "save it with 8 or 16 bits per channel")
    if image.interpretation in ("lab", "labs", "labq", "xyz", "scrgb"):
        raise _refusal(name, f"it is in {image.interpretation}", "convert it to RGB first")
    if image.get_typeof("palette"):
        notices.append("The file had a palette of few colours: turned into full RGB.")
    if image.hasalpha():
        image = image.flatten(background=[255 if image.format == "uchar" else 65535])
        notices.append("The file had transparent parts: laid on white.")
    image = image.autorot()
    if image.bands == 1:
        if profile_of(image) is not None:
            image = to_srgb(image)
            notices.append("Grey picture with a grey profile: converted to sRGB.")
        else:
            image = image.bandjoin([image, image])
            notices.append("Grey picture: turned into RGB of the same greys.")
    if image.bands != 3:
        raise _refusal(name, f"it has {image.bands} channels", "save it as RGB or grey")
    return image, tuple(notices)


def _metadata(image: Any, encoded: bytes) -> Metadata:
    def blob(field: str) -> bytes | None:
        return bytes(image.get(field)) if image.get_typeof(field) else None

    if encoded.startswith(_TIFF):
        return replace(of_tiff(encoded), xmp=blob("xmp-data"))
    return Metadata(blob("exif-data"), blob("xmp-data"), bare_iptc(blob("iptc-data")))


def _decode_raw(encoded: bytes, name: str) -> Photo:
    """Camera raw at neutral settings: camera white balance, sRGB, 16 bit."""
    try:
        import rawpy
    except ImportError:
        raise _refusal(
            name,
            "camera raw needs the package 'rawpy', which is not installed",
            "install it (pip install lather[raw]), or develop the photo to TIFF first",
        ) from None
    try:
        with rawpy.imread(io.BytesIO(encoded)) as raw:
            sizes = raw.sizes
            if sizes.width * sizes.height > MOST_MEGAPIXELS * 1e6:
                raise _refusal(
                    name, f"it has more than {MOST_MEGAPIXELS} megapixels", "develop it smaller"
                )
            samples: Samples = raw.postprocess(
                output_bps=16,
                use_camera_wb=True,
                no_auto_bright=True,
                gamma=(2.4, 12.92),
                output_color=rawpy.ColorSpace.sRGB,
            )
    except (rawpy.LibRawError, ValueError, MemoryError) as error:
        raise _refusal(
            name, f"the raw file cannot be developed ({first_line(error)})", "copy it again"
        ) from error
    notice = "Camera raw: developed at neutral settings to sRGB, 16 bit."
    metadata = of_tiff(encoded) if encoded.startswith(_TIFF) else Metadata()
    return Photo(samples, None, lattice_of(None), encoded, name, (notice,), metadata=metadata)


def _refusal(name: str, why: str, advice: str) -> PhotoError:
    return PhotoError(f"'{name}' was not opened", why, advice)


def _number(image: Any, field: str) -> int:
    return int(image.get(field)) if image.get_typeof(field) else 1
