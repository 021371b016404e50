"""OpenRaster: layers for other programs, and theirs as a job.

Source: OpenRaster 0.0.6, https://www.openraster.org. Layers are 16-bit PNGs with straight
alpha in the photo's own RGB space. What the format cannot carry is listed for the person.
"""

from __future__ import annotations

import json
import xml.etree.ElementTree as ElementTree
import zipfile
import zlib
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FULL, FloatImage, LayerPixels, Samples
from lather.core.blend.composite import to_pixels
from lather.core.blend.modes import BlendMode
from lather.core.bounds import DEEPEST_GROUPS, LONGEST_NAME, MOST_LAYERS
from lather.core.rect import Rect
from lather.core.work import CancelToken, Progress, no_progress
from lather.document.layers.computed import ComputedLayer
from lather.document.layers.group import GroupLayer
from lather.document.layers.layer import Layer, Layers, Mask, new_id
from lather.document.layers.photo import PhotoLayer
from lather.document.layers.pixels import PixelLayer
from lather.document.photo import Photo
from lather.document.state import JobState, new_state
from lather.document.tiles import NO_PIXELS, TILE_PX, Key, Tiles
from lather.document.tree import walk
from lather.errors import PhotoError
from lather.files.atomic import replacing
from lather.files.exchange.carried import (
    NOT_CARRIED,
    PARAMETERS_ATTRIBUTE,
    Carried,
    carried_as,
    shows_mask,
)
from lather.files.jobs.archive import Archive, unopened
from lather.files.photos.profiles import image_of, samples_of, vips, with_dpi, with_profile
from lather.files.photos.reading import MOST_MEGAPIXELS, decode_photo, first_line

MIMETYPE = "image/openraster"
KIND_ATTRIBUTE = "lather-kind"
MODE_ATTRIBUTE = "lather-mode"  # one that OpenRaster has no name for
STRIP_PX = 1024  # computed layers are rendered in pieces of that size
THUMBNAIL_PX = 256
MOST_XML_BYTES = 16 * 2**20
MOST_PNG_BYTES = 2**31
_OPS = {
    mode: "svg:src-over" if mode is BlendMode.NORMAL else f"svg:{mode.value}"
    for mode in BlendMode
    if mode not in NOT_CARRIED
}
_MODES = {op: mode for mode, op in _OPS.items()}


class Pictures(Protocol):
    """Where the pixels of layers come from that other programs cannot compute."""

    def up_to(self, layer_id: int, rect: Rect) -> FloatImage:
        """What a layer is laid on, with it, its mask and mode included; its strength is not in it
        where that mixes both."""

    def content(self, group_id: int, rect: Rect) -> FloatImage:
        """The layers of an isolated group, by themselves."""


def write_openraster(
    state: JobState,
    merged: Samples,
    path: Path,
    *,
    pictures: Pictures,
    progress: Progress = no_progress,
    cancel: CancelToken | None = None,
) -> None:
    """Write all layers and `merged`, the finished picture as (H, W, 3) samples; atomically.

    What `carried_as` says is a picture is taken from `pictures`, with the layer's strength as
    opacity; a computed layer's kind and parameters are attributes.

    Raises
    ------
    LatherError : the folder cannot be written.
    """
    with replacing(path) as temporary, zipfile.ZipFile(temporary, "w") as archive:
        archive.writestr("mimetype", MIMETYPE)
        photo = state.photo
        size = {"w": str(photo.width), "h": str(photo.height), **_resolution(photo)}
        image = ElementTree.Element("image", {"version": "0.0.6", **size})
        n_layers = sum(1 for _ in walk(state.layers))
        writer = _Writer(archive, photo, pictures, n_layers, progress, cancel)
        writer.stack(image, state.layers, [])
        text = ElementTree.tostring(image, encoding="UTF-8", xml_declaration=True)
        archive.writestr("stack.xml", text)
        whole = with_profile(image_of(merged, photo.metadata.dpi), photo.profile)
        archive.writestr("mergedimage.png", whole.pngsave_buffer(compression=3))
        small = whole.thumbnail_image(THUMBNAIL_PX, height=THUMBNAIL_PX, size="down")
        small = small.colourspace("srgb").bandjoin(255).cast("uchar")
        archive.writestr("Thumbnails/thumbnail.png", small.pngsave_buffer())


