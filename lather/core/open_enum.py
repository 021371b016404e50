"""Enumerations of values in files, which a newer Lather may have more of."""

from __future__ import annotations

from enum import Enum
from typing import Self

LONGEST_VALUE = 100


class OpenEnum(Enum):
    """An enumeration that keeps values it does not know instead of refusing them.

    Such a value becomes a member that only looking it up gives: iteration yields the known
    ones. Equal values give the same object, so members compare by identity as usual.
    """

    @classmethod
    def _missing_(cls, value: object) -> Self | None:
        if not isinstance(value, str) or len(value) > LONGEST_VALUE:
            return None
        member = object.__new__(cls)
        member._name_ = f"UNKNOWN {value}"
        member._value_ = value
        found = cls._value2member_map_.setdefault(value, member)  # one object for all threads
        assert isinstance(found, cls)
        return found

    @property
    def known(self) -> bool:
        """False for a value that only a newer Lather understands."""
        return self.name in type(self).__members__

    @property
    def title(self) -> str:
        """The value for a person to read, marked if it is not known."""
        return str(self.value) if self.known else f"{self.value} (of a newer Lather)"
