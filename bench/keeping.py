"""What keeping the work safe costs: journal, checkpoint, saving, opening a job.

The state that is kept carries strokes: half an hour of them, or two hours where it says so.
"""

from __future__ import annotations

import os
import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from bench.common import (
    Row,
    Scale,
    first_view,
    large_samples,
    large_state,
    pixels_of,
    row,
    with_pen_work,
)

if TYPE_CHECKING:
    from lather.core.work import CancelToken
    from lather.document.history import Step
    from lather.document.state import JobState

N_PAIRS = 3
HOURS = 2.0
_CHUNK_BYTES = 4 * 2**20


def measure(scale: Scale) -> list[Row]:
    """journal and checkpoint during strokes; saving and opening 24 megapixels, 12 layers"""
    with tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_STATE_HOME"] = folder
        return [*_saving(scale, Path(folder)), *_checkpoint_stall(scale, Path(folder)),
                *_stroke_cost(scale)]  # fmt: skip


def _saving(scale: Scale, folder: Path) -> list[Row]:
    from lather.document.state import new_state
    from lather.files.exchange.delivery import Delivery, encode_photo
    from lather.files.jobs.jobfile import load_job
    from lather.files.jobs.jobwriter import save_job
    from lather.files.photos.reading import read_photo

    picture, path = folder / "large.tif", folder / "large.lather"
    encode_photo(large_samples(scale), None, picture, Delivery(depth_bits=16))
    photo = read_photo(picture)
    state = large_state(scale)
    state = type(state)(photo, state.layers, state.active_id, state.brief)
    large_samples.cache_clear()

    first = scale.median_ms(lambda: save_job(state, path), 1, 0)
    reference = _median(scale, lambda: _write_bare(path, folder / "bare"))
    again = scale.median_ms(lambda: save_job(_edited(state), path), 3, 0)
    rows = [
        row("save, 24 MP, 12 layers, all tiles new", first, "ms", target="< 3x",
            ok=first < 3 * reference, reference="writing the bytes with fsync",
            reference_value=reference),
        row("save again", again, "ms", target="< 3x", ok=again < 3 * reference,
            reference="writing the bytes with fsync", reference_value=reference),
    ]  # fmt: skip

    alone = scale.median_ms(lambda: first_view(new_state(read_photo(picture))), 3, 1)
    whole = scale.median_ms(lambda: first_view(load_job(path).state), 3, 1)
    rows.append(row("open that job to first view", whole, "ms", target="< 1.5x",
                    ok=whole < 1.5 * alone, reference="opening the photo alone",
                    reference_value=alone))
    return rows


def _edited(state: JobState) -> JobState:
    from lather.document import edits

    return edits.set_strength(state, state.active_id, 0.5)


def _write_bare(source: Path, target: Path) -> float:
    """Milliseconds to write a file's bytes anew and have them on disk."""
    with source.open("rb") as file:
        chunks = list(iter(lambda: file.read(_CHUNK_BYTES), b""))
    start = time.perf_counter()
    with target.open("wb") as out:
        for chunk in chunks:
            out.write(chunk)
        out.flush()
        os.fsync(out.fileno())
    elapsed = 1000 * (time.perf_counter() - start)
    target.unlink()
    return elapsed


def _median(scale: Scale, measure_ms: Callable[[], float]) -> float:
    return float(np.median([measure_ms() for _ in range(scale.runs(3))]))


