"""From what the player does to sound: every hit's strings one after the other, and the truth about
what can be heard of it.
"""

from dataclasses import dataclass, replace

import numpy as np

from thrumble.core.instrument import Note
from thrumble.core.player.guitars import Guitar, StringHit
from thrumble.core.riff.expand import DueHit
from thrumble.core.riff.model import Articulation, Hit, Riff, Stroke
from thrumble.core.signal import Samples, rms_db

ARPEGGIO = 0.9  # of the hit's length: the last string has as long to sound as the others
FINGER_GAIN = 0.8
PLAIN_STRINGS = 3  # the thinnest have no winding
LONGEST_SLIDE_S, LONGEST_BEND_S = 0.25, 0.5
LATEST_LIFT_S = 0.05  # a palm that lifts later finds nothing left to ring
STRAY_GAIN = 0.3  # a string that rings along was brushed, not struck


@dataclass(frozen=True, slots=True, kw_only=True)
class PlayedHit:
    """The truth about one hit; `index` None if it is not in the riff. Times in seconds from the
    file's start.
    """

    index: int | None
    expected_s: float
    slot_ms: float
    planned: Articulation | None
    played: bool
    onset_s: float | None = None
    articulation: Articulation | None = None
    ring_s: float | None = None
    ring_end: str | None = None
    level_db: float | None = None
    stray_strings: tuple[int, ...] = ()
    fret_error: int = 0  # how many frets the whole hand was off
    depth: float | None = None
    strum_ms: float | None = None
    stop_late_ms: float | None = None
    not_reached: bool = False
    round: int = 1


@dataclass(slots=True)
class Plan:
    """One hit as the player is about to play it."""

    due: DueHit | None
    round: int
    expected_s: float
    slot_s: float
    time_s: float
    articulation: Articulation
    depth: float
    gain_db: float
    end_s: float  # when the hand stops it
    ring_end: str
    stop_late_ms: float | None
    strays: tuple[int, ...]
    drones_end_s: float | None = None  # when strings that ring on are damped or struck anew
    fret_error: int = 0
    played: bool = True
    not_reached: bool = False


def render(
    riff: Riff,
    plans: list[Plan],
    guitar: Guitar,
    length_s: float,
    rate_hz: int,
    rng: np.random.Generator,
) -> tuple[Samples, tuple[PlayedHit, ...]]:
    """All strings together before the amplifier, and the truth of every planned hit, in the plans'
    order. Sound of shape (frames,), at least one.
    """
    total = np.zeros(int(length_s * rate_hz), dtype=np.float32)
    truths: list[PlayedHit] = []
    for plan in plans:
        expected = PlayedHit(
            index=plan.due.index if plan.due else None,
            expected_s=plan.expected_s,
            slot_ms=plan.slot_s * 1000,
            planned=plan.due.hit.articulation if plan.due else None,
            played=plan.played,
            not_reached=plan.not_reached,
            round=plan.round,
        )
        if not plan.played:
            truths.append(expected)
            continue
        sound, onset, strum_ms = _strike(riff, plan, guitar, total.size / rate_hz, rate_hz, rng)
        at = round(plan.time_s * rate_hz)
        room = sound[: max(0, total.size - at)]
        total[at : at + room.size] += room
        onset_s = at / rate_hz + onset
        begin = round(onset * rate_hz)
        ring_s, ring_end = _ring(sound[begin:], plan.end_s - onset_s, plan.ring_end, rate_hz)
        truths.append(
            replace(
                expected,
                onset_s=onset_s,
                articulation=plan.articulation,
                ring_s=ring_s,
                ring_end=ring_end,
                level_db=rms_db(sound[begin : begin + int(0.06 * rate_hz)]),
                stray_strings=plan.strays,
                fret_error=plan.fret_error,
                depth=plan.depth if plan.articulation is Articulation.PALM else None,
                strum_ms=strum_ms,
                stop_late_ms=plan.stop_late_ms
                if ring_end == "stop"
                else None,  # a hand on a string that has died is not heard
            )
        )
    levels = [hit.level_db for hit in truths if hit.level_db is not None]
    middle = float(np.median(levels)) if levels else 0.0
    return total, tuple(
        hit if hit.level_db is None else replace(hit, level_db=round(hit.level_db - middle, 1))
        for hit in truths
    )


