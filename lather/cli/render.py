"""lather render: a job or photo to a finished picture."""

from __future__ import annotations

import argparse
from pathlib import Path

from lather.cli.ending import asked
from lather.cli.opening import opened_job
from lather.cli.parameters import with_settings
from lather.cli.progress import compiled_kernels, report
from lather.cli.text import complain, tell
from lather.files import endings
from lather.files.outputs import Form

READS = ("job",)
WRITES = {"out": Form.LAYERED}
HELP = "write a job's finished picture"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("job", type=Path, help="a .lather job or a photo")
    parser.add_argument("out", type=Path, help=".jpg, .png, .tif, .webp, or .ora with all layers")
    parser.add_argument(
        "--set", action="append", default=[], metavar="LAYER.PARAMETER=VALUE", dest="settings",
        help="another value of a layer's parameter, by the layer's name or id; may be repeated "
        "(lather info --json lists them; a curve is 'x:y x:y ...')",
    )  # fmt: skip
    parser.add_argument("--depth", type=int, choices=(8, 16), default=8, help="bits per channel")
    parser.add_argument("--keep-profile", action="store_true", help="do not convert to sRGB")
    parser.add_argument("--long-side", type=int, metavar="PX", help="reduce to this long side")
    parser.add_argument("--quality", type=int, default=92, metavar="1-100", help="of JPEG and WebP")
    parser.add_argument(
        "--metadata",
        choices=("all", "no location", "copyright only"),
        default="no location",
        help="what the picture carries of the photo's EXIF, XMP and IPTC",
    )


def run(options: argparse.Namespace) -> int:
    from lather.actions.job.delivering import write_pictures
    from lather.errors import UsageError
    from lather.files.exchange.delivery import Delivery, SizeBy, check_writable
    from lather.files.photos.metadata import Keep

    if not 1 <= options.quality <= 100:
        raise UsageError("Nothing was rendered", "--quality is outside 1-100", "use 85 to 95")
    if options.long_side is not None and options.long_side < 1:
        raise UsageError("Nothing was rendered", "--long-side is below 1", "give it in pixels")
    if options.out.suffix.lower() == endings.LAYERS:
        return _write_layers(options)
    check_writable(options.out, options.depth)
    state = with_settings(opened_job(options.job, options).state, options.settings)
    compiled_kernels()
    delivery = Delivery(
        depth_bits=options.depth,
        to_srgb=not options.keep_profile,
        quality=options.quality,
        size_by=SizeBy.FULL if options.long_side is None else SizeBy.LONG_SIDE_PX,
        size=options.long_side or 0,
        keep=Keep(options.metadata),
    )
    write_pictures(state, [(options.out, delivery)], report, asked())
    long_side = max(state.photo.width, state.photo.height)
    if options.long_side is not None and options.long_side > long_side:
        tell([f"--long-side {options.long_side} is more than the picture has ({long_side} px): it "
              "was written at full size, since pictures are not enlarged."])  # fmt: skip
    return 0


def _write_layers(options: argparse.Namespace) -> int:
    from lather.actions.job.delivering import write_layers
    from lather.files.exchange.carried import not_carried

    state = with_settings(opened_job(options.job, options).state, options.settings)
    compiled_kernels()
    write_layers(state, options.out, report, asked())
    for loss in not_carried(state):
        complain(f"not carried: {loss}")
    return 0
