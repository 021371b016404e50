"""A brief as JSON: in a job file, and as a file of its own (docs/brief.md)."""

from __future__ import annotations

import json
import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import fields, replace
from difflib import get_close_matches
from pathlib import Path
from typing import Any, TypeVar

from lather.core.bounds import BRIEF
from lather.core.check.limits import Limits
from lather.core.survey.findings.finding import Kind
from lather.document.agreed.brief import Brief, Delivered, Task, refuse_contradictions
from lather.document.agreed.style import Style
from lather.document.agreed.written_brief import KeptMark, WrittenBrief
from lather.errors import BriefError
from lather.files.atomic import replacing
from lather.files.entries import MISFIT, Entry, unknown

FORMAT, VERSION = "lather-brief", 1
LARGEST_BYTES, MOST_KEPT = 2**20, 20_000
LIMITS = "limits"
_FILE_KEYS = {"format", "version", "photo", "keep", "questions"}
T = TypeVar("T")


def brief_entry(brief: Brief) -> Entry:
    """As JSON; what could not be read of it as it was, until it is set anew."""
    plain = Brief()
    unread = {name: value for name, value in brief.unread.items()
              if name == LIMITS or getattr(brief, name) == getattr(plain, name)}  # fmt: skip
    return {
        **brief.extras,
        "delivery_long_side_px": brief.delivery_long_side_px,
        "style": brief.style.value,
        "words": brief.words,
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
        **unread,
        LIMITS: _limits_entry(brief),
    }


def _limits_entry(brief: Brief) -> Any:
    odd = brief.unread.get(LIMITS, {})
    if not isinstance(odd, Mapping):
        return brief.moved_limits or odd
    return {**brief.extras.get(LIMITS, {}), **odd, **brief.moved_limits}


def brief_from(entry: Entry) -> Brief:
    """The inverse; ValueError, KeyError or TypeError if anything of it is wrong."""
    limits, newer = _limits(entry.get(LIMITS, {}))
    return Brief(
        **{name: read(entry, name) for name, read in _FIELDS.items()},
        moved_limits={name: _limit(name, value) for name, value in limits.items()},
        extras=unknown(entry, _KEYS) | ({LIMITS: newer} if newer else {}),
    )


def kept_brief_from(entry: Entry) -> Brief:
    """The same of a job: what is wrong costs itself alone, and is kept unread."""
    values: dict[str, Any] = {}
    unread: Entry = {}
    for name, read in _FIELDS.items():
        try:
            values[name] = read(entry, name)
        except MISFIT:
            unread[name] = entry.get(name)
    raw = entry.get(LIMITS, {})
    if not isinstance(raw, dict):
        raw, unread[LIMITS] = {}, raw
    limits, newer = _limits(raw)
    moved, odd = dict[str, float](), dict[str, Any]()
    for name, value in limits.items():
        try:
            moved[name] = _limit(name, value)
        except MISFIT:
            odd[name] = value
    if odd:
        unread[LIMITS] = odd
    extras = unknown(entry, _KEYS) | ({LIMITS: newer} if newer else {})
    return Brief(**values, moved_limits=moved, extras=extras, unread=unread)


def _limits(entry: Entry) -> tuple[Entry, Entry]:
    """Those of measures that there are; those that only a newer Lather has."""
    names = Limits.of_style(Style.GROOMED.value).numbers
    return {name: entry[name] for name in sorted(entry) if name in names}, unknown(
        entry, set(names))  # fmt: skip


def _limit(name: str, value: Any) -> float:
    limit = float(value)
    _refuse("moved_limits", {name: limit}, name)
    return limit


def write_brief(path: Path, held: WrittenBrief) -> None:
    """Written whole or not at all."""
    with replacing(path) as temporary:
        temporary.write_text(brief_text(held) + "\n", encoding="utf-8")


def brief_text(held: WrittenBrief) -> str:
    entry = written_entry(held)
    for mark in entry["keep"]:
        mark.update({name: round(mark[name], 1) for name in ("x", "y", "radius_px")})
    return json.dumps(entry, indent=1, ensure_ascii=False)


def written_entry(held: WrittenBrief) -> Entry:
    """What a brief's file holds."""
    entry: Entry = {"format": FORMAT, "version": VERSION}
    if held.photo_sha256:
        entry["photo"] = {"name": held.photo_name, "sha256": held.photo_sha256}
    entry |= brief_entry(replace(held.brief, unread={}))  # a file of its own is whole
    entry["keep"] = [
        {"kind": mark.kind.value, "x": mark.x, "y": mark.y, "radius_px": mark.radius_px}
        for mark in held.keep
    ]
    entry["questions"] = list(held.questions)
    return entry


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
        held = held_from(entry)
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


def held_from(entry: Entry) -> WrittenBrief:
    """The inverse of `written_entry`; ValueError, KeyError or TypeError if it is no brief."""
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


def _refuse(field: str, value: Any, name: str = "") -> None:
    """Raise ValueError for what is beyond the bounds of a field."""
    fault = BRIEF[field].fault(value)
    if fault:
        raise ValueError(f"'{name or field}' {fault}")


def _read(entry: Entry, name: str) -> Any:
    """A field that lies in the file as it is."""
    value = entry.get(name, _PLAIN[name])
    _refuse(name, value)
    return value


def _number(entry: Entry, name: str) -> float | None:
    value = _read(entry, name)
    return None if value is None else float(value)


def _several(of: Callable[[Any], T], plain: Sequence[Any] = ()) -> Callable[[Entry, str], Any]:
    """A reader of a list of things."""
    def read(entry: Entry, name: str) -> tuple[T, ...]:
        values = tuple(of(value) for value in _list(entry, name, plain))
        _refuse(name, values)
        return values

    return read


def _list(entry: Entry, name: str, plain: Sequence[Any] = ()) -> list[Any]:
    values = entry.get(name, list(plain))
    if not isinstance(values, list):
        raise ValueError(f"'{name}' is no list")
    return values


_PLAIN = {field.name: getattr(Brief(), field.name) for field in fields(Brief)}
_FIELDS: dict[str, Callable[[Entry, str], Any]] = {
    "delivery_long_side_px": _read,
    "style": lambda entry, name: Style(entry.get(name, Style.GROOMED.value)),
    "words": _read, "keep_kinds": _several(Kind), "tasks": _several(Task),
    "more_sizes_px": _several(int), "formats": _several(Delivered, [Delivered.JPEG.value]),
    "n_pictures": _read, "fee": _number, "currency": _read, "agreed_hours": _number,
    "deadline": _read, "consent_by": _read, "consent_on": _read, "guardian": _read,
}  # fmt: skip
_KEYS = {*_FIELDS, LIMITS}
