"""All operations."""

from __future__ import annotations

from collections.abc import Mapping

from lather.operations.assistants import ASSISTANTS
from lather.operations.edits import EDITS
from lather.operations.kind import Kind
from lather.operations.strokes import STROKES

KINDS: Mapping[str, Kind] = {kind.id: kind for kind in (*EDITS, *STROKES, *ASSISTANTS)}
