"""A job under the brief and style that the command line gives."""

from __future__ import annotations

import argparse
from dataclasses import replace
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from lather.document.state import JobState
    from lather.document.written_brief import WrittenBrief


def read_brief_option(options: argparse.Namespace) -> WrittenBrief | None:
    """`--brief`, if there is one; BriefError as `read_brief`."""
    from lather.files.brief import read_brief

    return None if options.brief is None else read_brief(options.brief)


def briefed(
    state: JobState, held: WrittenBrief | None, style: str | None
) -> tuple[JobState, tuple[str, ...]]:
    """The job under them, and what to tell; a style that is named wins over the brief's."""
    from lather.assist.briefing import with_written
    from lather.document import edits
    from lather.document.brief import refuse_contradictions
    from lather.document.style import Style

    said: tuple[str, ...] = ()
    if held is not None:
        if style is not None:
            held = replace(held, brief=replace(held.brief, style=Style(style)))
            refuse_contradictions(held.brief)
        state, said = with_written(state, held)
    elif style is not None:
        state = edits.set_style(state, Style(style))
    return state, said


def refuse_identity(state: JobState) -> None:
    """`EditError` for a picture that must not be retouched."""
    from lather.document.briefing import refuse_where_forbidden

    refuse_where_forbidden(state, "Nothing was retouched")
