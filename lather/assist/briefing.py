"""A brief and a portrait together: what to ask the client, what is kept, what a brief's file asks
of the portrait at hand."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace

from lather.assist.even.scores import where
from lather.assist.survey import with_mark
from lather.core.arrays import Plane
from lather.core.survey.findings.finding import Finding, Kind
from lather.core.survey.regions.region import Part
from lather.document import edits
from lather.document.agreed.brief import Brief, Task
from lather.document.agreed.briefing import set_brief
from lather.document.agreed.written_brief import KeptMark, WrittenBrief
from lather.document.findings import FindingState
from lather.document.state import JobState
from lather.render.ground import photo_ground
from lather.render.regions import part_planes

ASKED = (Kind.MOLE, Kind.SCAR, Kind.FRECKLES, Kind.VEIN, Kind.MARK, Kind.CREASE)
NOT_BUILT = (Task.EYES, Task.TEETH, Task.HAIR, Task.BACKGROUND)  # nobody can do them yet
SMALLEST_AT_DELIVERY_PX = 2.0  # what is smaller there needs no work
_NUMBERS = ("no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten")
_PLURALS = {
    Kind.MOLE: ("mole", "moles"), Kind.SCAR: ("scar", "scars"),
    Kind.FRECKLES: ("patch of freckles", "patches of freckles"), Kind.VEIN: ("vein", "veins"),
    Kind.MARK: ("mark of your own", "marks of your own"), Kind.CREASE: ("crease", "creases"),
}  # fmt: skip


@dataclass(frozen=True)
class Question:
    """Something to ask the client, of findings of a kind on a part of the skin.

    Attributes
    ----------
    ids : of the findings that it is about.
    keep : how it stands now: all of them are kept.
    """

    text: str
    ids: tuple[int, ...]
    keep: bool


def questions(state: JobState) -> tuple[Question, ...]:
    """What the survey gives reason to ask: 'three moles on the left cheek: keep?'"""
    groups: dict[tuple[Kind, str], list[Finding]] = {}
    places = part_planes(photo_ground(state)) if state.surveyed else {}
    for finding in state.findings.items:
        if finding.kind in ASKED and not finding.doubtful:
            place = _part_at(state, places, finding)
            groups.setdefault((finding.kind, place), []).append(finding)
    found = []
    for kind in ASKED:
        for (of_kind, place), findings in groups.items():
            if of_kind is kind:
                on = f" on the {place}" if place else ""
                keep = all(state.findings.state(f) is FindingState.KEPT for f in findings)
                found.append(Question(f"{_counted(kind, len(findings))}{on}: keep?",
                                      tuple(f.id for f in findings), keep))  # fmt: skip
    return tuple(found)


def kept_marks(state: JobState) -> tuple[KeptMark, ...]:
    """What of this portrait is to be kept, for a brief's file."""
    return tuple(
        KeptMark(f.kind, f.x, f.y, f.radius_px)
        for f in state.findings.in_state(FindingState.KEPT) if f.kind in ASKED
    )  # fmt: skip


def written_brief(state: JobState) -> WrittenBrief:
    """The brief of a job with all that concerns its photo."""
    photo = state.photo
    asked = tuple(question.text for question in questions(state))
    return WrittenBrief(state.brief, photo.name, photo.sha256, kept_marks(state), asked)


