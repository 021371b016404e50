"""A brief as JSON: in a job file, and as a file of its own (docs/brief.md)."""

from __future__ import annotations

import json
import math
from collections.abc import Callable, Mapping
from datetime import date
from difflib import get_close_matches
from pathlib import Path
from typing import Any, TypeVar

from lather.core.check.limits import Limits
from lather.core.survey.findings.finding import Kind
from lather.document.brief import LONGEST_TEXT, Brief, Delivered, Task, refuse_contradictions
from lather.document.style import Style
from lather.document.written_brief import KeptMark, WrittenBrief
from lather.errors import BriefError
from lather.files.atomic import replacing
from lather.files.entries import Entry, measure, unknown

FORMAT, VERSION = "lather-brief", 1
LARGEST_BYTES, MOST_KEPT = 2**20, 20_000
LARGEST_NUMBER = 1e9
LIMITS = "limits"
_FILE_KEYS = {"format", "version", "photo", "keep", "questions"}
_KEYS = {
    "delivery_long_side_px", "style", "words", LIMITS, "keep_kinds", "tasks", "more_sizes_px",
    "formats", "n_pictures", "fee", "currency", "agreed_hours", "deadline", "consent_by",
    "consent_on", "guardian",
}  # fmt: skip
T = TypeVar("T")


def brief_entry(brief: Brief) -> Entry:
    return {
        **brief.extras,
        "delivery_long_side_px": brief.delivery_long_side_px,
        "style": brief.style.value,
        "words": brief.words,
        LIMITS: {**brief.extras.get(LIMITS, {}), **brief.moved_limits},
        "keep_kinds": [kind.value for kind in brief.keep_kinds],
        "tasks": [task.value for task in brief.tasks],
        "more_sizes_px": list(brief.more_sizes_px),
        "formats": [one.value for one in brief.formats],
        "n_pictures": brief.n_pictures,
        "fee": brief.fee,
        "currency": brief.currency,
        "agreed_hours": brief.agreed_hours,
        "deadline": brief.deadline,
        "consent_by": brief.consent_by,
        "consent_on": brief.consent_on,
        "guardian": brief.guardian,
    }


def brief_from(entry: Entry) -> Brief:
    """The inverse; ValueError, KeyError or TypeError if it is wrong."""
    side = entry["delivery_long_side_px"]
    limits, newer = _limits(entry.get(LIMITS, {}))
    return Brief(
        delivery_long_side_px=None if side is None else max(1, int(side)),
        style=Style(entry.get("style", Style.GROOMED.value)),
        words=_text(entry, "words"),
        moved_limits=limits,
        keep_kinds=tuple(Kind(value) for value in _list(entry, "keep_kinds")),
        tasks=tuple(Task(value) for value in _list(entry, "tasks")),
        more_sizes_px=tuple(max(1, int(px)) for px in _list(entry, "more_sizes_px")),
        formats=tuple(Delivered(v) for v in entry.get("formats", [Delivered.JPEG.value])),
        n_pictures=_number(entry, "n_pictures", int),
        fee=_number(entry, "fee", float),
        currency=_text(entry, "currency", "EUR"),
        agreed_hours=_number(entry, "agreed_hours", float),
        deadline=_date(entry, "deadline"),
        consent_by=_text(entry, "consent_by"),
        consent_on=_date(entry, "consent_on"),
        guardian=_text(entry, "guardian"),
        extras=unknown(entry, _KEYS) | ({LIMITS: newer} if newer else {}),
    )


def _limits(entry: Entry) -> tuple[dict[str, float], Entry]:
    """Those of measures that there are; those that only a newer Lather has."""
    names = Limits.of_style(Style.GROOMED.value).numbers
    known = {name: float(entry[name]) for name in sorted(entry) if name in names}
    return known, unknown(entry, set(names))


def write_brief(path: Path, held: WrittenBrief) -> None:
    """Written whole or not at all."""
    with replacing(path) as temporary:
        temporary.write_text(brief_text(held) + "\n", encoding="utf-8")


