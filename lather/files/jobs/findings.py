"""The survey's findings as JSON: what the job file and the journal share.

What a person measured or decided is never refused for a field or kind that is not known; a finding
that does not fit costs itself alone, and is written again as it was read.
"""

from __future__ import annotations

from contextlib import suppress
from dataclasses import fields
from typing import Any

from lather.core.bounds import (
    FINDINGS,
    MOST_FACES,
    MOST_FINDINGS,
    MOST_POINTS_TOGETHER,
    PUPILS,
    refuse_beyond,
)
from lather.core.survey.faces.geometry import HANDLES, FaceGeometry
from lather.core.survey.faces.mesh_points import N_POINTS
from lather.core.survey.findings.finding import Finding, Kind
from lather.document.findings import Findings, FindingState
from lather.files.entries import MISFIT, Entry, unknown

_SCALE, _FACES, _LOOKED_IN = "mm_per_px", "faces", "looked_in"
_KEYS = {_SCALE, _FACES, _LOOKED_IN, "items"}
_ALWAYS = (
    "x", "y", "radius_px", "diameter_mm", "contrast_l", "contrast_a", "severity", "rim_broken",
)  # fmt: skip
_SINCE = "edge_px", "length_mm", "area_mm2", "clipped"  # in later versions
_ITEM_KEYS = {field.name for field in fields(Finding)} - {"extras"} | {"state", "done_by"}


def findings_entry(findings: Findings) -> Entry | None:
    """None while nothing is known of the portrait."""
    if findings == Findings():
        return None
    extras, scale = findings.extras, findings.mm_per_px
    faces = [
        {
            **face.extras, **{name: list(place) for name, place in face.handles.items()},
            **({"mesh": [list(point) for point in face.mesh]} if face.mesh else {}),
        }  # fmt: skip
        for face in findings.faces
    ]
    return {
        **extras,
        _SCALE: extras.get(_SCALE) if scale is None else scale,
        _FACES: [*faces, *extras.get(_FACES, ())],
        **({_LOOKED_IN: list(findings.looked_in)} if findings.looked_in else {}),
        "items": [*(_item_entry(f, findings) for f in findings.items), *findings.unread],
    }


def findings_from(entry: Entry | None) -> Findings:
    """The inverse of `findings_entry`; ValueError, KeyError or TypeError if it is wrong as a
    whole. What of it does not fit, or is too many, is kept unread."""
    if entry is None:
        return Findings()
    found, decided, done_by = list[Finding](), dict[int, FindingState](), dict[int, int]()
    unread, n_points = list[Any](), 0
    items = entry["items"]
    highest = max((_id_of(item) for item in items), default=0)
    taken: set[int] = set()
    for item in items:
        finding_id = _id_of(item)
        if finding_id in taken:  # two that were given one id: both stay
            finding_id = highest + 1
        try:
            finding, state = _finding_from(item, finding_id), FindingState(item["state"])
            by = item.get("done_by")
            layer_id = None if by is None else int(by)
        except MISFIT:
            unread.append(item)
            continue
        n_points += len(finding.path_px)
        if len(found) == MOST_FINDINGS or n_points > MOST_POINTS_TOGETHER:
            n_points -= len(finding.path_px)
            unread.append(item)
            continue
        highest = max(highest, finding_id)
        taken.add(finding_id)
        found.append(finding)
        if state is not FindingState.OPEN:
            decided[finding_id] = state
        if state is FindingState.DONE and layer_id is not None:
            done_by[finding_id] = layer_id
    extras, scale = unknown(entry, _KEYS), entry[_SCALE]
    if FINDINGS[_SCALE].fault(scale):
        scale, extras[_SCALE] = None, scale
    faces, odd = _faces_from(entry.get(_FACES, ()))
    if odd:
        extras[_FACES] = odd
    looked_in = entry.get(_LOOKED_IN, ())
    if FINDINGS[_LOOKED_IN].fault(looked_in):
        looked_in, extras[_LOOKED_IN] = (), looked_in
    return Findings(scale, tuple(found), decided, faces, extras, done_by, tuple(unread),
                    tuple(looked_in))  # fmt: skip


def _id_of(item: Any) -> int:
    """0 for what is none."""
    with suppress(*MISFIT):
        return max(0, int(item["id"]))
    return 0


def _faces_from(entries: Any) -> tuple[tuple[FaceGeometry, ...], list[Any]]:
    """Those that can be read, and the others."""
    faces, odd = list[FaceGeometry](), list[Any]()
    for entry in entries:
        try:
            face = _face_from(entry)
            refuse_beyond("a face", PUPILS, face)
        except MISFIT:
            odd.append(entry)
            continue
        if len(faces) < MOST_FACES:
            faces.append(face)
        else:
            odd.append(entry)
    return tuple(faces), odd


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
        handles[name] = float(x), float(y)
    mesh = tuple((float(x), float(y), float(z)) for x, y, z in item.get("mesh", ()))
    if mesh and len(mesh) != N_POINTS:
        raise ValueError(f"a face's mesh has {len(mesh)} points")
    return FaceGeometry(handles, mesh, unknown(item, {*HANDLES, "mesh"}))


def _finding_from(item: Entry, finding_id: int) -> Finding:
    numbers = {name: float(item[name]) for name in _ALWAYS}
    numbers |= {name: float(item.get(name, 0)) for name in _SINCE}
    return Finding(
        id=finding_id, kind=Kind(item["kind"]), **numbers,
        certainty=float(item.get("certainty", 1)),
        extent_px=tuple(float(radius) for radius in item["extent_px"]),
        path_px=tuple((float(x), float(y)) for x, y in item.get("path_px", ())),
        extras=unknown(item, _ITEM_KEYS),
    )  # fmt: skip
