"""Parameters of layers on the command line: LAYER.PARAMETER=VALUE."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from lather.errors import EditError, UsageError

if TYPE_CHECKING:
    from lather.document.layers.computed import ComputedLayer
    from lather.document.state import JobState


def with_settings(state: JobState, settings: Sequence[str]) -> JobState:
    """A state with other values; UsageError says which setting is wrong, and what may be set."""
    from lather.document import edits

    for text in settings:
        place, equals, value = text.partition("=")
        name, dot, parameter = place.rpartition(".")
        if not equals or not dot:
            raise _wrong(text, "it is not LAYER.PARAMETER=VALUE", "'Curves.rgb=0:0 0.5:0.6 1:1'")
        layer = _layer(state, name, text)
        spec = layer.TAKES.specs().get(parameter)
        if spec is None:
            known = ", ".join(layer.TAKES.specs())
            raise _wrong(text, f"'{layer.name}' has no '{parameter}'", f"one of {known}")
        try:
            state = edits.set_parameter(state, layer.id, parameter, spec.read(value))
        except (ValueError, EditError) as error:
            why = error.why if isinstance(error, EditError) else f"'{value}' is no value for it"
            raise _wrong(text, why, f"for example {spec.told(getattr(layer.parameters, parameter))}"
                         ) from error  # fmt: skip
    return state


def _layer(state: JobState, name: str, text: str) -> ComputedLayer:
    from lather.document.layers.computed import ComputedLayer
    from lather.document.tree import walk

    computed = [layer for layer in walk(state.layers) if isinstance(layer, ComputedLayer)]
    for layer in computed:
        if name in (layer.name, str(layer.id)):
            return layer
    known = ", ".join(f"'{layer.name}'" for layer in computed) or "none: no layer is computed"
    raise _wrong(text, f"no layer with parameters is called '{name}'", f"one of {known}")


def _wrong(text: str, why: str, advice: str) -> UsageError:
    return UsageError(f"'{text}' was not set", why, advice)
