"""Text for other programs: to a file, or with `-` to standard output."""

from __future__ import annotations

import sys
from pathlib import Path

from lather.files.atomic import replacing
from lather.files.outputs import STDOUT


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
