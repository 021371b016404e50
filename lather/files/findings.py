"""The survey's findings as JSON: what the job file and the journal share.

What a person measured or decided is never refused for a field or kind that is not known.
"""

from __future__ import annotations

from dataclasses import fields
from typing import Any

from lather.core.survey.faces.geometry import HANDLES, FaceGeometry
from lather.core.survey.faces.mesh_points import N_POINTS
from lather.core.survey.findings.finding import N_DIRECTIONS, Finding, Kind
from lather.document.bounds import LARGEST_FINDING_PX, MOST_FACES, MOST_FINDINGS, MOST_POINTS
from lather.document.findings import Findings, FindingState
from lather.files.entries import Entry, measure, unknown

_KEYS = {"mm_per_px", "faces", "items"}
_ITEM_KEYS = {field.name for field in fields(Finding)} - {"extras"} | {"state", "done_by"}


def findings_entry(findings: Findings) -> Entry | None:
    """None while nothing is known of the portrait."""
    if findings == Findings():
        return None
    return {
        **findings.extras,
        "mm_per_px": findings.mm_per_px,
        "faces": [
            {
                **face.extras, **{name: list(place) for name, place in face.handles.items()},
                **({"mesh": [list(point) for point in face.mesh]} if face.mesh else {}),
            }  # fmt: skip
            for face in findings.faces
        ],
        "items": [_item_entry(f, findings) for f in findings.items],
    }


def findings_from(entry: Entry | None) -> Findings:
    """The inverse of `findings_entry`; ValueError, KeyError or TypeError if it is wrong."""
    if entry is None:
        return Findings()
    items, faces = entry["items"], entry.get("faces", ())
    if len(items) > MOST_FINDINGS:
        raise ValueError(f"it has more than {MOST_FINDINGS} findings")
    if len(faces) > MOST_FACES:
        raise ValueError(f"it has more than {MOST_FACES} faces")
    found, decided, done_by = [], dict[int, FindingState](), dict[int, int]()
    highest = max((int(item["id"]) for item in items), default=0)
    taken: set[int] = set()
    for item in items:
        finding_id = int(item["id"])
        if finding_id in taken:  # two that were given one id: both stay
            finding_id = highest = highest + 1
        taken.add(finding_id)
        found.append(_finding_from(item, finding_id))
        state = FindingState(item["state"])
        if state is not FindingState.OPEN:
            decided[finding_id] = state
        if state is FindingState.DONE and item.get("done_by") is not None:
            done_by[finding_id] = int(item["done_by"])
    scale = entry["mm_per_px"]
    mm_per_px = None if scale is None else measure(scale, 1e-6, 1e3)
    return Findings(
        mm_per_px, tuple(found), decided, tuple(map(_face_from, faces)), unknown(entry, _KEYS),
        done_by,
    )


def _item_entry(finding: Finding, findings: Findings) -> Entry:
    # Not `asdict`: it copies every point of every path.
    values = {field.name: getattr(finding, field.name) for field in fields(Finding)}
    del values["extras"]
    layer_id = findings.done_by.get(finding.id)
    return {**finding.extras, **values, "kind": finding.kind.value,
            "state": findings.state(finding).value,
            **({} if layer_id is None else {"done_by": layer_id})}  # fmt: skip


def _face_from(item: Entry) -> FaceGeometry:
    handles = {}
    for name in HANDLES:
        x, y = item[name]
        handles[name] = measure(x, -1e6, 1e6), measure(y, -1e6, 1e6)
    mesh = tuple(
        (measure(x, -1e6, 1e6), measure(y, -1e6, 1e6), measure(z, -1e6, 1e6))
        for x, y, z in item.get("mesh", ())
    )
    if mesh and len(mesh) != N_POINTS:
        raise ValueError(f"a face's mesh has {len(mesh)} points")
    face = FaceGeometry(handles, mesh, unknown(item, {*HANDLES, "mesh"}))
    if face.pupil_distance_px < 1:
        raise ValueError("a face's pupils lie in one place")
    return face


def _finding_from(item: Entry, finding_id: int) -> Finding:
    extent_px = tuple(measure(radius, 0, LARGEST_FINDING_PX) for radius in item["extent_px"])
    if len(extent_px) != N_DIRECTIONS:
        raise ValueError(f"a finding's extent has {len(extent_px)} directions")
    numbers: dict[str, Any] = {
        name: measure(item[name], -1e6, 1e6)
        for name in (
            "x", "y", "radius_px", "diameter_mm", "contrast_l", "contrast_a", "severity",
            "rim_broken",
        )
    }  # fmt: skip
    for name in ("edge_px", "length_mm", "area_mm2"):
        numbers[name] = measure(item.get(name, 0), 0, 1e6)
    numbers["certainty"] = measure(item.get("certainty", 1), 0, 1)
    numbers["clipped"] = measure(item.get("clipped", 0), 0, 1)
    path = item.get("path_px", ())
    if len(path) > MOST_POINTS:
        raise ValueError(f"a finding's path has more than {MOST_POINTS} points")
    path_px = tuple((measure(x, -1e6, 1e6), measure(y, -1e6, 1e6)) for x, y in path)
    return Finding(
        id=finding_id, kind=Kind(item["kind"]), extent_px=extent_px, path_px=path_px, **numbers,
        extras=unknown(item, _ITEM_KEYS),
    )  # fmt: skip