def read_openraster(path: Path, *, progress: Progress = no_progress) -> JobState:
    """A new job from the layers of an OpenRaster file; notices are with the photo.

    Raises
    ------
    PhotoError : missing, damaged, or with layers larger than allowed.
    """
    try:
        archive = Archive(path)
        text = archive.read("stack.xml", MOST_XML_BYTES)
        if b"<!DOCTYPE" in text or b"<!ENTITY" in text:
            raise ValueError("its description defines entities")
        return _Reader(archive, ElementTree.fromstring(text), path.name, progress).state()
    except OSError as error:
        raise unopened(PhotoError, path, error) from error
    except KeyError as error:
        raise _not_opened(path, f"{error} is missing in it", "export it again") from error
    except (
        zipfile.BadZipFile, ElementTree.ParseError, ValueError, TypeError, zlib.error,
        NotImplementedError, RecursionError, EOFError, LookupError, vips().Error,
    ) as error:  # fmt: skip
        why = f"it is damaged ({first_line(error)})"
        raise _not_opened(path, why, "export it again") from error


def _resolution(photo: Photo) -> dict[str, str]:
    dpi = photo.metadata.dpi
    return {} if dpi is None else {"xres": str(round(dpi)), "yres": str(round(dpi))}


class _Writer:
    def __init__(
        self,
        archive: zipfile.ZipFile,
        photo: Photo,
        pictures: Pictures,
        n_layers: int,
        progress: Progress,
        cancel: CancelToken | None,
    ) -> None:
        self._archive = archive
        self._photo = photo
        self._pictures = pictures
        self._n_layers = n_layers
        self._n_done = 0
        self._progress = progress
        self._cancel = cancel

    def stack(self, parent: ElementTree.Element, layers: Layers, around: list[Mask]) -> None:
        """Layers into a <stack>, top first; `around` are the masks of the groups they are in."""
        element = ElementTree.SubElement(parent, "stack")
        for layer in reversed(layers):
            if self._cancel is not None:
                self._cancel.check()
            self._progress(self._n_done / self._n_layers, f"writing {layer.name}")
            self._n_done += 1
            how = carried_as(layer)
            if how is Carried.NOTHING:
                continue
            if how in (Carried.PICTURE, Carried.CONTENT):
                self._picture(ElementTree.SubElement(element, "layer"), layer, how)
                continue
            masks = [*around, *([layer.mask] if layer.mask and layer.mask.enabled else [])]
            if isinstance(layer, GroupLayer):
                self.stack(element, layer.children, masks)
                group = element[-1]
                _describe(group, layer)
                group.set("isolation", "isolate" if layer.isolated else "auto")
            else:
                _describe(ElementTree.SubElement(element, "layer"), layer)
                self._pixels(element[-1], layer, masks)

    def _picture(self, element: ElementTree.Element, layer: Layer, how: Carried) -> None:
        """A layer as the picture up to it, or a group as what is in it."""
        _describe(element, layer)
        if how is Carried.PICTURE:
            element.set("composite-op", _OPS[BlendMode.NORMAL])
            element.attrib.pop(MODE_ATTRIBUTE, None)  # it is in the picture
            if not layer.STRENGTH_MIXES:
                element.set("opacity", "1")
        if isinstance(layer, ComputedLayer):
            element.set(KIND_ATTRIBUTE, layer.kind)
            element.set(PARAMETERS_ATTRIBUTE, json.dumps(layer.own_fields["parameters"]))
        read = self._pictures.up_to if how is Carried.PICTURE else self._pictures.content
        samples = np.empty((self._photo.height, self._photo.width, 4), dtype=np.uint16)
        for key in self._photo.rect.cells(STRIP_PX):
            rect = Rect.cell(key, STRIP_PX).intersect(self._photo.rect)
            to_pixels(read(layer.id, rect), samples[rect.slices])
        if how is Carried.CONTENT and layer.mask is not None and shows_mask(layer):
            samples = _masked(samples, [layer.mask], self._photo.rect)
        self._write(element, layer, _rgba_image(samples), self._photo.rect)

    def _pixels(self, element: ElementTree.Element, layer: Layer, masks: list[Mask]) -> None:
        rect = Rect(0, 0, 1, 1)
        if isinstance(layer, PhotoLayer):
            image = image_of(self._photo.samples)
        else:
            assert isinstance(layer, PixelLayer)
            bounds = layer.tiles.bounds().intersect(self._photo.rect)
            rect = bounds if not bounds.empty else rect
            image = _rgba_image(_masked(layer.tiles.read(rect), masks, rect))
        self._write(element, layer, image, rect)

    def _write(
        self, element: ElementTree.Element, layer: Layer, image: Any, rect: Rect
    ) -> None:
        name = f"data/layer{layer.id}.png"
        element.set("src", name)
        element.set("x", str(rect.x0))
        element.set("y", str(rect.y0))
        image = with_profile(with_dpi(image, self._photo.metadata.dpi), self._photo.profile)
        self._archive.writestr(name, image.pngsave_buffer(compression=3))


