"""lather check: what a retouch did, against the photo and the brief."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from lather.cli.briefed import briefed, read_brief_option
from lather.cli.opening import opened_job
from lather.cli.progress import compiled_kernels, report
from lather.cli.survey import add_scale_argument, check_scale, survey_of
from lather.cli.text import write_text
from lather.files.outputs import Form

if TYPE_CHECKING:
    from lather.assist.check.check import Check, Checked
    from lather.assist.check.lever import Lever

READS = ("job", "brief")
WRITES = {"json": Form.TEXT}
HELP = "measure what a retouch did, against the photo and the brief"
OVERDONE = 3  # exit status


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("job", type=Path, help="a .lather job")
    parser.add_argument(
        "--brief", type=Path, metavar="FILE", help="check against another brief than the job's"
    )
    parser.add_argument("--levers", action="store_true", help="find what would bring it back")
    add_scale_argument(parser)
    parser.add_argument("--json", type=Path, metavar="FILE", help="all measures as JSON")


def run(options: argparse.Namespace) -> int:
    from lather.assist.check.check import Verdict, check
    from lather.assist.check.lever import find_lever
    from lather.assist.survey import surveyed, with_survey

    check_scale(options.mm_per_pixel)
    held = read_brief_option(options)
    state = opened_job(options.job, options).state
    compiled_kernels()
    if not state.surveyed:
        state = with_survey(state, surveyed(survey_of(state.photo, options)))
    state, notices = briefed(state, held, None)
    for notice in notices:
        print(f"lather: {notice}", file=sys.stderr)
    checked = check(state, progress=report)
    levers: dict[str, Lever | None] = {}
    for row in checked.beyond if options.levers else ():
        levers[row.row.id] = find_lever(state, row, progress=report)
    facts = checked.facts()
    if options.levers:
        facts["levers"] = [
            {"id": lever.row_id, "layer": lever.layer_name, "strength": lever.strength,
             "instead_of": lever.now, "share_of_limit": round(lever.share, 3),
             "is_enough": lever.is_enough}
            for lever in levers.values() if lever is not None
        ]  # fmt: skip
    text = json.dumps(facts, indent=1) if options.json is not None else ""
    write_text(text, options.json, _as_text(checked, levers))
    return OVERDONE if checked.verdict is Verdict.OVERDONE else 0


def check_line(checked: Check) -> str:
    """The verdict and what speaks for it, a line each."""
    lines = [f"check: {checked.verdict.value}"]
    lines += [f"  {reason}" for reason in checked.reasons]
    return "\n".join(lines)


def _as_text(checked: Check, levers: dict[str, Lever | None]) -> str:
    default = " (no brief was written: these are the defaults)"
    style = checked.brief.style.title + (default if checked.brief.is_default else "")
    lines = [f"style: {style}"]
    lines += [_row(row) for row in checked.rows]
    lines += [f"  {lever.sentence()}" for lever in levers.values() if lever is not None]
    lines.append(check_line(checked))
    return "\n".join(lines)


def _row(row: Checked) -> str:
    mark = "!" if row.is_beyond else " "
    share = "" if row.reading.value is None else f"{row.share:4.0%} of the way"
    return (f"{mark} {row.row.title:<26} {row.value_text:<14} {row.limit_text:<18} "
            f"{share}").rstrip()  # fmt: skip
