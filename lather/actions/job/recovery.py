"""Opening photos and jobs, and with them the work that a process left behind."""

from __future__ import annotations

import os
import shutil
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from functools import partial
from pathlib import Path

from lather.core.work import Progress
from lather.document.history import History, Step
from lather.document.job import ABSORBED, Job
from lather.document.operations.recording import with_what_was_there
from lather.document.state import JobState, new_state
from lather.errors import InUseError, JobFileError, LatherError
from lather.files import endings
from lather.files.jobs.archive import Archive
from lather.files.jobs.backups import backups_of
from lather.files.jobs.jobfile import LoadedJob, load_job, read_revision
from lather.files.jobs.jobwriter import save_job
from lather.files.jobs.journalreader import FoundJournal, Replayed, read_about, read_journal
from lather.files.jobs.lock import Lock
from lather.files.jobs.spill import Spill, spill_folder
from lather.files.photos.reading import read_photo
from lather.files.places import Places, all_apart, beside, first_free

OPENED_SO = "The layers that were opened"


@dataclass
class Recovered:
    """Steps that were never saved, from a journal.

    Attributes
    ----------
    base, revision : the saved state that the replay began with.
    state : where the steps lead.
    history : the steps since the last save, or since a checkpoint that is later.
    replayed : how far the journal could be replayed.
    n_steps : replayed since the last save.
    last_name : of the last step that was replayed.
    """

    found: FoundJournal
    places: Places
    base: JobState
    revision: str
    state: JobState
    history: History
    replayed: Replayed
    n_steps: int
    last_name: str

    @property
    def n_lost(self) -> int:
        """Steps in the journal that could not be replayed."""
        return self.replayed.n_lost

    @property
    def leaves_rest(self) -> bool:
        """True if the journal holds more than what was replayed."""
        return self.n_lost > 0 or self.found.is_damaged


@dataclass
class Opened:
    """A job as opened, and all that its keeper needs to know.

    `copy_of` is the job file that the job was copied from, while it has none of its own;
    `unsaved` work on the same photo that was left, and can be gone on with instead.
    """

    job: Job
    notices: list[str] = field(default_factory=list)
    lock: Lock | None = None
    archive: Archive | None = None
    recovered: Recovered | None = None
    copy_of: Path | None = None
    unsaved: tuple[tuple[FoundJournal, Places], ...] = ()

    def release(self) -> None:
        """For who does not go on with it."""
        if self.lock is not None:
            self.lock.release()


def open_path(
    path: Path, progress: Progress, *, photo_at: Path | None = None, locked: bool = False,
    partial: bool = False,
) -> Opened:
    """A job from a photo or a job file.

    With `locked`, no other process may have it open; with `partial`, a photo whose file ends
    too early is opened as far as it is there.
    """
    if path.suffix.lower() == endings.JOB:
        return _open_job(path, progress, photo_at, locked)
    if path.suffix.lower() == endings.LAYERS:
        from lather.files.exchange.openraster import read_openraster

        state = with_what_was_there(read_openraster(path, progress=progress), OPENED_SO)
        return Opened(Job(state), list(state.photo.notices))
    progress(0.1, "decoding the photo")
    photo = read_photo(path, partial=partial)
    left = tuple(unsaved_work(photo.sha256)) if locked else ()
    return Opened(Job(new_state(photo)), list(photo.notices), unsaved=left)


def unsaved_work(sha256: str | None = None) -> Iterator[tuple[FoundJournal, Places]]:
    """Work without a job file that no living process holds, this one included; on a photo, if one
    is given."""
    for places in all_apart():
        found = _journal_at(places)
        if found is None or "job" in found.about or Lock.held_here(places.lock):
            continue
        if sha256 is not None and (found.about.get("sha256") != sha256 or not found.n_steps):
            continue
        try:
            Lock.acquire(places.lock, found.about["title"]).release()
        except (InUseError, OSError):
            continue
        yield found, places


def open_unsaved(found: FoundJournal, places: Places, progress: Progress) -> Opened:
    """Go on with work that has no job file.

    Raises
    ------
    LatherError : neither the checkpoint nor the photo it began with can be read.
    """
    title = found.about["title"]
    lock = Lock.acquire(places.lock, title)
    try:
        progress(0.1, "reading what was left")
        base, revision, loaded = _beginning(found, places)
        recovered = _recovered(found, places, base, revision, found.n_steps)
    except BaseException:
        lock.release()
        raise
    job = Job(base)
    if loaded is None:
        return Opened(job, [], lock, None, recovered)
    job.ledger.go_on_from(loaded.worked_s)
    return Opened(job, loaded.notices, lock, loaded.archive, recovered)