def _strike(
    riff: Riff, plan: Plan, guitar: Guitar, until_s: float, rate_hz: int, rng: np.random.Generator
) -> tuple[Samples, float, float]:
    """The sound of one hit, its onset from the first sample, and the time between its first and
    last string in ms.
    """
    hit = plan.due.hit if plan.due else None
    strings = _pitches(riff, plan, rng)
    if hit is not None and hit.stroke is Stroke.UP:
        strings = strings[::-1]
    strum_s = 0.0 if len(strings) == 1 else float(rng.uniform(0.001, 0.012))
    if hit is not None and hit.arpeggio:
        strum_s = ARPEGGIO * (plan.end_s - plan.time_s) * (len(strings) - 1) / len(strings)
    drones_s = (plan.drones_end_s or plan.end_s) - plan.time_s
    length_s = min(
        max(plan.end_s - plan.time_s, drones_s, 0.05) + 0.25,
        12.0,
        max(0.05, until_s - plan.time_s),
    )
    frames = int((length_s + strum_s) * rate_hz) + 1
    sound = np.zeros(frames, dtype=np.float32)
    onset = 0.0
    struck = [
        (midi, strum_s * k / max(1, len(strings) - 1), plan.articulation, 1.0, note)
        for k, (midi, note) in enumerate(strings)
    ]
    struck += [
        (float(riff.instrument.open_midi(number)), strum_s, Articulation.OPEN, STRAY_GAIN, None)
        for number in plan.strays
    ]
    held_s = plan.end_s - plan.time_s
    lift_s = min(held_s / 2, LATEST_LIFT_S) if hit is not None and hit.opens else None
    for k, (midi, delay_s, articulation, share, note) in enumerate(struck):
        rings = note is not None and note.let_ring
        if hit is not None and note is not None and note.plucked:
            share *= FINGER_GAIN
        string_hit = StringHit(
            midi=midi,
            articulation=articulation,
            depth=plan.depth,
            gain_db=plan.gain_db,
            release_s=max(0.005, (drones_s if rings else held_s) - delay_s),
            length_s=length_s,
            leading=k == 0,
            legato=hit is not None and (hit.legato is not None or bool(note and note.plucked)),
            lift_s=lift_s if articulation is Articulation.PALM else None,
            slide=_slide(hit, held_s),
            bend=_bend(hit, note, held_s),
            wound=note is None or note.string > PLAIN_STRINGS,
        )
        string = guitar.string(string_hit, rate_hz, rng)
        if k == 0:
            onset = _onset(string, rate_hz)
        delay = round(delay_s * rate_hz)
        part = string[: frames - delay]
        sound[delay : delay + part.size] += part if share == 1.0 else part * np.float32(share)
    return sound, onset, strum_s * 1000


def _slide(hit: Hit | None, held_s: float) -> tuple[float, float] | None:
    """A slide arrives within a quarter of the hit."""
    if hit is None or hit.slide_from is None or hit.articulation is Articulation.DEAD:
        return None
    return float(hit.slide_from), min(held_s / 4, LONGEST_SLIDE_S)


def _bend(hit: Hit | None, note: Note | None, held_s: float) -> tuple[float, float] | None:
    """Pressed strings are bent, half the hit long; open ones stay."""
    if hit is None or hit.bend is None or note is None or not note.fret:
        return None
    return float(hit.bend), min(held_s / 2, LONGEST_BEND_S)


def _pitches(riff: Riff, plan: Plan, rng: np.random.Generator) -> list[tuple[float, Note | None]]:
    """What sounds, low string first, as MIDI numbers with the notes written; a dead string is
    touched anywhere and gives no pitch of its own.
    """
    notes = plan.due.hit.notes if plan.due else ()
    if plan.articulation is Articulation.DEAD:
        strings = [n.string for n in notes] or [len(riff.tuning)]
        return [(riff.instrument.open_midi(s) + float(rng.uniform(2, 19)), None) for s in strings]
    events: list[tuple[float, Note | None]] = [
        (float(m), n) for n in notes if (m := riff.instrument.midi(n)) is not None
    ]
    lowest = float(riff.instrument.open_midi(notes[0].string if notes else len(riff.tuning)))
    return [(midi + plan.fret_error, note) for midi, note in events or [(lowest, None)]]


def _onset(string: Samples, rate_hz: int) -> float:
    """Where the string, alone, first reaches a tenth of its peak of the first 200 ms; seconds."""
    size = np.abs(string[: int(0.2 * rate_hz)])
    return float(np.argmax(size >= 0.1 * size.max()) / rate_hz)


def _ring(sound: Samples, damped_s: float, ring_end: str, rate_hz: int) -> tuple[float, str]:
    """How long a hit rang: until damped or 30 dB under its peak, whichever came first."""
    n = max(1, int(0.01 * rate_hz))
    count = sound.size // n
    levels = (
        np.sqrt(np.mean(np.square(sound[: count * n].reshape(count, n), dtype=np.float64), axis=1))
        if count
        else np.zeros(1)
    )
    loud = np.nonzero(levels > levels.max() * 10 ** (-30 / 20))[0]
    decay_s = float((loud[-1] + 1) * n / rate_hz) if loud.size else 0.0
    if decay_s < damped_s:
        return round(decay_s, 4), "decay"
    return round(max(0.0, damped_s), 4), ring_end
