"""What it costs that steps say what was done: in size, at opening, at every stroke."""

from __future__ import annotations

import json
import tempfile
import time
import zipfile
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from bench.common import Row, Scale, large_samples, row

if TYPE_CHECKING:
    from lather.document.job import Job

N_STEPS = 2000  # of a day
N_READINGS = 40


def measure(scale: Scale) -> list[Row]:
    """a day's steps in a job file: size, opening, telling, doing them again; one step's own cost"""
    from lather.files.jobs.jobfile import load_job
    from lather.files.jobs.jobwriter import save_job
    from lather.operations.told import steps_told

    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        job, stroke_ms, said_ms = _worked(scale, folder, scale.runs(N_STEPS))
        whole, bare = folder / "whole.lather", folder / "bare.lather"
        save_job(job.state, whole)
        share = _without_operations(whole, bare)
        without = scale.median_ms(lambda: load_job(bare), 9, 2)
        opened = scale.median_ms(lambda: load_job(whole), 9, 2)
        read = scale.median_ms(lambda: list(load_job(whole).state.operations), 3, 1)
        told = scale.median_ms(lambda: list(steps_told(job.state)), 3, 1)
        redo_ms = _redo_ms(job)
    n_steps = len(job.state.operations)
    return [
        row(f"open a job of {n_steps} steps", opened, "ms", target="< 1.1x",
            ok=opened < 1.1 * without, reference="the same without what was done",
            reference_value=without),
        row("and read all that was done, aside", read, "ms", target="< 2x",
            ok=read < 2 * opened, reference="opening it", reference_value=opened),
        row("tell all of it in words", told, "ms", target="< 2x", ok=told < 2 * opened,
            reference="opening it", reference_value=opened),
        row("what was done, of the job's size", 100 * share, "%", target="< 5 %", ok=share < 0.05),
        row("saying what a stroke did", said_ms, "ms", target="< 0.1x", ok=said_ms < stroke_ms / 10,
            reference="the stroke", reference_value=stroke_ms),
        row("doing all of it again", redo_ms / n_steps, "ms a step", target="< 1x",
            ok=redo_ms / n_steps < stroke_ms, reference="a stroke", reference_value=stroke_ms),
    ]  # fmt: skip


def _worked(scale: Scale, folder: Path, n_steps: int) -> tuple[Job, float, float]:
    """A job with strokes on a face, and edits; how long a stroke took, and saying what it did."""
    from dataclasses import replace

    from lather.core.brush.stroke import Brush, PenSample
    from lather.core.survey.faces.mesh_fit import face_of, mean_face
    from lather.document import edits
    from lather.document.findings import Findings
    from lather.document.job import Job
    from lather.document.operations.recording import recorded
    from lather.document.painting.strokes import as_kept
    from lather.document.state import new_state
    from lather.files.exchange.delivery import Delivery, encode_photo
    from lather.files.photos.reading import read_photo
    from lather.operations.edits import call_of
    from lather.tools.base import Hand
    from lather.tools.drawing import drawn

    picture = folder / "large.tif"
    encode_photo(large_samples(scale), None, picture, Delivery(depth_bits=16))
    photo = read_photo(picture)
    side = min(photo.width, photo.height)
    mesh = mean_face().copy()
    mesh *= side / 5
    mesh[:, :2] += photo.width / 2, photo.height / 2
    findings = Findings(mm_per_px=315 / side, faces=(face_of(mesh),))
    job = Job(replace(new_state(photo), findings=findings))
    random, stroke_s, said_s = np.random.default_rng(3), list[float](), list[float]()
    for n in range(n_steps):
        x, y = random.uniform(0.2, 0.8, 2) * (photo.width, photo.height)
        turn = np.linspace(0, 2, N_READINGS)
        samples = [as_kept(PenSample(float(t), x + 60 * t, y + 20 * np.sin(3 * t), 0.7), 0.0)
                   for t in turn]  # fmt: skip
        colour = (float(random.random()), 0.5, 0.4)
        began_s = time.perf_counter()
        found = drawn(job.state, Hand("paint_colour", Brush(size_px=14.0), colour), samples)
        assert found is not None
        after = found[0].apply(job.state)
        stroke_s.append(time.perf_counter() - began_s)
        began_s = time.perf_counter()
        recorded(job.state, after, "Paint colour", found[1])
        said_s.append(time.perf_counter() - began_s)
        job.change("Paint colour", after, call=found[1])
        if n % 20 == 0:
            args = job.state.active_id, 0.5 + 0.4 * (n % 3) / 3
            job.change("Strength", edits.set_strength(job.state, *args),
                       call=call_of(edits.set_strength, *args))  # fmt: skip
    return job, 1000 * float(np.median(stroke_s)), 1000 * float(np.median(said_s))


def _without_operations(whole: Path, bare: Path) -> float:
    """The same job that says nothing of what was done; which share of it that was."""
    own = 0
    with zipfile.ZipFile(whole) as source, zipfile.ZipFile(bare, "w") as target:
        for info in source.infolist():
            content = source.read(info)
            if info.filename.startswith("operations/"):
                own += info.compress_size
                continue
            if info.filename == "job.json":
                content = json.dumps({**json.loads(content), "operations": []}, indent=1).encode()
            target.writestr(info.filename, content, compress_type=info.compress_type)
    return own / bare.stat().st_size


def _redo_ms(job: Job) -> float:
    from lather.operations.redo import first_state, redo

    state = job.state
    start = first_state(state.photo, state.layers[0].id)
    began_s = time.perf_counter()
    redone = redo(start, state.operations)
    took_ms = 1000 * (time.perf_counter() - began_s)
    assert not redone.not_done
    assert [layer.id for layer in redone.state.layers] == [layer.id for layer in state.layers]
    return took_ms
