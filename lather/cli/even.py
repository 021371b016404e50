"""lather even: shine, redness and blotches; the same as `lather retouch --stages even`."""

from __future__ import annotations

import argparse

from lather.cli.retouch import READS, WRITES, add_common_arguments, complete, run_stages
from lather.document.layers.layer import Stage

__all__ = ["HELP", "READS", "WRITES", "add_arguments", "complete", "run"]

HELP = "take down shine, redness and blotches of a photo"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    add_common_arguments(parser)


def run(options: argparse.Namespace) -> int:
    return run_stages(options, (Stage.EVEN,))
