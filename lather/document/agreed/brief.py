"""What the client wants: how far to go, what stays, what is delivered, and who agreed to it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from lather.core.bounds import BRIEF, refuse_beyond
from lather.core.check.limits import FRACTIONS, Limits
from lather.core.open_enum import OpenEnum
from lather.core.survey.findings.finding import Kind
from lather.document.agreed.style import Style
from lather.errors import BriefError

ADVICE = "correct the brief"


class Task(OpenEnum):
    """A part of the work that can be asked for. Values as in files."""

    BLEMISHES = "blemishes"
    CREASES = "creases"
    HAIRS_ON_SKIN = "hairs on skin"
    SHINE = "shine"
    REDNESS = "redness"
    EVEN_SKIN = "even skin"
    EYES = "eyes"
    TEETH = "teeth"
    HAIR = "hair"
    SHAPE = "shape"
    BACKGROUND = "background"


class Delivered(OpenEnum):
    """A format that the client gets. Values as in files."""

    JPEG = "jpeg"
    PNG = "png"
    TIFF = "tiff"
    WEBP = "webp"

    @property
    def label(self) -> str:
        """As people write it."""
        return "WebP" if self is Delivered.WEBP else self.title.upper()


_TASK_OF = {
    Kind.RED: Task.BLEMISHES, Kind.DARK: Task.BLEMISHES, Kind.BRIGHT: Task.BLEMISHES,
    Kind.MILK_SPOT: Task.BLEMISHES, Kind.FLAKE: Task.BLEMISHES, Kind.VEIN: Task.BLEMISHES,
    Kind.CREASE: Task.CREASES, Kind.FOLD: Task.CREASES, Kind.SKIN_HAIR: Task.HAIRS_ON_SKIN,
    Kind.SHINE: Task.SHINE, Kind.REDNESS: Task.REDNESS, Kind.UNEVEN: Task.EVEN_SKIN,
}  # fmt: skip
CAN_BE_KEPT = (Kind.FRECKLES, Kind.VEIN, Kind.CREASE)  # as a kind; single marks are findings


@dataclass(frozen=True)
class Brief:
    """What was agreed. Without one it is groomed, at full size, with everything to do.

    Attributes
    ----------
    delivery_long_side_px : the size that is worked for; None for full size.
    style : how far to go.
    words : the client's own.
    moved_limits : limits that are not the style's, by the names of `Limits.numbers`.
    keep_kinds : kinds that stay, beside those of the style.
    tasks : what is to be done; all of it if there are none.
    more_sizes_px : long sides of further deliveries.
    formats : that are delivered.
    n_pictures, fee, currency, agreed_hours : of the whole order; None if nothing was said.
    deadline, consent_on : ISO 8601 dates, or ''.
    consent_by : who agreed to being retouched; `guardian` who did so for a child.
    extras : fields of a newer Lather, kept and saved again.
    unread : what cannot be read of the fields above, as it lies in the file; kept and saved again
        until they are set.
    """

    delivery_long_side_px: int | None = None
    style: Style = Style.GROOMED
    words: str = ""
    moved_limits: Mapping[str, float] = field(default_factory=dict)
    keep_kinds: tuple[Kind, ...] = ()
    tasks: tuple[Task, ...] = ()
    more_sizes_px: tuple[int, ...] = ()
    formats: tuple[Delivered, ...] = (Delivered.JPEG,)
    n_pictures: int | None = None
    fee: float | None = None
    currency: str = "EUR"
    agreed_hours: float | None = None
    deadline: str = ""
    consent_by: str = ""
    consent_on: str = ""
    guardian: str = ""
    extras: Mapping[str, Any] = field(default_factory=dict)
    unread: Mapping[str, Any] = field(default_factory=dict)

    def __post_init__(self) -> None:
        refuse_beyond("the brief", BRIEF, self)

    @property
    def limits(self) -> Limits:
        """How far the retouch may go."""
        return Limits.of_style(self.style.value, self.moved_limits)

    @property
    def is_default(self) -> bool:
        """True where nothing was agreed on yet."""
        return replace(self, delivery_long_side_px=None) == Brief()

    def keeps(self, kind: Kind) -> bool:
        """True for what is proposed to be kept."""
        return self.style.keeps(kind) or kind in self.keep_kinds

    def wants(self, task: Task) -> bool:
        """True for what is to be done."""
        return not self.style.forbids_retouching and (not self.tasks or task in self.tasks)

    def wants_done(self, kind: Kind) -> bool:
        """True for kinds of findings that are to be mended or evened."""
        task = _TASK_OF.get(kind)
        return task is None or self.wants(task)

    @property
    def fee_per_picture(self) -> float | None:
        return None if self.fee is None else self.fee / (self.n_pictures or 1)

    @property
    def minutes_per_picture(self) -> float | None:
        """What the agreed hours leave for each picture."""
        return None if self.agreed_hours is None else 60 * self.agreed_hours / (
            self.n_pictures or 1)  # fmt: skip


def refuse_contradictions(brief: Brief, what: str = "The brief was not taken") -> None:
    """`BriefError` for a brief that nobody could work by, with the first thing that is wrong."""
    for why in _contradictions(brief):
        raise BriefError(what, why, ADVICE)


def missing_consent(brief: Brief) -> str:
    """What is still to be asked of whom, a sentence; '' if nothing is."""
    if brief.style.forbids_retouching:
        return ""
    if brief.style is Style.INFANT and not brief.guardian:
        return "Ask the child's guardian before you retouch."
    if not brief.consent_by and not brief.guardian:
        return "Nobody has agreed yet to being retouched."
    return ""


def _contradictions(brief: Brief) -> list[str]:
    found = []
    own = brief.style.limits
    for name, value in brief.moved_limits.items():
        measure, _, side = name.rpartition(".")
        if measure not in own.bounds or name not in own.numbers:
            found.append(f"it has a limit '{name}', which is no measure's")
        elif side == "least" and value > own.bounds[measure].start:
            found.append(f"'{name}' asks for {value:g}, more than the photo has "
                         f"({own.bounds[measure].start:g})")  # fmt: skip
        elif side == "most" and value < own.bounds[measure].start:
            found.append(f"'{name}' allows {value:g}, less than the photo has "
                         f"({own.bounds[measure].start:g})")  # fmt: skip
        elif measure in FRACTIONS and side == "most" and value > 1:
            found.append(f"'{name}' is a share and cannot be {value:g}")
    if own.displacement <= 0 < brief.moved_limits.get("displacement.most", 0.0):
        found.append(f"it lets the shape be changed, but {brief.style.caution}")
    if Kind.CREASE in brief.keep_kinds and Task.CREASES in brief.tasks:
        found.append("creases are both to be kept and to be softened")
    return found
