"""Makes the pen recordings and the finished demo job from the demo portrait's truth file.

Run with: .venv/bin/python scripts/make_demo_job.py
"""

from __future__ import annotations

import json
import math
import random
from collections.abc import Callable, Iterable
from dataclasses import replace
from typing import Any

from lather.core.brush.stroke import PenSample
from lather.core.kernels import prepare_kernels
from lather.document import edits
from lather.document.job import Job
from lather.document.layers.layer import Stage
from lather.document.layers.limits import Limits, Span
from lather.document.layers.table import KINDS
from lather.document.state import JobState, new_state
from lather.files.exchange.recordings import write_recording
from lather.files.jobs.jobwriter import save_job
from lather.files.photos.reading import read_photo
from lather.operations.edits import call_of
from lather.paths import demo_dir, demo_job
from lather.render.worker import SameThread
from lather.tools.base import Hand
from lather.tools.session import PenSession, Viewport
from lather.tools.table import tool

SIZE_PER_RADIUS = {"papule": 5.6, "pustule": 5.6, "red_mark": 4.2, "dark_spot": 3.6}
FOREHEAD_Y_PX = 1000
CHEEKS = (((820.0, 1440.0), (900.0, 1540.0), (1000.0, 1650.0)),
          ((1600.0, 1440.0), (1560.0, 1540.0), (1480.0, 1650.0)))  # fmt: skip
UNDER_EYES = (((860.0, 1200.0), (960.0, 1225.0), (1050.0, 1200.0)),
              ((1380.0, 1185.0), (1460.0, 1205.0), (1550.0, 1180.0)))  # fmt: skip


def dab_stroke(x: float, y: float, start_s: float, hand: random.Random) -> list[PenSample]:
    """A short press with a slight wobble, as a hand makes it."""
    samples = []
    for i in range(6):
        angle = hand.uniform(0, math.tau)
        samples.append(
            PenSample(
                start_s + 0.008 * i,
                x + math.cos(angle) * 1.2,
                y + math.sin(angle) * 1.2,
                0.4 + 0.1 * i,
                12.0,
                -8.0,
            )
        )
    return samples


def curve_stroke(points: list[tuple[float, float]], start_s: float) -> list[PenSample]:
    """A drawn line through the points, pressure rising and falling."""
    samples = []
    for i in range(61):
        share = i / 60 * (len(points) - 1)
        k = min(int(share), len(points) - 2)
        part = share - k
        x = points[k][0] + part * (points[k + 1][0] - points[k][0])
        y = points[k][1] + part * (points[k + 1][1] - points[k][1])
        pressure = max(0.05, math.sin(math.pi * i / 60))
        samples.append(PenSample(start_s + 0.008 * i, x, y, pressure))
    return samples


def do(job: Job, name: str, edit: Callable[..., JobState], *args: Any, **options: Any) -> None:
    """An edit, as the window makes it a step."""
    job.change(name, edit(job.state, *args, **options), call=call_of(edit, *args, **options))


