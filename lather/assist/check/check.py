"""The check: what the whole retouch did, against the photo and the brief, as one gauge."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import Enum
from typing import Any

from lather.assist.check.reading import Reading, Row
from lather.assist.check.table import ROWS
from lather.assist.check.views import Views
from lather.core.check.limits import Bound, Limits
from lather.core.last import Last
from lather.core.survey.regions.region import Region
from lather.core.work import NEVER, CancelToken, Progress, no_progress
from lather.document.agreed.brief import Brief
from lather.document.agreed.briefing import retouching
from lather.document.agreed.style import Style
from lather.document.state import JobState
from lather.errors import EditError

AT_LIMIT = 0.85  # share from which there is hardly any room left


class Verdict(Enum):
    """What the retouch looks like, from little to too much."""

    UNTOUCHED = "untouched look"
    GROOMED = "groomed"
    AT_LIMIT = "at the limit"
    OVERDONE = "overdone"

    @property
    def level(self) -> int:
        """0-3."""
        return list(Verdict).index(self)


@dataclass(frozen=True)
class Checked:
    """A row that was measured: its reading against its limit."""

    row: Row
    reading: Reading
    bound: Bound

    @property
    def share(self) -> float:
        """How much of the way to the limit is gone; more than 1 is beyond."""
        value = self.reading.value
        return 0.0 if value is None else self.bound.share(value)

    @property
    def is_beyond(self) -> bool:
        return self.share > 1

    @property
    def value_text(self) -> str:
        value = self.reading.value
        return self.reading.why_not if value is None else self.row.text(value)

    @property
    def limit_text(self) -> str:
        """'at least 85%'."""
        value = self.reading.value
        limit = self.bound.near(self.bound.start if value is None else value)
        if limit is None:
            return ""
        return f"at {'least' if limit == self.bound.low else 'most'} {self.row.text(limit)}"

    @property
    def why(self) -> str:
        """What it is called where it is beyond its limit."""
        value = self.reading.value
        if value is None:
            return ""
        return self.row.too_much if value > self.bound.start else self.row.too_little

    def sentence(self) -> str:
        """'Texture kept 62% on the left cheek, at least 85%: plastic'."""
        reading = self.reading
        where = f" ({reading.where})" if reading.where else ""
        text = f"{self.row.title} {self.value_text}{where}"
        if self.limit_text:
            text += f", {self.limit_text}"
        return f"{text}: {self.why}" if self.is_beyond and self.why else text


@dataclass(frozen=True)
class Check:
    """Every measure of the table, and what they come to.

    Attributes
    ----------
    is_quick : on a reduced picture, without the measures that need all of it.
    brief : that it was measured against.
    retouched : names of layers that the brief forbids.
    """

    rows: tuple[Checked, ...]
    brief: Brief
    is_quick: bool = False
    retouched: tuple[str, ...] = ()

    @property
    def worst(self) -> Checked | None:
        """The row that went furthest; None where nothing could be measured."""
        return max(self.rows, key=lambda row: row.share, default=None)

    @property
    def beyond(self) -> tuple[Checked, ...]:
        """The worst first."""
        found = [row for row in self.rows if row.is_beyond]
        return tuple(sorted(found, key=lambda row: -row.share))

    @property
    def share(self) -> float:
        """Of the worst row."""
        return self.worst.share if self.worst is not None else 0.0

    @property
    def verdict(self) -> Verdict:
        if self.beyond or self.retouched:
            return Verdict.OVERDONE
        natural = Limits.of_style(Style.NATURAL.value).bounds
        within = all(natural[c.row.id].share(c.reading.value) <= AT_LIMIT
                     for c in self.rows if c.reading.value is not None)  # fmt: skip
        if self.share > AT_LIMIT:
            return Verdict.AT_LIMIT
        return Verdict.UNTOUCHED if within else Verdict.GROOMED

    def row(self, row_id: str) -> Checked | None:
        return next((checked for checked in self.rows if checked.row.id == row_id), None)

    @property
    def reasons(self) -> tuple[str, ...]:
        """What speaks for the verdict, the most telling first."""
        said = [f"'{name}' retouches a picture for a document" for name in self.retouched]
        said += [checked.sentence() for checked in self.beyond]
        worst = self.worst
        if not said and worst is not None and worst.share > 0:
            said.append(worst.sentence())
        return tuple(said)

    @property
    def headlines(self) -> tuple[str, ...]:
        """The first of the reasons, from its fullest form to its shortest; () without any."""
        reasons, worst = self.reasons, self.worst
        if not reasons or worst is None or reasons[0] != worst.sentence():
            return reasons[:1]
        return reasons[0], f"{worst.row.title} {worst.value_text}", worst.row.title

    def facts(self) -> dict[str, Any]:
        """Ready for JSON."""
        return {
            "verdict": self.verdict.value,
            "style": self.brief.style.value,
            "brief": "defaults: no brief was written" if self.brief.is_default else "as agreed",
            "share_of_limit": round(self.share, 3),
            "reasons": list(self.reasons),
            "rows": [_facts(checked) for checked in self.rows],
        }


def check(
    state: JobState, *, quick: bool = False, rows: Iterable[Row] = ROWS, skips: bool = True,
    progress: Progress = no_progress, cancel: CancelToken = NEVER,
) -> Check:
    """Measure a retouch; it changes nothing.

    Parameters
    ----------
    quick : on a reduced picture.
    skips : rows that are not cheap are left out then.

    Raises
    ------
    EditError : the portrait's regions are not known.
    Cancelled : by the token.
    """
    if Region.SKIN not in state.regions.masks:
        raise EditError(
            "Nothing was checked", "where skin is was not measured", "survey the portrait first"
        )
    views, limits = Views(state, cancel, quick=quick), state.brief.limits
    chosen = [row for row in rows if row.quick or not (quick and skips)]
    found = []
    for number, row in enumerate(chosen):
        cancel.check()
        progress(number / len(chosen), f"checking: {row.title.lower()}")
        found.append(Checked(row, row.measure(views), limits.bounds[row.id]))
    progress(1.0, "checked")
    forbidden = retouching(state) if state.brief.style.forbids_retouching else []
    return Check(tuple(found), state.brief, quick, tuple(layer.name for layer in forbidden))


def whole_check(
    state: JobState, *, progress: Progress = no_progress, cancel: CancelToken = NEVER
) -> Check:
    """`check` of all rows; of the last state that was asked about it is known."""
    return _LAST.of(what_is_checked(state),
                    lambda: check(state, progress=progress, cancel=cancel))  # fmt: skip


def what_is_checked(state: JobState) -> tuple[object, ...]:
    """What a check depends on."""
    return state.photo, state.layers, state.findings, state.regions, state.brief


_LAST: Last[Check] = Last(n_kept=1)


def _facts(checked: Checked) -> dict[str, Any]:
    reading = checked.reading
    entry: dict[str, Any] = {
        "id": checked.row.id, "title": checked.row.title, "unit": checked.row.unit,
        "value": None if reading.value is None else round(reading.value, 4),
        "start": checked.bound.start, "at_least": checked.bound.low, "at_most": checked.bound.high,
        "share_of_limit": round(checked.share, 3), "beyond": checked.is_beyond,
    }  # fmt: skip
    if reading.place is not None:
        entry["x"], entry["y"] = (round(v, 1) for v in reading.place)
    if reading.where:
        entry["where"] = reading.where
    if reading.by_part:
        entry["by_part"] = {part.value: round(v, 4) for part, v in reading.by_part.items()}
    if reading.why_not:
        entry["not_measured"] = reading.why_not
    if checked.is_beyond:
        entry["why"], entry["advice"] = checked.why, checked.row.advice
    return entry
