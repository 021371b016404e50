"""Where old states go when memory is short: to a nameless file, aside."""

from __future__ import annotations

from lather.document.events import Signal
from lather.document.history import Parked
from lather.document.tiles import Tile
from lather.errors import LatherError
from lather.files.jobs.spill import Spill, spill_folder
from lather.render.worker import Executor


class Parking:
    """One job's; `troubled` is told once if old states have nowhere to go."""

    def __init__(self, executor: Executor, troubled: Signal[LatherError]) -> None:
        self._executor = executor
        self._troubled = troubled
        self._spill: Spill | None = None
        self._told = False

    def park(self, tiles: list[Tile], parked: Parked) -> bool:
        """Send old tiles to disk; False if there is no disk to use (`History.park`)."""
        try:
            if self._spill is None:
                self._spill = Spill(spill_folder())
        except OSError as error:
            self._tell(f"old states have no folder to go to ({error.strerror or error})")
            return False
        spill = self._spill

        def done(on_disk: bool) -> None:
            parked(on_disk)
            if not on_disk:
                self._tell("old states no longer fit on the disk")

        def failed(error: Exception) -> None:
            done(False)
            raise error

        self._executor.post(lambda: spill.park(tiles), done, failed=failed)
        return True

    def _tell(self, why: str) -> None:
        if not self._told:
            self._told = True
            self._troubled.emit(LatherError(
                "Undo reaches back less far from here on", why,
                "make room on the disk; the job itself is unharmed",
            ))  # fmt: skip
