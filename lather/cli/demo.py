"""lather demo: the window with the demo job; without a display a scripted retouch to PNGs."""

from __future__ import annotations

import argparse
import os
import sys
from pathlib import Path

from lather.cli.display import has_display
from lather.files.outputs import Form
from lather.paths import demo_job, demo_shots

READS: tuple[str, ...] = ()
WRITES = {"script": Form.FOLDER}
HELP = "open the window with the demo portrait"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--script",
        type=Path,
        metavar="DIR",
        nargs="?",
        const=demo_shots(),
        help="run the scripted retouch and leave PNGs of the window in DIR",
    )


def run(options: argparse.Namespace) -> int:
    job = demo_job()
    if options.script is None and has_display():
        from lather.ui.app import run as run_window

        return run_window(job)
    folder = options.script or demo_shots()
    if not has_display():
        print(
            "There is no display: the same window runs offscreen through a short retouch; "
            f"its pictures go to {folder}.",
            file=sys.stderr,
        )
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
    from lather.ui.scripted import scripted_retouch

    for path in scripted_retouch(folder):
        print(path)
    return 0
