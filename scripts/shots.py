"""Refreshes docs/screenshots from the demo data, through the real window."""

from __future__ import annotations

import math
import os
import tempfile
from dataclasses import replace
from pathlib import Path
from unittest import mock

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import cv2
import numpy as np
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QDialog, QWidget

from lather.actions.findings import surveying, walking
from lather.actions.hand.taking import take
from lather.actions.stages import checking, evening
from lather.actions.stages.shape import set_shape
from lather.actions.work import proposing
from lather.assist.check.blind import blind_pair
from lather.assist.shape.face_features import mesh_of
from lather.assist.survey import survey_photo, surveyed, with_survey
from lather.core.brush.stroke import PenSample
from lather.core.kernels import prepare_kernels
from lather.core.rect import Rect
from lather.core.survey.regions.region import Part, Region
from lather.document import areas, edits
from lather.document.agreed.brief import Brief
from lather.document.layers.layer import Stage
from lather.document.layers.limits import Limits, Span
from lather.document.layers.table import KINDS
from lather.document.state import new_state
from lather.files.photos.reading import read_photo
from lather.paths import SOURCE_TREE, demo_dir, demo_job
from lather.render.lenses.lens import REDNESS
from lather.render.lenses.table import render_region
from lather.settings.store import Settings
from lather.ui.app import build
from lather.ui.dialogs.blind_dialog import PICTURE_PX, BlindDialog
from lather.ui.dialogs.deliver_dialog import DeliverDialog
from lather.ui.scripted import SIZE, open_and_settle, settle, shot, wait_until
from lather.ui.simulated_pen import SimulatedPen
from lather.ui.stages.even.score_panel import ScorePanel
from lather.ui.stages.shape.shape_panel import ShapePanel

SHEET_CELL_PX = (176, 220)
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

    for number in (8, 9):
        open_and_settle(app, demo_dir() / f"portrait{number}.jpg")
        surveying.survey(bench)
        wait_until(lambda: bench.task is None)
        app.window.messages.hide()
        if number == 8:
            even_stage(app)
            shape_stage(app)
            brief_and_check(app)
            continue
        shot(app, FOLDER / "survey.png")
        bench.take_job(None)  # without asking about the survey

    open_and_settle(app, demo_dir() / "portrait1.jpg")
    surveying.survey(bench)
    wait_until(lambda: bench.task is None)
    app.window.messages.hide()
    walking.step(bench, 1)
    walking.step(bench, 1)
    shot(app, FOLDER / "finding.png")

    computed_layers(app)
    adjustments(app)
    clean_by_hand(app)

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
    bench.settings.set("delivery_folder", "/")
    with tempfile.TemporaryDirectory() as home, mock.patch.dict(os.environ, HOME=home):
        (Path(home) / "Pictures" / "Delivered").mkdir(parents=True)
        dialog = DeliverDialog(bench.open_job, bench.settings, app.window)
        dialog.folder_field.setText("~/Pictures/Delivered")
        dialog.list.setCurrentRow(1)
        show(app, dialog, "deliver")
    bench.go_to_stage(Stage.CLEAN)

    app.window.actions_by_id["help.shortcuts"].run(bench)
    show(app, app.window.findChildren(QDialog)[-1], "keys")
    app.close()
    regions_sheet()


def computed_layers(app) -> None:
    """A split with its proposal, and the cards of the other kinds beside it."""
    bench = app.bench
    before = bench.state
    bench.zoom_to(0.5)
    bench.centre_on(Rect.around(1180, 1330, 2))
    cards, card = [], app.window.layer_card
    for kind in ("curves", "smooth", "light", "split"):
        bench.change("Add", edits.add_computed, KINDS[kind])
        if kind == "curves":
            bent = ((0.0, 0.0), (0.3, 0.24), (0.65, 0.73), (1.0, 1.0))
            bench.change("Curve", edits.set_parameter, bench.state.active_id, "rgb", bent)
        settle(app)
        if kind == "split":
            wait_until(lambda: card.card.radius is not None)
        else:
            wait_until(lambda: not card._timer.isActive())
            settle(app)
            card.show_title(True)
            cards.append(grabbed(card))
    beside(app, cards, FOLDER / "layers.png")
    bench.job.change("As it was", before)
    settle(app)


