"""Drills: a riff made into a smaller one that trains a single thing. Each is an ordinary riff whose
hits keep the identity of the hit they came from, so that what is played in a drill counts for the
riff. One table holds them all.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace
from decimal import Decimal
from enum import StrEnum

from thrumble.core.errors import BadInput
from thrumble.core.music.feel import Feel
from thrumble.core.riff.checking import check_riff
from thrumble.core.riff.drills import bars as drill_bars
from thrumble.core.riff.drills.bars import WIDE_FRETS, Build
from thrumble.core.riff.drills.pieces import (
    Piece,
    bursts,
    chords_of,
    has_changes,
    hits_of,
    is_fretted_whole,
    is_ornate,
    is_slid,
    moves_of,
    pieces_of,
    spread_of,
)
from thrumble.core.riff.editing.excerpt import cut
from thrumble.core.riff.editing.runs import whole_ramps
from thrumble.core.riff.model import TEMPO_RANGE_BPM, Articulation, Bar, Riff, Section


class DrillKind(StrEnum):
    """The kinds of drill, each of which trains one thing of a riff."""

    LOOP = "loop"
    TRANSITION = "transition"
    RIGHT_HAND = "right-hand"
    MUTE_SWITCH = "mute-switch"
    HALF_CHANGES = "half-changes"
    TWO_STRINGS = "two-strings"
    PLAIN = "plain"
    SHIFTS = "shifts"
    BURST_RHYTHM = "burst-rhythm"
    STOPS = "stops"
    GRAB_RELEASE = "grab-release"
    SLIDES = "slides"
    ACCENTS = "accents"
    REACH_LADDER = "reach-ladder"
    INNER_PULSE = "inner-pulse"


@dataclass(frozen=True, slots=True, kw_only=True)
class Drill:
    """A row of the table. `helps`: whom; `minutes`: how long at a time; `done`: when the player
    is; `applies`: whether these bars hold what it trains; `build`: its bars; `share`: of the riff's
    tempo that it starts at.
    """

    kind: DrillKind
    name: str
    trains: str
    helps: str
    minutes: int
    done: str
    applies: Callable[[list[Piece]], bool]
    build: Build
    share: Decimal = Decimal(1)


def drills_of(riff: Riff) -> list[Drill]:
    """The drills that this riff has something for."""
    pieces = pieces_of(riff)
    return [drill for drill in DRILLS if drill.applies(pieces)]


def make_drill(
    riff: Riff,
    kind: DrillKind,
    *,
    bars: tuple[int, int] | None = None,
    tempo_bpm: Decimal | None = None,
) -> Riff:
    """A drill of a riff, or of some of its bars along the play order. Raises BadInput for bars that
    are not there or hold nothing of what it trains, BadTempo for a tempo that no riff has.
    """
    drill = TABLE[kind]
    pieces = pieces_of(riff, bars)
    if not any(piece.hits for piece in pieces) or not drill.applies(pieces):
        where = "this riff" if bars is None else f"bars {bars[0]} to {bars[1]}"
        raise BadInput(f"{where} has nothing for the drill {drill.name!r}: {drill.trains}")
    low, high = TEMPO_RANGE_BPM
    tempo = tempo_bpm or min(high, max(low, (riff.tempo_bpm * drill.share).quantize(Decimal(1))))
    made = drill.build(pieces)
    title = f"{riff.title}: {drill.name}"
    if bars is not None:
        title += f", bar {bars[0]}" if bars[0] == bars[1] else f", bars {bars[0]}-{bars[1]}"
    return check_riff(
        replace(
            riff,
            title=title[:120],
            tempo_bpm=tempo,
            sections=_sections(made, pieces, kind, riff.feel),
            play=(),
            pickup=None,
        )
    )


def _sections(
    made: list[Bar], pieces: list[Piece], kind: DrillKind, usual: Feel
) -> tuple[Section, ...]:
    """The bars as sections, one for each run of the same feel. Drills that are not in the riff's
    own bars take the first one's feel.
    """
    feels = [piece.feel for piece in pieces]
    if len(made) != len(feels):
        feels = [feels[0]] * len(made)
    runs: list[tuple[Feel, list[Bar]]] = []
    for bar, feel in zip(made, feels, strict=True):
        if not runs or runs[-1][0] != feel:
            runs.append((feel, []))
        runs[-1][1].append(bar)
    return tuple(
        Section(
            name=kind.value if k == 0 else f"{kind.value} {k + 1}",
            bars=whole_ramps(cut(run)),
            feel=None if feel == usual else feel,
        )
        for k, (feel, run) in enumerate(runs)
    )


SLOWER = Decimal("0.75")
DRILLS = (
    Drill(
        kind=DrillKind.LOOP,
        name="loop",
        trains="a bar or a few in a loop, until they're solid",
        helps="one bar that goes wrong far more often than the others",
        minutes=3,
        done="five clean passes in a row",
        applies=lambda pieces: bool(hits_of(pieces)),
        build=drill_bars.as_written,
    ),
    Drill(
        kind=DrillKind.TRANSITION,
        name="the change",
        trains="the way from one section, or bar, into the next",
        helps="a hesitation where one part meets the next",
        minutes=3,
        done="five changes in a row without one",
        applies=lambda pieces: len(pieces) > 1,
        build=drill_bars.transition_bars,
    ),
    Drill(
        kind=DrillKind.RIGHT_HAND,
        name="right hand alone",
        trains="the picking hand, all strings damped by the other",
        helps="uneven strokes, extra strokes, a shuffle that won't swing",
        minutes=2,
        done="four passes in a row sound equally strong",
        applies=lambda pieces: bool(hits_of(pieces)),
        build=drill_bars.right_hand,
    ),
    Drill(
        kind=DrillKind.MUTE_SWITCH,
        name="mute on and off",
        trains="the palm coming down and lifting in time, on one chord",
        helps="palm mutes that ring, open hits that choke",
        minutes=3,
        done="you hear every switch in four passes in a row",
        applies=lambda pieces: (
            bool(chords_of(pieces))
            and any(hit.articulation is Articulation.PALM for hit in hits_of(pieces))
        ),
        build=drill_bars.mute_switch,
    ),
    Drill(
        kind=DrillKind.HALF_CHANGES,
        name="half the changes",
        trains="changes that keep up: you stay twice as long on each chord",
        helps="chord changes that come late",
        minutes=3,
        done="four of five passes are clean at the riff's own tempo",
        applies=has_changes,
        build=drill_bars.half_changes,
    ),
    Drill(
        kind=DrillKind.TWO_STRINGS,
        name="two strings",
        trains="fast shifts: the same riff on two strings instead of three",
        helps="three-string shapes that arrive late",
        minutes=3,
        done="four of five passes are clean, then add the third string",
        applies=lambda pieces: any(len(hit.notes) > 2 for hit in hits_of(pieces)),
        build=drill_bars.two_strings,
    ),
    Drill(
        kind=DrillKind.PLAIN,
        name="plain",
        trains="the riff without stretches, slides and other ornaments",
        helps="hits that go missing around stretches and slides",
        minutes=3,
        done="four of five passes are clean, then put the ornaments back",
        applies=lambda pieces: any(
            is_ornate(hit) or spread_of(hit) >= WIDE_FRETS for hit in hits_of(pieces)
        ),
        build=drill_bars.plain_bars,
    ),
    Drill(
        kind=DrillKind.SHIFTS,
        name="shifts alone",
        trains="moves: hit, move, settle, hit, rest, the quickest first",
        helps="hits that land late or on a wrong fret after a shift",
        minutes=3,
        done="every move lands in time at the riff's own tempo",
        applies=lambda pieces: bool(moves_of(pieces)),
        build=drill_bars.shifts_alone,
        share=SLOWER,
    ),
    Drill(
        kind=DrillKind.BURST_RHYTHM,
        name="the burst alone",
        trains="gallops and sixteenths on one string, for the wrist",
        helps="gallops and fast bursts that smear or tire you",
        minutes=2,
        done="four clean passes; stop at once if your forearm burns",
        applies=lambda pieces: any(map(bursts, pieces)),
        build=drill_bars.burst_rhythm,
    ),
    Drill(
        kind=DrillKind.STOPS,
        name="stops alone",
        trains="hands that come down right on the beat",
        helps="stops that ring on",
        minutes=2,
        done="four passes in a row are silent right on the beat",
        applies=lambda pieces: any(hit.stop for hit in hits_of(pieces)),
        build=drill_bars.only(lambda hit: hit.stop),
    ),
    Drill(
        kind=DrillKind.GRAB_RELEASE,
        name="grab and release",
        trains="the fretting hand's grip: on the beat, off the beat",
        helps="dead notes and stray strings that ring",
        minutes=2,
        done="every release is silent; stop if your hand tires",
        applies=lambda pieces: any(map(is_fretted_whole, chords_of(pieces))),
        build=drill_bars.grab_release,
        share=SLOWER,
    ),
    Drill(
        kind=DrillKind.SLIDES,
        name="slides alone",
        trains="slides that arrive on time",
        helps="slides that arrive early or late",
        minutes=2,
        done="four passes in a row arrive on the beat",
        applies=lambda pieces: any(map(is_slid, hits_of(pieces))),
        build=drill_bars.only(is_slid),
    ),
    Drill(
        kind=DrillKind.ACCENTS,
        name="accents",
        trains="accents that stand out from the muted hits between them",
        helps="accents that don't stand out",
        minutes=2,
        done="you hear every accent in four passes in a row",
        applies=lambda pieces: len({hit.accent for hit in hits_of(pieces)}) == 2,
        build=drill_bars.accents,
    ),
    Drill(
        kind=DrillKind.REACH_LADDER,
        name="reach ladder",
        trains="a stretch, from high frets down where they are wide",
        helps="a stretch that's still too wide",
        minutes=3,
        done="you reach the riff's own fret without strain; stop at the first ache",
        applies=lambda pieces: any(spread_of(hit) >= WIDE_FRETS for hit in chords_of(pieces)),
        build=drill_bars.reach_ladder_bars,
        share=SLOWER,
    ),
    Drill(
        kind=DrillKind.INNER_PULSE,
        name="inner pulse",
        trains="keep time through silence: play two bars, count two",
        helps="a tempo that drifts",
        minutes=4,
        done="you come back in on the beat four times in a row",
        applies=lambda pieces: len(pieces) >= 4,
        build=drill_bars.inner_pulse,
    ),
)
TABLE = {drill.kind: drill for drill in DRILLS}
