"""Edits of a riff, each Riff -> Riff: what a key at the caret does. Bars are counted as written,
from 0, sections in order, endings behind their section; places count from the bar's start.

Every edit gives a riff that can be played, or raises RiffError or BadInput and changes nothing.
"""

from dataclasses import dataclass, replace
from decimal import Decimal
from fractions import Fraction

from thrumble.core.chords.names import read_chord_name
from thrumble.core.chords.shapes import place_chord
from thrumble.core.errors import BadInput
from thrumble.core.instrument import Note
from thrumble.core.music.meter import Meter
from thrumble.core.riff.checking import check_riff
from thrumble.core.riff.frets import read_frets
from thrumble.core.riff.marks import MARKED, another_kind, ramped
from thrumble.core.riff.model import (
    DEFAULT_DEPTH,
    TIGHT_DEPTH,
    Articulation,
    Bar,
    Hit,
    Riff,
    Section,
)
from thrumble.core.riff.ramps import mended

LETTERS = "oMKxmk"  # as in the text: on the chord, and the last two on the pedal where there is one
MARKS = (*MARKED, "stop")
Placed = list[tuple[Fraction, Hit]]  # hits by their place from the part's start


@dataclass(frozen=True, slots=True)
class _Part:
    """A run of bars that hits may ring through: a section's own bars or one of its endings.
    `first`: the number of its first bar as written.
    """

    section: int
    ending: int | None
    first: int
    bars: tuple[Bar, ...]


def written_bars(riff: Riff) -> list[tuple[str, Bar]]:
    """Every bar as written, once, with its section's name."""
    return [(riff.sections[part.section].name, bar) for part in _parts(riff) for bar in part.bars]


def unrolled(riff: Riff) -> Riff:
    """The riff with every written bar once and in order, for drawing it as it is edited."""
    sections = tuple(
        replace(s, bars=s.bars + tuple(bar for e in s.endings for bar in e), endings=(), over=None)
        for s in riff.sections
    )
    return replace(riff, sections=sections, play=(), pickup=None)


def put_hit(
    riff: Riff, bar: int, at: Fraction, length: Fraction, letter: str, chord: str = ""
) -> Riff:
    """A hit at a place, or another kind of the hit that is there; what rang there ends before it.
    `letter`: o M K x m k; `chord`: a name such as `F#5@6/2` or frets, else the notes of the hit
    before.
    """
    if letter not in LETTERS or not letter:
        raise BadInput(f"a hit is one of {' '.join(LETTERS)}; found {letter!r}")
    part, place = _spot(riff, bar, at)
    placed = _laid_out(part)
    there = _at(placed, place)
    notes, label = _notes(riff, placed, place, letter, chord, there)
    kind, depth = _kind(letter)
    if there is not None:
        changed = another_kind(there, kind, depth)
        changed = replace(changed, notes=notes, label=label)
        return _with(riff, part, _put(placed, place, changed))
    room = min([at for at, _ in placed if at > place], default=_length(part)) - place
    fresh = Hit(
        at=Fraction(0),
        length=min(length, room),
        notes=notes,
        articulation=kind,
        depth=depth,
        label=label,
    )
    return _with(riff, part, _put(_ended(placed, place, stop=False), place, fresh))


def hold(riff: Riff, bar: int, at: Fraction, length: Fraction) -> Riff:
    """The hit before rings on through this place; a hit that stood here goes."""
    part, place = _spot(riff, bar, at)
    placed = [(when, hit) for when, hit in _laid_out(part) if when != place]
    before = [(when, hit) for when, hit in placed if when < place]
    if not before:
        raise BadInput("there is no hit before this place to ring on")
    when, hit = before[-1]
    following = min([other for other, _ in placed if other > place], default=_length(part))
    end = min(place + length, following)
    longer = replace(hit, length=end - when, stop=hit.stop and end < following)
    return _with(riff, part, _put(placed, when, longer))


