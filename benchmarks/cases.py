"""Takes with their truth, and what the ear made of every due hit in them: the raw material of every
table.
"""

import json
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import mir_eval
import numpy as np

from benchmarks.corpus import PLAIN, Surroundings, draw_take
from benchmarks.sampled import LEARNT
from thrumble.core.ear.model.ear import Ear
from thrumble.core.ear.reading import HitReading, HitState, Reading
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.music.pitch import frequency_hz
from thrumble.core.player.sound import Amplifier, Tone, amplify
from thrumble.core.riff.expand import ExpandedRiff, expand
from thrumble.core.riff.model import Hit, Riff
from thrumble.formats.audio import read_audio
from thrumble.formats.riff_json import read_riff_json
from thrumble.formats.truth_json import truth_document
from thrumble.trained import EAR

FOUND_S = 0.05
SAME = 0.01  # share by which two partials may differ and be one
KINDS = ("open", "palm", "dead")


@dataclass(frozen=True, slots=True)
class Take:
    """A take and all that is true of it. `source`: what sounded."""

    name: str
    source: str
    truth: dict[str, Any]
    expanded: ExpandedRiff
    samples: np.ndarray
    rate_hz: int

    @property
    def tone(self) -> str:
        return str(self.truth["condition"]["sound"])


@dataclass(frozen=True, slots=True, kw_only=True)
class Case:
    """One due hit: its truth and what was heard. `error_ms` after the take's own median error; None
    where the onset was not found.
    """

    take: str
    tone: str
    source: str
    slot_ms: float
    strings: int
    planned: str
    played: bool
    real: str | None
    heard: str | None
    chance: float | None = None  # of the kind named
    chances: tuple[float, ...] = ()
    error_ms: float | None = None
    stop: bool = False
    ring_end: str | None = None
    late_ms: float | None = None  # of a written stop, true
    said_late_ms: float | None = None
    depth: float | None = None
    said_depth: float | None = None
    strum_ms: float | None = None
    said_strum_ms: float | None = None
    level_db: float | None = None
    said_level_db: float | None = None
    fret_error: int = 0
    strays: tuple[int, ...] = ()
    stray_apart: bool = False  # one of them has a partial that no written note has
    chord_ok: bool | None = None
    said_strays: tuple[int, ...] | None = None

    @property
    def muted_right(self) -> bool:
        return self.heard in KINDS and (self.heard == "open") == (self.real == "open")


@dataclass(slots=True)
class Score:
    """All that was measured. `f25`, `f10`, `starts_ms`, `extras` (true, said, right): one a take;
    `tones` and `sources` beside them.
    """

    cases: list[Case] = field(default_factory=list)
    f25: list[float] = field(default_factory=list)
    f10: list[float] = field(default_factory=list)
    starts_ms: list[float] = field(default_factory=list)
    tempo_off: list[float] = field(default_factory=list)
    cautioned: list[bool] = field(default_factory=list)
    extras: list[tuple[int, int, int]] = field(default_factory=list)
    tones: list[str] = field(default_factory=list)
    sources: list[str] = field(default_factory=list)


def measure(take: Take, reading: Reading, score: Score) -> None:
    """Adds one take to the score."""
    truth = take.truth
    played = np.sort([h["onset_s"] for h in truth["hits"] if h["played"]])
    heard = np.sort(
        [h.onset_s for h in reading.hits if h.onset_s is not None]
        + [e.onset_s for e in reading.extra_onsets]
    )
    pairs = mir_eval.util.match_events(played, heard, FOUND_S) if len(played) and len(heard) else []
    shift = float(np.median([heard[j] - played[i] for i, j in pairs])) if pairs else 0.0
    for window, out in ((0.025, score.f25), (0.010, score.f10)):
        out.append(
            mir_eval.onset.f_measure(played, np.maximum(heard - shift, 0), window=window)[0]
            if len(heard)
            else 0.0
        )
    by_place = {(h.index, h.round): h for h in reading.hits}
    errors = {}
    for hit in truth["hits"]:
        place = (hit["index"], hit.get("round", 1))
        mine = by_place.get(place)
        if mine and hit["played"] and mine.onset_s is not None:
            off = mine.onset_s - hit["onset_s"]
            if abs(off) <= min(FOUND_S, hit["slot_ms"] / 2000):
                errors[place] = off * 1000
    bias = float(np.median(list(errors.values()))) if errors else 0.0
    for hit in truth["hits"]:
        place = (hit["index"], hit.get("round", 1))
        if hit["index"] is not None and not hit.get("not_reached") and place in by_place:
            score.cases.append(
                _case(take, hit, by_place[place], errors[place] - bias if place in errors else None)
            )
    extras = np.sort([h["onset_s"] for h in truth["hits"] if h["index"] is None])
    said = np.sort([e.onset_s for e in reading.extra_onsets])
    right = (
        len(mir_eval.util.match_events(extras, said, FOUND_S)) if len(extras) and len(said) else 0
    )
    score.extras.append((len(extras), len(said), right))
    score.tones.append(take.tone)
    score.sources.append(take.source)
    if reading.start_s is not None:
        lag = float(
            np.median(
                [
                    h["onset_s"] - h["expected_s"]
                    for h in truth["hits"]
                    if h["played"] and h["index"] is not None
                ]
            )
        )
        off = reading.start_s - truth["start_s"]
        score.starts_ms.append(min((off, off - lag), key=abs) * 1000)
        score.tempo_off.append(abs(reading.tempo_bpm / truth["tempo_bpm"] - 1))
        score.cautioned.append(any(c.code == "start_uncertain" for c in reading.cautions))