def brief_text(held: WrittenBrief) -> str:
    entry: Entry = {"format": FORMAT, "version": VERSION}
    if held.photo_sha256:
        entry["photo"] = {"name": held.photo_name, "sha256": held.photo_sha256}
    entry |= brief_entry(held.brief)
    entry["keep"] = [
        {"kind": mark.kind.value, "x": round(mark.x, 1), "y": round(mark.y, 1),
         "radius_px": round(mark.radius_px, 1)}
        for mark in held.keep
    ]  # fmt: skip
    entry["questions"] = list(held.questions)
    return json.dumps(entry, indent=1, ensure_ascii=False)


def read_brief(path: Path) -> WrittenBrief:
    """A brief's file.

    Raises
    ------
    BriefError : it is none, it is damaged, a newer Lather's, or says two things at once.
    """
    what = f"The brief '{path.name}' was not taken"
    try:
        with path.open("rb") as file:
            text = file.read(LARGEST_BYTES + 1)
        if len(text) > LARGEST_BYTES:
            raise ValueError("it is larger than a brief can be")
        entry = json.loads(text)
    except OSError as error:
        raise BriefError(what, error.strerror or str(error), "check the name and folder") from error
    except (ValueError, RecursionError) as error:
        raise BriefError(what, f"it is no JSON ({error})", "write it anew: lather brief") from error
    if not isinstance(entry, dict) or entry.get("format") != FORMAT:
        raise BriefError(what, "it is no brief of Lather", "write one: lather brief PHOTO OUT")
    if not isinstance(entry.get("version"), int) or entry["version"] > VERSION:
        raise BriefError(what, "it was made by a newer Lather", "update Lather")
    try:
        held = _held(entry)
    except (ValueError, KeyError, TypeError, AttributeError, OverflowError) as error:
        why = f"'{error.args[0]}' is missing" if isinstance(error, KeyError) else str(error)
        raise BriefError(what, why, "correct it, or write it anew: lather brief") from error
    _refuse_unknown_style(held.brief.style, what)
    for name in held.brief.extras.get(LIMITS, {}):
        raise BriefError(what, f"it has a limit '{name}', which is no measure's",
                         "its name is in docs/limits.md")  # fmt: skip
    refuse_contradictions(held.brief, what)
    return held


def _refuse_unknown_style(style: Style, what: str) -> None:
    """A style decides what may be done to a person: none is guessed."""
    if not style.known:
        names = [known.value for known in Style]
        near = get_close_matches(str(style.value).lower(), names, 1)
        raise BriefError(what, f"'{style.value}' is no style",
                         (f"did you mean '{near[0]}'? Choose" if near else "choose")
                         + f" from {', '.join(names)}")  # fmt: skip


def _held(entry: Entry) -> WrittenBrief:
    photo: Mapping[str, Any] = entry.get("photo") or {}
    marks = _list(entry, "keep")
    if len(marks) > MOST_KEPT:
        raise ValueError(f"it keeps more than {MOST_KEPT} marks")
    return WrittenBrief(
        brief_from({"delivery_long_side_px": None} | unknown(entry, _FILE_KEYS)),
        str(photo.get("name", "")), str(photo.get("sha256", "")),
        tuple(_mark(one) for one in marks), tuple(map(str, _list(entry, "questions"))),
    )  # fmt: skip


def _mark(entry: Entry) -> KeptMark:
    x, y, radius = (float(entry[name]) for name in ("x", "y", "radius_px"))
    if not all(map(math.isfinite, (x, y, radius))) or radius <= 0:
        raise ValueError("a mark to be kept has no place or no size")
    return KeptMark(Kind(entry.get("kind", Kind.MARK.value)), x, y, radius)


def _text(entry: Entry, name: str, default: str = "") -> str:
    text = entry.get(name, default)
    if not isinstance(text, str) or len(text) > LONGEST_TEXT:
        raise ValueError(f"'{name}' is no text, or too long")
    return text


def _list(entry: Entry, name: str) -> list[Any]:
    values = entry.get(name, [])
    if not isinstance(values, list):
        raise ValueError(f"'{name}' is no list")
    return values


def _number(entry: Entry, name: str, kind: Callable[[Any], T]) -> T | None:
    value = entry.get(name)
    if value is None:
        return None
    if isinstance(value, bool):
        raise ValueError(f"'{name}' is {value}, no number")
    return kind(measure(value, 0, LARGEST_NUMBER, name))


def _date(entry: Entry, name: str) -> str:
    text = _text(entry, name)
    if text:
        date.fromisoformat(text)
    return text
