"""The `lather` command. Every verb prints --help, and fails with one clear line."""

from __future__ import annotations

import argparse
import os
import signal
import sys
from collections.abc import Sequence
from pathlib import Path
from types import ModuleType

from lather import __version__
from lather.cli import (
    bench,
    brief,
    check,
    clean,
    demo,
    even,
    info,
    render,
    retouch,
    shape,
    split,
    survey,
)
from lather.cli.ending import Terminated, ending_cleanly
from lather.cli.guard import guard
from lather.cli.text import speak_any_tongue, tell
from lather.errors import Cancelled, LatherError
from lather.paths import has_bench

VERBS: dict[str, ModuleType] = {
    "demo": demo, "brief": brief, "survey": survey, "clean": clean, "even": even,
    "retouch": retouch, "shape": shape, "check": check, "render": render, "split": split,
    "info": info,
    **({"bench": bench} if has_bench() else {}),
}  # fmt: skip


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the command line; returns the exit status."""
    words = list(sys.argv[1:] if arguments is None else arguments)
    speak_any_tongue()
    try:
        if words and words[0] in VERBS:
            parser = argparse.ArgumentParser(
                prog=f"lather {words[0]}", description=VERBS[words[0]].HELP
            )
            verb = VERBS[words[0]]
            verb.add_arguments(parser)
            options = parser.parse_args(words[1:])
            with ending_cleanly():
                if hasattr(verb, "complete"):
                    verb.complete(options)
                guard(options, verb.READS, verb.WRITES)
                status = int(verb.run(options))
                sys.stdout.flush()
                return status
        return _open_window(words)
    except LatherError as error:
        tell([error.sentence()])
        return 1
    except BrokenPipeError:
        return _nobody_reads()
    except (Cancelled, KeyboardInterrupt):
        tell(["cancelled; what was not finished was not written."])
        return 128 + signal.SIGINT
    except Terminated as ended:
        how = "cancelled" if ended.number == signal.SIGINT else "ended"
        tell([f"{how}; what was not finished was not written."])
        return 128 + ended.number


def _nobody_reads() -> int:
    """Whoever the text was for has read enough (`| head`): that is no error. What is left to be
    written at the end goes nowhere."""
    for stream in (sys.stdout, sys.stderr):
        try:
            stream.flush()
        except OSError:
            os.dup2(os.open(os.devnull, os.O_WRONLY), stream.fileno())
    return 0


def _open_window(words: Sequence[str]) -> int:
    verbs = "\n".join(f"  {name:8} {verb.HELP}" for name, verb in VERBS.items())
    parser = argparse.ArgumentParser(
        prog="lather",
        description="Open the window, with a photo or a job.",
        epilog=f"verbs (each has --help):\n{verbs}",
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    parser.add_argument("file", nargs="?", type=Path, help="a photo or a .lather job")
    parser.add_argument("--version", action="version", version=f"Lather {__version__}")
    options = parser.parse_args(words)
    if options.file is not None and not options.file.exists():
        raise LatherError(
            f"'{options.file}' was not opened", "there is no such file", "check the name and folder"
        )
    from lather.cli.display import require_display
    from lather.ui.app import run

    require_display()
    return run(options.file)