def open_copy(path: Path, progress: Progress) -> Opened:
    """A job under no name, while another process has the file open."""
    loaded = load_job(path, progress=progress)
    job = Job(loaded.state)
    job.copy_of = path.resolve()
    job.revision = loaded.revision
    job.ledger.go_on_from(loaded.worked_s)
    return Opened(job, archive=loaded.archive, copy_of=path.resolve())


def throw_away(places: Places) -> None:
    """Remove unsaved work for good."""
    shutil.rmtree(places.folder, ignore_errors=True)


def take_up(opened: Opened, *, saved_state: bool) -> None:
    """Put the recovered steps into the opened job's history.

    With `saved_state` one more step leads back to what the file holds: undoing it brings
    the recovered work back.
    """
    recovered, job = opened.recovered, opened.job
    assert recovered is not None
    saved = job.state
    job.history = recovered.history
    job.restore(recovered.state)
    if saved_state:
        job.return_to("Back to the saved state", saved)
    else:
        job.mark_unsaved()


def unsaved_steps(path: Path) -> int:
    """How many steps of a job lie in its journal only."""
    found, revision = _journal_at(beside(path)), read_revision(path)
    if found is None or revision not in found.revisions:
        return 0
    return found.n_steps_since(str(revision))


def _open_job(
    path: Path, progress: Progress, photo_at: Path | None, locked: bool
) -> Opened:
    path = Path(os.path.realpath(path))  # a link's own folder has no say in where work is kept
    notices: list[str] = []
    lock: Lock | None = None
    if locked:
        try:
            lock = Lock.acquire(beside(path).lock, path.name)
        except FileNotFoundError:
            pass  # no such folder: opening will say so
        except OSError as error:
            notices.append(
                f"The job's folder cannot be written ({error.strerror}): unsaved steps are kept "
                "in your own folder."
            )
    try:
        loaded = load_job(path, photo_at=photo_at, progress=progress)
        notices += loaded.notices
        job = Job(loaded.state, path)
        job.revision = loaded.revision
        job.link_photo = loaded.link_photo
        job.ledger.go_on_from(loaded.worked_s)
        if photo_at is not None:
            job.mark_unsaved()
        recovered = _find_recovered(path, loaded, notices) if locked else None
    except BaseException:
        if lock is not None:
            lock.release()
        raise
    return Opened(job, notices, lock, loaded.archive, recovered)


def _find_recovered(path: Path, loaded: LoadedJob, notices: list[str]) -> Recovered | None:
    for places, found in journals_of(path):
        if found is None:
            _put_aside(places, "unread", "A journal that cannot be read here", notices)
            continue
        if found.n_steps == 0 and not found.is_damaged:
            continue
        if loaded.revision not in found.revisions:
            _recover_beside(path, found, places, notices)
            continue
        n_steps = found.n_steps_since(loaded.revision)
        revision = read_revision(places.checkpoint)
        if revision is not None and found.revisions.get(revision, -1) > found.n_steps - n_steps:
            checkpoint = _checkpoint(places)
            if checkpoint is not None and not checkpoint.archive.damaged:
                base = replace(checkpoint.state, photo=loaded.state.photo)
                return _recovered(found, places, base, revision, n_steps)
        if n_steps or found.is_damaged:
            recovered = _recovered(found, places, loaded.state, loaded.revision, n_steps)
            if recovered.n_steps:
                return recovered
            what = f"A journal of which no step can be read ({n_steps or 'the number is lost'})"
            _put_aside(places, "unread", what, notices)
    return None


def _recover_beside(
    path: Path, found: FoundJournal, places: Places, notices: list[str]
) -> None:
    """Work on a version of the job that was replaced: brought back as a job beside it."""
    for other in (places.base, *backups_of(path), places.checkpoint):
        revision = read_revision(other)
        if revision is None or revision not in found.revisions:
            continue
        try:
            loaded = load_job(other)
            n_since = found.n_steps_since(revision)
            recovered = _recovered(found, places, loaded.state, revision, n_since)
            if recovered.leaves_rest or loaded.archive.damaged:
                continue  # the journal says more than that: it is kept
            copy = first_free(lambda n: path.with_name(f"{path.stem}.recovered{n}{path.suffix}"))
            save_job(recovered.state, copy, worked_s=loaded.worked_s)
        except LatherError:
            continue
        for used in (places.journal, places.checkpoint, places.base):
            used.unlink(missing_ok=True)
        notices.append(
            f"Unsaved work on an earlier version of this job was brought back as '{copy.name}': "
            f"{found.n_steps} steps, the last one: {recovered.last_name}."
        )
        return
    _put_aside(places, "other", "A journal of another version of this job", notices)


