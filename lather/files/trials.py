"""Blinded tests as JSON, in a job file and in the journal."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from lather.core.bounds import MOST_TRIALS
from lather.document.trials import Answer, Trial
from lather.files.entries import Entry, unknown

_KEYS = {"answer", "on", "scale", "n_flips"}


def trials_entry(trials: Sequence[Trial]) -> list[Entry]:
    return [
        {**trial.extras, "answer": trial.answer.value, "on": trial.on, "scale": trial.scale,
         "n_flips": trial.n_flips}
        for trial in trials
    ]  # fmt: skip


def trials_from(entries: Any) -> tuple[Trial, ...]:
    """The inverse; ValueError, KeyError or TypeError if it is wrong."""
    if not isinstance(entries, list) or len(entries) > MOST_TRIALS:
        raise ValueError("the blinded tests are no list, or too many")
    return tuple(map(_trial, entries))


def _trial(entry: Entry) -> Trial:
    return Trial(Answer(entry["answer"]), entry["on"], float(entry["scale"]),
                 entry["n_flips"], unknown(entry, _KEYS))  # fmt: skip