def even_out(job: Job, session: PenSession) -> None:
    """One of each kind of computed layer that shows something on this portrait, gently set."""

    def add(kind: str, name: str, stage: Stage, strength: float = 1.0, **values: Any) -> int:
        do(job, f"Add {name.lower()}", edits.add_set, KINDS[kind], stage, values)
        do(job, "Rename layer", edits.rename, job.state.active_id, name)
        do(job, "Strength", edits.set_strength, job.state.active_id, strength)
        return job.state.active_id

    def stroke(
        tool_id: str, places: Iterable[tuple[float, float]], size_px: float, *,
        on_mask: bool = False, opacity: float = 0.8,
    ) -> None:
        brush = replace(tool(tool_id).brush, size_px=size_px, opacity=opacity, hardness=0.0)
        session.hand = Hand(tool_id, brush, on_mask=on_mask)
        samples = curve_stroke(list(places), 0.0)
        session.down(samples[0])
        for sample in samples[1:]:
            session.move(sample)
        session.up(replace(samples[-1], pressure=0.0))

    softer = add("soften", "Softer cheeks", Stage.EVEN, 0.5, radius_px=12.0, pore_px=2.7)
    do(job, "Add mask", edits.add_mask, softer, hide_all=True)
    for cheek in CHEEKS:
        stroke("paint_colour", cheek, 160.0, on_mask=True)
    add("hues", "Calmer reds", Stage.EVEN,
        ranges=[{"middle_deg": 25.0, "width_deg": 36.0, "chroma_percent": -12.0}])  # fmt: skip
    skin = Limits(Span(low_l=35.0, soft_low_l=10.0))
    inks = add("inks", "Less black in the skin", Stage.EVEN, ranges=[
        {"middle_deg": 45.0, "width_deg": 60.0, "low_l": 40.0, "black": -6.0}])  # fmt: skip
    do(job, "Limits", edits.set_limits, inks, skin)
    add("light", "Light on the eyes", Stage.SCULPT)
    for place in UNDER_EYES:
        stroke("lighten", place, 90.0, opacity=0.15)
    add("radial", "Darker corners", Stage.FINISH, centre_x_px=1190.0, centre_y_px=1350.0,
        radius_x_px=1100.0, radius_y_px=1400.0, softness_percent=45.0, side="outside",
        exposure_ev=-0.35)  # fmt: skip
    add("curves", "A little contrast", Stage.FINISH,
        lightness=((0.0, 0.0), (0.25, 0.235), (0.7, 0.72), (1.0, 1.0)))  # fmt: skip
    add("sharpen", "Sharper edges", Stage.FINISH, contrast_percent=125.0, width_px=1.2, grain_l=0.5)
    add("grain", "Grain", Stage.FINISH, sigma_l=0.4)
    reds = {"middle_deg": 30.0, "width_deg": 60.0, "light_l": 4.0}
    black_and_white = add("mono", "Black and white", Stage.FINISH, ranges=[reds])
    do(job, "Hide layer", edits.set_visible, black_and_white, False)
    job.select(job.state.layers[1].id)


def main() -> None:
    prepare_kernels()
    hand = random.Random(7)
    truth = json.loads((demo_dir() / "portrait1_truth.json").read_text(encoding="utf-8"))
    marks = [mark for mark in truth["marks"] if not mark["keep"]]
    recordings = demo_dir() / "recordings"
    recordings.mkdir(exist_ok=True)
    strokes = [dab_stroke(m["x"], m["y"], 0.8 * i, hand) for i, m in enumerate(marks)]
    write_recording(recordings / "mend_all.jsonl", strokes)
    forehead = [s for s, m in zip(strokes, marks, strict=True) if m["y"] < FOREHEAD_Y_PX]
    write_recording(recordings / "mend_forehead.jsonl", forehead)
    cheek = [(820.0, 1420.0), (900.0, 1500.0), (1000.0, 1520.0), (1080.0, 1470.0)]
    write_recording(recordings / "paint_cheek.jsonl", [curve_stroke(cheek, 0.0)])

    photo = read_photo(demo_dir() / "portrait1.jpg")
    job = Job(new_state(photo))
    session = PenSession(job, SameThread(), lambda: Viewport(4, photo.rect.at_level(4), 0.18))
    session.failed.connect(lambda error: print(error.sentence()))
    for mark, stroke in zip(marks, strokes, strict=True):
        brush = replace(tool("mend_spot").brush, size_px=SIZE_PER_RADIUS[mark["kind"]] * mark["r"])
        session.hand = Hand("mend_spot", brush)
        session.down(stroke[0])
        for sample in stroke[1:]:
            session.move(sample)
        session.up(replace(stroke[-1], pressure=0.0))
    do(job, "Strength", edits.set_strength, job.state.active_id, 0.95)
    even_out(job, session)
    save_job(job.state, demo_job(), worked_s=312.0)
    print(f"{len(job.history.done)} steps, {demo_job()}")


if __name__ == "__main__":
    main()
