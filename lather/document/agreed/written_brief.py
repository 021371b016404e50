"""A brief as it goes into a file of its own: with what concerns the photo it was written for."""

from __future__ import annotations

from dataclasses import dataclass

from lather.core.survey.findings.finding import Kind
from lather.document.agreed.brief import Brief
from lather.document.photo import Photo


@dataclass(frozen=True)
class KeptMark:
    """A place of one photo that is to be kept, px of the photo."""

    kind: Kind
    x: float
    y: float
    radius_px: float


@dataclass(frozen=True)
class WrittenBrief:
    """What a brief's file holds.

    Attributes
    ----------
    photo_name, photo_sha256 : of the photo that it was made for; '' for a template.
    keep : marks of that photo.
    questions : to the client, as the survey proposed them.
    """

    brief: Brief
    photo_name: str = ""
    photo_sha256: str = ""
    keep: tuple[KeptMark, ...] = ()
    questions: tuple[str, ...] = ()

    def is_of(self, photo: Photo) -> bool:
        """True if it was made for that very photo."""
        return bool(self.photo_sha256) and self.photo_sha256 == photo.sha256
