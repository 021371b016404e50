"""lather check: what a retouch did, against the photo and the brief."""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import TYPE_CHECKING

from lather.cli.briefed import briefed, read_brief_option
from lather.cli.ending import asked
from lather.cli.opening import opened_job
from lather.cli.progress import compiled_kernels, report
from lather.cli.survey import add_scale_argument, check_scale, with_own_survey
from lather.cli.text import tell, write_text
from lather.files.outputs import Form

if TYPE_CHECKING:
    from lather.assist.check.check import Check, Checked, Verdict
    from lather.assist.check.lever import Causes

READS = ("job", "brief")
WRITES = {"json": Form.TEXT}
HELP = "measure what a retouch did, against the photo and the brief"
OVERDONE = 3  # exit status


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("job", type=Path, help="a .lather job")
    parser.add_argument(
        "--brief", type=Path, metavar="FILE", help="check against another brief than the job's"
    )
    parser.add_argument(
        "--levers", action="store_true",
        help="find which layer does it, and what would bring it back",
    )  # fmt: skip
    add_scale_argument(parser)
    parser.add_argument("--json", type=Path, metavar="FILE", help="all measures as JSON")


def run(options: argparse.Namespace) -> int:
    from lather.assist.check.check import check
    from lather.assist.check.lever import NO_CAUSES, find_causes

    check_scale(options.mm_per_pixel)
    held = read_brief_option(options)
    state = opened_job(options.job, options).state
    compiled_kernels()
    state = with_own_survey(state, options)
    state, notices = briefed(state, held, None)
    tell(notices)
    checked = check(state, progress=report, cancel=asked())
    causes = NO_CAUSES
    if options.levers:
        causes = find_causes(state, checked, progress=report, cancel=asked())
    facts = checked.facts()
    if options.levers:
        for entry in facts["rows"]:
            if entry["id"] in causes.layers:
                entry["layer"] = causes.layers[entry["id"]]
        facts["levers"] = [
            {"id": lever.row_id, "layer": lever.layer_name, "strength": lever.strength,
             "instead_of": lever.now, "share_of_limit": round(lever.share, 3),
             "is_enough": lever.is_enough}
            for lever in causes.levers.values() if lever is not None
        ]  # fmt: skip
    text = json.dumps(facts, indent=1) if options.json is not None else ""
    write_text(text, options.json, _as_text(checked, causes))
    return status_of(checked.verdict)


def status_of(verdict: Verdict) -> int:
    """The exit status that a verdict is."""
    from lather.assist.check.check import Verdict

    return OVERDONE if verdict is Verdict.OVERDONE else 0


def check_line(checked: Check) -> str:
    """The verdict and what speaks for it, a line each."""
    lines = [f"check: {checked.verdict.value}"]
    lines += [f"  {reason}" for reason in checked.reasons]
    return "\n".join(lines)


def _as_text(checked: Check, causes: Causes) -> str:
    default = " (no brief was written: these are the defaults)"
    style = checked.brief.style.title + (default if checked.brief.is_default else "")
    lines = [f"style: {style}"]
    lines += [_row(row) for row in checked.rows]
    lines += [f"  {lever.sentence()}" for lever in causes.levers.values() if lever is not None]
    lines.append(check_line(checked))
    return "\n".join(lines)


def _row(row: Checked) -> str:
    mark = "!" if row.is_beyond else " "
    share = "" if row.reading.value is None else f"{row.share:4.0%} of the way"
    return (f"{mark} {row.row.title:<26} {row.value_text:<14} {row.limit_text:<18} "
            f"{share}").rstrip()  # fmt: skip
