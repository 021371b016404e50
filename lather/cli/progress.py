"""Progress of long work as one line on standard error."""

from __future__ import annotations

import sys

from lather.cli.ending import asked
from lather.cli.text import complain


def report(share: float, what: str) -> None:
    """Shown on a terminal only; `Cancelled` where the process is asked to end."""
    asked().check()
    if sys.stderr.isatty():
        complain(f"\r{what:<48} {share:4.0%}", end="\n" if share >= 1 else "")


def compiled_kernels() -> None:
    """Bind the compiled kernels; the wait of the first time is told, terminal or not."""
    from lather.core.kernels import COMPILING, WAITING, prepare_kernels

    told: set[str] = set()

    def tell(share: float, what: str) -> None:
        if what in (COMPILING, WAITING) and what not in told:
            told.add(what)
            if not sys.stderr.isatty():
                complain(f"lather: {what}; about half a minute")
        if told:
            report(share, what)

    prepare_kernels(tell)
