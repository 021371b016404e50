"""Opening a large photo."""

from __future__ import annotations

import tempfile
from pathlib import Path

from bench.common import Row, Scale, large_samples, row


def measure(scale: Scale) -> list[Row]:
    """a 24 megapixel 16-bit TIFF to the first view, against its bare decode"""
    import pyvips

    from lather.document.state import new_state
    from lather.files.exchange.delivery import Delivery, encode_photo
    from lather.files.photos.reading import read_photo
    from lather.render.lenses.lens import LensLook
    from lather.render.screen.geometry import ViewGeometry
    from lather.render.screen.view import Shown, TileRequest

    pyvips.cache_set_max(0)  # otherwise a second decode is only a look-up
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "large.tif"
        encode_photo(large_samples(scale), None, path, Delivery(depth_bits=16))

        def decode() -> None:
            pyvips.Image.new_from_file(str(path)).write_to_memory()

        def first_view() -> None:
            photo = read_photo(path)
            state = new_state(photo)
            geometry = ViewGeometry.fitting(photo.width, photo.height, 744, 694)
            for key in geometry.visible.cells(256):
                TileRequest(0, state, Shown.AFTER, geometry.level, key, 0.2, LensLook()).render()

        reference, value = scale.median_ms(decode, 5), scale.median_ms(first_view, 5)
    return [row("open, 24 MP 16-bit TIFF to first view", value, "ms", target="< 2x",
                ok=value < 2 * reference, reference="bare decode", reference_value=reference)]
