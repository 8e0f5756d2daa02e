"""MIDI files to riffs: our own by the text events beside the notes, as long as the notes are still
those; anybody else's by their notes alone, laid on a grid and on strings.
"""

import json
from bisect import bisect_left
from collections import Counter, defaultdict, deque
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction
from io import BytesIO
from typing import Any

from mido import MidiFile, tempo2bpm

from thrumble.core.chords.voicing import lay_pitches
from thrumble.core.counting import counted
from thrumble.core.errors import RiffError
from thrumble.core.instrument import Instrument, Note
from thrumble.core.music.meter import Meter
from thrumble.core.riff.checking import check_riff
from thrumble.core.riff.model import Bar, Hit, Riff, Section
from thrumble.core.riff.sizes import MAX_BARS, MAX_HITS
from thrumble.formats.fitting import instrument_reaching
from thrumble.formats.midi.rhythm import Strike, Struck, feel_of, on_grid, strokes_of
from thrumble.formats.midi.writing import BAR, HEAD, HIT, hit_pitches, whole_notes
from thrumble.formats.riff_json import MAX_BYTES, riff_from_document
from thrumble.formats.sections import merged

DRUMS = 9  # channel, counted from 0
SHORTER = Fraction(4, 5)  # a note that lasts less of its slot ends before the next
SHORTEST = Fraction(1, 64)  # of a note that the file gives no length
LOST: dict[str, tuple[str, ...]] = {
    "drums": ("drum hit on this track", "drum hits on this track"),
    "no length": ("note without a length, written short", "notes without a length, written short"),
    "doubled": ("note doubled at the same pitch", "notes doubled at the same pitch"),
    "too close": (
        "note too close to the one before at the same pitch",
        "notes too close to the ones before at the same pitch",
    ),
    "unreachable": (
        "note that can't be fretted together with the rest",
        "notes that can't be fretted together with the rest",
    ),
}  # what of a track is not in the riff: one, and several


@dataclass(frozen=True, slots=True)
class MidiTrackChoice:
    """A track that could be the guitar's: its number, name and how many notes it has."""

    number: int
    name: str
    notes: int


@dataclass(frozen=True, slots=True)
class MidiRiff:
    """A riff from a MIDI file. `left_out`: what was in the file and is not in the riff, in words;
    `tracks`: those it could have been taken from, the one taken first.
    """

    riff: Riff
    left_out: tuple[str, ...]
    tracks: tuple[MidiTrackChoice, ...]


def read_midi(
    data: bytes,
    *,
    title: str = "",
    track: int | None = None,
    tuning: tuple[str, ...] | None = None,
) -> MidiRiff:
    """The riff of a MIDI file, types 0 and 1. `title`: if the file has none; `track`: which one
    to take, else the one called guitar or the likeliest; `tuning`: of the strings to lay notes on,
    if it reaches them. Raises RiffError saying what is wrong.
    """
    if len(data) > MAX_BYTES:
        raise RiffError(
            f"a MIDI file has at most {MAX_BYTES // 1_000_000} MB",
            found=f"{len(data)} bytes",
            place="file",
        )
    try:
        file = MidiFile(file=BytesIO(data), clip=True, charset="utf-8")
    except Exception as error:  # whatever the library makes of bytes that are no MIDI file
        raise RiffError(
            "this isn't a MIDI file we can read: export it again",
            found=" ".join(str(error).split())[:80],
            place="file",
        ) from None
    if file.type == 2 or file.ticks_per_beat <= 0:
        raise RiffError(
            "this MIDI file uses SMPTE time, which has no bars: export it as type 0 or 1",
            place="file",
        )
    riff = _embedded_riff(file)
    if riff is not None:
        return MidiRiff(riff, (), ())
    return _others(file, title, track, tuning)


# --- our own ---------------------------------------------------------------------------------


def _embedded_riff(file: MidiFile) -> Riff | None:
    """The riff by its text events; None if there are none or the notes are others now."""
    head: dict[str, Any] | None = None
    bars: list[tuple[int, dict[str, Any]]] = []
    hits: list[tuple[int, dict[str, Any]]] = []
    struck: dict[int, set[int]] = defaultdict(set)
    try:
        for track in file.tracks:
            now = 0
            for event in track:
                now += event.time
                text = event.text if event.type == "text" else ""
                if text.startswith(HEAD):
                    head = json.loads(text[len(HEAD) :])
                elif text.startswith(BAR):
                    bars.append((now, json.loads(text[len(BAR) :])))
                elif text.startswith(HIT):
                    hits.append((now, json.loads(text[len(HIT) :])))
                elif event.type == "note_on" and event.velocity:
                    struck[now].add(event.note)
        if head is None or not bars or not hits:
            return None
        riff = riff_from_document(_document(head, bars, hits))
    except (ValueError, RecursionError, RiffError, KeyError, TypeError, AttributeError):
        return None
    return riff if _same_notes(riff, hits, struck) else None


