"""Which module imports which, read from their sources: nothing is run."""

from __future__ import annotations

import ast
import hashlib
import threading
from collections.abc import Callable, Iterable, Iterator
from functools import cache
from pathlib import Path

ROOT = Path(__file__).parents[1]
_PARSING = threading.Lock()
PACKAGE = ROOT / "lather"
FOLDERS = ("lather", "bench", "tests", "scripts")


@cache
def tree_of(path: Path) -> ast.Module:
    with _PARSING:  # on several threads at once it fails now and then (CPython 3.11)
        return ast.parse(path.read_text(encoding="utf-8"))


@cache
def imported_modules(path: Path) -> frozenset[str]:
    """What a module imports, wherever in it."""
    names: set[str] = set()
    for node in ast.walk(tree_of(path)):
        if isinstance(node, ast.Import):
            names.update(alias.name for alias in node.names)
        elif isinstance(node, ast.ImportFrom) and node.module:
            names.add(node.module)
            names.update(f"{node.module}.{alias.name}" for alias in node.names)
    return frozenset(names)


def module_name(path: Path) -> str:
    parts = path.relative_to(ROOT).with_suffix("").parts
    return ".".join(parts[:-1] if parts[-1] == "__init__" else parts)


@cache
def modules() -> dict[str, Path]:
    """Every module of the checkout."""
    paths = [path for folder in FOLDERS for path in (ROOT / folder).rglob("*.py")]
    return {module_name(path): path for path in paths}


@cache
def needs(name: str) -> frozenset[str]:
    """The checkout's modules that one imports, or names to import or to run them later."""
    known, path = modules(), modules()[name]
    folder = name.rpartition(".")[0]
    named = set(imported_modules(path))
    for node in ast.walk(tree_of(path)):
        for text in _named_by(node):
            named |= {text, f"{folder}.{text}"}  # "clean.clean" in assist/stages.py
    return frozenset(other for other in named if other in known and other != name)


def _named_by(node: ast.AST) -> Iterator[str]:
    """Texts that could be the name of a module, as they stand in a table or in `-m lather`."""
    match node:
        case ast.Constant(value=str(text)) if "." in text:
            if text.replace(".", "").replace("_", "").isalnum():
                yield text
        case ast.List(elts=words) | ast.Tuple(elts=words) | ast.Call(args=words):
            values = [word.value if isinstance(word, ast.Constant) else None for word in words]
            for before, value in zip(values, values[1:], strict=False):
                if before == "-m":
                    yield from (str(value), f"{value}.__main__")


@cache
def distances(name: str) -> dict[str, int]:
    """The modules that one comes to, and over how many imports; itself at 0."""
    return _walked([name], needs)


def users(names: Iterable[str]) -> dict[str, int]:
    """The modules that come to one of those, and over how many imports at the least."""
    by: dict[str, list[str]] = {}
    for name in modules():
        for other in needs(name):
            by.setdefault(other, []).append(name)
    return _walked(names, lambda name: by.get(name, ()))


def _walked(starts: Iterable[str], step: Callable[[str], Iterable[str]]) -> dict[str, int]:
    edge = list(starts)
    found = dict.fromkeys(edge, 0)
    while edge:
        edge = [other for here in edge for other in step(here) if other not in found
                and found.setdefault(other, found[here] + 1)]  # fmt: skip
    return found


def digest(names: Iterable[str]) -> str:
    """Changes with the sources of those modules and of all that they import."""
    closure = {other for name in names for other in distances(name)}
    total = hashlib.sha256()
    for name in sorted(closure):
        total.update(modules()[name].read_bytes())
    return total.hexdigest()