class _Reader:
    def __init__(
        self, archive: Archive, image: ElementTree.Element, name: str, progress: Progress
    ) -> None:
        self._archive = archive
        self._name = name
        self._image = image
        self._progress = progress
        self._n_layers = 0
        self._notices: list[str] = []
        self._rect = Rect(0, 0, int(image.attrib["w"]), int(image.attrib["h"]))

    def state(self) -> JobState:
        width, height = self._rect.width, self._rect.height
        if not (width > 0 and height > 0 and width * height <= MOST_MEGAPIXELS * 1e6):
            raise ValueError(f"a picture of {width} x {height} px")
        root = self._image.find("stack")
        if root is None:
            raise ValueError("no layers")
        elements = list(root)
        photo = self._photo(elements[-1] if elements else None)
        if photo is not None:
            elements = elements[:-1]
        else:
            photo = self._white()
        layers = self._layers(elements, 0)
        photo.notices = (*photo.notices, *self._notices)
        state = new_state(photo)
        return replace(state, layers=(*state.layers, *layers))

    def _photo(self, element: ElementTree.Element | None) -> Photo | None:
        """The lowest layer, if it is a whole opaque picture."""
        if element is None or element.tag != "layer" or _offset(element) != (0, 0):
            return None
        plain = float(element.get("opacity", 1)) == 1 and element.get("visibility") != "hidden"
        encoded = self._archive.read(element.attrib["src"], MOST_PNG_BYTES)
        image = vips().Image.new_from_buffer(encoded, "")
        whole = (image.width, image.height) == (self._rect.width, self._rect.height)
        if not plain or not whole or image.hasalpha():
            return None
        return decode_photo(encoded, f"{Path(self._name).stem}.png")

    def _white(self) -> Photo:
        samples = np.full((self._rect.height, self._rect.width, 3), FULL, dtype=np.uint16)
        encoded = with_profile(image_of(samples), None).pngsave_buffer(compression=3)
        photo = decode_photo(encoded, f"{Path(self._name).stem}.png")
        photo.notices = ("The lowest layer does not fill the picture: laid on white.",)
        return photo

    def _layers(self, elements: Sequence[ElementTree.Element], depth: int) -> Layers:
        if depth > DEEPEST_GROUPS:
            raise ValueError("groups nested too deep")
        return tuple(
            self._layer(element, depth)
            for element in reversed(elements)
            if element.tag in ("layer", "stack")
        )

    def _layer(self, element: ElementTree.Element, depth: int) -> Layer:
        self._n_layers += 1
        if self._n_layers > MOST_LAYERS:
            raise ValueError("too many layers")
        name = (element.get("name") or f"Layer {self._n_layers}")[:LONGEST_NAME]
        op = element.get("composite-op", "svg:src-over")
        if op not in _MODES:
            self._notices.append(f"'{name}': mode {op} is not known here and became normal.")
        common: dict[str, Any] = {
            "id": new_id(),
            "name": name,
            "visible": element.get("visibility", "visible") != "hidden",
            "strength": min(max(float(element.get("opacity", 1)), 0.0), 1.0),
            "mode": _mode_of(element, op),
            "locked": element.get("edit-locked") == "true",
        }
        if element.tag == "stack":
            return GroupLayer(**common, children=self._layers(list(element), depth + 1))
        self._progress(min(0.9, self._n_layers / 20), f"reading {name}")
        return PixelLayer(**common, tiles=self._tiles(element))

    def _tiles(self, element: ElementTree.Element) -> Tiles:
        encoded = self._archive.read(element.attrib["src"], MOST_PNG_BYTES)
        image = vips().Image.new_from_buffer(encoded, "", fail_on="truncated")
        if image.width * image.height > MOST_MEGAPIXELS * 1e6:
            raise PhotoError(
                f"'{self._name}' was not opened", "a layer of it is too large", "reduce it first"
            )
        if image.bands < 3:
            image = image.colourspace("rgb16" if image.format == "ushort" else "srgb")
        if not image.hasalpha():
            image = image.bandjoin(FULL if image.format == "ushort" else 255)
        samples = samples_of(image)
        pixels = samples if samples.dtype == np.uint16 else samples.astype(np.uint16) * 257
        x, y = _offset(element)
        return _tiled(pixels, x, y, self._rect)


