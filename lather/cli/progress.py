"""Progress of long work as one line on standard error."""

from __future__ import annotations

import sys


def report(share: float, what: str) -> None:
    """Shown on a terminal only."""
    if sys.stderr.isatty():
        end = "\n" if share >= 1 else ""
        print(f"\r{what:<32} {share:4.0%}", end=end, file=sys.stderr, flush=True)
