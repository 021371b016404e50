"""lather clean: survey a photo and mend every open finding."""

from __future__ import annotations

import argparse
import math
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from lather.cli.opening import opened_job
from lather.cli.progress import report
from lather.cli.survey import add_scale_argument, check_scale
from lather.errors import EditError, UsageError

if TYPE_CHECKING:
    from lather.core.survey.finding import Finding
    from lather.document.findings import Findings

HELP = "survey a photo and mend what is found"
KINDS = (
    "blemish", "blemish.red", "blemish.dark", "blemish.bright", "flake", "crease", "vein", "hair",
    "hair.skin",
)  # fmt: skip


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("photo", type=Path, help="a photo or a .lather job")
    parser.add_argument("out", type=Path, help="the finished picture: .jpg, .png, .tif or .webp")
    parser.add_argument(
        "--kinds", default="blemish", metavar="KIND,...", help=f"of {', '.join(KINDS)}"
    )
    parser.add_argument(
        "--keep", action="append", default=[], metavar="X,Y,R",
        help="a mark that belongs to the person: centre and radius, px; may be repeated",
    )  # fmt: skip
    add_scale_argument(parser)
    parser.add_argument("--job", type=Path, metavar="FILE", help="save the work as a job too")
    parser.add_argument("--depth", type=int, choices=(8, 16), help="default: the photo's own")


def run(options: argparse.Namespace) -> int:
    from lather.actions.delivering import write_pictures
    from lather.core.kernels import prepare_kernels
    from lather.core.work import CancelToken
    from lather.document import edits
    from lather.document.findings import FindingState
    from lather.files.delivery import WRITABLE, Delivery, check_writable
    from lather.files.jobwriter import save_job
    from lather.tools.clean import mend_findings
    from lather.tools.surveying import survey_photo, surveyed, with_survey

    check_scale(options.mm_per_pixel)
    kinds = _kinds(options.kinds)
    marks = [_mark(text) for text in options.keep]
    state = opened_job(options.photo).state
    held = WRITABLE.get(options.out.suffix.lower(), (8,))
    depth_bits = options.depth or min(state.photo.depth_bits, max(held))
    check_writable(options.out, depth_bits)
    prepare_kernels()
    measured = survey_photo(state.photo, mm_per_px=options.mm_per_pixel, progress=report)
    state = with_survey(state, surveyed(measured))
    findings = _with_kept(state.findings, marks)
    state = edits.set_findings(state, findings)
    wanted = [f for f in findings.in_state(FindingState.OPEN) if _is_of(f, kinds)]
    if wanted:
        try:
            state = mend_findings(state, wanted, progress=report)
        except EditError as error:
            print(f"lather: {error.sentence()}", file=sys.stderr)
    left = len(list(state.findings.in_state(FindingState.OPEN)))
    write_pictures(
        state, [(options.out, Delivery(depth_bits=depth_bits, to_srgb=False))], report,
        CancelToken(),
    )  # fmt: skip
    if options.job is not None:
        save_job(state, options.job)
    n_done = len(list(state.findings.in_state(FindingState.DONE)))
    n_kept = len(list(state.findings.in_state(FindingState.KEPT)))
    print(f"{n_done} mended, {n_kept} kept, {left} left open")
    return 0


def _kinds(text: str) -> set[str]:
    wanted = {kind.strip() for kind in text.split(",") if kind.strip()}
    unknown = sorted(wanted - set(KINDS))
    if unknown or not wanted:
        raise UsageError(
            "Nothing was cleaned",
            f"'{unknown[0] if unknown else text}' is not a kind that is mended by itself",
            f"choose from {', '.join(KINDS)}",
        )
    return wanted


def _is_of(finding: Finding, kinds: set[str]) -> bool:
    value = finding.kind.value
    return value in kinds or value.split(".")[0] in kinds


def _mark(text: str) -> tuple[float, float, float]:
    try:
        x, y, radius = (float(part) for part in text.split(","))
    except ValueError:
        raise UsageError(
            "Nothing was cleaned", f"'{text}' is not X,Y,R", "give three numbers in pixels"
        ) from None
    return x, y, radius


def _with_kept(findings: Findings, marks: list[tuple[float, float, float]]) -> Findings:
    """Findings that a keep mark touches are kept."""
    from lather.document.findings import FindingState

    touched = [
        finding.id
        for finding in findings.items
        for x, y, radius in marks
        if math.dist((x, y), (finding.x, finding.y)) < radius + finding.radius_px
    ]
    return findings.decided(touched, FindingState.KEPT)
