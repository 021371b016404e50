"""lather bench: the figures of docs/performance.md, measured here and now."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path

from lather.cli.text import write_text
from lather.errors import UsageError
from lather.files.outputs import Form
from lather.paths import SOURCE_TREE

READS: tuple[str, ...] = ()
WRITES = {"json": Form.TEXT}
HELP = "measure speed and memory as ratios to references of the same run"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("names", nargs="*", metavar="NAME", help="only these figures' groups")
    parser.add_argument("--small", action="store_true",
                        help="on small pictures, everything once: does it all run?")  # fmt: skip
    parser.add_argument("--json", type=Path, metavar="FILE", help="write the rows as JSON")
    parser.add_argument("--list", action="store_true", help="name the groups and stop")


def run(options: argparse.Namespace) -> int:
    """0 if everything was measured, whatever was missed; 1 if a group failed."""
    sys.path.insert(0, str(SOURCE_TREE))
    from bench import GROUPS, LARGE, SMALL, measure, table

    if options.list:
        print("\n".join(f"{name:8} {group.__doc__}" for name, group in GROUPS.items()))
        return 0
    unknown = [name for name in options.names if name not in GROUPS]
    if unknown:
        raise UsageError(
            "Nothing was measured",
            f"'{unknown[0]}' is not a bench",
            f"choose from {', '.join(GROUPS)}",
        )
    rows, failed = measure(options.names or list(GROUPS), SMALL if options.small else LARGE)
    text = json.dumps([row.entry() for row in rows], indent=1)
    write_text(text, options.json, table(rows))
    if failed:
        print(f"failed: {', '.join(failed)}", file=sys.stderr)
    return 1 if failed else 0
