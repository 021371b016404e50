"""Makes the pen recordings and the finished demo job from the demo portrait's truth file.

Run with: .venv/bin/python scripts/make_demo_job.py
"""

from __future__ import annotations

import json
import math
import random
from dataclasses import replace

from lather.core.brush.stroke import PenSample
from lather.core.kernels import prepare_kernels
from lather.document import edits
from lather.document.job import Job
from lather.document.state import new_state
from lather.files.jobwriter import save_job
from lather.files.photos import read_photo
from lather.files.recordings import write_recording
from lather.paths import demo_dir, demo_job
from lather.render.worker import SameThread
from lather.tools.base import Hand
from lather.tools.session import PenSession, Viewport
from lather.tools.table import tool

SIZE_PER_RADIUS = {"papule": 5.6, "pustule": 5.6, "red_mark": 4.2, "dark_spot": 3.6}
FOREHEAD_Y_PX = 1000


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
    job.change("Strength", edits.set_strength(job.state, job.state.active_id, 0.95))
    save_job(job.state, demo_job(), worked_s=312.0)
    print(f"{len(job.history.done)} steps, {demo_job()}")


if __name__ == "__main__":
    main()
