"""lather clean: survey a photo and mend every open finding."""

from __future__ import annotations

import argparse
from contextlib import nullcontext
from pathlib import Path
from typing import TYPE_CHECKING

from lather.cli.briefed import refuse_identity
from lather.cli.ending import asked
from lather.cli.limited import tell_of_area
from lather.cli.marks import (
    Mark,
    add_keep_argument,
    check_inside,
    read_marks,
    with_marks_kept,
)
from lather.cli.opening import opened_job
from lather.cli.progress import compiled_kernels, report
from lather.cli.survey import add_scale_argument, check_scale, with_new_survey
from lather.cli.text import tell
from lather.cli.written import (
    add_replace_argument,
    done,
    refuse_replacing,
    save_work,
    writable_depth,
)
from lather.errors import UsageError
from lather.files.outputs import Form

if TYPE_CHECKING:
    from lather.document.state import JobState

READS = ("photo",)
WRITES = {"out": Form.PICTURE, "job": Form.JOB}
HELP = "survey a photo and mend what is found"
REFUSED = "Nothing was cleaned"
KINDS = (
    "blemish", "blemish.red", "blemish.dark", "blemish.bright", "blemish.milk_spot", "flake",
    "crease", "vein", "hair", "hair.skin",
)  # fmt: skip


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("photo", type=Path, help="a photo or a .lather job")
    parser.add_argument("out", type=Path, help="the finished picture: .jpg, .png, .tif or .webp")
    parser.add_argument(
        "--kinds", default="blemish", metavar="KIND,...", help=f"of {', '.join(KINDS)}"
    )
    add_keep_argument(parser)
    parser.add_argument(
        "--doubtful", action="store_true", help="mend what the survey is not sure of, too"
    )
    add_scale_argument(parser)
    parser.add_argument("--job", type=Path, metavar="FILE", help="save the work as a job too")
    add_replace_argument(parser)
    parser.add_argument("--depth", type=int, choices=(8, 16), help="default: the photo's own")


def run(options: argparse.Namespace) -> int:
    from lather.actions.job.claiming import claimed

    check_scale(options.mm_per_pixel)
    kinds = _kinds(options.kinds)
    marks = read_marks(options.keep, REFUSED)
    state = opened_job(options.photo, options).state
    refuse_identity(state, REFUSED)
    check_inside(marks, state.photo, REFUSED)
    depth_bits = writable_depth(options, state.photo)
    with claimed(options.job) if options.job is not None else nullcontext():
        refuse_replacing(options.job, may=options.replace)
        _clean(state, kinds, marks, depth_bits, options)
    return 0


def _clean(
    state: JobState, kinds: set[str], marks: list[Mark], depth_bits: int,
    options: argparse.Namespace,
) -> None:
    from lather.actions.job.delivering import write_pictures
    from lather.assist.pending import Pending
    from lather.assist.proposal import Meant
    from lather.assist.request import Request
    from lather.document.findings import FindingState
    from lather.files.exchange.delivery import Delivery

    compiled_kernels()
    state = with_marks_kept(with_new_survey(state, options), marks)
    request = Request("clean.mends", Meant(kinds=frozenset(kinds), doubtful=options.doubtful))
    proposal = request.proposal(state, progress=report, cancel=asked())
    tell_of_area(state, proposal.after, REFUSED)
    call = Pending.of(proposal, request=request).call()
    state = done(state, proposal.after, proposal.name, call)
    tell(proposal.reasons)
    delivery = Delivery(depth_bits=depth_bits, to_srgb=False)
    write_pictures(state, [(options.out, delivery)], report, asked())
    if options.job is not None:
        save_work(state, options.job)
    n_done, n_kept, n_left = (
        len(list(state.findings.in_state(which)))
        for which in (FindingState.DONE, FindingState.KEPT, FindingState.OPEN)
    )
    print(f"{n_done} mended, {n_kept} kept, {n_left} left open")


def _kinds(text: str) -> set[str]:
    wanted = {kind.strip() for kind in text.split(",") if kind.strip()}
    unknown = sorted(wanted - set(KINDS))
    if unknown or not wanted:
        raise UsageError(
            REFUSED,
            f"'{unknown[0] if unknown else text}' is not a kind that is mended by itself",
            f"choose from {', '.join(KINDS)}",
        )
    return wanted