def rest(riff: Riff, bar: int, at: Fraction) -> Riff:
    """Silence from here to the next hit, which is judged: the hit before stops."""
    part, place = _spot(riff, bar, at)
    placed = [(when, hit) for when, hit in _laid_out(part) if when != place]
    return _with(riff, part, _ended(placed, place, stop=True))


def clear(riff: Riff, bar: int, at: Fraction, until: Fraction | None = None) -> Riff:
    """No hit from here on, up to `until` in the same bar where given; the gap is not judged."""
    part, place = _spot(riff, bar, at)
    end = place + (until - at if until is not None else Fraction(1, 10**6))
    kept = [(when, hit) for when, hit in _laid_out(part) if not place <= when < end]
    return _with(riff, part, kept)


def mark(riff: Riff, bar: int, at: Fraction, what: str) -> Riff:
    """A mark of the hit here on or off, or its next kind. A stop that has no silence after it yet
    gets some: the hit ends half way.
    """
    part, place = _spot(riff, bar, at)
    placed = _laid_out(part)
    hit = _at(placed, place)
    if hit is None:
        raise BadInput("there is no hit here to mark")
    if what in MARKED:
        hit = MARKED[what](hit)
    elif what == "stop":
        following = min([other for other, _ in placed if other > place], default=_length(part))
        full = place + hit.length >= following
        if hit.stop:
            hit = replace(hit, stop=False)
        else:
            hit = replace(hit, stop=True, length=hit.length / 2 if full else hit.length)
    else:
        raise BadInput(f"a mark is one of {', '.join(MARKS)}; found {what!r}")
    return _with(riff, part, _put(placed, place, hit))


def ramp(riff: Riff, first: int, last: int) -> Riff:
    """The palm mutes of these bars, up to the first other hit, as a mute ramp from tight to light;
    where one begins there already, it goes.
    """
    part, a, b = _range(riff, first, last)
    hits = [hit for bar in part.bars[a:b] for hit in bar.hits]
    changed = ramped(hits)
    ordered = iter(changed)
    bars = [replace(bar, hits=tuple(next(ordered) for _ in bar.hits)) for bar in part.bars[a:b]]
    return _with_bars(riff, part, (*part.bars[:a], *bars, *part.bars[b:]))


def set_chord(riff: Riff, bar: int, at: Fraction, chord: str) -> Riff:
    """Another chord for the hit here and for all after it in the bar that had the same notes."""
    part, place = _spot(riff, bar, at)
    placed = _laid_out(part)
    hit = _at(placed, place)
    if hit is None:
        raise BadInput("there is no hit here to change: put one first")
    notes, label = _chord(riff, chord)
    end = place - at + part.bars[bar - part.first].meter.length
    changed = [
        (when, replace(one, notes=notes, label=label, slide_from=None))
        if place <= when < end and one.notes == hit.notes
        else (when, one)
        for when, one in placed
    ]
    return _with(riff, part, changed)


def set_meter(riff: Riff, first: int, last: int, meter: Meter) -> Riff:
    """Another meter for these bars: hits past a shorter bar's end go, what rings is cut there."""
    part, a, b = _range(riff, first, last)
    bars = [
        Bar(meter, tuple(hit for hit in bar.hits if hit.at < meter.length))
        for bar in part.bars[a:b]
    ]
    return _with_bars(riff, part, _clipped((*part.bars[:a], *bars, *part.bars[b:])))


def insert_bar(riff: Riff, after: int) -> Riff:
    """An empty bar behind this one, in its meter."""
    part, _ = _spot(riff, after, Fraction(0))
    k = after - part.first + 1
    empty = Bar(part.bars[k - 1].meter, ())
    return _with_bars(riff, part, _clipped((*part.bars[:k], empty, *part.bars[k:])))


def repeat_bars(riff: Riff, first: int, last: int) -> Riff:
    """The same bars once more, right behind them; they lie in one section."""
    part, a, b = _range(riff, first, last)
    return _with_bars(riff, part, _clipped((*part.bars[:b], *part.bars[a:b], *part.bars[b:])))


