"""Commands on whole jobs: open, save, deliver."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from lather.actions.table import Action, has_job
from lather.actions.workbench import Workbench, open_path
from lather.core.work import CancelToken, Progress
from lather.document import edits
from lather.document.job import Job, JobState
from lather.files.photos import Delivery
from lather.paths import demo_job

DELIVERY_CAUTION = (
    "Changing how a person looks needs their consent, for children their guardian's. Identity "
    "documents must not be retouched. Some places require retouched advertising to be "
    "labelled: check the local rules."
)


def open_file(bench: Workbench, path: Path) -> None:
    """Open a photo or job, after asking about unsaved work."""
    settle_unsaved(bench, lambda: _open(bench, path))


def settle_unsaved(bench: Workbench, go_on: Callable[[], None]) -> None:
    """Save or discard what is not saved, then go on; or stay."""
    job = bench.job
    if job is None or not job.modified:
        go_on()
        return
    answer = bench.ask.unsaved(job.title)
    if answer == "discard":
        go_on()
    elif answer == "save":
        save(bench, then=go_on)


def save(bench: Workbench, then: Callable[[], None] | None = None) -> None:
    job = bench.open_job
    if job.path is None:
        save_as(bench, then)
    else:
        _save_to(bench, job.path, then)


def save_as(bench: Workbench, then: Callable[[], None] | None = None) -> None:
    job = bench.open_job
    suggested = job.path or Path(f"{job.title}.lather")
    path = bench.ask.path_to_save(suggested)
    if path is not None:
        _save_to(bench, path.with_suffix(".lather"), then)


def deliver(bench: Workbench) -> None:
    job = bench.open_job
    answer = bench.ask.delivery(job.state, Path(f"{job.title}_retouched.jpg"))
    if answer is None:
        return
    path, delivery = answer
    if delivery.long_side_px is not None:
        bench.change("Delivery size", edits.set_delivery_long_side, delivery.long_side_px)
    deliver_to(bench, path, delivery)


def deliver_to(bench: Workbench, path: Path, delivery: Delivery) -> None:
    """Write the finished picture aside."""
    state = bench.state

    def work(progress: Progress, cancel: CancelToken) -> Path:
        write_picture(state, path, delivery, progress, cancel)
        return path

    bench.run_task("Delivering", work, lambda done: bench.say(f"Delivered: {done}"))


def write_picture(
    state: JobState, path: Path, delivery: Delivery, progress: Progress, cancel: CancelToken
) -> None:
    """Flatten a job and write it as a picture."""
    from lather.files.photos import check_writable, encode_photo
    from lather.render.flatten import flatten

    check_writable(path, delivery.depth_bits)
    samples = flatten(state, 16, progress=progress, cancel=cancel)
    progress(0.99, "writing")
    encode_photo(samples, state.photo.profile, path, delivery)


def _open(bench: Workbench, path: Path) -> None:
    def done(opened: tuple[Job, str]) -> None:
        job, notice = opened
        bench.take_job(job)
        bench.settings.add_recent(path)
        if notice:
            bench.say(notice)

    bench.run_task("Opening", lambda progress, _: open_path(path, progress), done)


def _save_to(bench: Workbench, path: Path, then: Callable[[], None] | None) -> None:
    job, state = bench.open_job, bench.state
    worked_s = job.ledger.worked_s

    def work(progress: Progress, cancel: CancelToken) -> None:
        from lather.files.jobwriter import save_job

        save_job(state, path, worked_s=worked_s, progress=progress, cancel=cancel)

    def done(nothing: None) -> None:  # noqa: ARG001
        job.mark_saved(path, state)
        bench.settings.add_recent(path)
        bench.say(f"Saved: {path.name}")
        if then is not None:
            then()

    bench.run_task("Saving", work, done)


def _ask_and_open(bench: Workbench) -> None:
    path = bench.ask.path_to_open()
    if path is not None:
        open_file(bench, path)


ACTIONS = (
    Action("job.open", "Open…", "Open a photo or a job.", "Job", _ask_and_open, ("Ctrl+O",)),
    Action(
        "job.open_demo",
        "Open the demo",
        "Open the finished demo job: a made-up portrait.",
        "Job",
        lambda bench: open_file(bench, demo_job()),
    ),
    Action("job.save", "Save", "Save the job.", "Job", save, ("Ctrl+S",), enabled=has_job),
    Action(
        "job.save_as",
        "Save as…",
        "Save the job under another name.",
        "Job",
        save_as,
        ("Ctrl+Shift+S",),
        enabled=has_job,
    ),
    Action(
        "job.deliver",
        "Deliver…",
        "Write the finished picture as JPEG, PNG or TIFF.",
        "Job",
        deliver,
        ("Ctrl+D",),
        enabled=has_job,
    ),
    Action(
        "app.preferences",
        "Preferences…",
        "Appearance, surround, pen hand, memory.",
        "Job",
        lambda bench: bench.ask.show_preferences(),
        ("Ctrl+,",),
    ),
    Action(
        "app.quit",
        "Quit",
        "Close Lather; unsaved work is asked about.",
        "Job",
        lambda bench: bench.ask.quit(),
        ("Ctrl+Q",),
    ),
)
