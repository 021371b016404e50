"""May this layer change, and can it show at all? Asked by all tools, inherited through groups.

What depends on the place in the picture, masks and what lies above, is asked in
`render/visibility.py`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

from lather.core.blend.modes import BlendMode
from lather.document.agreed.briefing import refuse_where_forbidden
from lather.document.effect import same_content
from lather.document.layers.layer import Layer, Layers
from lather.document.layers.pixels import PixelLayer
from lather.document.state import JobState
from lather.document.tree import path_to, walk
from lather.errors import EditError


def locked_by(state: JobState, layer_id: int) -> Layer | None:
    """The layer itself or the group around it that is locked; None if it may change."""
    return next((layer for layer in path_to(state.layers, layer_id) if layer.locked), None)


def refuse_unless_changeable(state: JobState, layer_id: int) -> None:
    """Raise `EditError` for a layer that is locked, or lies in a locked group."""
    layer, lock = state.layer(layer_id), locked_by(state, layer_id)
    if lock is layer:
        raise EditError(f"'{layer.name}' was left alone", "it is locked", "unlock it first")
    if lock is not None:
        raise EditError(
            f"'{layer.name}' was left alone", f"its group '{lock.name}' is locked",
            "unlock the group first",
        )  # fmt: skip


def refuse_locked_work(name: str, before: JobState, after: JobState) -> None:
    """Raise `EditError` for a step that changes or takes away what is locked, by whatever way it
    came. It may be shown, hidden, named, moved as a whole and unlocked."""
    if after.layers is before.layers:
        return
    now = {layer.id: layer for layer in walk(after.layers)}
    for layer in _locked(before.layers):
        here = now.get(layer.id)
        if here is layer or (here is not None and same_content(layer, here)):
            continue
        lock = locked_by(before, layer.id)
        where = "it" if lock is None or lock is layer else f"its group '{lock.name}'"
        raise EditError(f"'{name}' was not done: '{layer.name}' was left alone",
                        f"{where} is locked", "unlock it first")  # fmt: skip


def _locked(layers: Layers, is_inside: bool = False) -> Iterator[Layer]:
    for layer in layers:
        if layer.locked or is_inside:
            yield layer
        yield from _locked(layer.children, is_inside or layer.locked)


def hidden_by(state: JobState, layer_id: int, *, own_mask: bool = True) -> tuple[str, str]:
    """Why nothing of a layer can show, wherever it is painted on, and what to do; or ('', '').

    `own_mask` says whether the layer's own mask counts.
    """
    for layer in path_to(state.layers, layer_id):
        itself = layer.id == layer_id
        it = "it" if itself else f"its group '{layer.name}'"
        if not layer.visible:
            return f"{it} is hidden", "show it first"
        if layer.strength <= 0:
            return f"{it} has a strength of 0 %", "raise the strength first"
        if layer.mask is not None and layer.mask.hides_all and (own_mask or not itself):
            return f"{it} has a mask that hides all", "paint on the mask, or switch it off"
    return "", ""


def refuse_unless_shown(
    state: JobState, layer_id: int, *, own_mask: bool = True, done: str = "painted"
) -> None:
    """Raise `EditError` for a layer that is hidden, or lies in a hidden group.

    `done` is what was not done to it.
    """
    why, advice = hidden_by(state, layer_id, own_mask=own_mask)
    if why:
        name = state.layer(layer_id).name
        raise EditError(f"Nothing was {done} on '{name}'", why, advice)


def refuse_unless_normal(state: JobState, layer_id: int) -> None:
    """Raise `EditError` where pixels of the picture would be blended with the picture.

    A mend, a copy or a graft is the picture as it should be: multiplied onto itself it
    makes the place darker.
    """
    for layer in reversed(path_to(state.layers, layer_id)):
        if layer.mode is not BlendMode.NORMAL:
            it = "its mode" if layer.id == layer_id else f"the mode of its group '{layer.name}'"
            raise EditError(
                f"Nothing was painted on '{state.layer(layer_id).name}'",
                f"{it} is {layer.mode.value}, in which pixels of the picture come out wrong",
                "set the mode to normal, or pick or add another layer",
            )


def paintable(state: JobState, layer_id: int) -> PixelLayer:
    """The layer, if a brush may work on it; otherwise `EditError` says why not."""
    layer = state.layer(layer_id)
    if not isinstance(layer, PixelLayer):
        raise EditError(
            f"Nothing was painted on '{layer.name}'", f"it is {layer.NOUN}", "pick or add a layer"
        )
    refuse_where_forbidden(state, f"Nothing was painted on '{layer.name}'")
    refuse_unless_changeable(state, layer_id)
    refuse_unless_shown(state, layer_id)
    return layer


def mendable(state: JobState, layer_id: int) -> PixelLayer:
    """The layer, if pixels of the picture may be laid on it."""
    layer = paintable(state, layer_id)
    refuse_unless_normal(state, layer_id)
    return layer


def is_paintable(state: JobState, layer: Layer) -> bool:
    """`paintable`, without words."""
    return _is_allowed(paintable, state, layer)


def is_mendable(state: JobState, layer: Layer) -> bool:
    """`mendable`, without words."""
    return _is_allowed(mendable, state, layer)


def _is_allowed(
    asked: Callable[[JobState, int], PixelLayer], state: JobState, layer: Layer
) -> bool:
    try:
        asked(state, layer.id)
    except EditError:
        return False
    return True
