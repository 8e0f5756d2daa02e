"""The palm finder's scale: choked to ringing along the palm's way, with the mirror strip's own
shapes. The three zones have fixed widths.
"""

from dataclasses import dataclass

import numpy as np

WIDE = 1000.0
POCKET_FROM, POCKET_TO = 230.0, 720.0


@dataclass(frozen=True, slots=True)
class Zone:
    """A named stretch of the scale; `at` is the middle of its words."""

    name: str
    what: str
    at: float


@dataclass(frozen=True, slots=True)
class PalmScale:
    """Places of the three zones in the drawing's own units. `flip`: mirrored for left-handed
    players.
    """

    wide: float
    pocket_from: float
    pocket_wide: float
    pocket_to: float
    flip: bool
    zones: list[Zone]


def palm_scale(*, left_handed: bool) -> PalmScale:
    """The empty scale."""
    middles = (
        ("too far forward", "choked", POCKET_FROM / 2),
        ("in the pocket", "short, with its pitch", (POCKET_FROM + POCKET_TO) / 2),
        ("too far back", "ringing", (POCKET_TO + WIDE) / 2),
    )
    zones = [Zone(name, what, WIDE - at if left_handed else at) for name, what, at in middles]
    return PalmScale(WIDE, POCKET_FROM, POCKET_TO - POCKET_FROM, POCKET_TO, left_handed, zones)


def place_on_scale(value: float, lightest: float, tightest: float) -> float:
    """Where a hit lies in the drawing: `value` 0 ringing to 1 choked, in the pocket between
    `lightest` and `tightest`.
    """
    return round(
        float(
            np.interp(value, [0.0, lightest, tightest, 1.0], [WIDE, POCKET_TO, POCKET_FROM, 0.0])
        ),
        1,
    )
