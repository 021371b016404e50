"""Preferences on disk: one JSON file; what is unknown or out of bounds falls back."""

from __future__ import annotations

import json
import logging
from contextlib import suppress
from pathlib import Path
from typing import Any

from lather.document.events import Signal
from lather.errors import LatherError
from lather.files.atomic import replacing
from lather.settings.options import OPTIONS

VERSION = 1
MOST_RECENT = 10

log = logging.getLogger(__name__)


def default_path() -> Path:
    import platformdirs

    return Path(platformdirs.user_config_dir("lather")) / "settings.json"


class Settings:
    """Values by key. `path` None keeps them in memory only.

    Signals
    -------
    changed(key) : a value was set to something else.
    """

    def __init__(self, path: Path | None = None) -> None:
        self.changed: Signal[str] = Signal()
        self._path = path
        self._options = {option.key: option for option in OPTIONS}
        self._values = {option.key: option.default for option in OPTIONS}
        self._load()

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

    def _load(self) -> None:
        if self._path is None:
            return
        try:
            values = json.loads(self._path.read_text(encoding="utf-8")).get("values", {})
        except FileNotFoundError:
            return
        except (OSError, ValueError, AttributeError) as error:
            log.warning("preferences unreadable, defaults used: %s", error)
            return
        for key, value in values.items():
            option = self._options.get(key)
            if option is not None and option.accepts(value):
                self._values[key] = value

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
                text = json.dumps({"version": VERSION, "values": changed}, indent=1)
                temporary.write_text(text, encoding="utf-8")
