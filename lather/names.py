"""File names as text. A name is any bytes; text that is shown or kept is not."""

from __future__ import annotations

import re
import unicodedata

KEY = re.compile(r"{key:([\w.]+)}")  # in a sentence: the key of that command
_KEYS = re.compile(r" \({key:[^)]*\)")
_MARK = "\N{REPLACEMENT CHARACTER}"


def readable(name: str) -> str:
    """A name with a mark in place of what is no UTF-8 and of control characters.

    Python stands for such bytes by lone surrogates (PEP 383), which nothing can print or encode.
    """
    text = name.encode("utf-8", "surrogateescape").decode("utf-8", "replace")
    return "".join(_MARK if unicodedata.category(c) == "Cc" else c for c in text)


def without_keys(text: str) -> str:
    """A sentence without the keys that it names in brackets: where there is no keyboard."""
    return KEY.sub("its key", _KEYS.sub("", text))
