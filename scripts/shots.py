"""Refreshes docs/screenshots from the demo data, through the real window."""

from __future__ import annotations

import os
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtCore import QPointF
from PyQt6.QtWidgets import QDialog

from lather.actions import finding
from lather.core.kernels import prepare_kernels
from lather.core.rect import Rect
from lather.document import edits
from lather.document.layers import Stage
from lather.errors import LatherError
from lather.files.journal import FoundJournal
from lather.paths import SOURCE_TREE, demo_dir, demo_job
from lather.settings.store import Settings
from lather.ui.app import build
from lather.ui.deliver_dialog import DeliverDialog
from lather.ui.history_list import HistoryList
from lather.ui.recovery_dialogs import RecoveryDialog
from lather.ui.scripted import SIZE, open_and_settle, settle, shot, wait_until

FOLDER = SOURCE_TREE / "docs" / "screenshots"


def main() -> None:
    prepare_kernels()
    app = build(Settings())
    app.window.resize(*SIZE)
    app.window.show()
    bench = app.bench

    open_and_settle(app, demo_dir() / "portrait1.jpg")
    shot(app, FOLDER / "first-run.png")

    open_and_settle(app, demo_job())
    bench.settings.set("hint_seen", True)
    app.window.hint.hide()
    bench.zoom_to(0.5)
    bench.centre_on(Rect.around(1180, 1330, 2))
    settle(app)
    app.window.canvas._move_cursor(QPointF(330, 420))
    shot(app, FOLDER / "clean.png")

    open_and_settle(app, demo_dir() / "portrait1.jpg")
    finding.survey(bench)
    wait_until(lambda: bench.task is None)
    app.window.messages.hide()
    shot(app, FOLDER / "survey.png")
    finding.step(bench, 1)
    finding.step(bench, 1)
    shot(app, FOLDER / "finding.png")

    bench.take_job(None)  # without asking about the survey
    open_and_settle(app, demo_job())
    bench.zoom_to(1.0)
    bench.centre_on(Rect.around(960, 1350, 2))
    bench.look(split=True)
    shot(app, FOLDER / "split.png")
    bench.look(split=False)

    bench.fit()
    bench.change("New layer", edits.add_pixel_layer, "Warmth", Stage.EVEN)
    bench.change("Add mask", edits.add_mask, bench.state.active_id)
    bench.change("Group layer", edits.group, bench.state.active_id)
    bench.hands.take_tool("paint_colour")
    bench.go_to_stage(Stage.DELIVER)
    shot(app, FOLDER / "deliver-stage.png")
    bench.settings.set("delivery_folder", "/")
    dialog = DeliverDialog(bench.open_job, bench.settings, app.window)
    dialog.folder_field.setText("~/Pictures/Delivered")
    dialog.list.setCurrentRow(1)
    show(app, dialog, "deliver")
    show(app, HistoryList(bench, app.window), "history")
    left = FoundJournal(Path("journal"), {}, {}, 14, 0, "Mend spot", time.time() - 600)
    show(app, RecoveryDialog("portrait1", 14, left, app.window), "recovery")
    bench.go_to_stage(Stage.CLEAN)

    trouble = LatherError(
        "'portrait1.lather' was not written", "/media/card: No space left on device",
        "choose another folder or make room; the earlier file is unchanged",
    )  # fmt: skip
    bench.report(trouble, "Saving", lambda: None)
    shot(app, FOLDER / "error.png")
    app.window.messages.hide()

    for command, name in (("help.search", "search"), ("help.shortcuts", "keys")):
        app.window.actions_by_id[command].run(bench)
        dialog = app.window.findChildren(QDialog)[-1]
        show(app, dialog, name)
    app.close()


def show(app, dialog: QDialog, name: str) -> None:
    """A picture of one dialog."""
    dialog.show()
    settle(app)
    dialog.grab().save(str(FOLDER / f"{name}.png"))
    dialog.close()
    dialog.setParent(None)


if __name__ == "__main__":
    main()
