"""lather survey: what a portrait measures, as text and JSON."""

from __future__ import annotations

import argparse
import json
from collections import Counter
from pathlib import Path
from typing import TYPE_CHECKING, Any

from lather.assist.stages import in_order, with_a_look
from lather.cli.ending import asked
from lather.cli.opening import opened_job
from lather.cli.progress import report
from lather.cli.stages import chosen_stages
from lather.cli.text import write_text
from lather.cli.written import did, done
from lather.core.survey.findings.kinds import KINDS
from lather.core.survey.regions.region import Region
from lather.errors import LatherError, ScaleError, UsageError
from lather.files.outputs import Form, Output, check_outputs

if TYPE_CHECKING:
    from lather.core.survey.findings.finding import Finding
    from lather.core.survey.survey import Survey
    from lather.document.findings import Findings
    from lather.document.layers.layer import Stage
    from lather.document.state import JobState

SMALLEST_SCALE, LARGEST_SCALE = 1e-4, 100.0
READS = ("photo",)
WRITES = {"json": Form.TEXT, "regions": Form.FOLDER}
HELP = "measure a portrait: scale, face handles, findings"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("photo", type=Path, help="a photo or a .lather job")
    parser.add_argument("--json", type=Path, metavar="FILE", help="write all of it as JSON")
    parser.add_argument(
        "--regions", type=Path, metavar="DIR",
        help="write each region as NAME.png and each part of the skin as part_NAME.png, 0-255",
    )  # fmt: skip
    parser.add_argument(
        "--stages", metavar="STAGE,...",
        help="look for the findings of these stages, too, which are else looked for when the "
        "stage is first gone to",
    )  # fmt: skip
    add_scale_argument(parser)


def add_scale_argument(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--mm-per-pixel", type=float, metavar="MM",
        help="the scale, where no face shows both eyes (a body detail, a profile)",
    )  # fmt: skip


def check_scale(mm_per_px: float | None) -> None:
    if mm_per_px is not None and not SMALLEST_SCALE <= mm_per_px <= LARGEST_SCALE:
        raise UsageError(
            "Nothing was surveyed", f"a pixel of {mm_per_px} mm is not possible",
            f"give {SMALLEST_SCALE:g} to {LARGEST_SCALE:g} mm per pixel",
        )  # fmt: skip


def run(options: argparse.Namespace) -> int:
    from lather.assist.looking import looked_in
    from lather.assist.survey import surveyed, with_survey

    check_scale(options.mm_per_pixel)
    if options.regions is not None:
        _check_pictures(options.photo, options.regions)
    stages = _stages(options)
    state = opened_job(options.photo, options).state
    found = survey_of(state, options)
    state = with_survey(state, surveyed(found))
    for stage in stages:
        state = looked_in(state, stage, progress=report, cancel=asked())
    if options.regions is not None:
        _write_regions(state, options.regions)
    text = json.dumps(facts(found, state), indent=1) if options.json is not None else ""
    write_text(text, options.json, _as_text(found, state.findings))
    return 0


def _stages(options: argparse.Namespace) -> tuple[Stage, ...]:
    """Whose findings are looked for; every survey looks for some."""
    if options.stages is None:
        return ()
    of_survey = {row.stage for row in KINDS.values()}
    among = [stage for stage in in_order()
             if stage.value in of_survey or stage in with_a_look()]  # fmt: skip
    return chosen_stages(options.stages, among, "Nothing was surveyed", "looks for nothing yet")


def _check_pictures(photo: Path, folder: Path) -> None:
    """None of the pictures of regions may lie where the photo does."""
    from lather.assist.region_planes import NAMES

    if folder.is_dir():
        check_outputs([photo], [Output(_picture(folder, name), Form.PICTURE) for name in NAMES])


def _write_regions(state: JobState, folder: Path) -> None:
    from lather.assist.region_planes import region_planes
    from lather.files.exchange.masks import write_mask

    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise LatherError(
            "The regions were not written", f"{folder} cannot be made: {error.strerror}",
            "choose another folder",
        ) from error  # fmt: skip
    for name, plane in region_planes(state):
        write_mask(plane, _picture(folder, name))


def _picture(folder: Path, name: str) -> Path:
    return folder / f"{name}.png"


