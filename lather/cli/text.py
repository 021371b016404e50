"""Text for other programs: to a file, or with `-` to standard output."""

from __future__ import annotations

import codecs
import io
import sys
from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path

from lather.errors import UsageError
from lather.files.atomic import replacing
from lather.files.outputs import STDOUT
from lather.names import without_keys

ANY_TEXT = "lather"  # of how text is encoded, where an encoding lacks letters
_PLAIN = {"Δ": "d", "²": "2", "–": "-", "…": "...", "°": " deg", "×": "x", "±": "+-"}  # noqa: RUF001


def percent(text: str, option: str, refused: str) -> float:
    """A share, 0-1, that was given as 0-100 per cent."""
    try:
        value = float(text.removesuffix("%"))
    except ValueError:
        value = -1.0
    if not 0 <= value <= 100:
        raise UsageError(refused, f"{option} {text} is no share", "give 0 to 100")
    return value / 100


def complain(text: str, end: str = "\n") -> None:
    """To standard error; that nobody reads it is no reason to stop."""
    with suppress(OSError):
        print(text, end=end, file=sys.stderr, flush=True)


def tell(sentences: Iterable[str]) -> None:
    """What a person should know beside the outcome, to standard error."""
    for sentence in sentences:
        complain(f"lather: {without_keys(sentence)}")


def speak_any_tongue() -> None:
    """Standard output and error take all text: names are any bytes, and a terminal may know no
    letters but those of ASCII."""
    codecs.register_error(ANY_TEXT, _as_it_can_be)
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors=ANY_TEXT)


def _as_it_can_be(error: UnicodeError) -> tuple[bytes, int]:
    """A byte of a name as it is; a letter that the stream has not in plainer ones, or by number."""
    assert isinstance(error, UnicodeEncodeError)
    out = b""
    for letter in error.object[error.start : error.end]:
        is_byte = 0xDC80 <= ord(letter) <= 0xDCFF
        plain = _PLAIN.get(letter, letter).encode("ascii", "backslashreplace")
        out += bytes([ord(letter) - 0xDC00]) if is_byte else plain
    return out, error.end


def write_text(text: str, path: Path | None, summary: str) -> None:
    """Write `text` to `path`, if there is one, and tell the person the summary.

    Where standard output carries the text, the summary goes to standard error.
    """
    if path == STDOUT:
        print(text, flush=True)
    elif path is not None:
        with replacing(path) as temporary:
            temporary.write_text(text + "\n", encoding="utf-8")
    if path == STDOUT:
        complain(summary)
    else:
        print(summary)
