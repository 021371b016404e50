"""lather info: what a job or photo holds."""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import TYPE_CHECKING, Any

from lather.cli.opening import opened_job
from lather.cli.progress import compiled_kernels
from lather.files.outputs import Form

if TYPE_CHECKING:
    from lather.assist.shape.measures import ShapeMeasures
    from lather.document.state import JobState

READS = ("job",)
WRITES: dict[str, Form] = {}
HELP = "tell what a job holds"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("job", type=Path, help="a .lather job or a photo")
    parser.add_argument("--json", action="store_true", help="machine-readable")
    parser.add_argument("--steps", action="store_true",
                        help="what was done, step by step: what, where, with what, how long")


def run(options: argparse.Namespace) -> int:
    job = opened_job(options.job, options)
    facts = describe(job)
    if options.steps:
        facts["steps"] = _steps(job.state) if options.json else _steps_as_text(job.state)
    print(json.dumps(facts, indent=1) if options.json else _as_text(facts))
    return 0


def _steps(state: JobState) -> list[dict[str, Any]]:
    from lather.operations.told import facts

    return facts(state)


def _steps_as_text(state: JobState) -> list[str]:
    """A line a step, below its name what else there is to say of it."""
    from lather.operations.told import steps_told

    lines = []
    for step in steps_told(state):
        lines.append(f"{step.number:5} {step.name}")
        lines += [f"      {step.line}"] if step.line else []
    return lines or ["nothing was done yet"]


def describe(job: Any) -> dict[str, Any]:
    """The facts of a job, ready for JSON. Layers bottom to top, groups before their layers."""
    from lather.document.layers.computed import ComputedLayer
    from lather.document.tree import walk

    state = job.state
    shape = _shape_of(state)
    return {
        "title": job.title,
        "photo": {
            "name": state.photo.name,
            "width": state.photo.width,
            "height": state.photo.height,
            "depth_bits": state.photo.depth_bits,
            "profile": state.photo.profile_title,
            "notices": list(state.photo.notices),
        },
        "worked_s": round(job.ledger.worked_s, 1),
        "delivery_long_side_px": state.brief.delivery_long_side_px,
        "style": state.brief.style.value,
        "mm_per_pixel": state.findings.mm_per_px,
        "blinded_tests": [trial.answer.value for trial in state.trials],
        "layers": [
            {
                "id": layer.id,
                "name": layer.name,
                "kind": layer.kind,
                "stage": layer.stage.value,
                "visible": layer.visible,
                "strength": layer.strength,
                "mode": layer.mode.value,
                "mask": layer.mask is not None,
                "strokes": len(layer.strokes),
                **({"parameters": layer.parameters.values}
                   if isinstance(layer, ComputedLayer) else {}),
                **({} if layer.limits.are_open else {"limits": layer.limits.entry}),
            }
            for layer in walk(state.layers)
        ],
        **({} if shape is None else {"shape": shape.facts()}),
    }


def _shape_of(state: JobState) -> ShapeMeasures | None:
    """What the job's reshapes come to; None if it has none."""
    from lather.assist.shape.measures import shape_measures
    from lather.render.space import seen_space

    if not seen_space(state).below:
        return None
    compiled_kernels()
    return shape_measures(state)


def _as_text(facts: dict[str, Any]) -> str:
    photo = facts["photo"]
    minutes, seconds = divmod(round(facts["worked_s"]), 60)
    lines = [
        f"{facts['title']}: {photo['name']}, {photo['width']} x {photo['height']} px, "
        f"{photo['depth_bits']} bit, profile {photo['profile']}",
        f"worked {minutes} min {seconds} s",
    ]
    lines += [
        f"  {'on ' if layer['visible'] else 'off'} {layer['strength']:4.0%} "
        f"{layer['mode']:<12} {layer['kind']:<7} {layer['name']}"
        + (f"  ({layer['strokes']} strokes)" if layer["strokes"] else "")
        for layer in reversed(facts["layers"])
    ]
    if "shape" in facts:
        shape = facts["shape"]
        share = shape["share_of_face_width"]
        has_scale = facts["mm_per_pixel"] is not None
        most = f"{shape['largest_mm']:.2f} mm" if has_scale else f"{shape['largest_px']:.1f} px"
        lines.append(f"moved up to {most}"
                     + ("" if share is None else f", {share:.1%} of the face's width"))
        lines += [
            f"  {e['name']:<24} {e['start_mm']:+.1f} -> {e['now_mm']:+.1f} mm  {e['verdict']}"
            for e in shape["evenness"]
        ]  # fmt: skip
    return "\n".join([*lines, *facts.get("steps", ())])
