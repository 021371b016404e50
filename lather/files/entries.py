"""Values out of JSON that may come from anybody: checked before they are used."""

from __future__ import annotations

from collections.abc import Iterator
from collections.abc import Set as AbstractSet
from typing import Any

Entry = dict[str, Any]
# What reading a value raises that is no such value.
MISFIT = (ValueError, KeyError, TypeError, IndexError, AttributeError, OverflowError)


def measure(value: Any, low: float, high: float, name: str = "") -> float:
    """A number within bounds; ValueError or TypeError, with its name, if it is none."""
    number = float(value)
    if not low <= number <= high:
        raise ValueError(f"{name} {number} is not between {low:g} and {high:g}".lstrip())
    return number


def unknown(entry: Entry, known: AbstractSet[str]) -> Entry:
    """The fields that a newer Lather wrote."""
    return {key: value for key, value in entry.items() if key not in known}


def strings_in(value: Any) -> Iterator[str]:
    """All strings in a JSON value, however deep."""
    if isinstance(value, str):
        yield value
    elif isinstance(value, dict):
        for item in value.values():
            yield from strings_in(item)
    elif isinstance(value, (list, tuple)):
        for item in value:
            yield from strings_in(item)


def ids_in(value: Any) -> Iterator[int]:
    """All layer ids in a JSON value, however deep."""
    if isinstance(value, dict):
        if isinstance(value.get("id"), int):
            yield value["id"]
        for item in value.values():
            yield from ids_in(item)
    elif isinstance(value, list):
        for item in value:
            yield from ids_in(item)
