"""lather shape: push what is in a picture, by numbers."""

from __future__ import annotations

import argparse
import math
from pathlib import Path
from typing import TYPE_CHECKING

from lather.cli.opening import opened_job
from lather.cli.progress import compiled_kernels, report
from lather.cli.survey import add_scale_argument, check_scale, with_own_survey
from lather.cli.text import percent
from lather.cli.written import add_replace_argument, did, done, refuse_replacing, save_work
from lather.errors import UsageError
from lather.files.endings import JOB
from lather.files.outputs import Form

if TYPE_CHECKING:
    from lather.assist.shape.measures import ShapeMeasures
    from lather.core.survey.regions.region import Part, Region
    from lather.document.photo import Photo
    from lather.document.state import JobState

READS = ("job",)
WRITES = {"out": Form.JOB}
HELP = "push what is in a picture, mirrored and with regions held"
REFUSED = "Nothing was reshaped"
LEAST_SIZE_PX, LARGEST_SIDES = 4.0, 2  # of a brush; of the picture's longer side

Push = tuple[float, float, float, float, float]  # x0, y0, x1, y1, size px


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("job", type=Path, help="a .lather job; or a photo, with OUT")
    parser.add_argument(
        "out", type=Path, nargs="?", help="the job to write; default: the job itself is changed"
    )
    parser.add_argument(
        "--push", action="append", required=True, metavar="X0,Y0,X1,Y1,SIZE",
        help="from and to, and the brush's diameter, px of the photo; may be repeated",
    )  # fmt: skip
    parser.add_argument("--mirror", action="store_true", help="the other half does the same")
    parser.add_argument(
        "--hold", default="", metavar="REGION,...", help="regions that do not move: lips,brows ..."
    )
    parser.add_argument(
        "--give", default="100", metavar="P", help="how far skin follows, 0-100 %%; default 100"
    )
    parser.add_argument(
        "--let-bend", action="store_true", help="straight lines behind the person may bend"
    )
    add_scale_argument(parser)
    add_replace_argument(parser)


def run(options: argparse.Namespace) -> int:
    from lather.actions.job.claiming import claimed
    from lather.document.scale import set_scale

    check_scale(options.mm_per_pixel)
    pushes = [_push(text) for text in options.push]
    regions = _regions(options.hold)
    give = percent(options.give, "--give", REFUSED)
    target = options.out or options.job
    if options.out is None and options.job.suffix.lower() != JOB:
        raise UsageError(REFUSED, f"'{options.job.name}' is a photo, which is never changed",
                         "name the job to write as well")  # fmt: skip
    with claimed(target):
        refuse_replacing(options.out, may=options.replace)
        job = opened_job(options.job, options)
        _check_inside(pushes, job.state.photo)
        compiled_kernels()
        state = with_own_survey(job.state, options) if options.mirror or regions else job.state
        if options.mm_per_pixel is not None:
            state = did(state, "Set the scale", set_scale, mm_per_px=options.mm_per_pixel)
        state = _shaped(state, pushes, regions, give, options)
        save_work(state, target)
    from lather.assist.shape.measures import shape_measures

    measures = shape_measures(state)
    assert measures is not None
    print(told(measures, has_scale=state.findings.mm_per_px is not None))
    return 0


def told(measures: ShapeMeasures, *, has_scale: bool) -> str:
    """The measures in a line; in pixels alone where nothing says how large a millimetre is."""
    if not has_scale:
        return (f"moved up to {measures.largest_px:.1f} px; stretched "
                f"{measures.least_stretched:.0%}-{measures.most_stretched:.0%}")  # fmt: skip
    parts = [f"moved up to {measures.largest_mm:.2f} mm ({measures.largest_px:.1f} px)"]
    if measures.share is not None and measures.limit_share is not None:
        parts.append(
            f"{measures.share:.1%} of the face's width, limit {measures.limit_share:.1%}"
            + (": beyond it" if measures.is_beyond else "")
        )
    parts.append(f"{measures.moved_cm2:.1f} cm2 moved")
    parts.append(f"stretched {measures.least_stretched:.0%}-{measures.most_stretched:.0%}")
    return "; ".join(parts)


def _shaped(
    state: JobState, pushes: list[Push], regions: list[Region | Part], give: float,
    options: argparse.Namespace,
) -> JobState:
    from lather.assist.shape.shape import hold_region
    from lather.core.brush.stroke import Brush, PenSample
    from lather.document.painting.strokes import as_kept
    from lather.errors import EditError
    from lather.tools.base import Hand, ShapeHand
    from lather.tools.drawing import drawn

    for region in regions:
        state = did(state, f"Hold {region.label}", hold_region, region=region)
    shape = ShapeHand(mirrored=options.mirror, keeps_straight=not options.let_bend)
    for n, (x0, y0, x1, y1, size_px) in enumerate(pushes):
        report(n / len(pushes), "pushing")
        hand = Hand("push", Brush(size_px, hardness=0.0, flow=give), shape=shape)
        samples = PenSample(0.0, x0, y0), PenSample(1.0, x1, y1)
        pushed = drawn(state, hand, [as_kept(sample, 0.0) for sample in samples])
        if pushed is None:
            raise EditError(REFUSED, f"push {n + 1} moves nothing", "give it a way to go")
        outcome, call = pushed
        state = done(state, outcome.apply(state), outcome.name, call)
    report(1.0, "pushed")
    return state


def _push(text: str) -> Push:
    try:
        x0, y0, x1, y1, size_px = (float(part) for part in text.split(","))
    except ValueError:
        raise _no_push(text, "is not X0,Y0,X1,Y1,SIZE") from None
    if not all(map(math.isfinite, (x0, y0, x1, y1, size_px))) or size_px <= 0:
        raise _no_push(text, "has no place or no size")
    if (x0, y0) == (x1, y1):
        raise _no_push(text, "goes nowhere")
    return x0, y0, x1, y1, size_px


def _check_inside(pushes: list[Push], photo: Photo) -> None:
    for push in pushes:
        text, size = ",".join(f"{value:g}" for value in push), f"{photo.width} x {photo.height}"
        for x, y, which in ((*push[:2], "begins"), (*push[2:4], "ends")):
            if not photo.rect.contains_point(x, y):
                raise _no_push(text, f"{which} outside of the {size} picture")
        largest_px = LARGEST_SIDES * max(photo.width, photo.height)
        if not LEAST_SIZE_PX <= push[4] <= largest_px:
            raise _no_push(text, f"has a size beyond {LEAST_SIZE_PX:g} to {largest_px} px")


def _no_push(text: str, why: str) -> UsageError:
    advice = "give five numbers in pixels: from, to, and a diameter above 0"
    return UsageError(REFUSED, f"--push: '{text}' {why}", advice)


def _regions(text: str) -> list[Region | Part]:
    from lather.core.survey.regions.region import REGIONS_AND_PARTS

    known = {region.value: region for region in REGIONS_AND_PARTS}
    names = [name.strip() for name in text.split(",") if name.strip()]
    for name in names:
        if name not in known:
            raise UsageError(REFUSED, f"--hold: '{name}' is no region",
                             f"choose from {', '.join(known)}")  # fmt: skip
    return [known[name] for name in names]
