"""How long a person waits on the shortest way through a portrait, from open to delivered.

The real window is driven by its commands. Between two of them the person looks at what came of the
last one for a while; that is not waiting, and what is worked out meanwhile does not have to be
waited for.
"""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from bench.common import Row, Scale, demo_picture, row

if TYPE_CHECKING:
    from lather.ui.app import App

LOOK_S = 4.0  # at an outcome, before the next command
MOST_S = 25.0
PATIENCE_S = 300.0


class _Answers:
    """Stands in for the dialogs: one picture at full size."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def orders(self, job: Any) -> list[Any]:  # noqa: ARG002
        from lather.files.exchange.delivery import Delivery

        return [(self._folder / "out.jpg", Delivery())]

    def __getattr__(self, name: str) -> Callable[..., None]:
        return lambda *_: None


class _Walk:
    """The way, and how long each of its steps was waited for."""

    def __init__(self, app: App, photo: Path, look_s: float) -> None:
        self._app, self._photo, self._look_s = app, photo, look_s
        self.waited_s: dict[str, float] = {}

    def go(self) -> None:
        from lather.actions.job.opening import open_file

        bench = self._app.bench
        self._step("open and survey", lambda: open_file(bench, self._photo),
                   lambda: bench.job is not None and bench.state.surveyed)  # fmt: skip
        self._step("mend all", lambda: self._press("finding.mend_all"), self._is_idle)
        self._press("stage.even")
        self._step("propose all of Even", lambda: self._press("finding.mend_all"),
                   lambda: bench.pending is not None)  # fmt: skip
        self._step("take it over", lambda: self._press("proposal.accept"), self._is_idle)
        self._step("check", lambda: self._press("check.show"),
                   lambda: bench.gauge.is_fresh(bench.state))  # fmt: skip
        self._step("deliver", lambda: self._press("job.deliver"), self._is_idle)

    def _is_idle(self) -> bool:
        return self._app.bench.task is None

    def _press(self, action_id: str) -> None:
        from lather.ui.parts.widgets import run_action

        run_action(self._app.window.actions_by_id[action_id], self._app.bench)

    def _step(self, name: str, command: Callable[[], object], is_done: Callable[[], bool]) -> None:
        from lather.ui.scripted import wait_until

        start_s = time.perf_counter()
        command()
        if not wait_until(is_done, PATIENCE_S):
            raise RuntimeError(f"'{name}' did not come to an end")
        self.waited_s[name] = time.perf_counter() - start_s
        wait_until(lambda: False, self._look_s)


def measure(scale: Scale) -> list[Row]:
    """waiting from open to delivered, worked ahead and not"""
    look_s = 0.2 if scale.is_small else LOOK_S
    ahead, plain = (_waited(scale, look_s, works_ahead=works) for works in (True, False))
    reference = "without working ahead"
    rows = [
        row(f"waiting for: {name}", ahead[name], "s", target="", reference=reference,
            reference_value=plain[name])
        for name in ahead
    ]  # fmt: skip
    total_s = sum(ahead.values())
    return [*rows, row("waiting from open to delivered", total_s, "s", target=f"<= {MOST_S:g} s",
                       ok=total_s <= MOST_S, reference=reference,
                       reference_value=sum(plain.values()))]  # fmt: skip


def _waited(scale: Scale, look_s: float, *, works_ahead: bool) -> dict[str, float]:
    from lather.actions.work.ahead import Ahead
    from lather.settings.store import Settings
    from lather.ui.app import build

    with tempfile.TemporaryDirectory() as folder:
        photo = _photo(Path(folder), scale)
        settings = Settings()
        settings.set("work_ahead", works_ahead)
        app = build(settings)
        app.ahead = Ahead(app.bench)
        app.bench.ask = _Answers(Path(folder))  # type: ignore[assignment]
        app.window.resize(1280, 800)
        app.window.show()
        try:
            walk = _Walk(app, photo, look_s)
            walk.go()
        finally:
            app.close()
    return walk.waited_s


def _photo(folder: Path, scale: Scale) -> Path:
    """Portrait 1 under a name of its own; smaller, where it is only to be seen whether it runs."""
    import cv2

    path = folder / "portrait.png"
    cv2.imwrite(str(path), demo_picture("portrait1.jpg", scale))
    return path
