"""The palm finder's scale: choked to ringing along the bridge hand's way, with the mirror strip's own shapes."""

from dataclasses import dataclass

WIDE = 1000.0


@dataclass(frozen=True, slots=True)
class Zone:
    """A named stretch of the scale; `at` is the middle of its words."""

    name: str
    what: str
    at: float


@dataclass(frozen=True, slots=True)
class PalmScale:
    """Places of the three zones in the drawing's own units. `flip`: mirrored for left-handed players."""

    wide: float
    pocket_from: float
    pocket_wide: float
    pocket_to: float
    flip: bool
    zones: list[Zone]


def palm_scale(lightest: float, tightest: float, *, left_handed: bool) -> PalmScale:
    """`lightest` and `tightest`: the scale's values (0 ringing, 1 choked) between which the palm lies in the pocket."""
    begin, end = (1 - tightest) * WIDE, (1 - lightest) * WIDE
    middles = (
        ("too far forward", "choked", begin / 2),
        ("in the pocket", "short, with its pitch", (begin + end) / 2),
        ("too far back", "ringing", (end + WIDE) / 2),
    )
    zones = [Zone(name, what, round(WIDE - at if left_handed else at, 1)) for name, what, at in middles]
    return PalmScale(WIDE, round(begin, 1), round(end - begin, 1), round(end, 1), left_handed, zones)
