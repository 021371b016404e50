"""Where the files that come with Lather are."""

from __future__ import annotations

from pathlib import Path

from lather.errors import UsageError

ASSETS = Path(__file__).parent / "assets"
SOURCE_TREE = Path(__file__).parents[1]


def demo_dir() -> Path:
    """The made-up portraits and pen recordings; they come with the source tree."""
    path = SOURCE_TREE / "demo"
    if not path.is_dir():
        raise UsageError(
            "The demo was not opened",
            "this installation came without the demo folder",
            "run Lather from its source tree",
        )
    return path


def demo_job() -> Path:
    return demo_dir() / "portrait1.lather"
