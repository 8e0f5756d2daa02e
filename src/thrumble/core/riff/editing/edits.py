"""Edits of a riff, each Riff -> Riff: what a key at the caret does. Bars are counted as written,
from 0, sections in order, endings behind their section; places count from the bar's start.

Every edit gives a riff that can be played, or raises RiffError or BadInput and changes nothing.
"""

from dataclasses import replace
from decimal import Decimal
from fractions import Fraction

from thrumble.core.chords.names import read_chord_name
from thrumble.core.chords.shapes import place_chord
from thrumble.core.errors import BadInput
from thrumble.core.instrument import Note
from thrumble.core.music.meter import Meter
from thrumble.core.riff.checking import check_riff
from thrumble.core.riff.editing.marks import MARKED, another_kind, ramped
from thrumble.core.riff.editing.runs import (
    Placed,
    WrittenRun,
    cut_short,
    ended_at,
    hit_at,
    laid_out,
    put_at,
    range_of,
    run_length,
    runs_of,
    spot_of,
    with_bars,
    with_hits,
)
from thrumble.core.riff.model import (
    DEFAULT_DEPTH,
    TIGHT_DEPTH,
    Articulation,
    Bar,
    Hit,
    Pickup,
    Riff,
)
from thrumble.core.riff.notation.frets import read_frets

LETTERS = "oMKxmk"  # as in the text: on the chord, and the last two on the pedal where there is one
MARKS = (*MARKED, "stop")
PICKUP = "pickup"
MAX_PAINTED = 256  # hits of one stroke of the brush


def written_bars(riff: Riff) -> list[tuple[str, Bar]]:
    """Every bar as written, once, with its section's name; the pick-up first."""
    return [
        (PICKUP if part.section is None else riff.sections[part.section].name, bar)
        for part in runs_of(riff)
        for bar in part.bars
    ]


def unrolled(riff: Riff) -> Riff:
    """The riff with every written bar once and in order, for drawing it as it is edited."""
    sections = tuple(
        replace(s, bars=s.bars + tuple(bar for e in s.endings for bar in e), endings=(), over=None)
        for s in riff.sections
    )
    return replace(riff, sections=sections, play=())


def put_hit(
    riff: Riff, bar: int, at: Fraction, length: Fraction, letter: str, chord: str = ""
) -> Riff:
    """A hit at a place, or another kind of the hit that is there; what rang there ends before it.
    `letter`: o M K x m k; `chord`: a name such as `F#5@6/2` or frets, else the notes of the hit
    before.
    """
    if letter not in LETTERS or not letter:
        raise BadInput(f"a hit is one of {' '.join(LETTERS)}; found {letter!r}")
    part, place = spot_of(riff, bar, at)
    placed = laid_out(part)
    there = hit_at(placed, place)
    notes, label = _notes(riff, placed, place, letter, chord, there)
    kind, depth = _kind(letter)
    if there is not None:
        changed = another_kind(there, kind, depth)
        changed = replace(changed, notes=notes, label=label)
        return with_hits(riff, part, put_at(placed, place, changed))
    room = min([at for at, _ in placed if at > place], default=run_length(part)) - place
    fresh = Hit(
        at=Fraction(0),
        length=min(length, room),
        notes=notes,
        articulation=kind,
        depth=depth,
        label=label,
    )
    return with_hits(riff, part, put_at(ended_at(placed, place, stop=False), place, fresh))


def hold(riff: Riff, bar: int, at: Fraction, length: Fraction) -> Riff:
    """The hit before rings on through this place; a hit that stood here goes."""
    part, place = spot_of(riff, bar, at)
    placed = [(when, hit) for when, hit in laid_out(part) if when != place]
    before = [(when, hit) for when, hit in placed if when < place]
    if not before:
        raise BadInput("there is no hit before this place to ring on")
    when, hit = before[-1]
    following = min([other for other, _ in placed if other > place], default=run_length(part))
    end = min(place + length, following)
    longer = replace(hit, length=end - when, stop=hit.stop and end < following)
    return with_hits(riff, part, put_at(placed, when, longer))


