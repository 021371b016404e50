"""What a photo's file says besides the picture: EXIF, XMP, IPTC.

Kept whole, without the place it was taken at, or with nothing but who owns it. The small
preview inside EXIF always goes: it would show the face before retouching.
"""

from __future__ import annotations

import io
import struct
import xml.etree.ElementTree as ElementTree
from collections.abc import Callable, Iterator, MutableMapping, Sequence
from enum import Enum
from pathlib import Path
from typing import TYPE_CHECKING, Any, BinaryIO

from lather.document.photo import Metadata
from lather.files.photos.done_before import with_done
from lather.files.photos.resolution import into_exif

if TYPE_CHECKING:
    from PIL.Image import Exif

MOST_XMP_BYTES = 16 * 2**20


class Keep(Enum):
    """How much of a photo's metadata a delivery carries."""

    ALL = "all"
    NO_LOCATION = "no location"
    COPYRIGHT = "copyright only"


# EXIF 2.32 tags, by number.
_ORIENTATION, _SOFTWARE, _ARTIST, _COPYRIGHT = 0x0112, 0x0131, 0x013B, 0x8298
_EXIF_IFD, _GPS_IFD, _PIXEL_X, _PIXEL_Y = 0x8769, 0x8825, 0xA002, 0xA003
_IPTC_TAG = 33723
_MOST_DIRECTORY_BYTES = 2 + 12 * 65535
_MAKER_NOTE = 0x927C  # may hold the place in a form that only the maker knows
_DESCRIBING = (0x010E, 0x010F, 0x0110, _SOFTWARE, 0x0132, _ARTIST, _COPYRIGHT)

# IPTC-IIM record 2 datasets.
_IPTC_OWNER = {80, 85, 110, 115, 116}  # by-line and its title, credit, source, copyright
_IPTC_PLACE = {26, 27, 90, 92, 95, 100, 101}

# How IPTC-IIM is wrapped in JPEG's APP13 (IPTC, "Embedding IIM in JPEG").
_RESOURCE_HEADER, _IPTC_RESOURCE = b"Photoshop 3.0\0", b"8BIM\x04\x04"

# Namespaces of properties, as the XMP standard (ISO 16684-1) and the IPTC give them.
_RDF = "http://www.w3.org/1999/02/22-rdf-syntax-ns#"
_DC = "http://purl.org/dc/elements/1.1/"
_RIGHTS = "http://ns.adobe.com/xap/1.0/rights/"
_IMAGE_NS = "http://ns.adobe.com/photoshop/1.0/"
_IPTC_CORE = "http://iptc.org/std/Iptc4xmpCore/1.0/xmlns/"
_IPTC_EXT = "http://iptc.org/std/Iptc4xmpExt/2008-02-29/"
_XMP_EXIF = "http://ns.adobe.com/exif/1.0/"
_XMP_TIFF = "http://ns.adobe.com/tiff/1.0/"
_OUTDATED = {
    f"{{{_XMP_TIFF}}}{name}"
    for name in ("Orientation", "XResolution", "YResolution", "ResolutionUnit", "ImageWidth",
                 "ImageLength", "BitsPerSample", "Compression", "PhotometricInterpretation")
}  # fmt: skip
_THUMBNAILS = "{http://ns.adobe.com/xap/1.0/}Thumbnails"


def filtered(metadata: Metadata, keep: Keep, width: int, height: int, dpi: float) -> Metadata:
    """The metadata for a delivered picture of that size. What cannot be read goes."""
    return Metadata(
        exif=_exif_for(metadata.exif, keep, width, height, dpi),
        xmp=_xmp_for(metadata.xmp, keep, metadata.done),
        iptc=_iptc_for(metadata.iptc, keep),
        dpi=dpi,
    )


def of_tiff(encoded: bytes) -> Metadata:
    """EXIF and IPTC of a TIFF file, in the form the other formats embed."""
    from PIL import Image

    exif, whole = Image.Exif(), Image.Exif()
    try:
        whole.load(b"Exif\0\0" + encoded)
        _copy_descriptions(whole, exif)
        return Metadata(_bytes_of(exif), iptc=_iptc_of_tag(whole.get(_IPTC_TAG), encoded[:2]))
    except _UNREADABLE:
        return Metadata()


