"""File names as text. A name is any bytes; text that is shown or kept is not."""

from __future__ import annotations


def readable(name: str) -> str:
    """A name with a mark in place of what is no UTF-8.

    Python stands for such bytes by lone surrogates (PEP 383), which nothing can print or encode.
    """
    return name.encode("utf-8", "surrogateescape").decode("utf-8", "replace")
