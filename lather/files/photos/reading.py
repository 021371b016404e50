"""Photos in, through libvips: decoding, orientation, profiles, metadata."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path
from typing import Any

from lather.document.photo import UNTAGGED, Metadata, Photo, photo_hash
from lather.errors import PhotoError, TruncatedError
from lather.files.atomic import is_special
from lather.files.endings import RAW
from lather.files.photos import png
from lather.files.photos.cutoff import bytes_missing, is_cut_off, marked, n_whole_rows
from lather.files.photos.done_before import done_before
from lather.files.photos.metadata import bare_iptc, of_tiff, xmp_root
from lather.files.photos.profiles import (
    Space,
    lattice_of,
    profile_of,
    samples_of,
    sound,
    space_of,
    title_of,
    to_srgb,
    unusable,
    vips,
    with_profile,
    without_profile,
)
from lather.files.photos.raw import develop
from lather.files.photos.resolution import dpi_of
from lather.files.photos.tiff import SIGNATURES as TIFF
from lather.files.photos.tiff import read_directory
from lather.names import readable

MOST_MEGAPIXELS = 400
_SIGNATURES = (b"\xff\xd8", png.SIGNATURE, *TIFF)


def read_photo(path: Path, *, partial: bool = False) -> Photo:
    """Read and decode a photo file; see `decode_photo`.

    Raises
    ------
    PhotoError : missing, unreadable, empty, damaged, or of a kind that cannot be retouched.
    """
    name = readable(path.name)
    try:
        if is_special(path):
            why = "it is a pipe or a device"
            raise _refusal(name, why, "save what it gives as a file first")
        encoded = path.read_bytes()
    except FileNotFoundError:
        raise _refusal(name, "there is no such file", "check the name and folder") from None
    except IsADirectoryError:
        raise _refusal(name, "it is a folder", "choose a photo in it") from None
    except OSError as error:
        why, advice = error.strerror or str(error), "check the disk and the file's permissions"
        raise _refusal(name, why, advice) from error
    with ThreadPoolExecutor(1) as beside:  # the journal's first step names the photo by it
        digest = beside.submit(photo_hash, encoded)
        photo = decode_photo(encoded, name, partial=partial)
        photo.sha256 = digest.result()
    photo.path = path
    return photo


def decode_photo(encoded: bytes, name: str, *, partial: bool = False) -> Photo:
    """Decode the bytes of a photo file; orientation is applied.

    With `partial` a file that ends too early gives what is there; the rest is hatched.

    Raises
    ------
    PhotoError : damaged, or of a kind that cannot be retouched.
    TruncatedError : it ends too early; not with `partial`.
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
    pyvips, failure = vips(), None
    try:
        if not is_cut_off(encoded):
            image = pyvips.Image.new_from_buffer(encoded, "", fail_on="truncated")
            return _decoded(image, encoded, name)
    except pyvips.Error as error:
        failure = error
    n_rows = n_whole_rows(encoded)
    if n_rows == 0:
        raise _damaged(name, failure) if failure is not None else _nothing_whole(name)
    if not partial:
        raise TruncatedError(
            f"'{name}' was not opened",
            "the file ends too early or is damaged, as if it was copied by half",
            "copy it again from the card or the backup",
        ) from failure
    return _part_of(encoded, name, n_rows)


def _part_of(encoded: bytes, name: str, n_rows: int) -> Photo:
    """What there is of a photo whose file ends too early."""
    pyvips = vips()
    try:
        whole_size = encoded + bytes(bytes_missing(encoded))  # else the last strip is not begun
        image = pyvips.Image.new_from_buffer(whole_size, "", fail_on="none")
        _refuse_too_large(image, name)
        photo = _decoded(marked(image, n_rows), encoded, name)
    except pyvips.Error as error:
        raise _damaged(name, error) from error
    missing = 1 - n_rows / image.height
    notice = (
        f"The file is not whole: {missing:.0%} of the picture is missing and shown hatched. "
        "Copy it again from the card or the backup."
    )
    photo.notices = (notice, *photo.notices)
    photo.missing = notice
    return photo


def _decoded(image: Any, encoded: bytes, name: str) -> Photo:
    metadata = _metadata(image, encoded)
    image, notices = _as_rgb(image, encoded, name)
    samples = samples_of(image)
    profile = profile_of(image)
    return Photo(
        samples, profile, lattice_of(profile), encoded, name, notices, metadata=metadata,
        profile_title=title_of(profile),
    )  # fmt: skip


def _damaged(name: str, error: Exception) -> PhotoError:
    why = f"the file is damaged ({first_line(error)})"
    return _refusal(name, why, "copy it again from the camera or the backup")


def _nothing_whole(name: str) -> PhotoError:
    why = "the file ends too early, and no part of the picture is whole"
    return _refusal(name, why, "copy it again from the card or the backup")


def first_line(error: Exception) -> str:
    """The first line of what the image library says."""
    detail = getattr(error, "detail", None) or str(error)
    lines = [line.strip() for line in str(detail).splitlines() if line.strip()]
    return lines[0] if lines else "unreadable"


