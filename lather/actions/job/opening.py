"""Commands that open: photos, jobs, and work that a process left behind."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from lather.actions.action import Action
from lather.actions.job.recovery import (
    Opened,
    open_copy,
    open_path,
    open_unsaved,
    take_up,
    throw_away,
    unsaved_work,
)
from lather.actions.job.saving import settle_unsaved
from lather.actions.work.task import Offer
from lather.actions.workbench import Workbench
from lather.core.work import Progress
from lather.document.agreed.briefing import forbidden_work
from lather.document.photo import UNTAGGED
from lather.errors import InUseError, PhotoMissingError, TruncatedError
from lather.files.jobs.journalreader import FoundJournal
from lather.files.outputs import same_file
from lather.files.places import Places
from lather.paths import demo_job


def open_file(bench: Workbench, path: Path) -> None:
    """Open a photo or job, after asking about unsaved work."""
    settle_unsaved(bench, lambda: _open(bench, path))


def begin(bench: Workbench, path: Path | None) -> None:
    """What a start brings: a file that was named, or work that was left."""
    if path is not None:
        open_file(bench, path)  # which tells of the preferences, too
        return
    _tell(bench, bench.settings.take_notice())
    offer_unsaved_work(bench)


def offer_unsaved_work(bench: Workbench, *, tell_none: bool = False) -> None:
    """Ask about work that has no job file and that no living process holds."""
    left = list(unsaved_work())
    if not left:
        if tell_none:
            bench.say("There is no work that was left unsaved.")
        return
    _go_on_with_unsaved(bench, left)


def _go_on_with_unsaved(bench: Workbench, left: Sequence[tuple[FoundJournal, Places]]) -> bool:
    """Ask which of the work that was left is gone on with; False if none is."""
    rest = list(left)
    while rest:
        answer = bench.ask.unsaved_work([found for found, _ in rest])
        if answer is None:
            return False
        choice, index = answer
        if choice != "throw away":
            _recover(bench, *rest[index])
            return True
        throw_away(rest.pop(index)[1])
    return False


def _recover(bench: Workbench, found: FoundJournal, places: Places) -> None:
    def taken(opened: Opened) -> None:
        take_up(opened, saved_state=False)
        bench.take_job(opened)
        _tell(bench, _how_recovered(opened))

    settle_unsaved(bench, lambda: _open_aside(
        bench, "Recovering", lambda progress: open_unsaved(found, places, progress), taken
    ))  # fmt: skip


def _open(
    bench: Workbench, path: Path, photo_at: Path | None = None, *, partial: bool = False
) -> None:
    own = bench.job.path if bench.job is not None else None
    if own is not None and same_file(own, path):
        bench.take_job(None)  # what was discarded is not to be found again as lost work

    def taken(opened: Opened) -> None:
        if opened.recovered is not None and not _choose_state(bench, opened):
            opened.release()
            return
        if opened.unsaved and _go_on_with_unsaved(bench, opened.unsaved):
            opened.release()
            return
        bench.take_job(opened)
        bench.settings.add_recent(path)
        settings_notice = bench.settings.take_notice()
        forbidden = forbidden_work(opened.job.state)
        _tell(
            bench, _how_recovered(opened), *_troubles(opened), settings_notice, forbidden,
            warns=partial or bool(forbidden),
        )  # fmt: skip

    def handled(error: Exception) -> bool:
        if isinstance(error, PhotoMissingError):
            found = bench.ask.photo_of_job(error.sentence(), path.name)
            if found is not None:
                _open(bench, path, found)
            return found is not None
        if isinstance(error, TruncatedError):
            offer = Offer("Open what is there", lambda: again(partial=True))
            bench.say(error.sentence(), error=True, offer=offer)
            return True
        if isinstance(error, InUseError) and bench.ask.open_copy(error.sentence()):
            _open_aside(
                bench, "Opening", lambda progress: open_copy(path, progress), bench.take_job
            )
            return True
        return False

    def again(partial: bool = partial) -> None:
        """Later, when the job that is open may have been worked on."""
        settle_unsaved(bench, lambda: _open(bench, path, photo_at, partial=partial))

    def work(progress: Progress) -> Opened:
        return open_path(path, progress, photo_at=photo_at, locked=True, partial=partial)

    _open_aside(bench, "Opening", work, taken, retry=again, handled=handled)


def _open_aside(
    bench: Workbench,
    title: str,
    work: Callable[[Progress], Opened],
    taken: Callable[[Opened], None],
    **options: Any,
) -> None:
    """Open aside. What is done meanwhile on the job that is still open is asked about, too."""
    left = bench.job.state if bench.job is not None else None

    def done(opened: Opened) -> None:
        job, session = bench.job, bench.session
        if job is None or (job.state is left and not (session is not None and session.busy)):
            taken(opened)
        else:
            settle_unsaved(bench, lambda: taken(opened), stay=opened.release)

    bench.run_task(title, lambda progress, _: work(progress), done, **options)


def _choose_state(bench: Workbench, opened: Opened) -> bool:
    """Ask which state to go on with; False if neither."""
    recovered = opened.recovered
    assert recovered is not None
    answer = bench.ask.recovery(opened.job.title, recovered)
    if answer is None:
        return False
    take_up(opened, saved_state=answer == "saved")
    return True


def _tell(bench: Workbench, *sentences: str, warns: bool = False) -> None:
    text = " ".join(filter(None, sentences))
    if text:
        bench.say(text, error=warns)


def _troubles(opened: Opened) -> list[str]:
    """What is worth a message; that a photo has no profile shows in the status line."""
    return [notice for notice in opened.notices if notice != UNTAGGED]


def _how_recovered(opened: Opened) -> str:
    """What became of unsaved steps, unless there were none or it is said already."""
    if opened.recovered is None or opened.recovered.leaves_rest:
        return ""
    n_steps, last = opened.recovered.n_steps, opened.recovered.last_name
    plural = "s" if n_steps != 1 else ""
    if opened.job.modified:
        return f"Recovered {n_steps} unsaved step{plural}; the last one: {last}."
    return f"The saved state is shown. Undo brings {n_steps} unsaved step{plural} back."


def _ask_and_open(bench: Workbench) -> None:
    path = bench.ask.path_to_open()
    if path is not None:
        open_file(bench, path)


ACTIONS = (
    Action("job.open", "Open…", "Open a photo or a job.", "Job", _ask_and_open),
    Action(
        "job.open_demo",
        "Open the demo",
        "Open the finished demo job: a made-up portrait.",
        "Job",
        lambda bench: open_file(bench, demo_job()),
    ),
    Action(
        "job.recover",
        "Recover unsaved work…",
        "Go on with work that was never saved, after Lather ended unexpectedly.",
        "Job",
        lambda bench: offer_unsaved_work(bench, tell_none=True),
    ),
)
