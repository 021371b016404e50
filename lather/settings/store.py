"""Preferences on disk: one JSON file. Whatever it holds, Lather starts."""

from __future__ import annotations

import json
from contextlib import suppress
from pathlib import Path
from typing import Any

from lather.document.events import Signal
from lather.errors import LatherError
from lather.files.atomic import replacing
from lather.files.places import first_free
from lather.settings.options import OPTIONS

VERSION = 1
MOST_RECENT = 10
MOST_BYTES = 4 * 2**20
_UNREADABLE = (ValueError, TypeError, KeyError, AttributeError, RecursionError)


def default_path() -> Path:
    import platformdirs

    return Path(platformdirs.user_config_dir("lather")) / "settings.json"


class Settings:
    """Values by key. `path` None keeps them in memory only.

    Attributes
    ----------
    notice : what a person should know of how they were read; '' if nothing.

    Signals
    -------
    changed(key) : a value was set to something else.
    """

    def __init__(self, path: Path | None = None) -> None:
        self.notice = ""
        self.changed: Signal[str] = Signal()
        self._path = path
        self._options = {option.key: option for option in OPTIONS}
        self._values = {option.key: option.default for option in OPTIONS}
        self._foreign: dict[str, Any] = {}  # of a newer Lather, kept for it
        if path is not None:
            self._load(path)

    def __getitem__(self, key: str) -> Any:
        return self._values[key]

    def set(self, key: str, value: Any) -> None:
        option = self._options[key]
        if not option.accepts(value):
            raise LatherError(
                f"'{option.title}' keeps its value", f"{value!r} is not possible", option.help
            )
        if value != self._values[key]:
            self._values[key] = value
            self._save()
            self.changed.emit(key)

    def add_recent(self, path: Path) -> None:
        """Put a file first in the list of recent ones."""
        name = str(path.resolve())
        rest = [other for other in self["recent"] if other != name]
        self.set("recent", [name, *rest][:MOST_RECENT])

    def take_notice(self) -> str:
        """`notice`, to be told once."""
        notice, self.notice = self.notice, ""
        return notice

    def _load(self, path: Path) -> None:
        try:
            version, values = _read(path)
        except FileNotFoundError:
            return
        except OSError as error:
            why = error.strerror or str(error)
            self.notice = f"Your preferences cannot be read ({why}): defaults are used."
            return
        except _UNREADABLE:
            self._begin_anew(path, "Your preferences were damaged and are the defaults again")
            return
        refused = []
        for key, value in values.items():
            option = self._options.get(key)
            if option is not None and option.accepts(value):
                self._values[key] = value
            elif option is None or version > VERSION:
                self._foreign[key] = value
            else:
                refused.append(option.title)
        if refused:
            self._begin_anew(path, f"Not possible, so the default again: {', '.join(refused)}")

    def _begin_anew(self, path: Path, what: str) -> None:
        """Keep the file aside and write what is used from here on."""
        aside = first_free(lambda n: path.with_name(f"{path.name}.unread{n}"))
        try:
            path.replace(aside)
        except OSError as error:
            self.notice = f"{what}; the old file could not be kept aside ({error.strerror})."
            return
        self.notice = f"{what}; the old file is kept as '{aside}'."
        self._save()

    def _save(self) -> None:
        if self._path is None:
            return
        changed = {
            key: value
            for key, value in self._values.items()
            if value != self._options[key].default
        }
        with suppress(LatherError, OSError):  # preferences that cannot be kept stop nobody
            self._path.parent.mkdir(parents=True, exist_ok=True)
            with replacing(self._path) as temporary:
                entry = {"version": VERSION, "values": {**self._foreign, **changed}}
                text = json.dumps(entry, indent=1)
                temporary.write_text(text, encoding="utf-8")


def _read(path: Path) -> tuple[int, dict[str, Any]]:
    """Version and values; OSError, or one of `_UNREADABLE` for any other content."""
    if path.exists() and not path.is_file():
        raise ValueError("no file")
    with path.open("rb") as file:
        content = file.read(MOST_BYTES + 1)
    if len(content) > MOST_BYTES:
        raise ValueError("too large")
    document = json.loads(content)
    version, values = document.get("version", VERSION), document["values"]
    if type(version) is not int or not isinstance(values, dict):
        raise TypeError("not preferences")
    return version, values
