"""Every hit of a take with all that can be measured of it, each from its own sound; and the onsets
that belong to no due hit.
"""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from thrumble.core.ear.align.onsets import Candidates
from thrumble.core.ear.front.conditioning import Conditioned
from thrumble.core.ear.front.envelope import Envelope
from thrumble.core.ear.front.spectrum import Bands
from thrumble.core.ear.measure.articulation import (
    KINDS,
    NO_PROFILE,
    Profile,
    classify_hits,
    measure_hits,
    mute_depths,
)
from thrumble.core.ear.measure.chords import UNTOLD, ChordCheck, Ringing, check_chords
from thrumble.core.ear.measure.novelty import novelty
from thrumble.core.ear.measure.placing import place_hits
from thrumble.core.ear.measure.ringing import Ring, hit_levels_db, measure_rings, rest_levels_db
from thrumble.core.ear.measure.strumming import strum_times
from thrumble.core.ear.model.ear import Ear
from thrumble.core.ear.model.network import Array
from thrumble.core.ear.reading import ExtraOnset, HeardKind, HitReading, HitState, RingEnd
from thrumble.core.riff.expand import DueHit
from thrumble.core.riff.model import Articulation, Riff
from thrumble.core.riff.silence import silent_strings

DIED_BEFORE_S = 0.06  # a ring that ends this long before its written end was no stop
MIN_STEP_S = 0.010  # two hits are never placed closer than this
# semitones over a written note at which every partial of a string is one of the note's own: the
# note itself, its octave, twelfth and so on;
# whether such a string rings along cannot be heard, and the written sixth of a shuffle often has
# the very pitch of an open string
COVERED = frozenset({0, 12, 19, 24, 28, 31, 36})


@dataclass(frozen=True, slots=True)
class TakeSound:
    """A take's sound in the views that the measures share. `levels`: whether it is clean enough to
    give levels.
    """

    heard: Conditioned
    bands: Bands
    envelope: Envelope
    levels: bool


@dataclass(frozen=True, slots=True)
class Matched:
    """The due hits with their rounds, where each is expected in the file, its state, the candidate
    it took (-1 for none), and the candidates
    that were struck beside the riff. `stretch`: seconds heard per second written."""

    due: list[tuple[DueHit, int]]
    expected_s: Array
    states: list[HitState]
    chosen: NDArray[np.intp]
    extra: NDArray[np.intp]
    stretch: float


@dataclass(frozen=True, slots=True)
class _Struck:
    """All onsets of the take in order: what each is, and its measures. `due`: which due hit, -1 for
    none.
    """

    due: NDArray[np.intp]
    onsets_s: Array
    nexts_s: Array
    probabilities: Array
    depths: Array
    rings: list[Ring]
    loud_db: Array
    strums_ms: Array
    strange: float


def read_hits(
    sound: TakeSound,
    candidates: Candidates,
    matched: Matched,
    riff: Riff,
    ear: Ear,
    profile: Profile = NO_PROFILE,
) -> tuple[list[HitReading], list[ExtraOnset], float]:
    """The readings of all due hits, in their order, the extra onsets, and how strange the sound is
    to the ear.
    """
    struck = _measure(sound, candidates, matched, ear, profile)
    row_of_hit = {int(k): row for row, k in enumerate(struck.due) if k >= 0}
    middle = float(np.median(struck.loud_db[list(row_of_hit.values())])) if row_of_hit else 0.0
    chords = _chords(sound, matched, struck, row_of_hit, riff, ear)
    hits = []
    for k, (hit, number) in enumerate(matched.due):
        bare = _bare(hit, number, float(matched.expected_s[k]), matched.states[k])
        hits.append(
            _full(
                bare,
                hit,
                struck,
                row_of_hit[k],
                sound,
                middle,
                matched.stretch,
                chords.get(k, UNTOLD),
                ear.decisions.unsure_below,
            )
            if k in row_of_hit
            else bare
        )
    extras = [
        ExtraOnset(
            onset_s=round(float(struck.onsets_s[row]), 5),
            level_db=round(float(struck.loud_db[row]), 1),
            near_index=matched.due[
                int(np.argmin(np.abs(matched.expected_s - struck.onsets_s[row])))
            ][0].index,
        )
        for row in np.flatnonzero(struck.due < 0)
    ]
    return hits, extras, struck.strange


