"""Stages as the command line takes them: names as in files, apart by commas."""

from __future__ import annotations

from collections.abc import Sequence

from lather.assist.stages import in_order
from lather.document.layers.layer import Stage
from lather.errors import UsageError


def chosen_stages(
    text: str, among: Sequence[Stage], refused: str, lacking: str
) -> tuple[Stage, ...]:
    """Those of `among` that a text names, in the order of the work; a stage that is none of them
    is `lacking` something."""
    names = [name.strip() for name in text.split(",") if name.strip()]
    wrong = [name for name in names if name not in {stage.value for stage in among}]
    if wrong or not names:
        known = {stage.value for stage in in_order()}
        why = "is no stage" if not wrong or wrong[0] not in known else lacking
        raise UsageError(refused, f"'{wrong[0] if wrong else text}' {why}",
                         f"choose from {', '.join(stage.value for stage in among)}")  # fmt: skip
    return tuple(stage for stage in among if stage.value in names)
