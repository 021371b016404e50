"""The hot loops: compiled where ready, NumPy until then.

Every kernel has two forms. The NumPy form is its definition: readable, tested against the
mathematics, and what runs in the first seconds of the very first start. The compiled form
lives in a `compiled.py` beside it, is built in other processes, cached on disk, and bound
by `prepare_kernels`. Importing this module costs nothing and never compiles.
"""

from __future__ import annotations

import fcntl
import hashlib
import importlib
import os
import subprocess
import sys
import time
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

from lather.core.work import Progress, no_progress

# What needs each other is compiled by one process, one after the other.
COMPILED_TOGETHER = (
    (
        "lather.core.blend.compiled",
        "lather.core.filter.compiled",
        "lather.core.adjust.compiled",
        "lather.core.colour.compiled_lab",
        "lather.core.adjust.compiled_lab",
    ),
    (
        "lather.core.mend.compiled",
        "lather.core.shape.compiled",
        "lather.core.shape.compiled_moves",
        "lather.core.shape.compiled_warp",
        "lather.core.brush.compiled",
        "lather.core.colour.compiled",
        "lather.core.tone.compiled",
    ),
)
COMPILED_MODULES = tuple(name for names in COMPILED_TOGETHER for name in names)

COMPILING = "Preparing the fast brush (first start only)"
WAITING = "Another Lather prepares the fast brush"
POLL_S = 0.2


class Kernel:
    """One array operation with a NumPy form and, once prepared, a compiled form.

    Called like the functions it stands for. Both forms take the same arguments and agree
    within float32 rounding (the tests of what uses them hold them to that).
    """

    def __init__(self, module: str, name: str, reference: Callable[..., Any]) -> None:
        self.module = module
        self.name = name
        self.reference = reference
        self._run = reference
        _kernels.append(self)
        if _prepared:
            self.bind()

    def __call__(self, *args: Any) -> Any:
        return self._run(*args)

    @property
    def compiled(self) -> bool:
        return self._run is not self.reference

    def bind(self) -> None:
        """Run in the compiled form from now on."""
        self._run = getattr(importlib.import_module(self.module), self.name)


_kernels: list[Kernel] = []
_prepared = False  # kernels declared later bind themselves


def all_kernels() -> tuple[Kernel, ...]:
    return tuple(_kernels)


def kernels_ready() -> bool:
    """True once every kernel runs in its compiled form."""
    return _prepared


def cache_dir() -> Path:
    """Where compiled code is kept between runs; `NUMBA_CACHE_DIR` overrides it."""
    override = os.environ.get("NUMBA_CACHE_DIR")
    if override:
        return Path(override)
    import platformdirs

    return Path(platformdirs.user_cache_dir("lather")) / "kernels"


def prepare_kernels(progress: Progress = no_progress) -> None:
    """Bind every kernel to its compiled form, compiling what the disk cache lacks.

    Compiling happens in child processes, so the caller's interpreter stays responsive;
    afterwards loading takes well under a second. Call it off the interface thread.
    Should a child fail (no writable cache, no compiler support), this process compiles.
    """
    directory = cache_dir()
    os.environ["NUMBA_CACHE_DIR"] = str(directory)
    stamp = directory / f"ready-{_fingerprint()}"
    if not stamp.exists():
        with _one_at_a_time(directory, progress):
            if not stamp.exists():
                _compile_in_children(progress)
                _touch(stamp)
    for index, name in enumerate(COMPILED_MODULES):
        progress(index / len(COMPILED_MODULES), "loading kernels")
        importlib.import_module(name)
    global _prepared
    _prepared = True
    for kernel in _kernels:
        kernel.bind()
    progress(1.0, "kernels ready")


def _fingerprint() -> str:
    """Changes whenever the compiled code could: sources, where they lie, and versions."""
    from importlib.metadata import version

    digest = hashlib.sha256(f"{sys.version}{version('numba')}{version('numpy')}".encode())
    root = Path(__file__).parents[2]
    digest.update(str(root).encode("utf-8", "surrogateescape"))
    for name in ("lather.core.compiled_types", *COMPILED_MODULES):
        digest.update((root / (name.replace(".", "/") + ".py")).read_bytes())
    return digest.hexdigest()[:16]


@contextmanager
def _one_at_a_time(directory: Path, progress: Progress) -> Iterator[None]:
    """Hold the cache, so that of several processes one compiles and the others wait for it."""
    try:
        directory.mkdir(parents=True, exist_ok=True)
        lock = (directory / "compiling.lock").open("a")
    except OSError:
        yield  # a cache that cannot be written is not shared
        return
    with lock:
        while True:
            try:
                fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
                break
            except BlockingIOError:
                progress(0.0, WAITING)
                time.sleep(POLL_S)
            except OSError:
                break  # a file system without locks
        yield


def _touch(stamp: Path) -> None:
    with suppress(OSError):  # a read-only cache only means that the next start compiles again
        stamp.touch()


def _compile_in_children(progress: Progress) -> None:
    progress(0.0, COMPILING)
    reader, writer = os.pipe()
    children = []
    try:
        with open(reader) as done:
            with open(writer, "w") as said:
                for part in range(len(COMPILED_TOGETHER)):
                    with suppress(OSError):
                        command = [sys.executable, "-m", __name__, str(part)]
                        children.append(subprocess.Popen(command, stdout=said))
            for n_done, _ in enumerate(done, start=1):
                progress(n_done / (len(COMPILED_MODULES) + 1), COMPILING)
    finally:
        for child in children:
            child.wait()


def _compile(names: Iterable[str]) -> None:
    for name in names:
        importlib.import_module(name)
        print(name, flush=True)


if __name__ == "__main__":
    os.nice(5)  # painting in the parent comes first
    try:
        _compile(COMPILED_TOGETHER[int(sys.argv[1])])
    except BrokenPipeError:  # the parent is gone; what is compiled is on disk
        os._exit(0)
