"""Progress of long work as one line on standard error."""

from __future__ import annotations

import sys


def report(share: float, what: str) -> None:
    """Shown on a terminal only."""
    if sys.stderr.isatty():
        end = "\n" if share >= 1 else ""
        print(f"\r{what:<48} {share:4.0%}", end=end, file=sys.stderr, flush=True)


def compiled_kernels() -> None:
    """Bind the compiled kernels; the wait of the first time is told, terminal or not."""
    from lather.core.kernels import COMPILING, WAITING, prepare_kernels

    told: set[str] = set()

    def tell(share: float, what: str) -> None:
        if what in (COMPILING, WAITING) and what not in told:
            told.add(what)
            if not sys.stderr.isatty():
                print(f"lather: {what}; about half a minute", file=sys.stderr, flush=True)
        if told:
            report(share, what)

    prepare_kernels(tell)
