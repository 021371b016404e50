"""Opening a large photo."""

from __future__ import annotations

import tempfile
from pathlib import Path

from bench.common import Row, Scale, first_view, large_samples, row


def measure(scale: Scale) -> list[Row]:
    """a 24 megapixel 16-bit TIFF to the first view, against its bare decode"""
    import pyvips

    from lather.document.state import new_state
    from lather.files.exchange.delivery import Delivery, encode_photo
    from lather.files.photos.reading import read_photo

    pyvips.cache_set_max(0)  # otherwise a second decode is only a look-up
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "large.tif"
        encode_photo(large_samples(scale), None, path, Delivery(depth_bits=16))

        def decode() -> None:
            pyvips.Image.new_from_file(str(path)).write_to_memory()

        def view() -> None:
            first_view(new_state(read_photo(path)))

        reference, value = scale.median_ms(decode, 5), scale.median_ms(view, 5)
    return [row("open, 24 MP 16-bit TIFF to first view", value, "ms", target="< 2x",
                ok=value < 2 * reference, reference="bare decode", reference_value=reference)]