def paint(riff: Riff, bar: int, at: Fraction, last: int, until: Fraction, grid: Fraction) -> Riff:
    """The riff with the hit at a place copied to every place of the grid behind it, up to one in
    bar `last`.
    """
    part, start, end = _stretch_of(riff, bar, at, last, until)
    placed = laid_out(part)
    hit = hit_at(placed, start)
    if hit is None:
        raise BadInput("there is no hit here to paint with: put one first")
    if (end - start) / grid > MAX_PAINTED:
        raise BadInput(f"paint at most {MAX_PAINTED} hits at once")
    place = start + grid
    brush = replace(hit, length=min(hit.length, grid), slide_from=None, legato=None, accent=False)
    while place <= end:
        placed = put_at(ended_at(placed, place, stop=False), place, brush)
        place += grid
    return with_hits(riff, part, _shortened(placed, start, min(hit.length, grid)))


def stretch(riff: Riff, bar: int, at: Fraction, last: int, until: Fraction, grid: Fraction) -> Riff:
    """The hit at a place rings on through a place in bar `last`; hits on the way go."""
    part, start, end = _stretch_of(riff, bar, at, last, until)
    placed = [(when, hit) for when, hit in laid_out(part) if not start < when <= end]
    hit = hit_at(placed, start)
    if hit is None:
        raise BadInput("there is no hit here to lengthen: put one first")
    following = min([when for when, _ in placed if when > start], default=run_length(part))
    longer = replace(hit, length=min(end + grid, following) - start)
    return with_hits(riff, part, put_at(placed, start, longer))


def _stretch_of(
    riff: Riff, bar: int, at: Fraction, last: int, until: Fraction
) -> tuple[WrittenRun, Fraction, Fraction]:
    """The section that holds two places, with both counted from its start. Raises BadInput for two
    sections.
    """
    part, start = spot_of(riff, bar, at)
    other, end = spot_of(riff, last, until)
    if other.first != part.first:
        raise BadInput("stay within one section")
    return part, start, max(start, end)


def _shortened(placed: Placed, place: Fraction, length: Fraction) -> Placed:
    return [(when, replace(hit, length=length) if when == place else hit) for when, hit in placed]


def rest(riff: Riff, bar: int, at: Fraction) -> Riff:
    """Silence from here to the next hit, which is judged: the hit before stops."""
    part, place = spot_of(riff, bar, at)
    placed = [(when, hit) for when, hit in laid_out(part) if when != place]
    return with_hits(riff, part, ended_at(placed, place, stop=True))


def clear(riff: Riff, bar: int, at: Fraction, until: Fraction | None = None) -> Riff:
    """The riff with a gap from here on, up to `until` in the same bar if given; a gap is not
    judged.
    """
    part, place = spot_of(riff, bar, at)
    end = place + (until - at if until is not None else Fraction(1, 10**6))
    others = [(when, hit) for when, hit in laid_out(part) if not place <= when < end]
    return with_hits(riff, part, others)


def mark(riff: Riff, bar: int, at: Fraction, what: str) -> Riff:
    """A mark of the hit here on or off, or its next kind. A stop that has no silence after it yet
    gets some: the hit ends half way.
    """
    part, place = spot_of(riff, bar, at)
    placed = laid_out(part)
    hit = hit_at(placed, place)
    if hit is None:
        raise BadInput("there is no hit here to mark")
    if what in MARKED:
        hit = MARKED[what](hit)
    elif what == "stop":
        following = min([other for other, _ in placed if other > place], default=run_length(part))
        full = place + hit.length >= following
        if hit.stop:
            hit = replace(hit, stop=False)
        else:
            hit = replace(hit, stop=True, length=hit.length / 2 if full else hit.length)
    else:
        raise BadInput(f"a mark is one of {', '.join(MARKS)}; found {what!r}")
    return with_hits(riff, part, put_at(placed, place, hit))


def ramp(riff: Riff, first: int, last: int) -> Riff:
    """The palm mutes of these bars, up to the first other hit, as a mute ramp from tight to light;
    if one begins there already, it goes.
    """
    part, a, b = range_of(riff, first, last)
    hits = [hit for bar in part.bars[a:b] for hit in bar.hits]
    changed = ramped(hits)
    ordered = iter(changed)
    bars = [replace(bar, hits=tuple(next(ordered) for _ in bar.hits)) for bar in part.bars[a:b]]
    return with_bars(riff, part, (*part.bars[:a], *bars, *part.bars[b:]))


def set_chord(riff: Riff, bar: int, at: Fraction, chord: str) -> Riff:
    """Another chord for the hit here and for all after it in the bar that had the same notes."""
    part, place = spot_of(riff, bar, at)
    placed = laid_out(part)
    hit = hit_at(placed, place)
    if hit is None:
        raise BadInput("there is no hit here to change: put one first")
    notes, label = _chord(riff, chord)
    end = place - at + part.bars[bar - part.first].meter.length
    changed = [
        (when, replace(other, notes=notes, label=label, slide_from=None))
        if place <= when < end and other.notes == hit.notes
        else (when, other)
        for when, other in placed
    ]
    return with_hits(riff, part, changed)


