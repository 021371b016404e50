"""The brief of a job and its proof: set as a whole, what it forbids, what tests showed."""

from __future__ import annotations

from dataclasses import replace

from lather.core.blend.modes import BlendMode
from lather.core.bounds import MOST_TRIALS
from lather.document.agreed.brief import Brief, refuse_contradictions
from lather.document.agreed.trials import Trial
from lather.document.layers.exposure import ExposureLayer
from lather.document.layers.layer import Layer
from lather.document.layers.photo import PhotoLayer
from lather.document.state import JobState
from lather.document.tree import find, walk
from lather.errors import EditError

REFUSAL_ADVICE = "only its exposure may be set; choose another style in the brief if it is none"


def set_brief(state: JobState, brief: Brief) -> JobState:
    """Another brief: open and kept findings follow it, decisions stay.

    Raises
    ------
    BriefError : it says two things at once.
    """
    if brief == state.brief:
        return state
    refuse_contradictions(brief)
    findings = state.findings.restyled(state.brief, brief)
    return replace(state, brief=brief, findings=findings)


def add_trial(state: JobState, trial: Trial) -> JobState:
    """The outcome of a blinded test kept; the oldest goes where there are too many."""
    return replace(state, trials=(*state.trials, trial)[-MOST_TRIALS:])


def retouching(state: JobState) -> list[Layer]:
    """What does more than light the picture as a whole: layers that are shown, and a photo that is
    not."""
    found = [layer for layer in walk(state.layers) if layer.is_shown and _retouches(layer)]
    return [*found, *(layer for layer in state.layers if _is_hidden_photo(layer))]


def forbidden_work(state: JobState) -> str:
    """What is there that the brief forbids, a sentence; '' if nothing is."""
    if not state.brief.style.forbids_retouching:
        return ""
    names = ", ".join(f"'{layer.name}'" for layer in retouching(state))
    return f"{names} may not be in a picture for a document: hide or delete it." if names else ""


def refuse_where_forbidden(state: JobState, what: str) -> None:
    """Raise `EditError` where the brief lets nothing be retouched; `what` did not happen."""
    style = state.brief.style
    if style.forbids_retouching:
        raise EditError(what, f"the brief says '{style.title}': {style.caution}", REFUSAL_ADVICE)


def refuse_retouching(name: str, before: JobState, after: JobState) -> None:
    """Raise `EditError` for a step that retouches where the brief forbids it; taking back what was
    there is no retouching."""
    if not after.brief.style.forbids_retouching or after.layers is before.layers:
        return
    for layer in retouching(after):
        was = find(before.layers, layer.id)
        if was is None or not _no_more_than(layer, was):
            refuse_where_forbidden(after, f"'{name}' was not done")


def _retouches(layer: Layer) -> bool:
    if isinstance(layer, PhotoLayer):
        return False
    if layer.children or isinstance(layer, ExposureLayer):
        return acts_on_a_part(layer)
    return True


def acts_on_a_part(layer: Layer) -> bool:
    """By its mask, its limits or its mode it is no light of the whole picture."""
    masked = layer.mask is not None and layer.mask.enabled and not layer.mask.shows_all
    return masked or not layer.limits.are_open or layer.mode is not BlendMode.NORMAL


def _is_hidden_photo(layer: Layer) -> bool:
    return isinstance(layer, PhotoLayer) and not layer.is_shown


def _no_more_than(layer: Layer, was: Layer) -> bool:
    """The same work, as strong or weaker."""
    if layer is was:
        return True
    if _is_hidden_photo(layer):
        return _is_hidden_photo(was)
    same_planes = all(layer.planes[name] is tiles for name, tiles in was.planes.items())
    kept = layer.mode, layer.limits, layer.mask, dict(layer.own_fields)
    return (was.is_shown and layer.strength <= was.strength and same_planes
            and kept == (was.mode, was.limits, was.mask, dict(was.own_fields)))  # fmt: skip
