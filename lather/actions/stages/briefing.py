"""Commands of the brief: from a file, to a file, what is to be kept."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from lather.actions.action import Action, Run, has_job
from lather.actions.job.saving import may_replace, suggested
from lather.actions.workbench import Workbench
from lather.core.bounds import LARGEST_SIDE_PX
from lather.document import edits
from lather.document.agreed.brief import Brief
from lather.document.agreed.briefing import set_brief
from lather.document.agreed.style import Style
from lather.document.findings import FindingState
from lather.errors import BriefError
from lather.files.outputs import with_ending

ENDING = ".json"


def change_brief(bench: Workbench, what: str, **values: Any) -> None:
    """Some of the brief as it is typed: one step for each thing, however often it changes."""
    from dataclasses import replace

    brief = replace(bench.state.brief, **values)
    bench.change("Brief", set_brief, brief, gesture=("brief", what))


def sizes_of(text: str) -> tuple[int, ...]:
    """Long sides in pixels, as they are typed: '2048, 1080'; `BriefError` for what is none."""
    words = text.replace(",", " ").replace("px", " ").split()
    if not all(word.isdigit() and 0 < int(word) <= LARGEST_SIDE_PX for word in words):
        raise BriefError("The sizes stay as they were", f"'{text}' is no list of pixels",
                         "type long sides like 2048, 1080")  # fmt: skip
    return tuple(dict.fromkeys(map(int, words)))


def open_brief(bench: Workbench) -> None:
    """A brief's file becomes this job's; one of another photo is a template."""
    path = bench.ask.brief_to_open()
    if path is not None:
        take_brief(bench, path)


def take_brief(bench: Workbench, path: Path) -> None:
    from lather.assist.briefing import taken_over, with_written
    from lather.files.jobs.brief import read_brief

    held = read_brief(path)
    _, said = with_written(bench.state, held)
    bench.change("Brief from a file", taken_over, held)
    bench.say(" ".join((f"The brief is that of '{path.name}'.", *said)))


def save_brief(bench: Workbench) -> None:
    """The brief as a file that can be used again."""
    from lather.assist.briefing import written_brief
    from lather.files.jobs.brief import write_brief

    path = bench.ask.brief_to_save(suggested(bench.open_job, f" brief{ENDING}"))
    if path is None:
        return
    target = with_ending(path, ENDING)
    if may_replace(bench, target):
        write_brief(target, written_brief(bench.state))
        bench.say(f"The brief was written: {target.name}")


def keep_or_not(bench: Workbench, ids: Sequence[int], keep: bool) -> None:
    """What the client said of marks: they stay, or they may go."""
    decision = FindingState.KEPT if keep else FindingState.OPEN
    bench.change("Keep" if keep else "May go", edits.decide, list(ids), decision)


def clear_brief(bench: Workbench) -> None:
    """The defaults again; what was decided of marks stays."""
    size = bench.state.brief.delivery_long_side_px
    bench.change("Clear the brief", set_brief, Brief(delivery_long_side_px=size))


def _style(style: Style) -> Run:
    return lambda bench: bench.change("Style", edits.set_style, style)


def _is_style(bench: Workbench, style: Style) -> bool:
    return bench.job is not None and bench.state.brief.style is style


ACTIONS = (
    *(
        Action(f"brief.{style.value}", f"Style: {style.value}", style.help, "Brief",
               _style(style), enabled=has_job,
               checked=lambda bench, style=style: _is_style(bench, style))  # type: ignore[misc]
        for style in Style
    ),
    Action("brief.open", "Brief from a file…",
           "Take a brief over; one that was written for another photo is a template.", "Brief",
           open_brief, enabled=has_job),
    Action("brief.save", "Brief to a file…",
           "Write the brief as JSON, to be used again and read by `lather retouch`.", "Brief",
           save_brief, enabled=has_job),
    Action("brief.clear", "Clear the brief", "The defaults again: groomed, everything to do.",
           "Brief", clear_brief, enabled=has_job),
)  # fmt: skip
