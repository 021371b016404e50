"""What an assistant is asked, as a value: it can be asked again, and told what was asked."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import partial
from typing import Any

from lather.assist import stages
from lather.assist.proposal import ALL_SURE, Meant, Proposal, honest
from lather.assist.stages import Propose
from lather.core.work import NEVER, CancelToken, Progress, no_progress
from lather.document.layers.layer import Stage
from lather.document.state import JobState

ALL = "all"  # of a stage's assistants, one after the other
_ALL_OF_STAGE = stages.later("retouch", "propose_all")


@dataclass(frozen=True)
class Request:
    """A question to an assistant.

    Attributes
    ----------
    assistant : "STAGE.NAME", by the names of `stages.py`; "STAGE.all" for all of a stage.
    meant : what it is asked about.
    """

    assistant: str
    meant: Meant = ALL_SURE

    def proposal(
        self, state: JobState, *, hold: bool = True, progress: Progress = no_progress,
        cancel: CancelToken = NEVER,
    ) -> Proposal:  # fmt: skip
        """What is proposed for a state, and only what would show; KeyError if there is no such
        assistant.

        `hold` keeps it inside of the brief: who asks several of them sees to that for all at once.
        """
        from lather.assist.check.hold import held  # not for the first window

        propose = assistants()[self.assistant]
        proposal = honest(propose(state, self.meant, progress=progress, cancel=cancel))
        if not hold or self.assistant.endswith(f".{ALL}"):
            return proposal
        return honest(held(proposal, cancel))

    @property
    def arguments(self) -> dict[str, Any]:
        """What is meant, as JSON; what is as usual is left out."""
        meant, found = self.meant, dict[str, Any]()
        if meant.ids is not None:
            found["ids"] = sorted(meant.ids)
        if meant.kinds is not None:
            found["kinds"] = sorted(meant.kinds)
        if meant.doubtful:
            found["doubtful"] = True
        if meant.nth_source:
            found["nth_source"] = meant.nth_source
        return found

    @classmethod
    def of(cls, assistant: str, arguments: Mapping[str, Any]) -> Request:
        """The inverse; ValueError, KeyError or TypeError for what is no request."""
        ids, kinds = arguments.get("ids"), arguments.get("kinds")
        return cls(assistant, Meant(
            None if ids is None else frozenset(map(int, ids)),
            bool(arguments.get("doubtful", False)),
            None if kinds is None else frozenset(map(str, kinds)),
            int(arguments.get("nth_source", 0)),
        ))  # fmt: skip


def assistants() -> Mapping[str, Propose]:
    """All that can be asked, by name."""
    found: dict[str, Propose] = {}
    for stage, row in stages.STAGES.items():
        found |= {f"{stage}.{name}": one.propose for name, one in row.assistants.items()}
        found |= {f"{stage}.{name}": propose for name, propose in row.by_command.items()}
        if row.assistants:
            found[f"{stage}.{ALL}"] = partial(_ALL_OF_STAGE, stage=Stage(stage))
    return found


def name_of(assistant: stages.Assistant) -> str:
    """What a row's assistant is asked by."""
    return next(f"{stage}.{name}" for stage, row in stages.STAGES.items()
                for name, one in row.assistants.items() if one is assistant)  # fmt: skip
