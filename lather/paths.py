"""Where the files that come with Lather are."""

from __future__ import annotations

from pathlib import Path

ASSETS = Path(__file__).parent / "assets"
SOURCE_TREE = Path(__file__).parents[1]


def has_bench() -> bool:
    """True in a source tree; what is installed comes without the benches."""
    return (SOURCE_TREE / "bench" / "__init__.py").exists()


def demo_dir() -> Path:
    """The made-up portrait, its finished job and pen recordings.

    In the source tree the second portrait and the ground truth of both lie there too.
    """
    return ASSETS / "demo"


def demo_job() -> Path:
    return demo_dir() / "portrait1.lather"


def demo_shots() -> Path:
    """Where the demo leaves its pictures, unless somebody says otherwise."""
    return SOURCE_TREE / "build" / "demo-shots" if has_bench() else Path("lather-demo")
