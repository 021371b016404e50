"""Writing files so that the earlier one stays until the new one is whole."""

from __future__ import annotations

import errno
import os
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from lather.errors import LatherError

_OF_THE_SYSTEM = ("/dev/", "/proc/")  # names there stand for what is open, not for files


@contextmanager
def replacing(path: Path, *, flushed: bool = True) -> Iterator[Path]:
    """A temporary path that takes the place of `path` when the block ends well.

    It lies beside the file it replaces, which is what a symbolic link points to; the link
    stays. The file is flushed to disk before the rename and the directory after it, unless
    somebody does so later (`flushed` False). If the block raises, the temporary file goes and
    `path` is as it was. What is no regular file (a pipe, a device) is not replaced: the whole
    content is written to it at the end. System errors become a `LatherError` that says which
    folder and why.
    """
    through = _is_written_through(path)
    target = path if through else Path(os.path.realpath(path))
    try:
        handle, name = tempfile.mkstemp(prefix=".lather-", dir=None if through else target.parent)
        os.close(handle)
    except OSError as error:
        raise _cannot_write(path, error) from error
    temporary = Path(name)
    try:
        yield temporary
        if through:
            with temporary.open("rb") as content, path.open("wb") as stream:
                shutil.copyfileobj(content, stream)
        else:
            _put(temporary, target, flushed)
    except OSError as error:
        raise _cannot_write(path, error) from error
    finally:
        _let_go(temporary)


def _let_go(temporary: Path) -> None:
    """Remove what was not put in place: empty, so that it takes no room even where somebody holds
    it open."""
    with suppress(OSError):
        os.truncate(temporary, 0)
    with suppress(OSError):
        temporary.unlink()


def is_special(path: Path) -> bool:
    """True for a pipe or a device: what is there, and neither a file nor a folder."""
    return path.exists() and not (path.is_file() or path.is_dir())


def _is_written_through(path: Path) -> bool:
    """True for what must not be replaced by a file: pipes, devices, and names of open files."""
    names = [os.path.abspath(path)]
    with suppress(OSError):
        names.append(os.path.abspath(os.path.join(path.parent, os.readlink(path))))
    of_the_system = any(name.startswith(_OF_THE_SYSTEM) for name in names)
    return is_special(path) or (of_the_system and path.is_file())


def _put(temporary: Path, target: Path, flushed: bool) -> None:
    temporary.chmod(_usual_mode(target))
    if flushed:
        flush(temporary)
    temporary.replace(target)
    if flushed:
        flush(target.parent)


def _usual_mode(path: Path) -> int:
    """The earlier file's permissions, or those of any new file."""
    try:
        return path.stat().st_mode & 0o777
    except OSError:
        umask = os.umask(0)
        os.umask(umask)
        return 0o666 & ~umask


def flush(path: Path) -> None:
    """Make a file or a folder safe from a power cut."""
    descriptor = os.open(path, os.O_RDONLY)
    try:
        os.fsync(descriptor)
    finally:
        os.close(descriptor)


def _cannot_write(path: Path, error: OSError) -> LatherError:
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        why, advice = f"the disk of {path.parent} is full", "make room, or choose another disk"
    else:
        why, advice = f"{path.parent}: {error.strerror or error}", "choose another folder"
    return LatherError(
        f"'{path.name}' was not written", why, f"{advice}; the earlier file is unchanged"
    )
