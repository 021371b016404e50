"""How far a retouch may go, and what is said where it went further."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Limits:
    """Limits of a style.

    Attributes
    ----------
    texture_kept : share of the start's texture, at least.
    modelling_kept : share of the start's large-scale light and shade, at least.
    colour_shift : mean CIEDE2000 of a part, at most.
    displacement : the largest displacement, as a share of the face's width; 0: nothing is moved.
    """

    texture_kept: float
    modelling_kept: float
    colour_shift: float
    displacement: float


PLASTIC, FLAT, SHIFTED = "plastic", "flat", "another colour"


def beyond(
    limits: Limits, where: str, texture_kept: float, modelling_kept: float, colour_shift: float
) -> tuple[str, ...]:
    """What has gone beyond its limit in a part, in words; () if nothing has."""
    said = []
    if texture_kept < limits.texture_kept:
        said.append(f"texture on the {where} {texture_kept:.0%} of the start: {PLASTIC}")
    if modelling_kept < limits.modelling_kept:
        said.append(f"modelling of the {where} {modelling_kept:.0%} of the start: {FLAT}")
    if colour_shift > limits.colour_shift:
        said.append(f"colour of the {where} moved by {colour_shift:.1f} CIEDE2000: {SHIFTED}")
    return tuple(said)
