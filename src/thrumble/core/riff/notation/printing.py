"""The riff printed in Thrumble's own notation. Stable, and `parse_riff(print_riff(riff)) == riff`
for every valid riff.
"""

from dataclasses import dataclass, replace
from decimal import Decimal
from fractions import Fraction
from math import lcm

from thrumble.core.chords.names import read_chord_name
from thrumble.core.chords.shapes import place_chord
from thrumble.core.instrument import Note
from thrumble.core.music.meter import Meter
from thrumble.core.riff.checking import OVER
from thrumble.core.riff.model import (
    DEFAULT_BEND,
    DEFAULT_DEPTH,
    TIGHT_DEPTH,
    Articulation,
    Bar,
    Hit,
    Legato,
    Riff,
    Stroke,
)
from thrumble.core.riff.notation.frets import print_frets
from thrumble.core.riff.ramps import between, ramp_runs

FLAT_SLOTS = 16  # a bar with more slots than this is grouped by beats where that is possible
AFTER = {Stroke.DOWN: "", Stroke.UP: "u", Stroke.FINGERS: "f", None: ""}


def print_riff(riff: Riff) -> str:
    """The riff as text: headers, pick-up, sections in order, one bar a line."""
    lines = [
        f"title: {riff.title}",
        f"tempo: {riff.tempo_bpm:f}",
        f"tuning: {' '.join(riff.tuning)}",
    ]
    if riff.capo:
        lines.append(f"capo: {riff.capo}")
    meter = _first_meter(riff)
    lines += [f"meter: {meter}", f"feel: {riff.feel}"]
    if riff.pedal:
        lines.append(f"pedal: {print_frets((riff.pedal,))}")
    if riff.play:
        lines.append(
            "play: " + " ".join(f'"{name}"' if " " in name else name for name in riff.play)
        )
    if riff.pickup:
        bar = Bar(_meter_of(riff.pickup.length), riff.pickup.hits)
        lines += ["", "[pickup]", *_print_run(riff, (bar,), meter)[0]]
    for section in riff.sections:
        over = f"{OVER}{section.over}" if section.over is not None else ""
        lines += ["", f"[{section.name}{over}]"]
        if section.feel:
            lines.append(f"feel: {section.feel}")
        body, state = _print_run(riff, section.bars, meter)
        lines += body
        for number, ending in enumerate(section.endings, 1):
            lines += [f"{number}{line}" for line in _print_run(riff, ending, *state)[0]]
    return "\n".join(lines) + "\n"


def with_comments(printed: str, typed: str) -> str:
    """A printed riff with the comment lines that stood above the headers and sections of a typed
    one; those at the end of lines of bars are not kept.
    """
    above: dict[str, list[str]] = {}
    waiting: list[str] = []
    for line in typed.replace("\r\n", "\n").split("\n"):
        if line.lstrip().startswith("#"):
            waiting.append(line.rstrip())
        elif line.strip():
            key = _opening(line)
            if waiting and key:
                above.setdefault(key, waiting)
            waiting = []
    out: list[str] = []
    for line in printed.split("\n"):
        out += above.pop(_opening(line), [])
        out.append(line)
    return "\n".join(out)


def _opening(line: str) -> str:
    """What a comment can stand above: a section's mark, or a header's name."""
    if line.lstrip().startswith("["):
        return line.strip()
    head, colon, _ = line.partition(":")
    return head.strip() if colon and head.strip().isalpha() else ""


def _first_meter(riff: Riff) -> Meter:
    return riff.sections[0].bars[0].meter


def _meter_of(length: Fraction) -> Meter:
    """The meter of a pick-up bar, which is as long as the pick-up."""
    unit = max(4, length.denominator)
    return Meter(int(length * unit), unit)


Chord = tuple[tuple[Note, ...], str | None] | None


def _print_run(
    riff: Riff, bars: tuple[Bar, ...], meter: Meter, chord: Chord = None
) -> tuple[list[str], tuple[Meter, Chord]]:
    """The lines of bars that follow each other, and the meter and chord that hold after them."""
    lines, start = [], Fraction(0)
    last: tuple[Fraction, Hit] | None = None
    for bar, strikes in zip(bars, _strikes(bars), strict=True):
        words: list[str] = []
        if bar.meter != meter:
            words, meter = [f"{bar.meter}:"], bar.meter
        events = _events(last, bar, strikes, start)
        if bar.hits:
            last = (start + bar.hits[-1].at, bar.hits[-1])
        chord = _print_bar(riff, bar.meter, events, chord, words)
        lines.append("| " + " ".join(words) + " |")
        start += bar.meter.length
    return lines, (meter, chord)


@dataclass(frozen=True, slots=True)
class _Struck:
    """A hit as it is printed. `depth`: None for the letter's own or the ramp's, else to be written;
    `before`, `after`: the signs of a ramp that begins or ends here.
    """

    hit: Hit
    depth: Decimal | None
    letter: str
    before: str = ""
    after: str = ""


def _strikes(bars: tuple[Bar, ...]) -> list[list[_Struck]]:
    """The hits of bars that follow each other, bar by bar, each with what its ramp asks for."""
    hits = [hit for bar in bars for hit in bar.hits]
    struck = [_plain(hit) for hit in hits]
    for run in ramp_runs(hits):
        depths = [_depth_of(hits[k]) for k in run]
        even = depths == between(depths[0], depths[-1], len(run))
        for k, depth in zip(run[1:-1], depths[1:-1], strict=True):
            struck[k] = _Struck(hits[k], None if even else depth, "m")
        struck[run[0]] = replace(struck[run[0]], before="{")
        struck[run[-1]] = replace(struck[run[-1]], after="}")
    ordered = iter(struck)
    return [[next(ordered) for _ in bar.hits] for bar in bars]


