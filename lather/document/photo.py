"""The photo: decoded once, never changed, with a pyramid of halved copies for the view."""

from __future__ import annotations

import hashlib
import threading
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path

import numpy as np

from lather.core.arrays import FloatImage, Samples
from lather.core.blend.composite import photo_to_float
from lather.core.colour.display import NO_LATTICE, Lattice
from lather.core.rect import Rect

NO_PROFILE = "none, taken as sRGB"


UNTAGGED = "No colour profile in the file: taken as sRGB."  # the notice that is no trouble


@dataclass(frozen=True)
class Metadata:
    """What the file says besides the picture, as the bytes it says it with.

    `iptc` is bare IPTC-IIM, without the block that some formats wrap it in; `dpi` is the
    resolution, from wherever the file states it; `done` are the works that Lather did to the
    picture before, by the file's own record.
    """

    exif: bytes | None = None
    xmp: bytes | None = None
    iptc: bytes | None = None
    dpi: float | None = None
    done: tuple[str, ...] = ()


@dataclass(eq=False)
class Photo:
    """A decoded photo in its own RGB space at full depth.

    Attributes
    ----------
    samples : (H, W, 3) uint8 or uint16, encoded RGB, upright (orientation applied).
    profile : the ICC profile's bytes, or None for sRGB.
    lattice : document colours to sRGB, for the view.
    encoded : the file's own bytes, kept for embedding in the job.
    name : the file's name, with its extension.
    notices : what a person should know about how it was read.
    path : the file it was read from, None if it came out of a job.
    metadata : EXIF, XMP and IPTC, kept for delivery.
    profile_title : what the profile is called, or what is assumed without one.
    missing : what of the picture is not there, as its file ends too early, a sentence; '' if all
        is. Told whenever it is opened, in whatever job.
    """

    samples: Samples
    profile: bytes | None = None
    lattice: Lattice = field(default_factory=lambda: NO_LATTICE)
    encoded: bytes = b""
    name: str = "photo"
    notices: tuple[str, ...] = ()
    path: Path | None = None
    metadata: Metadata = field(default_factory=Metadata)
    profile_title: str = NO_PROFILE
    missing: str = ""

    def __post_init__(self) -> None:
        self.samples.flags.writeable = False
        self._levels = [self.samples]
        self._lock = threading.Lock()

    @property
    def width(self) -> int:
        return int(self.samples.shape[1])

    @property
    def height(self) -> int:
        return int(self.samples.shape[0])

    @cached_property
    def rect(self) -> Rect:
        return Rect(0, 0, self.width, self.height)

    @cached_property
    def sha256(self) -> str:
        """`photo_hash` of its file."""
        return photo_hash(self.encoded)

    @property
    def depth_bits(self) -> int:
        return int(self.samples.itemsize) * 8

    @property
    def megapixels(self) -> float:
        return self.width * self.height / 1e6

    @property
    def title(self) -> str:
        return Path(self.name).stem

    def level(self, level: int) -> Samples:
        """The photo halved `level` times; sizes round up, the border repeats."""
        if level >= len(self._levels):
            with self._lock:
                while len(self._levels) <= level:
                    self._levels.append(_halve(self._levels[-1]))
        return self._levels[level]

    def read_float(self, rect: Rect, level: int = 0) -> FloatImage:
        """(h, w, 4) float32 of a rectangle of mip `level`; outside the photo transparent."""
        out = np.empty((rect.height, rect.width, 4), dtype=np.float32)
        self.read_into(out, rect, level)
        return out

    def read_into(self, out: FloatImage, rect: Rect, level: int = 0) -> None:
        """`read_float` into an array of that shape, whatever it holds."""
        samples = self.level(level)
        part = rect.intersect(Rect(0, 0, samples.shape[1], samples.shape[0]))
        if part != rect:
            out[...] = 0
        if not part.empty:
            inside = part.shifted(-rect.x0, -rect.y0).slices
            photo_to_float(samples[part.slices], out[inside])


def photo_hash(encoded: bytes) -> str:
    """What recognises a photo: SHA-256 of its file's bytes, in hexadecimal digits."""
    return hashlib.sha256(encoded).hexdigest()


def _halve(samples: Samples) -> Samples:
    import cv2  # not at start-up: the window is up before the first picture is open

    height, width = samples.shape[:2]
    if height % 2 or width % 2:
        samples = cv2.copyMakeBorder(
            samples, 0, height % 2, 0, width % 2, cv2.BORDER_REPLICATE
        )
    size = ((width + 1) // 2, (height + 1) // 2)
    half: Samples = cv2.resize(samples, size, interpolation=cv2.INTER_AREA)
    half.flags.writeable = False
    return half