def _describe(element: ElementTree.Element, layer: Layer) -> None:
    element.set("name", layer.name)
    element.set("visibility", "visible" if layer.visible else "hidden")
    element.set("opacity", f"{layer.strength:.6g}")
    element.set("composite-op", _OPS.get(layer.mode, "svg:src-over"))
    if layer.mode in NOT_CARRIED:
        element.set(MODE_ATTRIBUTE, layer.mode.value)
    if layer.locked:
        element.set("edit-locked", "true")


def _mode_of(element: ElementTree.Element, op: str) -> BlendMode:
    own = element.get(MODE_ATTRIBUTE)
    names = {mode.value: mode for mode in NOT_CARRIED}
    return names[own] if own in names else _MODES.get(op, BlendMode.NORMAL)


def _masked(pixels: LayerPixels, masks: list[Mask], rect: Rect) -> LayerPixels:
    """(h, w, 4) pixels with masks multiplied into their alpha."""
    for mask in masks:
        shows = mask.tiles.read(rect).astype(np.uint32)
        if mask.inverted:
            shows = FULL - shows
        alpha = pixels[..., 3].astype(np.uint32)
        pixels[..., 3] = ((alpha * shows + FULL // 2) // FULL).astype(np.uint16)
    return pixels


def _rgba_image(pixels: LayerPixels) -> Any:
    height, width = pixels.shape[:2]
    image = vips().Image.new_from_memory(pixels.tobytes(), width, height, 4, "ushort")
    return image.copy(interpretation="rgb16")


def _tiled(pixels: NDArray[np.uint16], x: int, y: int, whole: Rect) -> Tiles:
    """Tiles of an (h, w, 4) picture that lies at x, y; what sticks out is cut off."""
    place = Rect(x, y, x + pixels.shape[1], y + pixels.shape[0]).intersect(whole)
    changed: dict[Key, NDArray[np.uint16] | None] = {}
    for key in place.cells(TILE_PX):
        cell = Rect.cell(key, TILE_PX)
        part = cell.intersect(place)
        tile = np.zeros((TILE_PX, TILE_PX, 4), dtype=np.uint16)
        tile[part.shifted(-cell.x0, -cell.y0).slices] = pixels[part.shifted(-x, -y).slices]
        changed[key] = tile
    return NO_PIXELS.with_tiles(changed)


def _offset(element: ElementTree.Element) -> tuple[int, int]:
    return int(element.get("x", 0)), int(element.get("y", 0))


def _not_opened(path: Path, why: str, advice: str) -> PhotoError:
    return PhotoError(f"'{path.name}' was not opened", why, advice)