def with_written(state: JobState, held: WrittenBrief) -> tuple[JobState, tuple[str, ...]]:
    """The job under a brief that was read, and what a person should know of it.

    A brief of another photo is a template: its marks lie somewhere else. A mark of this one that
    the survey did not find is kept all the same.
    """
    said = cannot_be_done(held.brief)
    if not held.is_of(state.photo):
        brief, told = _as_template(held)
        return set_brief(state, brief), (*said, *told)
    state = set_brief(state, held.brief)
    missing: Counter[Kind] = Counter()
    for mark in held.keep:
        same = _found_at(state.findings.items, mark)
        if same is not None:
            state = edits.decide(state, [same.id], FindingState.KEPT)
        elif state.photo.rect.contains_point(mark.x, mark.y):
            state = with_mark(state, mark.x, mark.y, mark.radius_px)
            missing[mark.kind] += 1
    said += [f"{_counted(kind, n)} of the brief {'was' if n == 1 else 'were'} not found by the "
             "survey: kept where the brief says." for kind, n in missing.items()
             if kind in _PLURALS]  # fmt: skip
    return state, tuple(said)


def taken_over(state: JobState, held: WrittenBrief) -> JobState:
    """`with_written`, by itself."""
    return with_written(state, held)[0]


def cannot_be_done(brief: Brief) -> list[str]:
    """What a brief asks for that nobody can do with Lather, in sentences."""
    said = []
    for task in brief.tasks:
        if not task.known:
            said.append(f"The brief asks for '{task.value}', which is no part of the work: choose "
                        f"from {', '.join(known.value for known in Task)}.")  # fmt: skip
        elif task in NOT_BUILT:
            said.append(f"The brief asks for '{task.value}', which Lather cannot do yet.")
    return said


def _as_template(held: WrittenBrief) -> tuple[Brief, list[str]]:
    """A brief that was written for another photo, without what is that one's alone: its marks, and
    the consent of whoever is in it."""
    about = f"'{held.photo_name}'" if held.photo_name else "another photo"
    brief, said = held.brief, []
    if held.keep:
        said.append(f"The brief was written for {about}: its {len(held.keep)} marks to be kept are "
                    "not those of this one.")  # fmt: skip
    if brief.consent_by or brief.consent_on or brief.guardian:
        said.append(f"Consent was given for {about}, not for this one: ask anew.")
    return replace(brief, consent_by="", consent_on="", guardian=""), said


def zoom_advice(state: JobState) -> str:
    """At which zoom everything shows that will be seen at delivery."""
    scale = state.delivery_scale
    if scale >= 1:
        return "Delivered at full size: work at 100 %."
    least_px = SMALLEST_AT_DELIVERY_PX / scale
    return (f"Delivered at {scale:.0%}: at {scale:.0%} you see what the client will; what is "
            f"smaller than {least_px:.0f} px here needs no work.")  # fmt: skip


def money(brief: Brief) -> str:
    """What the order leaves for a picture, if enough was said."""
    parts = []
    if brief.fee_per_picture is not None:
        parts.append(f"{brief.fee_per_picture:.2f} {brief.currency} a picture")
    if brief.minutes_per_picture is not None:
        parts.append(f"{brief.minutes_per_picture:.0f} min a picture")
    if brief.fee is not None and brief.agreed_hours:
        parts.append(f"{brief.fee / brief.agreed_hours:.2f} {brief.currency} an hour")
    return ", ".join(parts)


def _found_at(items: Sequence[Finding], mark: KeptMark) -> Finding | None:
    near = [f for f in items if not f.kind.is_patch
            and math.dist((f.x, f.y), (mark.x, mark.y)) < max(f.radius_px, mark.radius_px)]
    return min(near, key=lambda f: math.dist((f.x, f.y), (mark.x, mark.y)), default=None)


def _part_at(state: JobState, places: dict[Part, Plane], finding: Finding) -> str:
    scale = state.regions.scale
    best, most = "", 0.3
    for part, plane in places.items():
        height, width = plane.shape
        y, x = min(int(finding.y * scale), height - 1), min(int(finding.x * scale), width - 1)
        if plane[y, x] > most:
            best, most = where(part), float(plane[y, x])
    return best


def _counted(kind: Kind, n: int) -> str:
    one, many = _PLURALS[kind]
    number = _NUMBERS[n] if n < len(_NUMBERS) else str(n)
    return f"{number} {one if n == 1 else many}".capitalize()
