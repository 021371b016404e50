"""The walk along the worklist: from finding to finding, with the advised brush in the hand."""

from __future__ import annotations

from lather.actions.looking.view import CLOSE_ZOOM, go_close
from lather.actions.stages.table import BEGINS_IN
from lather.actions.workbench import Workbench
from lather.core.rect import Rect
from lather.core.survey.findings.finding import Finding
from lather.document.layers.layer import Stage
from lather.tools.source import SourceGoes

PATCH_ON_SCREEN_PX = 420.0


def look_at(bench: Workbench, finding: Finding) -> None:
    """Centre the picture on a finding, with the advised tool and brush in the hand; one of another
    stage leads there and leaves the hand alone."""
    from lather.core.survey.findings.advice import advice_for

    led_away = finding.kind.stage != bench.stage.value
    bench.show_stage(Stage(finding.kind.stage))
    _put_by(bench, finding)
    bench.walk.go_to(finding.id)
    wanted = CLOSE_ZOOM
    if finding.kind.is_patch:  # all of it is looked at
        wanted = min(wanted, PATCH_ON_SCREEN_PX / (2 * finding.reach_px))
    go_close(bench, Rect.around(finding.x, finding.y, 1), wanted)
    advice = advice_for(finding)
    if advice is not None and not led_away:
        bench.hands.take_tool(advice.tool)
        if advice.tool == "copy_from_source":
            bench.hands.set_source_goes(SourceGoes.FRESH)
        bench.hands.set_brush(
            size_px=advice.size_px, hardness=advice.hardness, opacity=advice.opacity, flow=1.0
        )
        bench.hands.set_mode(advice.mode)


def step(bench: Workbench, by: int, *, decided: bool = False) -> None:
    """To the next finding that is open, or that is decided, of the stage or else of the first."""
    findings = bench.state.findings
    stage = bench.stage if findings.of_stage(bench.stage.value) else BEGINS_IN
    finding = bench.walk.step(findings, by, stage.value, decided=decided)
    if finding is not None:
        look_at(bench, finding)
        return
    if decided:
        bench.say("No finding is decided yet.")
        return
    bench.walk.go_to(None)
    if bench.walk.under_way:
        bench.say("The last ones are being mended.")
    else:
        bench.say("Every finding is decided.")


def _put_by(bench: Workbench, finding: Finding) -> None:
    """What was proposed for the finding before goes with it."""
    pending = bench.pending
    if pending is not None and pending.is_for_one and finding.id not in pending.ids:
        bench.set_pending(None)
