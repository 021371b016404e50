"""Whose face is looked at, of several people: the one under the pen, or the next by a key."""

from __future__ import annotations

from lather.actions.action import Action, When, has_job
from lather.actions.workbench import Workbench
from lather.document.people import person_at

_has_people = has_job & When.that(
    lambda bench: len(bench.state.findings.faces) > 1, "the survey found no second person",
)


def person_of(bench: Workbench) -> int:
    """Whose face map, scores and features are shown: who was under the pen last, or chosen."""
    n_people = len(bench.state.findings.faces) if bench.job is not None else 0
    return bench.looks.person if bench.looks.person < n_people else 0


class PersonWatch:
    """Follows the cursor: who is under it is looked at, until another one is or a key says so."""

    def __init__(self, bench: Workbench) -> None:
        self._bench = bench
        self._under = 0

    def hover(self, x: float, y: float) -> None:
        """The pen is over (x, y) in photo pixels."""
        if self._bench.job is None or len(self._bench.state.findings.faces) < 2:
            return
        under = person_at(self._bench.state.findings, x, y)
        if under != self._under:
            self._under = under
            self._bench.look(person=under)


def _next_person(bench: Workbench) -> None:
    n_people = len(bench.state.findings.faces)
    person = (person_of(bench) + 1) % n_people
    bench.look(person=person)
    bench.say(f"Person {person + 1} of {n_people}: their face map and scores are shown.")


ACTIONS = (
    Action("view.next_person", "Next person",
           "Face map, scores and features of another person in the picture; else those of who was "
           "under the pen last.", "View", _next_person, enabled=_has_people),
)
