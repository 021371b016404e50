"""lather split: a photo as tone and texture."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from lather.cli.opening import opened_job
from lather.cli.survey import add_scale_argument, check_scale, with_own_survey
from lather.errors import UsageError
from lather.files.outputs import Form

if TYPE_CHECKING:
    from lather.document.state import JobState

READS = ("photo",)
WRITES = {"tone": Form.FLOATS, "texture": Form.FLOATS}
HELP = "write a photo's tone and texture, 32-bit float"
AUTO = "auto"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("photo", type=Path, help="a photo or a .lather job: its photo")
    parser.add_argument(
        "--tone", type=Path, required=True, metavar="OUT.tif", help="what is larger, 0-1"
    )
    parser.add_argument(
        "--texture", type=Path, required=True, metavar="OUT.tif", help="the rest, signed"
    )
    parser.add_argument(
        "--sigma", default=AUTO, metavar="auto|PX",
        help="radius of the blur between them; auto: measured on this skin",
    )  # fmt: skip
    add_scale_argument(parser)


def run(options: argparse.Namespace) -> int:
    from lather.cli.progress import compiled_kernels
    from lather.core.tone.split import MIDDLE, split
    from lather.files.exchange.floats import write_floats
    from lather.render.compositor import render_photo

    check_scale(options.mm_per_pixel)
    sigma_px = _sigma(options.sigma)
    state = opened_job(options.photo, options).state
    compiled_kernels()
    sigma_px, said = _measured(state, options) if sigma_px is None else (sigma_px, "")
    pixels = render_photo(state.photo, state.photo.rect)
    tone, texture = split(pixels, state.photo.rect, sigma_px)
    write_floats(tone[..., :3], state.photo.profile, options.tone)
    write_floats(texture[..., :3] - MIDDLE, state.photo.profile, options.texture)
    print(f"sigma {sigma_px:g} px{said}")
    return 0


def _sigma(text: str) -> float | None:
    """The radius that was given; None for the measured one."""
    from lather.document.layers.split import SplitParameters

    if text == AUTO:
        return None
    spec = SplitParameters.specs()["sigma_px"]
    refused, hint = f"--sigma {text} was not used", "for example auto, or 8"
    try:
        sigma_px = spec.read(text)
    except ValueError as error:
        raise UsageError(refused, "it is neither auto nor a number", hint) from error
    try:
        return float(spec.checked(sigma_px))
    except ValueError as error:
        raise UsageError(refused, str(error), hint) from error


def _measured(state: JobState, options: argparse.Namespace) -> tuple[float, str]:
    from lather.assist.split_radius import split_radius

    state = with_own_survey(state, options)
    found = split_radius(state)
    mm_per_px = state.findings.mm_per_px or 0.0
    return found.sigma_px, f", {found.sigma_px * mm_per_px:.2f} mm, measured on the skin"
