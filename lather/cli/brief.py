"""lather brief: write what was agreed on, with what the survey gives reason to ask."""

from __future__ import annotations

import argparse
from pathlib import Path

from lather.cli.briefed import briefed, read_brief_option
from lather.cli.opening import opened_job
from lather.cli.progress import compiled_kernels
from lather.cli.survey import add_scale_argument, check_scale, with_own_survey
from lather.cli.text import tell, write_text
from lather.core.check.limits import STYLES
from lather.errors import UsageError
from lather.files.outputs import Form

READS = ("photo", "brief")
WRITES = {"out": Form.TEXT}
HELP = "write the brief of a portrait: style, limits, what is kept, what to ask"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("photo", type=Path, help="a photo or a .lather job")
    parser.add_argument("out", type=Path, metavar="OUT.json", help="the brief; - for standard out")
    parser.add_argument("--style", choices=STYLES, metavar="S", help=", ".join(STYLES))
    parser.add_argument(
        "--brief", type=Path, metavar="FILE", help="begin with another brief, as a template"
    )
    parser.add_argument(
        "--long-side", type=int, metavar="PX", help="of the picture that is delivered"
    )
    add_scale_argument(parser)


def run(options: argparse.Namespace) -> int:
    from lather.assist.briefing import written_brief, zoom_advice
    from lather.document import edits
    from lather.files.jobs.brief import brief_text

    check_scale(options.mm_per_pixel)
    if options.long_side is not None and options.long_side < 1:
        raise UsageError("No brief was written", f"--long-side {options.long_side} is no size",
                         "give pixels from 1 up")  # fmt: skip
    held = read_brief_option(options)
    state = opened_job(options.photo, options).state
    compiled_kernels()
    state = with_own_survey(state, options)
    state, notices = briefed(state, held, options.style)
    tell(notices)
    if options.long_side is not None:
        state = edits.set_delivery_long_side(state, options.long_side)
    written = written_brief(state)
    brief = written.brief
    lines = [f"style: {brief.style.title}. {brief.style.help}", zoom_advice(state),
             f"{len(written.keep)} marks are to be kept",
             *(f"ask: {text}" for text in written.questions)]  # fmt: skip
    write_text(brief_text(written), options.out, "\n".join(lines))
    return 0