def _document(
    head: dict[str, Any], bars: list[tuple[int, dict[str, Any]]], hits: list[tuple[int, Any]]
) -> dict[str, Any]:
    """The bars put together again as sections in their order of play."""
    runs: list[tuple[str, Any, list[dict[str, Any]]]] = []
    pickup = None
    before: tuple[str, int] | None = None
    ends = [at for at, _ in bars[1:]] + [max(at for at, _ in hits) + 1]
    hits = sorted(hits, key=lambda item: item[0])
    for (begin, meter), end in zip(bars, ends, strict=True):
        first = bisect_left(hits, begin, key=lambda item: item[0])
        last = bisect_left(hits, end, key=lambda item: item[0])
        inside = [hit for _, hit in hits[first:last]]
        if "pickup" in meter:
            pickup = {"length": meter["pickup"], "hits": inside}
            continue
        this = (meter["section"], meter["appearance"])
        if this != before:
            runs.append((meter["section"], meter.get("feel"), []))
        before = this
        runs[-1][2].append({"meter": meter["meter"], "hits": inside})
    sections, play = merged(runs)
    written = [{"name": name, "feel": feel, "bars": bars} for name, feel, bars in sections]
    return head | {"sections": written, "pickup": pickup} | ({"play": play} if play else {})


def _same_notes(riff: Riff, hits: list[tuple[int, Any]], struck: dict[int, set[int]]) -> bool:
    """Whether the notes are still those that the text events tell of."""
    from thrumble.core.riff.expand import expand

    due = expand(riff).hits
    if len(due) != len(hits) or len(struck) > len(hits):
        return False
    places = sorted(at for at, _ in hits)
    return all(
        set(hit_pitches(riff, due_hit)) == struck.get(at, set())
        for due_hit, at in zip(due, places, strict=True)
    )


# --- other programs' -----------------------------------------------------------------------------


def _others(
    file: MidiFile, title: str, wanted: int | None, tuning: tuple[str, ...] | None
) -> MidiRiff:
    tracks = _tracks(file)
    if not tracks:
        raise RiffError("there are no notes in this MIDI file besides drums, if any", place="file")
    chosen = tracks[0]
    if wanted is not None:
        matching = [track for track in tracks if track.number == wanted]
        if not matching:
            names = ", ".join(f"{track.number} ({track.name})" for track in tracks)
            raise RiffError(f"track {wanted} has no notes; there are {names}", place="file")
        (chosen,) = matching
    lost: Counter[str] = Counter()
    notes = _notes(file, chosen.number, lost)
    tempo, meters, left_out = _timing(file)
    _check_length(notes, meters)
    strokes = strokes_of(notes, lost)
    feel = feel_of([at for at, *_ in strokes])
    placed = on_grid(strokes, feel, lost)
    lowest = min(pitches[0] for _, _, pitches in placed)
    instrument, words = instrument_reaching(lowest, tuning)
    left_out += words
    bars, lost["unreachable"] = _bars(placed, meters, instrument)
    if not any(bar.hits for bar in bars):
        raise RiffError("none of this track's notes can be played on these strings", place="file")
    left_out += [counted(lost[name], *words) for name, words in LOST.items() if lost[name]]
    left_out.append("palm mutes, dead hits and strokes: notes alone do not tell, every hit is open")
    if len(tracks) > 1:
        others = ", ".join(
            f"{track.number} ({track.name})" for track in tracks if track is not chosen
        )
        left_out.append(f"other tracks: {others}")
    riff = Riff(
        title=(title or chosen.name or "From MIDI")[:120].strip() or "From MIDI",
        tempo_bpm=tempo,
        sections=(Section(name="A", bars=bars),),
        tuning=instrument.tuning,
        feel=feel,
    )
    rest = tuple(track for track in tracks if track is not chosen)
    return MidiRiff(check_riff(riff), tuple(left_out), (chosen, *rest))


def _check_length(notes: list[Struck], meters: list[tuple[Fraction, Meter]]) -> None:
    """Raises RiffError if the track would fill more bars than a riff has; counted, not built."""
    end = notes[-1].at
    bars = Fraction(0)
    following = [at for at, _ in meters[1:]] + [max(end, meters[-1][0])]
    for (begin, meter), until in zip(meters, following, strict=True):
        bars += max(Fraction(0), min(until, end) - begin) / meter.length
    if bars > MAX_BARS:
        raise RiffError(
            f"a riff has at most {MAX_BARS} bars: export just the part you want",
            found=f"{float(bars):,.0f} bars",
            place="file",
        )


def _tracks(file: MidiFile) -> list[MidiTrackChoice]:
    """Tracks with notes, the guitar's first: by its name, else the one with most notes."""
    candidates = []
    for number, track in enumerate(file.tracks):
        count = sum(e.type == "note_on" and e.velocity and e.channel != DRUMS for e in track)
        name = "".join(c for c in track.name if c.isprintable()).strip()[:60]
        if count:
            candidates.append(MidiTrackChoice(number, name or f"track {number}", count))
    named = ("guitar", "gtr", "git")
    return sorted(
        candidates,
        key=lambda track: (
            not any(w in track.name.lower() for w in named),
            -track.notes,
            track.number,
        ),
    )


