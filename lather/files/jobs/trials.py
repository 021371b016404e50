"""Blinded tests as JSON, in a job file and in the journal."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from lather.core.bounds import MOST_TRIALS
from lather.document.agreed.trials import Answer, Trial
from lather.files.entries import MISFIT, Entry, unknown

_KEYS = {"answer", "on", "scale", "n_flips"}


def trials_entry(trials: Sequence[Trial]) -> list[Entry]:
    return [
        {**trial.extras, "answer": trial.answer.value, "on": trial.on, "scale": trial.scale,
         "n_flips": trial.n_flips}
        for trial in trials
    ]  # fmt: skip


def trials_from(entries: Any) -> tuple[tuple[Trial, ...], tuple[Any, ...]]:
    """The inverse, and what of it does not fit; ValueError if it is no list."""
    if not isinstance(entries, list):
        raise ValueError("the blinded tests are no list")
    read, odd = list[Trial](), list[Any]()
    for entry in entries:
        try:
            trial = _trial(entry)
        except MISFIT:
            odd.append(entry)
            continue
        if len(read) < MOST_TRIALS:
            read.append(trial)
        else:
            odd.append(entry)
    return tuple(read), tuple(odd)


def _trial(entry: Entry) -> Trial:
    return Trial(Answer(entry["answer"]), entry["on"], float(entry["scale"]),
                 entry["n_flips"], unknown(entry, _KEYS))  # fmt: skip
