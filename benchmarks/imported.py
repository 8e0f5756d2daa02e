"""Files as people and other programs write them, imported: how many hits come out right, or are
named as doubtful. The sample riffs written in eight ways by writers of this module's own and by two
general-purpose libraries, none of which shares code with the readers.

python -m benchmarks.imported [--folder FOLDER]     (the 64 files are stored there)
"""

import argparse
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, replace
from fractions import Fraction
from io import BytesIO
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import numpy as np
from mido import Message, MetaMessage, MidiFile, MidiTrack, bpm2tempo

from thrumble.core.errors import RiffError
from thrumble.core.instrument import Instrument
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Articulation, Riff
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import riff_texts
from thrumble.formats.exchange import ReadRiff, read_any

SEED = 11
TICKS = 480
LETTERS = {Fraction(1, 4): "Q", Fraction(1, 8): "E", Fraction(1, 16): "S", Fraction(1, 2): "H"}
LETTERS |= {Fraction(3, 8): "Q.", Fraction(3, 16): "E.", Fraction(1): "W"}
COUNTS = {0: "", Fraction(1, 2): "&", Fraction(1, 4): "e", Fraction(3, 4): "a"}


@dataclass(frozen=True)
class Struck:
    """A hit as any file can hold it: bar from 1, place in it, sounding pitches, kind."""

    bar: int
    at: Fraction
    pitches: frozenset[int]
    kind: str


@dataclass(frozen=True)
class Style:
    """One way to write a riff. `kinds`: whether it says palm mutes and dead hits."""

    name: str
    suffix: str
    write: Callable[[Riff], bytes]
    kinds: bool = False


def struck(riff: Riff, *, kinds: bool) -> list[Struck]:
    """The hits of a riff from bar 1 on, in playing order."""
    instrument = riff.instrument
    out = []
    for due in expand(riff).hits:
        dead = due.hit.articulation is Articulation.DEAD
        pitches = frozenset(instrument.open_midi(n.string) + (n.fret or 0) for n in due.hit.notes)
        kind = due.hit.articulation.value if kinds else ""
        out.append(Struck(due.bar, due.hit.at, frozenset() if dead and kinds else pitches, kind))
    return [hit for hit in out if hit.bar]


# --- MIDI and scores -----------------------------------------------------------------------------


def _midi(riff: Riff, *, drums: bool, sloppy: int) -> bytes:
    """Notes alone, some ticks off if `sloppy`; with a drum track beside them if wanted."""
    draw = np.random.default_rng(SEED)
    expanded = expand(replace(riff, pickup=None))
    second = expanded.tempo_bpm / 60 * TICKS
    file = MidiFile(type=1, ticks_per_beat=TICKS)
    meters = [MetaMessage("set_tempo", tempo=bpm2tempo(expanded.tempo_bpm))]
    before, now = None, 0
    for bar in expanded.bars:
        at = round(bar.start_s * second)
        if bar.meter != before:
            signature = {"numerator": bar.meter.beats, "denominator": bar.meter.unit}
            meters.append(MetaMessage("time_signature", **signature, time=at - now))
            now, before = at, bar.meter
    events: list[tuple[int, int, int]] = []  # tick, velocity, pitch
    instrument = riff.instrument
    for due in expanded.hits:
        begin = max(0, round(due.due_s * second) + int(draw.integers(-sloppy, sloppy + 1)))
        end = max(begin + 10, round(due.end_s * second) - 10)
        for note in due.hit.notes:
            pitch = instrument.open_midi(note.string) + (note.fret or 0)
            events += [(begin, 90, pitch), (end, 0, pitch)]
    track, now = MidiTrack([MetaMessage("track_name", name="Rhythm guitar")]), 0
    for at, velocity, pitch in sorted(events):
        track.append(Message("note_on", note=pitch, velocity=velocity, time=at - now))
        now = at
    file.tracks += [MidiTrack(meters), track]
    if drums:
        beats = [Message("note_on", channel=9, note=36, velocity=99, time=TICKS) for _ in range(16)]
        file.tracks.append(MidiTrack(beats))
    out = BytesIO()
    file.save(file=out)
    return out.getvalue()


