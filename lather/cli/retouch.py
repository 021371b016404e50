"""lather retouch: the assistants, in the order of the stages."""

from __future__ import annotations

import argparse
import json
from contextlib import nullcontext
from pathlib import Path
from typing import TYPE_CHECKING, Any

from lather.assist.stages import stages_built
from lather.cli.briefed import (
    agreed_size,
    briefed,
    not_delivered,
    read_brief_option,
    refuse_identity,
    with_agreed_ending,
)
from lather.cli.check import check_line, status_of
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
from lather.cli.stages import chosen_stages
from lather.cli.survey import add_scale_argument, check_scale, with_new_survey
from lather.cli.text import percent, tell, write_text
from lather.cli.written import (
    add_replace_argument,
    refuse_replacing,
    save_work,
    writable_depth,
)
from lather.core.check.limits import STYLES
from lather.document.layers.layer import Stage
from lather.files.outputs import Form

if TYPE_CHECKING:
    from lather.assist.check.check import Check, Verdict
    from lather.assist.even.scores import Scores
    from lather.assist.retouch import Done, RetouchOptions
    from lather.document.state import JobState

READS = ("photo", "brief")
WRITES = {"out": Form.PICTURE, "job": Form.JOB, "json": Form.TEXT}
HELP = "run the assistants on a photo, by its brief, and check the outcome"
REFUSED = "Nothing was retouched"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    add_common_arguments(parser)
    parser.add_argument(
        "--stages", metavar="STAGE,...",
        help=f"of {', '.join(stage.value for stage in stages_built())}; they run in the order of "
        "the work; default: all",
    )  # fmt: skip


def add_common_arguments(parser: argparse.ArgumentParser) -> None:
    """What `lather even` takes as well."""
    parser.add_argument("photo", type=Path, help="a photo or a .lather job")
    parser.add_argument("out", type=Path, help="the finished picture: .jpg, .png, .tif or "
                        ".webp; without an ending, in the brief's format")
    parser.add_argument(
        "--style", choices=STYLES, metavar="S",
        help=f"how far to go, and what stays: {', '.join(STYLES)}; default: the job's",
    )  # fmt: skip
    parser.add_argument(
        "--brief", type=Path, metavar="FILE", help="what was agreed; see lather brief"
    )
    parser.add_argument(
        "--strength", default="100", metavar="P",
        help="0-100 %% of what each assistant proposes; default 100",
    )
    add_keep_argument(parser)
    parser.add_argument(
        "--doubtful", action="store_true", help="mend what the survey is not sure of, too"
    )
    add_scale_argument(parser)
    parser.add_argument("--job", type=Path, metavar="FILE", help="save the work as a job too")
    add_replace_argument(parser)
    parser.add_argument(
        "--json", type=Path, metavar="FILE", help="what was measured before and after"
    )
    parser.add_argument("--depth", type=int, choices=(8, 16), help="default: the photo's own")


def complete(options: argparse.Namespace) -> None:
    """What OUT leaves open, the brief says."""
    with_agreed_ending(options)


def run(options: argparse.Namespace) -> int:
    chosen = stages_built()
    if options.stages is not None:
        chosen = chosen_stages(options.stages, chosen, REFUSED, "has no assistants yet")
    return run_stages(options, chosen)


def run_stages(options: argparse.Namespace, stages: tuple[Stage, ...]) -> int:
    """Survey, run the assistants, write what was asked for; what the check says is the status."""
    from lather.actions.job.claiming import claimed
    from lather.assist.retouch import RetouchOptions

    check_scale(options.mm_per_pixel)
    strength = percent(options.strength, "--strength", REFUSED)
    wanted = RetouchOptions(stages, strength, options.doubtful)
    marks = read_marks(options.keep, REFUSED)
    state = opened_job(options.photo, options).state
    check_inside(marks, state.photo, REFUSED)
    depth_bits = writable_depth(options, state.photo)
    with claimed(options.job) if options.job is not None else nullcontext():
        refuse_replacing(options.job, may=options.replace)
        verdict = _retouch(state, wanted, marks, depth_bits, options)
    return status_of(verdict)


def _retouch(
    state: JobState, wanted: RetouchOptions, marks: list[Mark], depth_bits: int,
    options: argparse.Namespace,
) -> Verdict:
    from lather.actions.job.delivering import write_pictures
    from lather.assist.check.check import whole_check
    from lather.assist.even.scores import skin_scores
    from lather.assist.retouch import retouch
    from lather.files.exchange.delivery import Delivery

    held = read_brief_option(options)
    refuse_identity(briefed(state, held, options.style)[0], REFUSED)
    compiled_kernels()
    state = with_new_survey(state, options)
    state, notices = briefed(state, held, options.style)
    tell(notices)
    state = with_marks_kept(state, marks)
    begun = state
    state, done = retouch(state, wanted, progress=report, cancel=asked())
    tell_of_area(begun, state, REFUSED)
    scores = skin_scores(state, progress=report, cancel=asked())
    checked = whole_check(state, progress=report, cancel=asked())
    delivery = Delivery(depth_bits=depth_bits, to_srgb=False)
    if held is not None:
        delivery = agreed_size(delivery, state)
        tell(not_delivered(options.out, state))
    write_pictures(state, [(options.out, delivery)], report, asked())
    if options.job is not None:
        save_work(state, options.job)
    text = json.dumps(_facts(done, scores, checked), indent=1) if options.json is not None else ""
    tell(f"{one.proposal.name}: {why}" for one in done for why in one.proposal.reasons)
    write_text(text, options.json, _as_text(done, checked))
    return checked.verdict


def _facts(done: list[Done], scores: Scores, checked: Check) -> dict[str, Any]:
    return {
        "assistants": [
            {
                "stage": one.stage.value, "name": one.proposal.name,
                "proposed": one.proposal.refusal is None,
                "reasons": list(one.proposal.reasons) if one.proposal.refusal is None
                else [one.proposal.refusal.sentence()],
                "measures": [
                    {"name": m.name, "unit": m.unit, "before": round(m.before, 3),
                     "after": round(m.after, 3)}
                    for m in one.proposal.measures
                ],
            }
            for one in done
        ],
        "parts": {part.value: scores.facts(part) for part in scores.parts},
        "beyond": list(scores.said),
        "check": checked.facts(),
    }  # fmt: skip


def _as_text(done: list[Done], checked: Check) -> str:
    lines = []
    for one in done:
        proposal = one.proposal
        if proposal.refusal is not None:
            lines.append(f"{proposal.name}: {proposal.refusal.sentence()}")
            continue
        figures = "; ".join(f"{m.name} {m.before:.3g} -> {m.after:.3g} {m.unit}".rstrip()
                            for m in proposal.measures)  # fmt: skip
        lines.append(f"{proposal.name}: {figures}")
    lines.append(check_line(checked))
    return "\n".join(lines)