def adjustments(app) -> None:
    """Cards of adjustments and filters side by side, the last of them in the window."""
    bench = app.bench
    before = bench.state
    cards = []
    brackets = [{"middle_deg": 44.0, "width_deg": 36.0, "light_l": 2.0},
                {"middle_deg": 20.0, "width_deg": 30.0, "chroma_percent": -20.0}]  # fmt: skip
    inks = [{"middle_deg": 44.0, "width_deg": 50.0, "low_l": 40.0, "high_l": 88.0, "black": -5.0}]
    kinds = {"inks": {"ranges": inks}, "exposure": {"warmth_mired": -12.0}, "soften": {},
             "sharpen": {}, "hues": {"ranges": brackets}}  # fmt: skip
    for kind, values in kinds.items():
        if values:
            bench.change("Add", edits.add_computed, KINDS[kind], **values)
        else:
            bench.change("Add", edits.start_computed, KINDS[kind])
        settle(app)
        wait_until(lambda: not app.window.layer_card._timer.isActive())
        settle(app)
        if kind != "hues":
            app.window.layer_card.show_title(True)
            cards.append(grabbed(app.window.layer_card))
    limits = Limits(Span(low_l=35.0, high_l=90.0, soft_low_l=10.0))
    bench.change("Limits", edits.set_limits, bench.state.active_id, limits)
    settle(app)
    beside(app, cards, FOLDER / "adjustments.png")
    bench.job.change("As it was", before)
    settle(app)


def even_stage(app) -> None:
    """The blotch lens with the scores, shine proposed beside the face map, a colour matched."""
    bench, panel = app.bench, app.window.worklist.part(ScorePanel)
    bench.go_to_stage(Stage.EVEN)
    wait_until(lambda: panel.measured and panel.scores is not None, 60)
    panel.as_table.setChecked(True)
    bench.look(lens="blotch", deviation_of=REDNESS)
    shot(app, FOLDER / "scores.png")
    bench.look(lens="")
    panel.as_table.setChecked(False)
    evening.tame_shine(bench)
    wait_until(lambda: bench.task is None)
    bench.zoom_to(0.6)
    bench.centre_on(Rect.around(790, 900, 2))
    settle(app)
    app.window.canvas._move_cursor(QPointF(240, 300))
    shot(app, FOLDER / "proposal.png")
    proposing.accept(bench)
    wait_until(lambda: bench.task is None)
    app.window.messages.hide()
    bench.go_to_stage(Stage.CLEAN)


def shape_stage(app) -> None:
    """A mirrored push through its lens, the symmetry meter, straight lines behind the person."""
    bench, canvas, panel = app.bench, app.window.canvas, app.window.worklist.part(ShapePanel)
    proposing.leave(bench)
    bench.change("No area", areas.set_area, None)
    take(bench, "push")
    set_shape(bench, mirrored=True)
    mesh = mesh_of(bench.state, 0)
    pen = SimulatedPen(canvas)
    bench.zoom_to(0.6)
    bench.centre_on(Rect.around(780, 1000, 2))
    settle(app)
    for number, inwards in ((172, 24.0), (132, 16.0)):
        x, y = (float(v) for v in mesh[number, :2])
        pen.stroke([PenSample(0.02 * n, x - 4 + inwards * n / 12, y - n / 4, 1.0)
                    for n in range(13)])  # fmt: skip
        pen.wait()
        settle(app)
    bench.look(lens="moved")
    wait_until(lambda: panel.measured.rests)
    canvas._move_cursor(QPointF(330, 500))
    app.window.messages.hide()
    shot(app, FOLDER / "shape.png")
    bench.look(lens="")
    set_shape(bench, mirrored=False)
    bench.take_job(None)
    straight_lines(app)


