"""Asking an assistant as an operation: what it proposes then is taken over."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from lather.assist.looking import is_to_be_looked_in, look, with_found
from lather.assist.pending import Pending
from lather.assist.request import Request, assistants
from lather.assist.survey import measured_anew, with_survey_meanwhile
from lather.document.operations.operation import Again
from lather.document.state import JobState
from lather.operations.arguments import (
    COUNT,
    FINDINGS,
    FLAG,
    PARTS,
    SHARE,
    STAGE,
    TEXT,
    Argument,
    number,
    optional,
)
from lather.operations.kind import Doing, Kind

PREFIX = "assist."
_TAKES: Mapping[str, Argument] = {
    "ids": FINDINGS,
    "kinds": Argument("kinds of findings", list, lambda values: [TEXT.read(v) for v in values]),
    "doubtful": FLAG, "nth_source": COUNT, "strength": SHARE, "parts": PARTS, "hidden": FLAG,
}  # fmt: skip


def ask_again(doing: Doing) -> JobState:
    """What an assistant proposes now, taken over as far as it was then; its refusal is raised."""
    given = doing.operation.arguments
    read: dict[str, Any] = {name: argument.read(given[name])
                            for name, argument in _TAKES.items() if name in given}  # fmt: skip
    request = Request.of(doing.operation.id.removeprefix(PREFIX), read)
    proposal = request.proposal(doing.begun, progress=doing.progress, cancel=doing.cancel)
    if proposal.refusal is not None:
        raise proposal.refusal
    pending = replace(Pending.of(proposal, request=request), parts=read.get("parts", ()))
    if "strength" in read:
        pending = replace(pending, strength=read["strength"])
    taken = pending.taken_hidden if read.get("hidden") else pending.taken
    return taken(doing.now).state


def _survey_again(doing: Doing) -> JobState:
    scale = _SURVEY["mm_per_px"].read(doing.operation.arguments.get("mm_per_px"))
    new = measured_anew(doing.begun, scale, progress=doing.progress, cancel=doing.cancel)
    return with_survey_meanwhile(doing.begun, doing.now, new).state


def _look_again(doing: Doing) -> JobState:
    stage = STAGE.read(doing.operation.arguments["stage"])
    if not is_to_be_looked_in(doing.now, stage):
        return doing.now
    found = look(doing.begun, stage, progress=doing.progress, cancel=doing.cancel)
    return with_found(doing.now, stage, found)


_SURVEY: Mapping[str, Argument] = {"mm_per_px": optional(number("mm per px", 1e-6, 1e6))}
ASSISTANTS = (
    Kind("finding.survey", "the portrait measured", _survey_again, _SURVEY, Again.MEANING),
    Kind("stage.look", "what a stage decides on looked for", _look_again, {"stage": STAGE},
         Again.MEANING),
    *(Kind(f"{PREFIX}{name}", f"what the assistant '{name}' proposes", ask_again, _TAKES,
           Again.MEANING) for name in assistants()),
)  # fmt: skip
