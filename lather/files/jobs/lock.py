"""One process at a time works on a job: a lock file beside it names who.

The system drops the lock with the process that holds it, so a lock that a crash left
behind is seen to be stale. Where the file system knows no locks (some network drives), the
process named in the file is looked up instead.
"""

from __future__ import annotations

import errno
import fcntl
import json
import os
import socket
import threading
import time
from contextlib import suppress
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import ClassVar

from lather.errors import InUseError

_NO_LOCKS = (errno.ENOLCK, errno.EOPNOTSUPP, errno.ENOSYS, errno.EINVAL)


@dataclass(frozen=True)
class Holder:
    """Who holds a lock. `started` tells processes apart that got the same number."""

    pid: int
    host: str
    started: str
    since_s: float

    def sentence(self) -> str:
        when = time.strftime("%H:%M", time.localtime(self.since_s))
        return f"process {self.pid} on {self.host} has it open since {when}"


class Lock:
    """A held lock; `acquire` makes one."""

    _held: ClassVar[dict[Path, Lock]] = {}
    _counting: ClassVar[threading.Lock] = threading.Lock()

    def __init__(self, path: Path, title: str) -> None:
        self._path = path
        self._n_holders = 1
        self._fd = _locked_file(path, title)
        me = asdict(_this_process())
        os.ftruncate(self._fd, 0)
        os.pwrite(self._fd, json.dumps(me).encode(), 0)

    @classmethod
    def acquire(cls, path: Path, title: str) -> Lock:
        """The lock at `path`. Within this process it may be held more than once.

        Raises
        ------
        InUseError : another process holds it, named.
        OSError : the folder cannot be written.
        """
        path = path.parent.resolve() / path.name
        with cls._counting:
            if path in cls._held:
                cls._held[path]._n_holders += 1
            else:
                cls._held[path] = cls(path, title)
            return cls._held[path]

    @classmethod
    def held_here(cls, path: Path) -> bool:
        """True if this process holds the lock at `path`."""
        return path.parent.resolve() / path.name in cls._held

    def release(self) -> None:
        """Give the lock back; the last holder removes its file."""
        with self._counting:
            self._n_holders -= 1
            if self._n_holders == 0:
                del self._held[self._path]
                with suppress(OSError):
                    self._path.unlink(missing_ok=True)
                os.close(self._fd)


def _locked_file(path: Path, title: str) -> int:
    while True:
        fd = os.open(path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o666)
        try:
            _take(fd, path, title)
            with suppress(FileNotFoundError):
                # The one who held it may have removed the file between our two calls.
                if os.fstat(fd).st_ino == path.stat().st_ino:
                    return fd
        except BaseException:
            os.close(fd)
            raise
        os.close(fd)


def _take(fd: int, path: Path, title: str) -> None:
    try:
        fcntl.flock(fd, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        raise _in_use(title, read_holder(path)) from None
    except OSError as error:
        if error.errno not in _NO_LOCKS:
            raise
        holder = read_holder(path)
        if holder is not None and is_alive(holder):
            raise _in_use(title, holder) from None


def read_holder(path: Path) -> Holder | None:
    """Who a lock file names; None if it names nobody."""
    try:
        return Holder(**json.loads(path.read_text(encoding="utf-8")))
    except (OSError, ValueError, TypeError):
        return None


def is_alive(holder: Holder) -> bool:
    """True if that very process still runs, as far as can be seen from here."""
    if holder.host != socket.gethostname():
        return True  # not ours to judge
    return _started(holder.pid) == holder.started


def _this_process() -> Holder:
    pid = os.getpid()
    return Holder(pid, socket.gethostname(), _started(pid), time.time())


def _started(pid: int) -> str:
    """When a process began, in the kernel's clock ticks; '' if there is none."""
    try:
        # The name, in parentheses, may hold spaces; the start time is the 20th field after it.
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[19]
    except (OSError, IndexError):
        return ""


def _in_use(title: str, holder: Holder | None) -> InUseError:
    return InUseError(
        f"'{title}' was not opened",
        holder.sentence() if holder else "another process has it open",
        "close it there, or open a copy of it here",
    )