def _beginning(
    found: FoundJournal, places: Places
) -> tuple[JobState, str, LoadedJob | None]:
    """What to replay work without a job file from: a state, its revision, its checkpoint.

    The first state is better than a checkpoint of which a part is damaged, if it is there.
    """
    revision = read_revision(places.checkpoint)
    loaded = _checkpoint(places) if revision in found.revisions else None
    if loaded is None or loaded.archive.damaged:
        try:
            return _first_state(found), next(iter(found.revisions)), None
        except LatherError:
            if loaded is None:
                raise
    return loaded.state, loaded.revision, loaded


def _checkpoint(places: Places) -> LoadedJob | None:
    """The checkpoint as far as it can be read; None if it cannot."""
    try:
        return load_job(places.checkpoint)
    except LatherError:
        return None


def _put_aside(places: Places, ending: str, what: str, notices: list[str]) -> None:
    aside = places.aside(ending)
    try:
        places.journal.replace(aside)
    except OSError as error:
        notices.append(f"{what} could not be put aside ({error.strerror}).")
    else:
        notices.append(f"{what} was put aside as '{aside.name}'.")


def journals_of(
    path: Path, other_than: Places | None = None
) -> Iterator[tuple[Places, FoundJournal | None]]:
    """The journals of a job, None for what cannot be read.

    Beside the job, and apart for jobs whose folder could not be written.
    """
    at_job = beside(path)
    if at_job != other_than and at_job.journal.is_file():
        yield at_job, _journal_at(at_job)
    for places in all_apart():
        if places != other_than and _job_of(places) == str(path.resolve()):
            found = _journal_at(places)
            if found is not None:
                yield places, found


def _job_of(places: Places) -> object:
    """The job that a journal says it belongs to; None if it names none, or is no journal."""
    try:
        return read_about(places.journal).get("job")
    except (OSError, JobFileError):
        return None


def _journal_at(places: Places) -> FoundJournal | None:
    try:
        return read_journal(places.journal)
    except (OSError, JobFileError, ValueError, KeyError, TypeError):
        return None


def _recovered(
    found: FoundJournal, places: Places, base: JobState, revision: str, n_steps: int
) -> Recovered:
    """Replay the journal; what only old steps hold goes to disk at once."""
    history, spill = History(), Spill(spill_folder())
    history.park = spill.park_now
    state, n_replayed, last = base, 0, None
    for last in found.steps(revision, base):
        if last.gesture == repr(ABSORBED):
            history.absorb(partial(_with_measured, last.state))
        else:
            history.record(Step(last.name, state, last.state, last.gesture))
        state = last.state
        n_replayed += 1
    replayed = found.replayed(revision, n_replayed, last)
    last_name = found.last_name if last is None else last.name
    return Recovered(
        found, places, base, revision, state, history, replayed, n_steps - replayed.n_lost,
        last_name,
    )  # fmt: skip


def _with_measured(measured: JobState, state: JobState) -> JobState:
    """A state with the survey that came by itself later on."""
    if state.surveyed:
        return state
    done = state.operations
    if measured.operations.last is not None:
        done = done.followed_by(measured.operations.last)
    return replace(state, findings=measured.findings, regions=measured.regions, operations=done)


def _first_state(found: FoundJournal) -> JobState:
    """The state that work on a photo began with."""
    about = found.about
    if "copy_of" in about:
        loaded = load_job(Path(about["copy_of"]))
        if loaded.revision not in found.revisions:
            raise JobFileError(
                f"'{about['title']}' was not recovered",
                f"the job it is a copy of, '{about['copy_of']}', was saved since",
                "put that version back from its backup",
            )
        return loaded.state
    photo = read_photo(Path(about["photo"]), partial=True)
    if photo.sha256 != about["sha256"]:
        raise JobFileError(
            f"'{about['title']}' was not recovered",
            f"its photo '{photo.name}' was changed since",
            f"put the photo back as it was at {about['photo']}",
        )
    state = new_state(photo)
    layer = replace(state.layers[0], id=int(about["photo_layer"]), name=str(about["photo_name"]))
    return replace(state, layers=(layer,), active_id=layer.id)