def _score(riff: Riff, kind: str) -> bytes:
    """Notation alone, by the general-purpose library of scores: `musicxml` or `midi`."""
    from music21 import chord, instrument, meter, note, stream, tempo

    part = stream.Part()
    part.insert(0, instrument.ElectricGuitar())
    expanded = expand(replace(riff, pickup=None))
    due = list(expanded.hits)
    before = None
    for number, bar in enumerate(expanded.bars, 1):
        measure = stream.Measure(number=number)
        if bar.meter != before:
            measure.append(meter.TimeSignature(str(bar.meter)))
        before = bar.meter
        if number == 1:
            measure.append(tempo.MetronomeMark(number=float(riff.tempo_bpm)))
        inside = [one for one in due if one.bar == bar.number]
        ends = [*(one.hit.at for one in inside[1:]), bar.meter.length]
        at = Fraction(0)
        for one, following in zip(inside, ends, strict=True):
            if one.hit.at > at:
                measure.append(note.Rest(quarterLength=(one.hit.at - at) * 4))
            pitches = [riff.instrument.open_midi(n.string) + (n.fret or 0) for n in one.hit.notes]
            length = min(one.hit.length, following - one.hit.at)
            measure.append(chord.Chord(pitches, quarterLength=length * 4))
            at = one.hit.at + length
        if at < bar.meter.length:
            measure.append(note.Rest(quarterLength=(bar.meter.length - at) * 4))
        part.append(measure)
    with TemporaryDirectory() as folder:
        path = Path(folder) / "score"
        stream.Score([part]).write("musicxml" if kind == "musicxml" else "midi", fp=path)
        return next(Path(folder).glob("score*")).read_bytes()


# --- tablature ------------------------------------------------------------------------------------


def _tab(riff: Riff, style: str) -> bytes:
    """A bar a row, each sixteenth three columns wide, or as fine as its hits need. `style`: blanks,
    letters, dots, few (only the strings in use), else as most people do it.
    """
    expanded = expand(replace(riff, pickup=None))
    used = sorted({n.string for one in expanded.hits for n in one.hit.notes})
    shown = used if style == "few" else list(range(1, len(riff.tuning) + 1))
    names = [riff.tuning[len(riff.tuning) - s].rstrip("0123456789") for s in shown]
    lines = [riff.title, "", f"Tempo: {riff.tempo_bpm}", f"Tuning: {_listed(riff.instrument)}"]
    lines += ["W = whole, H = half, Q = quarter, E = eighth, S = sixteenth"] * (style == "letters")
    for bar in expanded.bars:
        hits = [one for one in expanded.hits if one.bar == bar.number]
        grid = max([16, *(one.hit.at.denominator for one in hits)])
        slots = int(bar.meter.length * grid)
        fill = " " if style == "blanks" else "-"
        rows = {s: [fill * 3] * slots for s in shown}
        count, palm, value = ([" " * 3] * slots for _ in range(3))
        for k in range(slots):
            at = Fraction(k, grid)
            beat, inside = divmod(at, bar.meter.beat)
            word = COUNTS.get(inside / bar.meter.beat, "") or (str(int(beat) + 1) * (not inside))
            count[k] = (word or "·").ljust(3)
        ends = [*(one.hit.at for one in hits[1:]), bar.meter.length]
        for one, following in zip(hits, ends, strict=True):
            k = int(one.hit.at * grid)
            for note in one.hit.notes:
                dead = one.hit.articulation is Articulation.DEAD
                rows[note.string][k] = ("x" if dead else str(note.fret)).ljust(3, fill)
            if one.hit.articulation is Articulation.PALM:
                palm[k] = "PM ".ljust(3) if style != "dots" else ".  "
            value[k] = LETTERS.get(following - one.hit.at, "?").ljust(3)
        lead = "    "
        lettered = style == "letters" and "?" not in "".join(value) and hits and not hits[0].hit.at
        above = ["".join(value)] if lettered else ["".join(count)]
        below = ["".join(palm)] if style == "dots" else []
        above += [] if style == "dots" else ["".join(palm)]
        lines += ["", f"{bar.meter}", ""]
        lines += [lead + line.rstrip() for line in above if line.strip()]
        lines += [
            f"{name:<2}|{fill}{''.join(rows[s])}|" for name, s in zip(names, shown, strict=True)
        ]
        lines += [lead + line.rstrip() for line in below if line.strip()]
    return ("\n".join(lines) + "\n").encode()