def delete_bars(riff: Riff, first: int, last: int) -> Riff:
    """Without these bars; a section keeps one at least."""
    part, a, b = _range(riff, first, last)
    left = part.bars[:a] + part.bars[b:]
    if not left:
        raise BadInput("these are all the bars of their section: it needs one at least")
    return _with_bars(riff, part, _clipped(left))


def copy_hits(riff: Riff, first: int, last: int) -> list[Bar]:
    """Bars to be pasted elsewhere."""
    part, a, b = _range(riff, first, last)
    return list(part.bars[a:b])


def paste_bars(riff: Riff, after: int, bars: list[Bar]) -> Riff:
    """Bars from elsewhere behind this one."""
    part, _ = _spot(riff, after, Fraction(0))
    k = after - part.first + 1
    return _with_bars(riff, part, _clipped((*part.bars[:k], *bars, *part.bars[k:])))


# --- parts and places ------------------------------------------------------------------------


def _parts(riff: Riff) -> list[_Part]:
    out: list[_Part] = []
    first = 0
    for number, section in enumerate(riff.sections):
        for ending, bars in enumerate((section.bars, *section.endings), -1):
            out.append(_Part(number, None if ending < 0 else ending, first, bars))
            first += len(bars)
    return out


def _spot(riff: Riff, bar: int, at: Fraction) -> tuple[_Part, Fraction]:
    """The part that a written bar belongs to, and a place in it from the part's start."""
    parts = _parts(riff)
    for part in parts:
        k = bar - part.first
        if 0 <= k < len(part.bars):
            if not 0 <= at < part.bars[k].meter.length:
                raise BadInput(f"bar {bar + 1} has no place {at}")
            start = sum((b.meter.length for b in part.bars[:k]), Fraction(0))
            return part, start + at
    count = sum(len(part.bars) for part in parts)
    raise BadInput(f"there are bars 1 to {count}; found {bar + 1}")


def _range(riff: Riff, first: int, last: int) -> tuple[_Part, int, int]:
    """The part that bars `first` to `last` lie in, and which of its bars they are."""
    part, _ = _spot(riff, first, Fraction(0))
    if not first <= last < part.first + len(part.bars):
        raise BadInput("choose bars of one section")
    return part, first - part.first, last - part.first + 1


def _length(part: _Part) -> Fraction:
    return sum((bar.meter.length for bar in part.bars), Fraction(0))


def _laid_out(part: _Part) -> Placed:
    placed, start = [], Fraction(0)
    for bar in part.bars:
        placed += [(start + hit.at, hit) for hit in bar.hits]
        start += bar.meter.length
    return placed


def _at(placed: Placed, place: Fraction) -> Hit | None:
    return next((hit for when, hit in placed if when == place), None)


def _put(placed: Placed, place: Fraction, hit: Hit) -> Placed:
    return sorted(
        [*((when, one) for when, one in placed if when != place), (place, hit)],
        key=lambda item: item[0],
    )


def _ended(placed: Placed, place: Fraction, *, stop: bool) -> Placed:
    """What rang at this place ends there, with a stop that is judged or without."""
    before = [(when, hit) for when, hit in placed if when < place]
    if not before:
        return placed
    when, hit = before[-1]
    rang = when + hit.length > place
    if not rang and not stop:
        return placed
    length = min(hit.length, place - when)
    return _put(placed, when, replace(hit, length=length, stop=stop or (hit.stop and not rang)))


def _with(riff: Riff, part: _Part, placed: Placed) -> Riff:
    """The riff with other hits in a part."""
    return _with_bars(riff, part, _folded(part.bars, placed))


