"""A job under the brief and style that the command line gives."""

from __future__ import annotations

import argparse
from dataclasses import replace
from typing import TYPE_CHECKING

from lather.cli.written import did

if TYPE_CHECKING:
    from pathlib import Path

    from lather.document.agreed.written_brief import WrittenBrief
    from lather.document.state import JobState
    from lather.files.exchange.delivery import Delivery


def read_brief_option(options: argparse.Namespace) -> WrittenBrief | None:
    """`--brief`, if there is one; BriefError as `read_brief`."""
    from lather.files.jobs.brief import read_brief

    return None if options.brief is None else read_brief(options.brief)


def briefed(
    state: JobState, held: WrittenBrief | None, style: str | None
) -> tuple[JobState, tuple[str, ...]]:
    """The job under them, and what to tell; a style that is named wins over the brief's."""
    from lather.assist.briefing import taken_over, with_written
    from lather.document import edits
    from lather.document.agreed.brief import refuse_contradictions
    from lather.document.agreed.style import Style

    said: tuple[str, ...] = ()
    if held is not None:
        if style is not None:
            held = replace(held, brief=replace(held.brief, style=Style(style)))
            refuse_contradictions(held.brief)
        _, said = with_written(state, held)
        state = did(state, "Brief from a file", taken_over, held=held)
    elif style is not None:
        state = did(state, "Style", edits.set_style, style=Style(style))
    return state, said


def refuse_identity(state: JobState, refused: str) -> None:
    """`EditError` that begins with `refused` for a picture that must not be retouched."""
    from lather.document.agreed.briefing import refuse_where_forbidden

    refuse_where_forbidden(state, refused)


def with_agreed_ending(options: argparse.Namespace) -> None:
    """OUT without an ending gets that of the first format of the brief that is given."""
    if options.brief is None or options.out.suffix:
        return
    from lather.files.exchange.delivery import ENDINGS

    held = read_brief_option(options)
    assert held is not None
    known = [form for form in held.brief.formats if form.known]
    if known:
        options.out = options.out.with_name(options.out.name + ENDINGS[known[0]][0])


def agreed_size(delivery: Delivery, state: JobState) -> Delivery:
    """As large as the brief says, where it does."""
    from lather.files.exchange.delivery import SizeBy

    side_px = state.brief.delivery_long_side_px
    if side_px is None:
        return delivery
    return replace(delivery, size_by=SizeBy.LONG_SIDE_PX, size=float(side_px))


def not_delivered(out: Path, state: JobState) -> list[str]:
    """What the brief asks to be delivered and one picture cannot be, in sentences."""
    from lather.files.exchange.delivery import ENDINGS

    brief, said = state.brief, []
    formats = [form for form in brief.formats if form.known]
    others = [form.label for form in formats if out.suffix.lower() not in ENDINGS[form]]
    if formats and len(others) == len(formats):
        said.append(f"The brief asks for {' and '.join(others)}; '{out.name}' says otherwise, and "
                    "so it was written.")  # fmt: skip
    elif others:
        said.append(f"The brief asks for {' and '.join(others)} too: not written here.")
    long_side = max(state.photo.width, state.photo.height)
    if brief.delivery_long_side_px is not None and brief.delivery_long_side_px > long_side:
        said.append(f"The brief asks for {brief.delivery_long_side_px} px; the picture has "
                    f"{long_side} px and is not enlarged.")  # fmt: skip
    if brief.more_sizes_px:
        sizes = ", ".join(map(str, brief.more_sizes_px))
        said.append(f"The brief asks for further sizes ({sizes} px), which were not written: "
                    "lather render JOB OUT --long-side PX.")  # fmt: skip
    return said