def _measure(
    sound: TakeSound, candidates: Candidates, matched: Matched, ear: Ear, profile: Profile
) -> _Struck:
    matched_rows = np.flatnonzero(matched.chosen >= 0)
    used = np.concatenate([matched.chosen[matched_rows], matched.extra])
    which = np.concatenate([matched_rows, np.full(matched.extra.size, -1)])
    order = np.argsort(candidates.times_s[used], kind="stable")
    which, about = which[order], candidates.times_s[used][order]
    onsets = _in_order(about, place_hits(sound.heard.samples, about, ear))
    nexts = np.append(onsets[1:], np.inf)
    ends = np.minimum(nexts, sound.heard.duration_s)
    planned = np.array(
        [KINDS.index(matched.due[k][0].hit.articulation) if k >= 0 else -1 for k in which],
        dtype=np.intp,
    )
    written = np.array([_written_depth(matched.due[k][0]) if k >= 0 else np.nan for k in which])
    measures = measure_hits(sound.heard.samples, sound.bands, onsets, ends)
    take_novelty = novelty(measures, ear)
    return _Struck(
        due=which,
        onsets_s=onsets,
        nexts_s=nexts,
        probabilities=classify_hits(measures, planned, ear, profile, take_novelty),
        depths=mute_depths(measures, ear, written, profile),
        rings=measure_rings(sound.bands, onsets, nexts, take_end_s=sound.heard.duration_s),
        loud_db=hit_levels_db(
            sound.heard.samples, onsets, np.minimum(nexts - onsets, 1.0), sound.heard.gain_db
        ),
        strums_ms=strum_times(sound.envelope, onsets, ear),
        strange=take_novelty,
    )


def _written_depth(due: DueHit) -> float:
    return (
        float(due.hit.depth if due.hit.depth is not None else 0.6)
        if due.hit.articulation is Articulation.PALM
        else np.nan
    )


def _in_order(about_s: Array, placed_s: Array) -> Array:
    """The refined onset times, kept in order: one that would pass its neighbour stays at the
    candidate's time.
    """
    out = np.array(placed_s)
    for k in range(1, out.size):
        if out[k] < out[k - 1] + MIN_STEP_S:
            out[k] = max(about_s[k], out[k - 1] + MIN_STEP_S / 2)
    return out


def bare_hits(due: list[tuple[DueHit, int]], expected_s: Array) -> list[HitReading]:
    """The due hits of a take in which nothing was heard. `expected_s`: shape (due hits,), file
    times.
    """
    return [
        _bare(hit, n, float(at), HitState.NOT_REACHED)
        for (hit, n), at in zip(due, expected_s, strict=True)
    ]


def _bare(hit: DueHit, number: int, expected_s: float, state: HitState) -> HitReading:
    return HitReading(
        index=hit.index,
        round=number,
        section=hit.identity.section,
        bar=hit.bar,
        at=str(hit.hit.at),
        expected_s=round(expected_s, 5),
        state=state,
        expected_articulation=hit.hit.articulation,
    )


