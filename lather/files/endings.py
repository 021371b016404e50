"""The endings of file names, and what they stand for."""

from __future__ import annotations

JOB, LAYERS = ".lather", ".ora"
RAW = (".dng", ".cr2", ".cr3", ".nef", ".arw", ".raf", ".orf", ".rw2", ".pef", ".srw")
READABLE = (".jpg", ".jpeg", ".png", ".tif", ".tiff", ".webp", *RAW)

WRITABLE_BITS = {
    ".jpg": (8,), ".jpeg": (8,), ".png": (8, 16), ".tif": (8, 16), ".tiff": (8, 16),
    ".webp": (8,),
}  # fmt: skip
DELIVERED = tuple(WRITABLE_BITS)
FLOATS = (".tif", ".tiff")  # 32-bit float
