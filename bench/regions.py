"""How well regions lie where the truth says, on the demo portraits and on changed versions."""

from __future__ import annotations

import numpy as np

from bench.changed import CHANGES, PORTRAITS, Image, Planes, overlap, portrait, truth
from bench.common import Row, Scale, row
from lather.core.survey.regions.region import Region

LEAST = {Region.SKIN: 0.95, Region.HAIR: 0.9, Region.LIPS: 0.9, Region.IRIS: 0.85,
         Region.BROWS: 0.75, Region.BACKGROUND: 0.97, Region.BEARD: 0.7}  # fmt: skip
CHANGED_SCALE = 0.6


def measure(scale: Scale) -> list[Row]:
    """overlap of regions with the truth, as they are and under the worst of twelve changes"""
    by = scale.portrait
    rows: list[Row] = []
    for number in PORTRAITS[: scale.runs(len(PORTRAITS))]:
        rgb, planes = portrait(number, by), truth(number, by)
        plain = _overlaps(rgb, planes)
        worst: dict[Region, tuple[float, str]] = {}
        less = portrait(number, by * CHANGED_SCALE), truth(number, by * CHANGED_SCALE)
        for name, change in list(CHANGES.items())[: scale.runs(len(CHANGES))]:
            for region, value in _overlaps(*change(*less)).items():
                worst[region] = min(worst.get(region, (2.0, "")), (value, name))
        for region, value in plain.items():
            least = LEAST.get(region)
            target = "" if least is None else f">= {least}"
            rows.append(row(f"portrait {number}, {region.label}: overlap", value, "",
                            target=target, ok=None if least is None else value >= least))
        rows += [
            row(f"portrait {number}, {region.label}: worst, {name}", value, "", target="")
            for region, (value, name) in worst.items() if region in LEAST
        ]  # fmt: skip
    return rows


def _overlaps(rgb: Image, planes: Planes) -> dict[Region, float]:
    """By region, at the photo's own size, as they are written for other programs."""
    from lather.assist.region_planes import PART, region_planes
    from lather.assist.survey import survey_photo, surveyed, with_survey
    from lather.document.photo import Photo
    from lather.document.state import new_state

    photo = Photo((rgb * 65535 + 0.5).astype(np.uint16), name="portrait.png")
    state = with_survey(new_state(photo), surveyed(survey_photo(photo)))
    found = {}
    for name, plane in region_planes(state):
        if name.startswith(PART):
            break  # of these there is no truth
        region = Region(name)
        if region in planes and planes[region].sum() > 1:
            found[region] = overlap(np.divide(plane, 255, dtype=np.float32), planes[region])
    return found
