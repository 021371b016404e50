"""What tests ask for again and again is made once: surveys and checks of the same pictures.

`remember()` puts itself before functions that are slow and depend on nothing but what they are
given. An answer is kept in `build/made`, where all processes of a run and later runs find it, by
what was given and by the sources of all that the function imports: whoever changes one of those
has it made afresh. Without `remember()`, or within `afresh()`, nothing is kept.
"""

from __future__ import annotations

import functools
import hashlib
import importlib
import inspect
import os
import pickle
import threading
import zlib
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import fields, is_dataclass
from pathlib import Path
from types import CodeType, FunctionType
from typing import Any

import numpy as np

from lather.document.tiles import Tile
from tests import sources

FOLDER = sources.ROOT / "build" / "made"
MOST_BYTES = 1_000_000_000  # of the folder; what was not used for longest goes
MOST_KEPT = 16  # answers that a process has at hand
WATCHED = ("progress", "cancel")  # are told and asked, but change no answer
LOCK_FILE = sources.ROOT / "requirements.lock"  # another version may give another answer

_Function = Callable[..., Any]
_afresh = 0  # how many times it is asked for


@contextmanager
def afresh() -> Iterator[None]:
    """Nothing is taken from before: for tests of how something is made."""
    global _afresh
    _afresh += 1
    try:
        yield
    finally:
        _afresh -= 1


def remember() -> None:
    """Keep the answers of the survey, the scores of the skin and the check."""
    for module, name, key in REMEMBERED:
        home = importlib.import_module(module)
        function = getattr(home, name)
        if not hasattr(function, "__wrapped__"):
            setattr(home, name, kept(function, key, FOLDER))


def kept(function: _Function, key: Callable[..., Any], folder: Path) -> _Function:
    """The function, asked once for everything of the same key.

    `key(given)` is made of the arguments by name, but for progress and cancel.
    """
    signature = inspect.signature(function)
    at_hand: dict[str, Any] = {}

    @functools.wraps(function)
    def asked(*args: Any, **options: Any) -> Any:
        if _afresh:
            return function(*args, **options)
        given = signature.bind(*args, **options)
        given.apply_defaults()
        watched = {name: given.arguments.pop(name, None) for name in WATCHED}
        name = _name(function, key(given.arguments))
        answer = at_hand.get(name)
        if answer is None:
            answer = _read(folder / name)
        if answer is None:
            answer = function(*args, **options)
            _write(folder / name, answer)
        else:
            if watched["cancel"] is not None:
                watched["cancel"].check()
            if watched["progress"] is not None:
                watched["progress"](1.0, "made before")
        at_hand[name] = answer
        while len(at_hand) > MOST_KEPT:
            del at_hand[next(iter(at_hand))]
        return answer

    return asked


def trim(folder: Path = FOLDER, most_bytes: int = MOST_BYTES) -> None:
    """Let go of what was not used for longest."""
    files = sorted(folder.glob("*"), key=lambda path: path.stat().st_mtime, reverse=True)
    total = 0
    for path in files:
        total += path.stat().st_size
        if total > most_bytes:
            path.unlink(missing_ok=True)


@functools.cache
def _sources(module: str) -> str:
    return sources.digest((module,)) + hashlib.sha256(LOCK_FILE.read_bytes()).hexdigest()


def _name(function: _Function, content: Any) -> str:
    from lather.core.kernels import kernels_ready

    total = hashlib.blake2b(digest_size=20)
    about = (function.__module__, function.__name__, _sources(function.__module__), kernels_ready())
    for part in _parts((about, content)):
        total.update(part)
    return total.hexdigest()


def _parts(value: Any) -> Iterator[bytes]:
    """Bytes that differ wherever two values do."""
    if isinstance(value, np.ndarray):
        yield repr((value.shape, value.dtype.str)).encode()
        yield np.ascontiguousarray(value).view(np.uint8).data
    elif isinstance(value, Tile):
        yield from _parts(value.pixels)
    elif isinstance(value, Mapping):
        yield from _parts(sorted(value.items(), key=lambda item: repr(item[0])))
    elif isinstance(value, FunctionType):
        code = value.__code__
        yield f"{value.__module__}.{value.__qualname__}".encode() + code.co_code
        yield from _parts([const for const in code.co_consts if not isinstance(const, CodeType)])
    elif is_dataclass(value) and not isinstance(value, type):
        yield type(value).__name__.encode()
        yield from _parts([getattr(value, field.name) for field in fields(value)])
    elif isinstance(value, tuple | list | frozenset | set):
        items = sorted(value, key=repr) if isinstance(value, frozenset | set) else value
        yield f"({len(items)}".encode()
        for part in items:
            yield from _parts(part)
    else:
        yield repr(value).encode() + b"\0"


def _read(path: Path) -> Any:
    with suppress(OSError):
        packed = path.read_bytes()
        os.utime(path)
        return pickle.loads(zlib.decompress(packed))  # noqa: S301 - written by this suite
    return None


def _write(path: Path, answer: Any) -> None:
    """Whole or not at all: another process may read it at any time."""
    try:
        packed = zlib.compress(pickle.dumps(answer), 1)
    except (pickle.PicklingError, AttributeError, TypeError):
        return  # holds functions: for this process alone
    path.parent.mkdir(parents=True, exist_ok=True)
    new = path.with_suffix(f".{os.getpid()}.{threading.get_ident()}")
    new.write_bytes(packed)
    new.replace(path)


def _of_picture(given: dict[str, Any]) -> Any:
    return {**given, "networks": _networks()}


def _of_photo(given: dict[str, Any]) -> Any:
    photo = given["photo"]
    return {**given, "photo": (photo.samples, photo.lattice), "networks": _networks()}


def _networks() -> list[tuple[str, int, int]]:
    """The files of the networks, where they are looked for now."""
    from lather.core.survey.faces.networks import SHIPPED

    files = [(path, path.stat()) for path in sorted(Path(SHIPPED._folder).glob("*"))]
    return [(str(path), stat.st_size, stat.st_mtime_ns) for path, stat in files]


def _of_state(given: dict[str, Any]) -> Any:
    """A job by its content; ids of layers count, since answers name them."""
    from lather.document.digest import digest

    state = given["state"]
    meshes = [face.mesh for face in state.findings.faces]
    about = (digest(state), state.photo.samples, state.photo.lattice, meshes)
    return {**given, "state": about}


REMEMBERED: tuple[tuple[str, str, Callable[[dict[str, Any]], Any]], ...] = (
    ("lather.core.survey.survey", "survey", _of_picture),
    ("lather.assist.survey", "survey_photo", _of_photo),
    ("lather.assist.even.scores", "skin_scores", _of_state),
    ("lather.assist.check.check", "check", _of_state),
    ("lather.assist.check.lever", "find_causes", _of_state),
)
