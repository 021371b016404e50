"""Text for other programs: to a file, or with `-` to standard output."""

from __future__ import annotations

import sys
from collections.abc import Iterable
from pathlib import Path

from lather.errors import UsageError
from lather.files.atomic import replacing
from lather.files.outputs import STDOUT
from lather.names import without_keys


def percent(text: str, option: str, refused: str) -> float:
    """A share, 0-1, that was given as 0-100 per cent."""
    try:
        value = float(text.removesuffix("%"))
    except ValueError:
        value = -1.0
    if not 0 <= value <= 100:
        raise UsageError(refused, f"{option} {text} is no share", "give 0 to 100")
    return value / 100


def tell(sentences: Iterable[str]) -> None:
    """What a person should know beside the outcome, to standard error."""
    for sentence in sentences:
        print(f"lather: {without_keys(sentence)}", file=sys.stderr)


def write_text(text: str, path: Path | None, summary: str) -> None:
    """Write `text` to `path`, if there is one, and tell the person the summary.

    Where standard output carries the text, the summary goes to standard error.
    """
    if path == STDOUT:
        print(text)
    elif path is not None:
        with replacing(path) as temporary:
            temporary.write_text(text + "\n", encoding="utf-8")
    print(summary, file=sys.stderr if path == STDOUT else sys.stdout)
