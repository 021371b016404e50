"""The kinds of findings, a row each: what it is called, its form, and which stage decides on it."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum


class Form(Enum):
    """What a finding looks like, as far as tools go by it."""

    SPOT = "spot"
    LINE = "line"
    PATCH = "patch"  # a stretch of skin whose tone is off: no mark on it


@dataclass(frozen=True)
class KindRow:
    """What is known of a kind.

    Attributes
    ----------
    title : for a person to read.
    stage : of the work that decides on it, as in files.
    belongs_to_person : proposed to be kept, not to be mended.
    is_softened : only made weaker, never mended away: without it a face goes flat.
    """

    title: str
    stage: str = "clean"
    form: Form = Form.SPOT
    belongs_to_person: bool = False
    is_softened: bool = False


UNKNOWN = KindRow("")  # of a newer Lather: looked at, never worked on by itself

# By the value in files and on the command line.
KINDS: dict[str, KindRow] = {
    "blemish.red": KindRow("Red blemish"),
    "blemish.dark": KindRow("Dark spot"),
    "blemish.bright": KindRow("Bright spot"),
    "blemish.milk_spot": KindRow("Milk spot"),
    "flake": KindRow("Flake"),
    "crease": KindRow("Crease", form=Form.LINE, is_softened=True),
    "fold": KindRow("Natural fold", form=Form.LINE, belongs_to_person=True, is_softened=True),
    "vein": KindRow("Vein", form=Form.LINE),
    "hair.skin": KindRow("Hair on skin", form=Form.LINE),
    "mole": KindRow("Mole", belongs_to_person=True),
    "scar": KindRow("Scar", belongs_to_person=True),
    "freckles": KindRow("Freckle", belongs_to_person=True),
    "mark": KindRow("Marked to keep", belongs_to_person=True),
    "shine": KindRow("Shine", "even", Form.PATCH),
    "redness": KindRow("Redness", "even", Form.PATCH),
    "uneven": KindRow("Uneven", "even", Form.PATCH),
}
