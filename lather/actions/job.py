"""Commands on the whole job: deliver it, preferences, quit."""

from __future__ import annotations

from pathlib import Path

from lather.actions.table import Action, has_job
from lather.actions.workbench import Workbench
from lather.core.work import CancelToken, Progress
from lather.document import edits
from lather.document.job import JobState
from lather.files.photos import Delivery

DELIVERY_CAUTION = (
    "Changing how a person looks needs their consent, for children their guardian's. Identity "
    "documents must not be retouched. Some places require retouched advertising to be "
    "labelled: check the local rules."
)


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

    bench.run_task("Delivering", work, lambda done: bench.say(f"Delivered: {done}"),
                   retry=lambda: deliver_to(bench, path, delivery))


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


ACTIONS = (
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