def _folded(bars: tuple[Bar, ...], placed: Placed) -> tuple[Bar, ...]:
    """The hits, in order, in these bars instead of their own; bars that stay alike stay the same
    value.
    """
    out, start, k = [], Fraction(0), 0
    for bar in bars:
        end = start + bar.meter.length
        hits = []
        while k < len(placed) and placed[k][0] < end:
            when, hit = placed[k]
            hits.append(hit if hit.at == when - start else replace(hit, at=when - start))
            k += 1
        out.append(bar if tuple(hits) == bar.hits else replace(bar, hits=tuple(hits)))
        start = end
    return tuple(out)


def _clipped(bars: tuple[Bar, ...]) -> tuple[Bar, ...]:
    """Bars that came to stand beside others: no hit rings into the next one or past the end, and
    none asks for silence where there is none.
    """
    part = _Part(0, None, 0, bars)
    placed = _laid_out(part)
    ends = [*(when for when, _ in placed[1:]), _length(part)][: len(placed)]
    clipped = []
    for (when, hit), following in zip(placed, ends, strict=True):
        length = min(hit.length, following - when)
        stop = hit.stop and when + length < following
        clipped.append((when, replace(hit, length=length, stop=stop)))
    return _folded(bars, clipped)


def _with_bars(riff: Riff, part: _Part, bars: tuple[Bar, ...]) -> Riff:
    bars = _whole_ramps(bars)
    section = riff.sections[part.section]
    if part.ending is None:
        changed: Section = replace(section, bars=bars)
    else:
        endings = list(section.endings)
        endings[part.ending] = bars
        changed = replace(section, endings=tuple(endings))
    sections = list(riff.sections)
    sections[part.section] = changed
    return check_riff(replace(riff, sections=tuple(sections)))


def _whole_ramps(bars: tuple[Bar, ...]) -> tuple[Bar, ...]:
    hits = [hit for bar in bars for hit in bar.hits]
    whole = mended(hits)
    if whole == hits:
        return bars
    ordered = iter(whole)
    return tuple(replace(bar, hits=tuple(next(ordered) for _ in bar.hits)) for bar in bars)


# --- notes ---------------------------------------------------------------------------------


def _kind(letter: str) -> tuple[Articulation, Decimal | None]:
    if letter == "o":
        return Articulation.OPEN, None
    if letter == "x":
        return Articulation.DEAD, None
    return Articulation.PALM, TIGHT_DEPTH if letter in "kK" else DEFAULT_DEPTH


def _notes(
    riff: Riff, placed: Placed, place: Fraction, letter: str, chord: str, there: Hit | None
) -> tuple[tuple[Note, ...], str | None]:
    """What a new kind of hit is struck on: the chord given, the pedal for m and k, the chord of the
    hit that is here, else that of the nearest one before or behind.
    """
    if chord:
        return _chord(riff, chord)
    if letter in "mk" and riff.pedal is not None:
        return (riff.pedal,), None
    pedal = None if riff.pedal is None else (riff.pedal,)
    if there is not None and there.notes != pedal:
        return there.notes, there.label
    chords = [(when, hit) for when, hit in placed if hit.notes != pedal]
    before = [hit for when, hit in chords if when < place]
    behind = [hit for when, hit in chords if when > place]
    near = next(iter(before[-1:] + behind[:1]), None)
    if near is None:
        lowest = len(riff.tuning)
        return (Note(lowest, 0), *([Note(lowest - 1, 2)] if lowest > 1 else [])), None
    return near.notes, near.label


def _chord(riff: Riff, text: str) -> tuple[tuple[Note, ...], str | None]:
    """The notes of a chord as it is typed: a name, with `@fret` or `@string/fret`, or frets."""
    name, _, spot = text.strip().partition("@")
    chord = read_chord_name(name)
    try:
        if chord is None:
            return read_frets(text, len(riff.tuning)), None
        string, slash, fret = spot.rpartition("/")
        return place_chord(
            riff.instrument,
            chord,
            string=int(string) if slash else None,
            fret=int(fret) if spot else None,
            as_standard=False,
        ), name
    except ValueError as error:
        raise BadInput(f"the chord {text[:40]!r}: {error}") from None