def _notes(file: MidiFile, number: int, lost: "Counter[str]") -> list[Struck]:
    """The notes of a track in order; one that never ends ends with the track. Raises RiffError
    beyond `MAX_HITS` notes.
    """
    now, out = 0, []
    per = file.ticks_per_beat
    on: dict[tuple[int, int], int] = {}

    def end(key: tuple[int, int]) -> None:
        begun = on.pop(key, None)
        if begun is None:
            return
        lost["no length"] += now == begun
        until = max(whole_notes(now, per), whole_notes(begun, per) + SHORTEST)
        out.append(Struck(whole_notes(begun, per), until, key[1]))
        if len(out) > MAX_HITS:
            raise RiffError(f"a track has at most {MAX_HITS:,} notes", place="file")

    for event in file.tracks[number]:
        now += event.time
        if event.type not in ("note_on", "note_off"):
            continue
        if event.channel == DRUMS:
            lost["drums"] += event.type == "note_on" and event.velocity > 0
            continue
        key = (event.channel, event.note)
        end(key)
        if event.type == "note_on" and event.velocity:
            on[key] = now
    for key in list(on):
        end(key)
    return sorted(out, key=lambda note: (note.at, note.pitch))


def _timing(file: MidiFile) -> tuple[Decimal, list[tuple[Fraction, Meter]], list[str]]:
    """Tempo, meters with where they begin, and what of it is left out."""
    tempos: list[tuple[int, float]] = []
    meters: dict[Fraction, Meter] = {Fraction(0): Meter(4, 4)}
    odd_meters: dict[str, None] = {}
    for track in file.tracks:
        now = 0
        for event in track:
            now += event.time
            if event.type == "set_tempo" and event.tempo:
                tempos.append((now, tempo2bpm(event.tempo)))
            elif event.type == "time_signature":
                at = whole_notes(now, file.ticks_per_beat)
                if 1 <= event.numerator <= 64 and event.denominator <= 64:
                    meters[at] = Meter(event.numerator, event.denominator)
                else:
                    odd_meters[f"{event.numerator}/{event.denominator}"] = None
    tempos.sort()
    played = tempos[0][1] if tempos else 120.0
    bpm = min(400.0, max(20.0, played))
    left = []
    if round(played, 1) != round(bpm, 1):
        left.append(f"a tempo of {played:g} bpm: the riff has {bpm:g}, the nearest it can have")
    if len({round(value, 1) for _, value in tempos}) > 1:
        left.append(f"changes of tempo: the riff keeps {bpm:g} bpm all through")
    if odd_meters:
        names = ", ".join(list(odd_meters)[:5])
        left.append(f"a meter of {names}: at most 64 beats of a 64th, so the bar lines differ")
    return Decimal(str(round(bpm, 2))), sorted(meters.items()), left


def _bars(
    placed: list[Strike], meters: list[tuple[Fraction, Meter]], instrument: Instrument
) -> tuple[tuple[Bar, ...], int]:
    """The strokes in bars, laid on strings each near the one before; and how many notes no hand
    reaches.
    """
    bars: list[Bar] = []
    lost, k, start = 0, 0, Fraction(0)
    changes = deque(meters)
    meter = meters[0][1]
    near: tuple[Note, ...] = ()
    while k < len(placed):
        while changes and changes[0][0] <= start:
            meter = changes.popleft()[1]
        hits: list[Hit] = []
        while k < len(placed) and placed[k][0] < start + meter.length:
            at, long, pitches = placed[k]
            following = placed[k + 1][0] if k + 1 < len(placed) else start + meter.length
            notes, dropped = _reached(instrument, pitches, near)
            lost, k = lost + dropped, k + 1
            if notes:
                room = following - at
                length = long if long < SHORTER * room else room
                hits.append(Hit(at=at - start, length=length, notes=notes))
                near = notes
        bars.append(Bar(meter, tuple(hits)))
        start += meter.length
    end = sum((bar.meter.length for bar in bars), Fraction(0))
    return _within(tuple(bars), end), lost


def _within(bars: tuple[Bar, ...], end: Fraction) -> tuple[Bar, ...]:
    """The last hit rings no longer than the last bar."""
    last = bars[-1]
    if not last.hits:
        return bars
    start, hit = end - last.meter.length, last.hits[-1]
    length = min(hit.length, end - start - hit.at)
    cut = Hit(at=hit.at, length=length, notes=hit.notes)
    return (*bars[:-1], Bar(last.meter, (*last.hits[:-1], cut)))


def _reached(
    instrument: Instrument, pitches: tuple[int, ...], near: tuple[Note, ...]
) -> tuple[tuple[Note, ...], int]:
    left = list(pitches)[-len(instrument.tuning) :] if len(pitches) > 12 else list(pitches)
    while left:
        laid = lay_pitches(instrument, tuple(left), near)
        if laid is not None:
            return laid, len(pitches) - len(left)
        left.pop()
    return (), len(pitches)