def _copy_descriptions(source: Exif, target: MutableMapping[int, Any]) -> None:
    """What describes the picture, without what says how its samples are stored."""
    for tag in _DESCRIBING:
        if tag in source:
            target[tag] = source[tag]
    for tag in (_EXIF_IFD, _GPS_IFD):
        inner = source.get_ifd(tag)
        if inner:
            target[tag] = dict(inner)


def _iptc_of_tag(value: object, order: bytes) -> bytes | None:
    """Bytes, or what is as often written: 32-bit numbers."""
    if isinstance(value, tuple):
        return struct.pack(f"{'<' if order == b'II' else '>'}{len(value)}I", *value)
    return value if isinstance(value, bytes) else None


def into_tiff(path: Path, metadata: Metadata) -> None:
    """Add EXIF and IPTC to a TIFF file: a new first directory, with the old entries too.

    Old entries are copied as they are, since what they point to stays where it is.
    Source: TIFF 6.0, section 2.
    """
    from PIL import Image, TiffImagePlugin, TiffTags

    source = Image.Exif()
    source.load(metadata.exif or b"")
    with path.open("r+b") as file:
        header = file.read(8)
        order = "<" if header[:2] == b"II" else ">"
        added = TiffImagePlugin.ImageFileDirectory_v2(header)
        _copy_descriptions(source, added)
        if metadata.iptc is not None:
            added[_IPTC_TAG] = metadata.iptc
            added.tagtype[_IPTC_TAG] = TiffTags.UNDEFINED
        if not len(added):
            return
        file.seek(added.next)
        old = file.read(_MOST_DIRECTORY_BYTES)
        at = _even_end(file)
        new = added.tobytes(at)
        file.write(new)
        entries = {**_directory_entries(old, order), **_directory_entries(new, order)}
        start = _even_end(file)
        file.write(struct.pack(f"{order}H", len(entries)))
        file.write(b"".join(entry for _, entry in sorted(entries.items())) + bytes(4))
        file.seek(4)
        file.write(struct.pack(f"{order}I", start))


def _directory_entries(directory: bytes, order: str) -> dict[int, bytes]:
    """The 12-byte entries of a TIFF directory by their tags."""
    (n_entries,) = struct.unpack_from(f"{order}H", directory)
    entries = [directory[2 + 12 * n : 14 + 12 * n] for n in range(n_entries)]
    return {struct.unpack_from(f"{order}H", entry)[0]: entry for entry in entries}


def _even_end(file: BinaryIO) -> int:
    """Go to the end, where a directory may begin: at an even place."""
    end = file.seek(0, io.SEEK_END)
    file.write(bytes(end % 2))
    return end + end % 2


_UNREADABLE = (
    ValueError, KeyError, TypeError, IndexError, SyntaxError, OSError, struct.error,
    OverflowError, AttributeError, EOFError,
)  # fmt: skip


def _exif_for(
    blob: bytes | None, keep: Keep, width: int, height: int, dpi: float
) -> bytes | None:
    """What is kept of an EXIF block, and the resolution, which some formats say nowhere else."""
    for kept in (blob, None):  # what cannot be read goes, and the resolution stays
        try:
            exif = _kept_exif(kept, keep, width, height)
            into_exif(exif, dpi)
            return _bytes_of(exif)
        except _UNREADABLE:
            continue
    return None


def _kept_exif(blob: bytes | None, keep: Keep, width: int, height: int) -> Exif:
    from PIL import Image

    whole, exif = Image.Exif(), Image.Exif()
    if blob is None:
        return exif
    whole.load(blob)
    if keep is Keep.COPYRIGHT:
        for tag in (_ARTIST, _COPYRIGHT):
            if tag in whole:
                exif[tag] = whole[tag]
        return exif
    for tag, value in whole.items():
        if tag not in (_EXIF_IFD, _GPS_IFD, _ORIENTATION):
            exif[tag] = value
    inner = dict(whole.get_ifd(_EXIF_IFD))
    inner[_PIXEL_X], inner[_PIXEL_Y] = width, height
    place = dict(whole.get_ifd(_GPS_IFD))
    if keep is Keep.NO_LOCATION:
        inner.pop(_MAKER_NOTE, None)
    elif place:
        exif[_GPS_IFD] = place
    exif[_EXIF_IFD] = inner
    return exif


def _bytes_of(exif: Exif) -> bytes | None:
    return bytes(exif.tobytes()) if len(exif) else None