def brief_and_check(app) -> None:
    """A brief as it is agreed on, a retouch that goes too far, and the blinded test."""
    from lather.assist.retouch import as_one
    from lather.document.agreed.briefing import set_brief

    bench = app.bench
    open_and_settle(app, demo_dir() / "portrait8.jpg")
    surveying.survey(bench)
    wait_until(lambda: bench.task is None)
    brief = Brief(
        words="Fresh, as after a good night's sleep. Her mole stays, and so do the fine lines.",
        delivery_long_side_px=1600, n_pictures=12, fee=420.0, agreed_hours=7.0,
        deadline="2027-03-01", consent_by="the person in the picture", consent_on="2027-02-11",
    )  # fmt: skip
    bench.change("Brief", set_brief, brief)
    bench.go_to_stage(Stage.BRIEF)
    app.window.messages.hide()
    settle(app)
    shot(app, FOLDER / "brief.png")
    bench.go_to_stage(Stage.FINISH)
    for stage in (Stage.CLEAN, Stage.EVEN):
        bench.change(stage.title, lambda state, stage=stage: as_one(state, stage).after)
    bench.change("Smooth", lambda state: edits.add_computed(
        replace(state, active_id=state.layers[-1].id), KINDS["smooth"]))  # fmt: skip
    bench.change("Reach", edits.set_parameter, bench.state.active_id, "scale_px", 5.0)
    bench.zoom_to(0.5)
    bench.centre_on(Rect.around(800, 900, 2))
    checking.check_all(bench)
    wait_until(lambda: bench.task is None, 180)
    app.window.messages.hide()
    shot(app, FOLDER / "check.png")
    pair = blind_pair(bench.state, *PICTURE_PX, lambda: 1)
    show(app, BlindDialog(bench.state, pair, bench.surround, app.window), "blind")
    bench.take_job(None)
    bench.go_to_stage(Stage.CLEAN)


def straight_lines(app) -> None:
    """Tiles behind the person of a demo portrait, and a cheek pushed beside them."""
    bench, canvas = app.bench, app.window.canvas
    picture = cv2.imread(str(demo_dir() / "portrait8.jpg"))
    behind = cv2.imread(str(demo_dir() / "portrait8_mask_background.png"), 0) / 255.0
    height, width = picture.shape[:2]
    joints = np.ones((height, width), dtype=np.float32)
    for at in range(30, max(width, height), 120):
        cv2.line(joints, (at, 0), (at, height), (0.55,), 5, cv2.LINE_AA)
        cv2.line(joints, (0, at), (width, at), (0.55,), 5, cv2.LINE_AA)
    tiled = picture * (1 - behind * (1 - cv2.GaussianBlur(joints, (0, 0), 1.2)))[..., None]
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "tiles.png"
        cv2.imwrite(str(path), np.round(tiled).astype(np.uint8))
        open_and_settle(app, path)
        surveying.survey(bench)
        wait_until(lambda: bench.task is None)
        app.window.messages.hide()
        take(bench, "push")
        bench.hands.set_brush(size_px=320.0, flow=0.7)
        bench.zoom_to(0.6)
        x, y = (float(v) for v in mesh_of(bench.state, 0)[132, :2])
        bench.centre_on(Rect.around(int(x) + 180, int(y), 2))
        settle(app)
        bench.session.down(PenSample(0.0, x - 10, y))
        for n in range(1, 14):
            bench.session.move(PenSample(0.02 * n, x - 10 + 1.5 * n, y))
        wait_until(lambda: bench.session.reading is not None)
        settle(app)
        canvas._move_cursor(QPointF(*bench.geometry.to_view(x + 9, y)))
        shot(app, FOLDER / "straight.png")
        bench.session.up(PenSample(1.0, x + 9, y, 0.0))
        settle(app)
        bench.take_job(None)
    bench.go_to_stage(Stage.CLEAN)
    bench.hands.take_tool("mend_spot")


def grabbed(card: QWidget) -> np.ndarray:
    """(h, w, 3) blue, green and red of a widget."""
    image = card.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)
    data = image.constBits().asarray(image.sizeInBytes())
    pixels = np.frombuffer(data, np.uint8).reshape(image.height(), image.width(), 4)
    return pixels[..., :3].copy()


