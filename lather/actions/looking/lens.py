"""Commands on the lenses: ways of looking that change only the view."""

from __future__ import annotations

import time

from lather.actions.action import Action, Ask, Run, When, has_job
from lather.actions.findings.geometry import has_regions
from lather.actions.workbench import Workbench
from lather.render.lenses.lens import LIGHTNESS, REDNESS, Lens
from lather.render.lenses.table import LENSES

HELD_S = 0.35  # a key that is down for longer shows its lens for as long
MOST_RED_PERCENT = 80.0
RED_STEP_PERCENT = 20.0


def _look_through(lens: Lens) -> Run:
    def run(bench: Workbench) -> None:
        before = bench.looks.lens
        now = "" if before == lens.id else lens.id
        bench.look(lens=now, lens_before=before, lens_since_s=time.monotonic())

    return run


def _let_go(bench: Workbench) -> None:
    if time.monotonic() - bench.looks.lens_since_s > HELD_S:
        bench.look(lens=bench.looks.lens_before)


def _is_on(lens: Lens) -> Ask:
    return lambda bench: bench.looks.lens == lens.id


def _may_be_on(lens: Lens) -> When:
    return has_regions if lens.id == "regions" else has_job


def set_red_percent(bench: Workbench, red_percent: float) -> None:
    """Of the lens in black and white, -80 to 80."""
    bench.look(red_percent=min(max(red_percent, -MOST_RED_PERCENT), MOST_RED_PERCENT))


def _more_red(step_percent: float) -> Run:
    return lambda bench: set_red_percent(bench, bench.looks.red_percent + step_percent)


def _turn_deviation(bench: Workbench) -> None:
    other = REDNESS if bench.looks.deviation_of == LIGHTNESS else LIGHTNESS
    bench.look(deviation_of=other)


ACTIONS = (
    *(
        Action(f"lens.{lens.id}", f"Lens: {lens.title}",
               f"{lens.help} Held down, for as long as it is.", "View", _look_through(lens),
               enabled=_may_be_on(lens), checked=_is_on(lens), release=_let_go)
        for lens in LENSES.values()
    ),
    Action("lens.clear", "No lens", "The picture as it is.", "View",
           lambda bench: bench.look(lens=""), enabled=When.that(
               lambda bench: bool(bench.looks.lens), "no lens is on")),
    Action("lens.less_red", "Black-white lens: less red",
           "Red spots come out darker, lips and blotches too.", "View",
           _more_red(-RED_STEP_PERCENT), enabled=has_job, repeats=True),
    Action("lens.more_red", "Black-white lens: more red",
           "Red spots come out lighter, and skin smoother.", "View",
           _more_red(RED_STEP_PERCENT), enabled=has_job, repeats=True),
    Action("lens.blotch_of", "Blotch lens: lightness or redness",
           "What the blotch lens compares.", "View", _turn_deviation, enabled=has_job),
)  # fmt: skip