def _full(
    bare: HitReading,
    due: DueHit,
    struck: _Struck,
    row: int,
    sound: TakeSound,
    middle_db: float,
    stretch: float,
    chord: ChordCheck,
    unsure_below: float,
) -> HitReading:
    """The hit with its measures. The stop's lateness counts from the written end; one that rang
    into the next hit is at least that late.
    """
    probabilities, ring, onset_s = (
        struck.probabilities[row],
        struck.rings[row],
        float(struck.onsets_s[row]),
    )
    best = KINDS[int(np.argmax(probabilities))]
    verdict = HeardKind(best.value) if probabilities.max() >= unsure_below else HeardKind.UNSURE
    late = (
        _stop_late_s(due, ring, onset_s - bare.expected_s, stretch)
        if best is not Articulation.DEAD
        else None
    )
    level_db = float(struck.loud_db[row]) if sound.levels else None
    rest_db = _rest_db(bare, due, struck, row, sound, stretch) if due.hit.stop else None
    strummed = len(due.hit.notes) > 1 and not np.isnan(struck.strums_ms[row])
    return replace(
        bare,
        onset_s=round(onset_s, 5),
        deviation_ms=round((onset_s - bare.expected_s) * 1000, 2),
        heard_articulation=verdict,
        probabilities={
            kind.value: round(float(p), 3) for kind, p in zip(KINDS, probabilities, strict=True)
        },
        mute_depth=None if best is Articulation.DEAD else round(float(struck.depths[row]), 2),
        level_db=None if level_db is None else round(level_db, 1),
        relative_level_db=None if level_db is None else round(level_db - middle_db, 1),
        ring_s=None if ring.ring_s is None else round(float(ring.ring_s), 4),
        ring_end=RingEnd(ring.end) if ring.end else None,
        stop_late_ms=None if late is None else round(float(late) * 1000, 1),
        rest_db=None if rest_db is None else round(float(rest_db), 1),
        strum_ms=round(float(struck.strums_ms[row]), 1) if strummed else None,
        chord_ok=chord.chord_ok,
        chord_probability=_rounded(chord.chord_probability),
        stray_strings=None if chord.stray_strings is None else list(chord.stray_strings),
        stray_probability=_rounded(chord.stray_probability),
    )


def _rounded(probability: float | None) -> float | None:
    return None if probability is None else round(probability, 4)


def _stop_late_s(due: DueHit, ring: Ring, late_s: float, stretch: float) -> float | None:
    """How long after its written end a stopped hit was silent; None if no stop is asked, or the
    string had died long before it.
    """
    ended_s = None
    if ring.end == RingEnd.STOP:
        ended_s = ring.stopped_s
    elif ring.end in (RingEnd.NEXT, RingEnd.END):
        ended_s = ring.ring_s
    if not due.hit.stop or ended_s is None:
        return None
    late = late_s + ended_s - (due.end_s - due.due_s) * stretch
    return late if late > -DIED_BEFORE_S else None


def _rest_db(
    bare: HitReading, due: DueHit, struck: _Struck, row: int, sound: TakeSound, stretch: float
) -> float | None:
    """How far the written silence after a stop lies under its hit; negative is quieter."""
    begin_s = bare.expected_s + (due.end_s - due.due_s) * stretch
    return rest_levels_db(
        sound.envelope,
        float(struck.onsets_s[row]),
        begin_s,
        min(float(struck.nexts_s[row]), sound.heard.duration_s),
    )


def _chords(
    sound: TakeSound,
    matched: Matched,
    struck: _Struck,
    row_of_hit: dict[int, int],
    riff: Riff,
    ear: Ear,
) -> dict[int, ChordCheck]:
    """The checks of the due hits that were surely open, by their place among the due hits."""
    chosen = [
        k
        for k, row in row_of_hit.items()
        if struck.probabilities[row].max() >= ear.decisions.unsure_below
        and KINDS[int(np.argmax(struck.probabilities[row]))] is Articulation.OPEN
    ]
    silent = silent_strings((due.hit for due, _ in matched.due), len(riff.tuning))
    ringing = []
    for k in chosen:
        notes, ring = matched.due[k][0].hit.notes, struck.rings[row_of_hit[k]]
        onset_s = float(struck.onsets_s[row_of_hit[k]])
        end_s = min(
            float(struck.nexts_s[row_of_hit[k]]),
            sound.heard.duration_s,
            onset_s + (ring.stopped_s or ring.ring_s or 10.0),
        )
        written = tuple(m for note in notes if (m := riff.instrument.midi(note)) is not None)
        opens = {number: riff.instrument.open_midi(number) for number in silent[k]}
        audible = {
            number: midi
            for number, midi in opens.items()
            if not any(midi - m in COVERED for m in written)
        }
        ringing.append(Ringing(onset_s, end_s, written, audible))
    return dict(zip(chosen, check_chords(sound.heard.samples, ringing, ear), strict=True))
