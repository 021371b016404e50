"""Commands that save the job."""

from __future__ import annotations

import os
from pathlib import Path

from lather.actions.action import Action, When, has_job
from lather.actions.job.claiming import backups_to_keep
from lather.actions.job.settling import GoOn, after_stroke, settle
from lather.actions.work.proposing import not_taken
from lather.actions.workbench import Workbench
from lather.core.work import CancelToken, Progress
from lather.document.job import Job
from lather.errors import LatherError
from lather.files import endings
from lather.files.jobs.lock import Lock
from lather.files.outputs import same_file, with_ending
from lather.files.places import apart_root


def settle_unsaved(bench: Workbench, go_on: GoOn, stay: GoOn | None = None) -> None:
    """End what is under way, save or discard what is not saved, then go on; or stay."""
    settle(bench, lambda: _settle_unsaved(bench, go_on, stay))


def _settle_unsaved(bench: Workbench, go_on: GoOn, stay: GoOn | None) -> None:
    job = bench.job
    if job is None or not job.modified:
        go_on()
        return
    answer = bench.ask.unsaved(job.title)
    if answer == "discard":
        go_on()
    elif answer == "save":
        # What is done while the file is written is asked about once more.
        save(bench, then=lambda: settle_unsaved(bench, go_on, stay))
    elif stay is not None:
        stay()


def save(bench: Workbench, then: GoOn | None = None) -> None:
    after_stroke(bench, lambda: bench.in_turn(lambda: _save(bench, then)))


def _save(bench: Workbench, then: GoOn | None) -> None:
    job = bench.open_job
    if job.path is None:
        save_as(bench, then)
    else:
        _save_to(bench, job.path, then)


def save_as(bench: Workbench, then: GoOn | None = None) -> None:
    after_stroke(bench, lambda: bench.in_turn(lambda: _save_as(bench, then)))


def _save_as(bench: Workbench, then: GoOn | None) -> None:
    job = bench.open_job
    path = bench.ask.path_to_save(job.path or suggested(job, endings.JOB))
    if path is None:
        return
    target = with_ending(path, endings.JOB)
    if may_replace(bench, target, job.path):
        _save_to(bench, target, then)


def suggested(job: Job, ending: str) -> Path:
    """A name beside the job, or beside the photo that it was made from."""
    name = f"{job.title} copy" if job.copy_of is not None and job.path is None else job.title
    return (job.folder or Path()) / f"{name}{ending}"


def may_replace(bench: Workbench, path: Path, own: Path | None = None) -> bool:
    """Ask before another file than one's own goes; by the name that is really written."""
    if not path.exists() or (own is not None and same_file(path, own)):
        return True
    return bench.ask.replace(path)


def _save_to(bench: Workbench, path: Path, then: GoOn | None) -> None:
    path = Path(os.path.realpath(path))  # a link stays one
    job, keeper, state = bench.open_job, bench.keeper, bench.state
    assert keeper is not None
    if path.resolve().is_relative_to(apart_root().resolve()):
        raise LatherError(
            f"'{path.name}' was not saved",
            "that folder is for unsaved work and is emptied",
            "choose another folder",
        )
    revision = keeper.saving()

    def work(progress: Progress, cancel: CancelToken) -> Lock | None:
        from lather.files.jobs.jobwriter import save_job

        lock = keeper.take(path)
        try:
            save_job(
                state,
                path,
                worked_s=job.ledger.worked_s,
                link_photo=job.link_photo,
                n_backups=backups_to_keep(path, bench.settings["backups_kept"], job.revision),
                revision=revision,
                progress=progress,
                cancel=cancel,
            )
        except BaseException:
            if lock is not None:
                lock.release()
            raise
        return lock

    def done(lock: Lock | None) -> None:
        job.mark_saved(path, state, revision)
        keeper.saved(state, revision, lock)
        bench.settings.add_recent(path)
        bench.say(" ".join(filter(None, (f"Saved: {path.name}.", not_taken(bench)))))
        if then is not None:
            then()

    bench.run_task(
        "Saving", work, done, retry=lambda: _save_to(bench, path, then), must_end=True
    )


_may_link = has_job & When.that(
    lambda bench: bench.state.photo.path is not None,
    "the photo came out of the job and has no file of its own to refer to",
)


def _toggle_link(bench: Workbench) -> None:
    job = bench.open_job
    job.link_photo = not job.link_photo
    job.mark_unsaved()


ACTIONS = (
    Action("job.save", "Save", "Save the job.", "Job", save, enabled=has_job),
    Action(
        "job.save_as",
        "Save as…",
        "Save the job under another name.",
        "Job",
        save_as,
        enabled=has_job,
    ),
    Action(
        "job.link_photo",
        "Leave the photo outside of the job",
        "The job file refers to the photo instead of holding it: smaller, but both must be kept.",
        "Job",
        _toggle_link,
        enabled=_may_link,
        checked=lambda bench: bench.job is not None and bench.job.link_photo,
    ),
)