def _as_rgb(image: Any, encoded: bytes, name: str) -> tuple[Any, tuple[str, ...]]:
    """Upright, three bands, 8 or 16 bit; refuses what cannot become that without loss."""
    notices: list[str] = []
    _refuse_too_large(image, name)
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
    unfit = _why_unusable(image, encoded)
    profile = profile_of(image)
    is_untagged = unfit is None and profile is None
    if unfit is None and profile is not None and space_of(profile) is Space.RGB:
        whole = sound(profile)
        if whole is None:
            unfit = "is broken"
        elif whole != profile:
            notices.append("A part of the colour profile in the file is damaged: it is kept "
                           "without that part.")  # fmt: skip
            image = with_profile(image, whole)
    if unfit is not None:
        notices.append(f"The colour profile in the file {unfit}: left out, taken as sRGB.")
        image = without_profile(image)
    image = _without_extra_channels(image, encoded, notices).autorot()
    if image.bands == 1:
        image = _grey_as_rgb(image, notices)
    if image.bands != 3:
        raise _refusal(name, f"it has {image.bands} channels", "save it as RGB or grey")
    if is_untagged:
        notices.append(UNTAGGED)
    return image, tuple(notices)


def _refuse_too_large(image: Any, name: str) -> None:
    if image.width * image.height > MOST_MEGAPIXELS * 1e6:
        raise _refusal(name, f"it has more than {MOST_MEGAPIXELS} megapixels", "reduce it first")


def _without_extra_channels(image: Any, encoded: bytes, notices: list[str]) -> Any:
    """Transparent parts laid on white; channels that are neither colour nor that left out."""
    directory = read_directory(encoded) if encoded.startswith(TIFF) else None
    if directory is None:
        return _on_white(image, notices) if image.hasalpha() else image
    channels = directory.channels
    n_colours = channels.n_colours
    if channels.n_extra == 0 or n_colours not in (1, 3) or image.bands <= n_colours:
        return image
    bands = image.bandsplit()
    colours = bands[0].bandjoin(bands[1:n_colours]) if n_colours > 1 else bands[0]
    colours = colours.copy(interpretation=_interpretation(n_colours, image.format))
    if channels.n_extra > (0 if channels.alpha is None else 1):
        notices.append(
            "The file had a saved selection or another channel of its own: left out, the photo's "
            "file keeps it."
        )
    if channels.alpha is None or channels.alpha >= image.bands:
        return colours
    return _on_white(colours.bandjoin(bands[channels.alpha]), notices)


def _on_white(image: Any, notices: list[str]) -> Any:
    """Premultiplied colours were divided by their alpha on decoding already."""
    notices.append("The file had transparent parts: laid on white.")
    top = 255 if image.format == "uchar" else 65535
    return image.flatten(background=[top], max_alpha=top)


def _interpretation(n_colours: int, sample_format: str) -> str:
    wide = sample_format == "ushort"
    if n_colours == 1:
        return "grey16" if wide else "b-w"
    return "rgb16" if wide else "srgb"


def _why_unusable(image: Any, encoded: bytes) -> str | None:
    """What is wrong with the picture's profile; None if nothing is, or there is none."""
    profile = profile_of(image)
    if profile is None:  # a broken one is left out by the decoder of PNG itself
        has_one = encoded.startswith(png.SIGNATURE) and b"iCCP" in png.chunks(encoded)
        return "is broken" if has_one else None
    return unusable(profile, 1 if image.interpretation in ("b-w", "grey16") else 3)


def _grey_as_rgb(image: Any, notices: list[str]) -> Any:
    profile = profile_of(image)
    if profile is not None and space_of(profile) is Space.GREY:
        notices.append("Grey picture with a grey profile: converted to sRGB.")
        return to_srgb(image)
    same = image.bandjoin([image, image])
    notices.append("Grey picture: turned into RGB of the same greys.")
    return same.copy(interpretation=_interpretation(3, image.format))


def _metadata(image: Any, encoded: bytes) -> Metadata:
    def blob(field: str) -> bytes | None:
        return bytes(image.get(field)) if image.get_typeof(field) else None

    if encoded.startswith(TIFF):
        metadata = replace(of_tiff(encoded), xmp=blob("xmp-data"))
    else:
        metadata = Metadata(blob("exif-data"), blob("xmp-data"), bare_iptc(blob("iptc-data")))
    root = xmp_root(metadata.xmp)
    done = () if root is None else done_before(root)
    return replace(metadata, dpi=dpi_of(encoded, metadata.exif), done=done)


def _decode_raw(encoded: bytes, name: str) -> Photo:
    samples = develop(encoded, name, MOST_MEGAPIXELS)
    notice = "Camera raw: developed at neutral settings to sRGB, 16 bit."
    metadata = of_tiff(encoded) if encoded.startswith(TIFF) else Metadata()
    return Photo(samples, None, lattice_of(None), encoded, name, (notice,), metadata=metadata)


def _refusal(name: str, why: str, advice: str) -> PhotoError:
    return PhotoError(f"'{name}' was not opened", why, advice)


def _number(image: Any, field: str) -> int:
    return int(image.get(field)) if image.get_typeof(field) else 1