def _depth_of(hit: Hit) -> Decimal:
    return DEFAULT_DEPTH if hit.depth is None else hit.depth


def _plain(hit: Hit) -> _Struck:
    """A hit with its letter, `m` and `k` standing for their capitals too."""
    if hit.articulation is not Articulation.PALM:
        return _Struck(hit, None, "o" if hit.articulation is Articulation.OPEN else "x")
    written = None if hit.depth in (DEFAULT_DEPTH, TIGHT_DEPTH) else hit.depth
    return _Struck(hit, written, "k" if hit.depth == TIGHT_DEPTH else "m")


Event = tuple[Fraction, "_Struck | str"]


def _events(
    last: tuple[Fraction, Hit] | None, bar: Bar, strikes: list[_Struck], start: Fraction
) -> list[Event]:
    """What begins in a bar: hits, `~` held from the bar before, gaps; places from the bar's start,
    first one at 0. `last`: the last hit before the bar with its place, as `start` counts.
    """
    events: list[Event] = []
    length = bar.meter.length
    sign = "."
    if last is not None:
        at, hit = last
        end = at + hit.length - start
        sign = "-" if hit.stop else "."
        if end > 0:
            events.append((Fraction(0), "~"))
            if end < length:
                events.append((end, sign))
    for struck in strikes:
        hit, at = struck.hit, struck.hit.at
        if events and events[-1][0] == at:
            events.pop()
        events.append((at, struck))
        if at + hit.length < length:
            events.append((at + hit.length, "-" if hit.stop else "."))
    if not events or events[0][0] > 0:
        events.insert(0, (Fraction(0), sign))
    return events


def _print_bar(
    riff: Riff, meter: Meter, events: list[Event], chord: Chord, words: list[str]
) -> Chord:
    """Appends the bar's tokens to `words`: an even grid, or beats with their own grids if that
    is shorter.
    """
    slots = _slots(events, Fraction(0), meter.length)
    beats = [k * meter.beat for k in range(meter.beats)]
    if slots > FLAT_SLOTS:
        grouped = [(at, meter.beat, _slots(events, at, meter.beat)) for at in beats]
        if sum(n for *_, n in grouped) < slots:
            for at, length, n in grouped:
                inner: list[str] = []
                chord = _print_grid(riff, events, at, length, n, chord, inner)
                words += inner if n == 1 else ["(" + " ".join(inner) + ")"]
            return chord
    return _print_grid(riff, events, Fraction(0), meter.length, slots, chord, words)


def _slots(events: list[Event], start: Fraction, length: Fraction) -> int:
    """The fewest even slots of a span on which every event inside begins."""
    return lcm(
        1,
        *(((at - start) / length).denominator for at, _ in events if start <= at < start + length),
    )


def _print_grid(
    riff: Riff,
    events: list[Event],
    start: Fraction,
    length: Fraction,
    slots: int,
    chord: Chord,
    words: list[str],
) -> Chord:
    by_place = dict(events)
    running: _Struck | str = next((what for at, what in reversed(events) if at <= start), ".")
    for k in range(slots):
        at = start + length * k / slots
        if at in by_place:
            running = by_place[at]
            if isinstance(running, _Struck):
                hit = running.hit
                if not _on_pedal(riff, hit) and (hit.notes, hit.label) != chord:
                    chord = (hit.notes, hit.label)
                    words.append(_chord_token(riff, hit.notes, hit.label))
                signs = (running.before, _hit_token(riff, running), running.after)
                words += [sign for sign in signs if sign]
                continue
        words.append("~" if isinstance(running, _Struck) else running)
    return chord


def _on_pedal(riff: Riff, hit: Hit) -> bool:
    return riff.pedal is not None and hit.notes == (riff.pedal,) and hit.label is None


def _hit_token(riff: Riff, struck: _Struck) -> str:
    hit, letter = struck.hit, struck.letter
    pedal, palm = _on_pedal(riff, hit), hit.articulation is Articulation.PALM
    if palm and not pedal:
        letter = letter.upper()
    mark = "_" if pedal and not palm else ""
    depth = "" if struck.depth is None else f"={struck.depth:f}"
    slide = ""
    if hit.slide_from is not None:
        frets = abs(hit.slide_from)
        slide = ("/" if hit.slide_from < 0 else "\\") + ("" if frets == 2 else str(frets))
    legato = {Legato.HAMMER: "h", Legato.PULL: "p", None: ""}[hit.legato]
    staccato = "'" if hit.staccato else ""
    accent = ">" if hit.accent else ""
    after = (
        f"{staccato}{AFTER[hit.stroke]}{legato}{'*' * hit.opens}{'%' * hit.arpeggio}{_bend(hit)}"
    )
    return f"{accent}{slide}{mark}{letter}{depth}{after}"


def _bend(hit: Hit) -> str:
    if hit.bend is None:
        return ""
    return "b" if hit.bend == DEFAULT_BEND else f"b{hit.bend:f}"


def _chord_token(riff: Riff, notes: tuple[Note, ...], label: str | None) -> str:
    """The chord's name with its root's place if that means exactly these notes, else its frets."""
    named = read_chord_name(label) if label else None
    if named and not any(n.let_ring or n.plucked for n in notes):
        for root in notes[:2]:
            try:
                if (
                    place_chord(
                        riff.instrument,
                        named,
                        string=root.string,
                        fret=root.fret,
                        as_standard=False,
                    )
                    == notes
                ):
                    return f"{label}@{root.string}/{root.fret}"
            except ValueError:
                continue
    return (f"{label}=" if label else "") + print_frets(notes)