def _checkpoint_stall(scale: Scale, folder: Path) -> list[Row]:
    """How long a checkpoint of two hours of strokes holds another thread up, and how soon it ends.

    The stall is the longest time between two turns of a thread that asks for one every
    millisecond, as the interface does with events; the 99th percentile too, since a busy
    machine has stalls of its own.
    """
    from lather.core.work import CancelToken
    from lather.document import edits
    from lather.document.photo import Photo
    from lather.document.state import new_state
    from lather.files.jobs.jobwriter import save_job

    photo = Photo(np.zeros((600, 800, 3), np.uint16), name="small.tif", encoded=b"x" * 1000)
    plain = edits.add_pixel_layer(new_state(photo))
    worked = with_pen_work(plain, HOURS / 20 if scale.is_small else HOURS)
    path = folder / "checkpoint.lather"
    # The reference: a thread that only writes as many bytes.
    n_bytes = sum(stroke.readings.nbytes for stroke in pixels_of(worked.active).strokes)
    bare_gaps_ms = _gaps_ms(lambda: _write_bytes(folder / "bytes", n_bytes))
    gaps_ms = _gaps_ms(lambda: save_job(worked, path))
    value, reference = (float(np.percentile(gaps, 99)) for gaps in (gaps_ms, bare_gaps_ms))
    token = CancelToken()
    cancelled_ms = _cancel_ms(lambda: save_job(worked, path, cancel=token), token)
    longest, bare = max(gaps_ms), max(bare_gaps_ms)
    name = f"checkpoint, {HOURS:g} h of strokes:"
    return [
        row(f"{name} other thread waits, p99", value, "ms", target="< 16 ms", ok=value < 16,
            reference="while as many bytes are written", reference_value=reference),
        row(f"{name} other thread waits, longest", longest, "ms", target="< 50 ms",
            ok=longest < 50, reference="while as many bytes are written", reference_value=bare),
        row(f"{name} given up after", cancelled_ms, "ms", target="< 50 ms",
            ok=cancelled_ms < 50),
    ]  # fmt: skip


def _gaps_ms(work: Callable[[], object]) -> list[float]:
    """Times between the turns of this thread while `work` runs on another one."""
    gaps_ms: list[float] = []
    thread = threading.Thread(target=work)
    thread.start()
    last = time.perf_counter()
    while thread.is_alive():
        time.sleep(0.001)
        now = time.perf_counter()
        gaps_ms.append(1000 * (now - last))
        last = now
    thread.join()
    return gaps_ms


def _cancel_ms(work: Callable[[], object], token: CancelToken) -> float:
    """From cancelling `work` in the middle to its end."""
    from lather.errors import Cancelled

    ended: list[float] = []

    def cancelled() -> None:
        try:
            work()
        except Cancelled:
            ended.append(time.perf_counter())

    thread = threading.Thread(target=cancelled)
    thread.start()
    time.sleep(0.1)
    start = time.perf_counter()
    token.cancel()
    thread.join()
    return 1000 * (ended[0] - start) if ended else 0.0


def _write_bytes(path: Path, n_bytes: int) -> None:
    chunk = bytes(_CHUNK_BYTES)
    with path.open("wb") as file:
        for _ in range(n_bytes // _CHUNK_BYTES + 1):
            file.write(chunk)
        file.flush()
        os.fsync(file.fileno())


def _stroke_cost(scale: Scale) -> list[Row]:
    """p95 of strokes with journal and checkpoint at work, against the same without."""
    from bench.stroke import N_EVENTS, N_WARM_UP, opened, stroke_delays
    from lather.document.job import Job

    app, pen, paints = opened(Job(large_state(scale)))
    keeper, job = app.bench.keeper, app.bench.open_job
    with_ms: list[float] = []
    without_ms: list[float] = []
    step_ms: list[float] = []
    record = job.recorder
    assert keeper is not None and record is not None
    n_events = scale.runs(N_EVENTS) + N_WARM_UP

    def timed(step: Step, after: JobState) -> None:
        start = time.perf_counter()
        record(step, after)
        step_ms.append(1000 * (time.perf_counter() - start))

    for _ in range(scale.runs(N_PAIRS)):
        job.recorder = timed
        with_ms.append(float(np.percentile(stroke_delays(app, pen, paints, n_events), 95)))
        job.recorder = None
        without_ms.append(float(np.percentile(stroke_delays(app, pen, paints, n_events), 95)))
    job.recorder = record
    during_ms = []
    for _ in range(scale.runs(N_PAIRS)):
        app.bench.undo()
        keeper.idle(1e9, 1e-9)  # a checkpoint begins; the next stroke comes in the middle of it
        time.sleep(0.05)
        during_ms.append(float(np.percentile(stroke_delays(app, pen, paints, n_events), 95)))
    during = float(np.median(during_ms))
    app.close()
    value, reference = float(np.median(with_ms)), float(np.median(without_ms))
    return [
        row("stroke p95 with journal", value, "ms", target="< 1.05x",
            ok=value < 1.05 * reference, reference="the same without",
            reference_value=reference),
        row("stroke p95 as a checkpoint is interrupted", during, "ms", target="< 1.05x",
            ok=during < 1.05 * reference, reference="the same without",
            reference_value=reference),
        row("one stroke into the journal", float(np.median(step_ms)), "ms", target="< 16 ms",
            ok=float(np.median(step_ms)) < 16),
    ]  # fmt: skip