def _case(take: Take, hit: dict[str, Any], mine: HitReading, error_ms: float | None) -> Case:
    chances = mine.probabilities or {}
    due = take.expanded.hits[hit["index"]].hit
    return Case(
        take=take.name,
        tone=take.tone,
        source=take.source,
        slot_ms=hit["slot_ms"],
        strings=len(due.notes),
        planned=hit["planned"],
        played=hit["played"],
        real=hit["articulation"],
        heard=None if mine.state is not HitState.PLAYED else str(mine.heard_articulation),
        chance=max(chances.values()) if chances else None,
        chances=tuple(chances.get(k, 0.0) for k in KINDS),
        error_ms=error_ms,
        stop=due.stop,
        ring_end=hit.get("ring_end"),
        late_ms=hit.get("stop_late_ms"),
        said_late_ms=mine.stop_late_ms,
        depth=hit.get("depth"),
        said_depth=mine.mute_depth,
        strum_ms=hit.get("strum_ms"),
        said_strum_ms=mine.strum_ms,
        level_db=hit.get("level_db"),
        said_level_db=mine.relative_level_db,
        fret_error=hit.get("fret_error", 0),
        strays=tuple(hit.get("stray_strings", ())),
        stray_apart=strays_apart(take.expanded.riff, due, hit.get("stray_strings", ())),
        chord_ok=mine.chord_ok,
        said_strays=None if mine.stray_strings is None else tuple(mine.stray_strings),
    )


def strays_apart(riff: Riff, hit: Hit, strays: list[int]) -> bool:
    """Whether any of these open strings is no multiple of a written note's frequency."""
    notes = [
        frequency_hz(midi) for note in hit.notes if (midi := riff.instrument.midi(note)) is not None
    ]
    ratios = [
        [frequency_hz(riff.instrument.open_midi(number)) / hz for hz in notes] for number in strays
    ]
    return any(all(abs(ratio / max(1, round(ratio)) - 1) > SAME for ratio in own) for own in ratios)


def heard_by_the_ear(take: Take, *, start_given: bool = True, ear: Ear = EAR) -> Reading:
    """The take read as a user's would be, one round of the riff."""
    return read_take(
        take.samples,
        take.rate_hz,
        take.expanded,
        TakeInfo(start_s=take.truth["start_s"] if start_given else None, rounds=1),
        ear=ear,
    )


def folder_takes(folder: Path) -> Iterator[Take]:
    """Every take of a folder of riffs, sounds and truth files."""
    for path in sorted(folder.glob("*.truth.json")):
        truth = json.loads(path.read_text())
        riff = read_riff_json((folder / truth["riff"]).read_bytes())
        recording = read_audio((folder / truth["audio"]).read_bytes())
        source = str(truth.get("source", "simulated")).split(" ")[0].strip(",")
        yield Take(
            path.name.split(".")[0],
            source,
            truth,
            expand(riff, truth["tempo_bpm"]),
            recording.samples,
            recording.rate_hz,
        )


def simulated_take(
    number: int,
    seed: int,
    *,
    sampled: bool,
    notes: str = LEARNT,
    tone: Tone | None = None,
    around: Surroundings = PLAIN,
    amplifier: Amplifier = amplify,
    **changed: float,
) -> Take:
    """One take of the modelled guitar or of sampled notes; seeds are apart from those the ear was
    trained on. `changed`: flaws set otherwise.
    """
    riff, performance, style = draw_take(
        seed * 10_000_000 + number,
        tone,
        sampled=sampled,
        notes=notes,
        around=around,
        amplifier=amplifier,
        **changed,
    )
    truth = json.loads(
        json.dumps(truth_document(performance, riff="", audio="", condition={"style": style}))
    )
    source = "modelled"
    if sampled:
        source = "sampled" if notes == LEARNT else notes
    return Take(
        f"{source} {number}", source, truth, expand(riff), performance.samples, performance.rate_hz
    )


def scored(takes: Iterator[Take], *, start_given: bool = True, ear: Ear = EAR) -> Score:
    """The score of takes."""
    score = Score()
    for take in takes:
        measure(take, heard_by_the_ear(take, start_given=start_given, ear=ear), score)
    return score


def merged(parts: list[Score]) -> Score:
    """Scores together."""
    whole = Score()
    for part in parts:
        for name in Score.__slots__:
            getattr(whole, name).extend(getattr(part, name))
    return whole