def _listed(instrument: Instrument) -> str:
    return " ".join(name.rstrip("0123456789") for name in instrument.tuning)


STYLES = (
    Style("MIDI by notes, up to 6 ticks off", ".mid", lambda r: _midi(r, drums=False, sloppy=6)),
    Style("MIDI with drums beside it", ".mid", lambda r: _midi(r, drums=True, sloppy=0)),
    Style("MIDI of a score library", ".mid", lambda r: _score(r, "midi")),
    Style("notation of a score library", ".musicxml", lambda r: _score(r, "musicxml")),
    Style("tablature with counts", ".tab", lambda r: _tab(r, "usual"), kinds=True),
    Style("tablature with blanks", ".tab", lambda r: _tab(r, "blanks"), kinds=True),
    Style("tablature, letters for rhythm", ".tab", lambda r: _tab(r, "letters"), kinds=True),
    Style("tablature, dots, strings in use", ".tab", lambda r: _tab(r, "dots"), kinds=True),
)


@dataclass(frozen=True)
class Score:
    """Of one file: hits in all, right, and named as doubtful or left out."""

    hits: int
    right: int
    named: int


def score(riff: Riff, style: Style, data: bytes) -> Score:
    """How many hits of a file come out right; a refusal names all of them."""
    wanted = Counter(struck(replace(riff, pickup=None), kinds=style.kinds))
    total = sum(wanted.values())
    try:
        found: ReadRiff = read_any(data)
    except RiffError:
        return Score(total, 0, total)
    got = Counter(struck(found.riff, kinds=style.kinds))
    right = sum((wanted & got).values())
    named = total - right if found.guessed_grid is not None else 0
    return Score(total, right, named)


def main() -> None:
    parser = argparse.ArgumentParser(prog="python -m benchmarks.imported", description=__doc__)
    parser.add_argument("--folder", type=Path, help="where to store the files")
    folder = parser.parse_args().folder
    print("| written as | files | hits | right | right or named | worst |")
    print("| --- | --- | --- | --- | --- | --- |")
    whole: list[Any] = []
    for style in STYLES:
        scores = {}
        for name, text in riff_texts().items():
            riff = parse_riff(text)
            data = style.write(riff)
            if folder:
                folder.mkdir(parents=True, exist_ok=True)
                (folder / f"{name}-{STYLES.index(style)}{style.suffix}").write_bytes(data)
            scores[name] = score(riff, style, data)
        whole += scores.values()
        print(_line(style.name, list(scores.values()), _worst(scores)))
    print(_line("all", whole, ""))


def _worst(scores: dict[str, Score]) -> str:
    name = min(scores, key=lambda one: scores[one].right / scores[one].hits)
    return f"{name} {scores[name].right / scores[name].hits:.2f}"


def _line(name: str, scores: list[Score], worst: str) -> str:
    hits, right = sum(one.hits for one in scores), sum(one.right for one in scores)
    named = sum(one.named for one in scores)
    return (
        f"| {name} | {len(scores)} | {hits} | {right / hits:.3f} | "
        f"{(right + named) / hits:.3f} | {worst} |"
    )


if __name__ == "__main__":
    main()
