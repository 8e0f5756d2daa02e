"""Did a drill help? The same hits before and after it, with the interval of what changed."""

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from thrumble.core.coach.verdict.judgement import JudgedHit, Judgement
from thrumble.core.riff.drills.catalogue import DrillKind
from thrumble.core.riff.model import HitIdentity

MIN_HITS = 6
DRAWS = 1000


class Measure(StrEnum):
    """The quantity that is compared before and after a drill; smaller is better."""

    TIMING = "timing"  # ms off the click, either way
    MUTING = "muting"  # share of hits that sound unlike what is written
    STOPS = "stops"  # ms that stops ring on


MEASURES = {
    DrillKind.MUTE_SWITCH: Measure.MUTING,
    DrillKind.STOPS: Measure.STOPS,
    DrillKind.GRAB_RELEASE: Measure.STOPS,
}  # all others train the timing


@dataclass(frozen=True, slots=True, kw_only=True)
class Helped:
    """What changed over a drill: after less before, so that negative is better, with its 95 %
    interval; None if too few hits tell.
    """

    kind: DrillKind
    measure: Measure
    hits: int
    before: float | None = None
    after: float | None = None
    change: float | None = None
    interval: tuple[float, float] | None = None

    @property
    def clear(self) -> bool:
        """Whether the interval leaves no change out."""
        return self.interval is not None and (self.interval[1] < 0 or self.interval[0] > 0)


def did_it_help(
    kind: DrillKind,
    before: Judgement,
    after: Judgement,
    held: frozenset[HitIdentity],
    *,
    seed: int = 0,
) -> Helped:
    """Compares two takes of a riff on the hits that a drill held. Each hit of the riff counts once,
    with the mean over rounds and repeats; the interval comes from drawing the hits again, and
    rounds within each.
    """
    measure = MEASURES.get(kind, Measure.TIMING)
    spots = frozenset((spot.section, spot.bar, spot.at) for spot in held)
    first, second = (_values(judgement, measure, spots) for judgement in (before, after))
    both = sorted(set(first) & set(second))
    if len(both) < MIN_HITS and measure is not Measure.TIMING:
        measure = Measure.TIMING  # a riff with two stops is told by its timing at least
        first, second = (_values(judgement, measure, spots) for judgement in (before, after))
        both = sorted(set(first) & set(second))
    if len(both) < MIN_HITS:
        return Helped(kind=kind, measure=measure, hits=len(both))
    a = np.array([np.mean(first[spot]) for spot in both])
    b = np.array([np.mean(second[spot]) for spot in both])
    rng = np.random.default_rng(seed)
    rows = rng.integers(len(both), size=(DRAWS, len(both)))
    drawn = (b[rows] - a[rows]).mean(axis=1)
    low, high = np.percentile(drawn, (2.5, 97.5))
    return Helped(
        kind=kind,
        measure=measure,
        hits=len(both),
        before=float(a.mean()),
        after=float(b.mean()),
        change=float((b - a).mean()),
        interval=(float(low), float(high)),
    )


Spot = tuple[str, int, object]


def _values(
    judgement: Judgement, measure: Measure, spots: frozenset[Spot]
) -> dict[Spot, list[float]]:
    out: dict[Spot, list[float]] = {}
    for hit in judgement.hits:
        identity = hit.due.identity
        spot = (identity.section, identity.bar, identity.at)
        value = _value(hit, measure) if spot in spots else None
        if value is not None:
            out.setdefault(spot, []).append(value)
    return out


def _value(hit: JudgedHit, measure: Measure) -> float | None:
    if measure is Measure.TIMING:
        return None if hit.late_ms is None else abs(hit.late_ms)
    if measure is Measure.MUTING:
        return None if hit.as_written is None else float(hit.sounds_wrong)
    late = hit.stop_late_ms
    return None if late is None else max(0.0, late)


_UNITS = {Measure.TIMING: "ms", Measure.MUTING: "in 100", Measure.STOPS: "ms"}
_WHAT = {
    Measure.TIMING: "the same hits lie {change} closer to the click",
    Measure.MUTING: "{change} fewer of the same hits sound wrong",
    Measure.STOPS: "the same stops ring on {change} less",
}
_WORSE = {
    Measure.TIMING: "the same hits lie {change} farther off the click",
    Measure.MUTING: "{change} more of the same hits sound wrong",
    Measure.STOPS: "the same stops ring on {change} longer",
}


def helped_words(helped: Helped, name: str) -> str:
    """Whether it helped, in a sentence. `name`: the drill's."""
    drill = name[0].upper() + name[1:]
    if helped.change is None or helped.interval is None:
        return (
            f"Too early to say whether {name!r} helped: only {helped.hits} of its hits were heard."
        )
    scale = 100 if helped.measure is Measure.MUTING else 1
    unit = _UNITS[helped.measure]
    low, high = (end * scale for end in helped.interval)
    if not helped.clear:
        return (
            f"We can't tell yet whether {name!r} helped: between {max(0.0, -low):.0f} {unit} "
            f"better and {max(0.0, high):.0f} {unit} worse on the same hits."
        )
    ends = sorted((abs(low), abs(high)))
    figure = f"{abs(helped.change) * scale:.0f} {unit}"
    sentence = (_WHAT if helped.change < 0 else _WORSE)[helped.measure].format(change=figure)
    verb = "helped" if helped.change < 0 else "didn't help"
    return f"{drill} {verb}: {sentence} ({ends[0]:.0f} to {ends[1]:.0f})."
