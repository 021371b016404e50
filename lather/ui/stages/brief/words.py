"""What the Brief stage says beside its page: what to ask the client, and the usual caution."""

from __future__ import annotations

from lather.actions.findings.finding import is_surveyed
from lather.actions.job.delivering import DELIVERY_CAUTION
from lather.actions.stages import table
from lather.actions.workbench import Workbench
from lather.assist.briefing import questions
from lather.document.layers.layer import Stage


def words(stage: Stage, bench: Workbench) -> str:
    parts = table.row(stage).intro, _ask_client(bench), DELIVERY_CAUTION
    return "\n\n".join(part for part in parts if part)


def _ask_client(bench: Workbench) -> str:
    """What to ask before the work begins."""
    asked = questions(bench.state) if is_surveyed(bench) else ()
    lines = "\n".join(f"•  {question.text}" for question in asked)
    return f"ASK THE CLIENT\n{lines}" if asked else ""