def with_own_survey(state: JobState, options: argparse.Namespace) -> JobState:
    """With faces, regions and findings, measured now if they were not; at the scale that was given
    if one was."""
    if not state.surveyed:
        return with_new_survey(state, options)
    if options.mm_per_pixel is None:
        return state
    from lather.document.scale import set_scale

    return did(state, "Set the scale", set_scale, mm_per_px=options.mm_per_pixel)


def with_new_survey(state: JobState, options: argparse.Namespace) -> JobState:
    """Measured now, by all that was set by hand; at the scale that was given if one was."""
    from lather.assist.survey import call_of_survey, surveyed, with_survey
    from lather.document.people import scale_by_hand

    scale = scale_by_hand(state.findings) if options.mm_per_pixel is None else options.mm_per_pixel
    new = surveyed(survey_of(state, options))
    return done(state, with_survey(state, new), "Survey", call_of_survey(scale))


def survey_of(state: JobState, options: argparse.Namespace) -> Survey:
    """The survey of a job's photo as it is set by hand, at the scale that was given if one was."""
    from lather.assist.survey import survey_anew

    try:
        return survey_anew(state, options.mm_per_pixel, progress=report, cancel=asked())
    except ScaleError as error:
        raise error.advising("give the scale with --mm-per-pixel") from error


def facts(measured: Survey, state: JobState) -> dict[str, Any]:
    """All that was measured, in full-resolution pixels, x right, y down."""
    from lather.render.ground import photo_ground
    from lather.render.regions import part_planes

    findings, parts = state.findings, part_planes(photo_ground(state))
    return {
        "width": measured.width,
        "height": measured.height,
        "mm_per_pixel": measured.mm_per_px,
        "faces": [
            {name: [round(x, 1), round(y, 1)] for name, (x, y) in face.handles.items()}
            for face in measured.faces
        ],
        "regions": {region.value: round(measured.share(region), 4) for region in Region},
        "parts": {part.value: round(float(plane.mean()), 4) for part, plane in parts.items()},
        "lacking": measured.lacking,
        "findings": [_finding(finding, findings) for finding in findings.items],
    }


def _finding(finding: Finding, findings: Findings) -> dict[str, Any]:
    from lather.core.survey.findings.advice import advice_for

    advice = advice_for(finding)
    return {
        "id": finding.id,
        "kind": finding.kind.value,
        "stage": finding.kind.stage,
        "certainty": round(finding.certainty, 2),
        "doubtful": finding.doubtful,
        "x": round(finding.x, 1),
        "y": round(finding.y, 1),
        "radius_px": round(finding.radius_px, 1),
        "diameter_mm": round(finding.diameter_mm, 2),
        "contrast_l": round(finding.contrast_l, 1),
        "contrast_a": round(finding.contrast_a, 1),
        "severity": round(finding.severity),
        "rim_broken": round(finding.rim_broken, 2),
        "extent_px": [round(radius, 1) for radius in finding.extent_px],
        **_shape(finding),
        "state": findings.state(finding).value,
        "advice": None if advice is None else {
            "tool": advice.tool, "size_px": advice.size_px, "hardness": advice.hardness,
            "opacity": advice.opacity, "mode": advice.mode.value,
        },
    }  # fmt: skip


def _shape(finding: Finding) -> dict[str, Any]:
    """What only patches, or only lines, have."""
    if finding.kind.is_patch:
        return {"area_mm2": round(finding.area_mm2, 1), "clipped": round(finding.clipped, 3)}
    if not finding.path_px:
        return {}
    path = [[round(x, 1), round(y, 1)] for x, y in finding.path_px]
    return {"length_mm": round(finding.length_mm, 1), "path_px": path}


def _as_text(measured: Survey, findings: Findings) -> str:
    counts = Counter(finding.kind.value for finding in findings.items)
    listed = ", ".join(f"{count} {kind}" for kind, count in sorted(counts.items())) or "none"
    less = f"\nless was seen than could be: {measured.lacking}" if measured.lacking else ""
    return (
        f"{measured.width} x {measured.height} px, {len(measured.faces)} "
        f"face{'s' if len(measured.faces) != 1 else ''}, {measured.mm_per_px:.3f} mm per pixel, "
        f"skin {measured.share(Region.SKIN):.0%}\nfindings: {listed}{less}"
    )
