"""All operations, and how a call of an edit becomes one."""

from __future__ import annotations

import inspect
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from lather.document.operations.call import Call
from lather.operations.assistants import ASSISTANTS
from lather.operations.edits import BY_EDIT, EDITS
from lather.operations.kind import Edit, Kind
from lather.operations.strokes import STROKES

KINDS: Mapping[str, Kind] = {kind.id: kind for kind in (*EDITS, *STROKES, *ASSISTANTS)}


def call_of(edit: Edit, *args: Any, **options: Any) -> Call | None:
    """What it is to apply an edit with arguments; None for one that is no operation."""
    name = f"{edit.__module__.removeprefix('lather.')}:{edit.__qualname__}"
    kind = BY_EDIT.get(name)
    if kind is None:
        return None
    bound = inspect.signature(edit).bind(None, *args, **options)
    call = Call(id=kind.id, arguments=kind.written(bound.arguments), again=kind.again)
    if kind.stroke:
        return replace(call, strokes=(bound.arguments[kind.stroke],))
    ids = call.arguments.get("ids") or call.arguments.get("finding_id")
    if ids is not None:
        call = replace(call, findings=tuple(ids) if isinstance(ids, list) else (ids,))
    return call
