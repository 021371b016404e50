"""Camera raw, through the optional package that develops it."""

from __future__ import annotations

import io

from lather.core.arrays import Samples
from lather.errors import PhotoError


def develop(encoded: bytes, name: str, most_megapixels: float) -> Samples:
    """Neutral settings: camera white balance, sRGB, 16 bit; upright.

    Raises
    ------
    PhotoError : the package is missing, or the file cannot be developed.
    """
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
            if sizes.width * sizes.height > most_megapixels * 1e6:
                raise _refusal(
                    name, f"it has more than {most_megapixels} megapixels", "develop it smaller"
                )
            samples: Samples = raw.postprocess(
                output_bps=16,
                use_camera_wb=True,
                no_auto_bright=True,
                gamma=(2.4, 12.92),
                output_color=rawpy.ColorSpace.sRGB,
            )
    except (rawpy.LibRawError, ValueError, MemoryError) as error:
        lines = [line.strip() for line in str(error).splitlines() if line.strip()]
        detail = lines[0] if lines else "unreadable"
        raise _refusal(
            name, f"the raw file cannot be developed ({detail})", "copy it again"
        ) from error
    return samples


def _refusal(name: str, why: str, advice: str) -> PhotoError:
    return PhotoError(f"'{name}' was not opened", why, advice)