def bare_iptc(blob: bytes | None) -> bytes | None:
    """IPTC-IIM without the image resource block that JPEG wraps it in."""
    at = -1 if blob is None else blob.find(_IPTC_RESOURCE)
    if blob is None or at < 0:
        return blob
    try:
        name_bytes = blob[at + 6] + 1
        start = at + 6 + name_bytes + name_bytes % 2
        (size,) = struct.unpack_from(">I", blob, start)
    except _UNREADABLE:
        return None
    return blob[start + 4 : start + 4 + size]


def wrapped_iptc(bare: bytes) -> bytes:
    """The inverse of `bare_iptc`."""
    resource = _IPTC_RESOURCE + b"\0\0" + struct.pack(">I", len(bare)) + bare
    return _RESOURCE_HEADER + resource + bytes(len(bare) % 2)


def _iptc_for(bare: bytes | None, keep: Keep) -> bytes | None:
    """IPTC-IIM with some datasets left out."""
    if bare is None or keep is Keep.ALL:
        return bare
    try:
        kept = b"".join(
            record
            for number, record in _iptc_records(bare)
            if (number in _IPTC_OWNER if keep is Keep.COPYRIGHT else number not in _IPTC_PLACE)
        )
    except _UNREADABLE:
        return None
    return kept or None


def _iptc_records(data: bytes) -> Iterator[tuple[int, bytes]]:
    """Datasets with their numbers; record 1, the envelope, as number -1."""
    at = 0
    while at + 5 <= len(data) and data[at] == 0x1C:
        record, number, size = struct.unpack_from(">BBH", data, at + 1)
        if size & 0x8000:
            raise ValueError("an extended dataset")
        yield (number if record == 2 else -1), data[at : at + 5 + size]
        at += 5 + size


def _xmp_for(blob: bytes | None, keep: Keep, done: Sequence[str]) -> bytes | None:
    wanted = {Keep.ALL: _not_preview, Keep.NO_LOCATION: _not_place, Keep.COPYRIGHT: _is_owner}
    root = xmp_root(blob)
    if root is not None and not _strip(root, wanted[keep]):
        root = None
    if keep is not Keep.COPYRIGHT:
        root = with_done(root, done)
    if root is None:
        return None
    return (
        b'<?xpacket begin="\xef\xbb\xbf" id="W5M0MpCehiHzreSzNTczkc9d"?>'
        + ElementTree.tostring(root)
        + b'<?xpacket end="w"?>'
    )


def xmp_root(blob: bytes | None) -> ElementTree.Element | None:
    """A packet's root; None for what is none, or cannot be read safely."""
    if blob is None or len(blob) > MOST_XMP_BYTES or b"<!DOCTYPE" in blob:
        return None
    try:
        start, end = blob.index(b"<x:xmpmeta"), blob.rindex(b"</x:xmpmeta>")
        return ElementTree.fromstring(blob[start : end + len(b"</x:xmpmeta>")])
    except (ValueError, ElementTree.ParseError):
        return None


def _strip(root: ElementTree.Element, wanted: Callable[[str], bool]) -> bool:
    """Remove unwanted properties; True if any is left."""
    left = False
    for description in root.iter(f"{{{_RDF}}}Description"):
        for name in list(description.attrib):
            if not name.startswith(f"{{{_RDF}}}") and not wanted(name):
                del description.attrib[name]
        for child in list(description):
            if not wanted(child.tag):
                description.remove(child)
        own = [name for name in description.attrib if not name.startswith(f"{{{_RDF}}}")]
        left = left or len(description) > 0 or bool(own)
    return left


def _not_preview(name: str) -> bool:
    """Neither a small preview nor what the delivered file says of itself, now otherwise."""
    return name != _THUMBNAILS and name not in _OUTDATED


def _not_place(name: str) -> bool:
    namespace, _, local = name.lstrip("{").partition("}")
    return _not_preview(name) and not (
        (namespace == _XMP_EXIF and local.startswith("GPS"))
        or (namespace == _IMAGE_NS and local in ("City", "State", "Country"))
        or (namespace == _IPTC_CORE and local in ("Location", "CountryCode"))
        or (namespace == _IPTC_EXT and local.startswith("Location"))
    )


def _is_owner(name: str) -> bool:
    namespace, _, local = name.lstrip("{").partition("}")
    return (
        (namespace == _DC and local in ("rights", "creator"))
        or namespace == _RIGHTS
        or (namespace == _IMAGE_NS and local in ("Credit", "AuthorsPosition"))
    )
