"""Writing files so that the earlier one stays until the new one is whole."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from lather.errors import LatherError


@contextmanager
def replacing(path: Path) -> Iterator[Path]:
    """A temporary path beside `path` that takes its place when the block ends well.

    The file is flushed to disk before the rename and the directory after it. If the block
    raises, the temporary file goes and `path` is as it was. System errors become a
    `LatherError` that says which folder and why.
    """
    try:
        handle, name = tempfile.mkstemp(
            prefix=f".{path.stem}-", suffix=path.suffix, dir=path.parent
        )
        os.close(handle)
    except OSError as error:
        raise _cannot_write(path, error) from error
    temporary = Path(name)
    try:
        yield temporary
        temporary.chmod(_usual_mode(path))
        _flush(temporary)
        temporary.replace(path)
        _flush(path.parent)
    except OSError as error:
        raise _cannot_write(path, error) from error
    finally:
        with suppress(OSError):
            temporary.unlink()


def _usual_mode(path: Path) -> int:
    """The earlier file's permissions, or those of any new file."""
    try:
        return path.stat().st_mode & 0o777
    except OSError:
        umask = os.umask(0)
        os.umask(umask)
        return 0o666 & ~umask


def _flush(path: Path) -> None:
    descriptor = os.open(path, os.O_RDONLY)
    try:
        os.fsync(descriptor)
    finally:
        os.close(descriptor)


def _cannot_write(path: Path, error: OSError) -> LatherError:
    return LatherError(
        f"'{path.name}' was not written",
        f"{path.parent}: {error.strerror or error}",
        "choose another folder or make room; the earlier file is unchanged",
    )