def set_meter(riff: Riff, first: int, last: int, meter: Meter) -> Riff:
    """Another meter for these bars: hits past a shorter bar's end go, what rings is cut there."""
    part, a, b = range_of(riff, first, last)
    bars = [
        Bar(meter, tuple(hit for hit in bar.hits if hit.at < meter.length))
        for bar in part.bars[a:b]
    ]
    return with_bars(riff, part, cut_short((*part.bars[:a], *bars, *part.bars[b:])))


def turn_pickup(riff: Riff) -> Riff:
    """A pick-up of one beat before the first bar; if there is one, it goes."""
    if riff.pickup is not None:
        return check_riff(replace(riff, pickup=None))
    return check_riff(replace(riff, pickup=Pickup(riff.sections[0].bars[0].meter.beat, ())))


def insert_bar(riff: Riff, after: int) -> Riff:
    """An empty bar behind this one, in its meter."""
    part, _ = spot_of(riff, after, Fraction(0))
    k = after - part.first + 1
    empty = Bar(part.bars[k - 1].meter, ())
    return with_bars(riff, part, cut_short((*part.bars[:k], empty, *part.bars[k:])))


def repeat_bars(riff: Riff, first: int, last: int) -> Riff:
    """The riff with some bars of one section repeated right behind themselves."""
    part, a, b = range_of(riff, first, last)
    return with_bars(riff, part, cut_short((*part.bars[:b], *part.bars[a:b], *part.bars[b:])))


def delete_bars(riff: Riff, first: int, last: int) -> Riff:
    """Without these bars; a section that loses all of them goes too, unless it is the only one."""
    part, a, b = range_of(riff, first, last)
    left = part.bars[:a] + part.bars[b:]
    if not left and part.section is not None:
        return _without_section(riff, part)
    return with_bars(riff, part, cut_short(left))


def _without_section(riff: Riff, part: WrittenRun) -> Riff:
    section = riff.sections[part.section or 0]
    others = tuple(other for other in riff.sections if other is not section)
    if section.endings or any(other.over == section.name for other in others):
        raise BadInput("these are all the bars of their section: it needs one at least")
    play = tuple(name for name in riff.play if name != section.name)
    if not others or (riff.play and not play):
        raise BadInput("these are all the bars of the riff: it needs one at least")
    return check_riff(replace(riff, sections=others, play=play))


def move_bars(riff: Riff, first: int, last: int, to: int, *, behind: bool) -> Riff:
    """Bars `first` to `last` of one section, before or behind bar `to`, which may be another
    section's; a section that loses all of its bars goes too. Numbers count bars as written, from 0.
    Raises BadInput.
    """
    part, a, b = range_of(riff, first, last)
    target, _ = spot_of(riff, to, Fraction(0))
    if first <= to <= last:
        return riff
    place = to - target.first + behind
    if target.first == part.first:
        others = part.bars[:a] + part.bars[b:]
        k = place if place <= a else place - (b - a)
        return with_bars(riff, part, cut_short((*others[:k], *part.bars[a:b], *others[k:])))
    bars = (*target.bars[:place], *part.bars[a:b], *target.bars[place:])
    with_both = with_bars(riff, target, cut_short(bars))
    shift = b - a if target.first < part.first else 0
    return delete_bars(with_both, first + shift, last + shift)


def copy_hits(riff: Riff, first: int, last: int) -> list[Bar]:
    """Bars to be pasted elsewhere."""
    part, a, b = range_of(riff, first, last)
    return list(part.bars[a:b])


def paste_bars(riff: Riff, after: int, bars: list[Bar]) -> Riff:
    """Bars from elsewhere behind this one."""
    part, _ = spot_of(riff, after, Fraction(0))
    k = after - part.first + 1
    return with_bars(riff, part, cut_short((*part.bars[:k], *bars, *part.bars[k:])))


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
    hit that is here, else that of the nearest one before or behind, else the riff's first.
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
    anywhere = [hit for _, bar in written_bars(riff) for hit in bar.hits if hit.notes != pedal]
    near = next(iter(before[-1:] + behind[:1] + anywhere[:1]), None)
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