def beside(app, cards: list[np.ndarray], path: Path) -> None:
    """The window, and the cards in as many columns as they need."""
    shot(app, path)
    whole = cv2.imread(str(path))
    height, width = whole.shape[0], max(card.shape[1] for card in cards)
    columns, top = [], height
    for card in cards:
        if top + card.shape[0] > height - 12:
            columns.append(np.full((height, width + 24, 3), 34, np.uint8))
            top = 12
        columns[-1][top : top + card.shape[0], 12 : 12 + card.shape[1]] = card
        top += card.shape[0] + 16
    cv2.imwrite(str(path), np.concatenate([whole, *columns], 1))


def regions_sheet() -> None:
    """The region lens on all demo portraits, some regions and parts of each."""
    columns = []
    for number in (1, 2, 8, 9, 10, 11):
        photo = read_photo(demo_dir() / f"portrait{number}.jpg")
        state = with_survey(new_state(photo), surveyed(survey_photo(photo)))
        level = 3 if number == 1 else 2
        rect = photo.rect.at_level(level)
        column = [
            cv2.resize(render_region(state, region, rect, level)[..., :3], SHEET_CELL_PX,
                       interpolation=cv2.INTER_AREA)
            for region in (Region.SKIN, Region.HAIR, Region.BEARD, Region.CLOTHING, Region.LIPS,
                           Part.FOREHEAD, Part.CHEEK_RIGHT, Part.NECK)
        ]  # fmt: skip
        columns.append(np.concatenate(column, 1))
    sheet = np.concatenate(columns, 0)
    cv2.imwrite(str(FOLDER / "regions-sheet.png"), np.round(255 * sheet[..., ::-1]).astype("u1"))


def clean_by_hand(app) -> None:
    """A graft being dragged, and what the rim test says."""
    bench, canvas = app.bench, app.window.canvas
    bench.hands.take_tool("graft")
    bench.walk.go_to(None)
    bench.zoom_to(1.0)
    bench.centre_on(Rect.around(1130, 1390, 2))
    settle(app)
    pen = SimulatedPen(canvas)
    turns = [2 * math.pi * n / 60 for n in range(60)]
    pen.stroke([PenSample(0.01 * n, 942 + 62 * math.cos(t), 1356 + 50 * math.sin(t), 1.0)
                for n, t in enumerate(turns)])  # fmt: skip
    pen.wait()
    bench.change("Feather area", areas.feather, 18.0)
    settle(app)
    session = bench.session
    session.down(PenSample(0.0, 942, 1356))
    for n in range(1, 40):
        session.move(PenSample(0.02 * n, 942 - 2.0 * n, 1356 + 3.2 * n))
    end = (942 - 78.0, 1356 + 124.8)
    canvas._move_cursor(QPointF(*bench.geometry.to_view(*end)))
    shot(app, FOLDER / "graft.png")
    session.up(PenSample(1.0, *end, 0.0))
    settle(app)

    bench.change("No area", areas.set_area, None)
    bench.hands.take_tool("mend_spot")
    bench.hands.set_brush(size_px=90.0)
    bench.centre_on(Rect.around(1130, 1500, 2))
    settle(app)
    x, y = 1010.0, 1600.0
    canvas._move_cursor(QPointF(*bench.geometry.to_view(x, y)))
    settle(app)
    pen.stroke([PenSample(0.0, x, y, 1.0), PenSample(0.1, x + 1, y, 1.0)])
    pen.wait()
    settle(app)
    canvas._move_cursor(QPointF(*bench.geometry.to_view(x + 190, y + 60)))
    settle(app)
    shot(app, FOLDER / "rim.png")
    app.window.messages.hide()


def show(app, dialog: QDialog, name: str) -> None:
    """A picture of one dialog."""
    dialog.show()
    settle(app)
    dialog.grab().save(str(FOLDER / f"{name}.png"))
    dialog.close()
    dialog.setParent(None)


if __name__ == "__main__":
    # What a run that broke off has left is nothing to ask about.
    with tempfile.TemporaryDirectory() as unsaved:
        os.environ["XDG_STATE_HOME"] = unsaved
        main()
