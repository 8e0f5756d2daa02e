"""The lines over and under a row of tablature, and the rhythm that they or the columns give."""

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from fractions import Fraction
from functools import reduce
from itertools import pairwise
from math import gcd

from thrumble.core.chords.names import read_chord_name
from thrumble.core.music.meter import Meter
from thrumble.formats.tablature.rows import PALM, Row, TabBar

DURATIONS = {"w": 1, "h": 2, "q": 4, "e": 8, "s": 16, "t": 32}
COUNTS = {"&": (1, 2), "+": (1, 2), "and": (1, 2), "e": (1, 4), "a": (3, 4)}
COUNTS |= {"trip": (1, 3), "let": (2, 3)}
NO_COUNT = ("·", ".")


@dataclass(slots=True)
class Lines:
    """What the lines over and under a row say, by column."""

    palms: list[tuple[int, int]] = field(default_factory=list)
    counts: list[tuple[int, str]] = field(default_factory=list)
    letters: list[tuple[int, str]] = field(default_factory=list)
    accents: list[int] = field(default_factory=list)
    chords: list[tuple[int, str]] = field(default_factory=list)


# --- lines over and under a row -------------------------------------------------------------------


def told(row: Row) -> Lines:
    out = Lines()
    for line in [*row.above, *row.below]:
        words = [(m.start(), m[0]) for m in re.finditer(r"\S+", line)]
        lower = [word.lower() for _, word in words]
        if PALM.search(line):
            out.palms += _spans(line)
        elif all(set(word) <= set(">^") for word in lower):
            out.accents += [at for at, word in words]
        elif any(w.isdecimal() for w in lower) and all(_is_count(word) for word in lower):
            out.counts = out.counts or words
        elif len(words) > 1 and all(re.fullmatch(r"[whqest]\.?", word) for word in lower):
            out.letters = out.letters or words
        else:
            out.chords += [(at, word) for at, word in words if read_chord_name(word)]
    return out


def _is_count(word: str) -> bool:
    return (word.isdecimal() and int(word) <= 32) or word in COUNTS or word in NO_COUNT


def _spans(line: str) -> list[tuple[int, int]]:
    """The palm mutes of a line: from the sign to its last dash, or to its `|`."""
    out = []
    for match in PALM.finditer(line):
        rest = re.match(r"[\s\-_.=~]*", line[match.end() :])
        run = rest[0] if rest else ""
        dashes = [k for k, c in enumerate(run) if c in "-_=~"]
        end = match.end() + dashes[-1] + 1 if dashes else match.end()
        after = line[match.end() + len(run) : match.end() + len(run) + 1]
        if dashes and after == "|":
            end = match.end() + len(run)
        out.append((match.start(), end if dashes else -1))
    return out


def within(lines: Lines, start: int, end: int) -> Lines:
    return Lines(
        palms=lines.palms,
        counts=[(at, w) for at, w in lines.counts if start - 1 <= at < end - 1],
        letters=[(at, w) for at, w in lines.letters if start - 1 <= at < end - 1],
        accents=lines.accents,
        chords=[(at, w) for at, w in lines.chords if start - 1 <= at < end - 1],
    )


def named_at(lines: Lines, column: int, last: str) -> str:
    said = [word for at, word in lines.chords if at <= column + 1]
    return said[-1] if said else last


# --- rhythm ---------------------------------------------------------------------------------------


def by_counts(
    bar: TabBar, columns: list[int], lines: Lines, meter: Meter | None
) -> tuple[Meter, list[Fraction]] | None:
    """Places by the count that stands at each struck column."""
    if not lines.counts:
        return None
    said = list(_said(lines.counts))
    beats = max(int(at) for _, at in said if at is not None) + 1
    whole = meter if meter and meter.beats >= beats else Meter(max(beats, 1), 4)
    places = []
    for column in columns:
        near = [(abs(at - bar.start - column), place) for at, place in said if place is not None]
        away, place = min(near)
        if away > 1:
            return None
        places.append(place * whole.beat)
    if sorted(set(places)) != places:
        return None
    return whole, places


def _said(counts: list[tuple[int, str]]) -> Iterator[tuple[int, Fraction | None]]:
    """Each count's column and its place in beats; a sign for `finer` lies half way to the next."""
    beat = 0
    placed: list[tuple[int, Fraction | None]] = []
    for at, word in counts:
        lower = word.lower()
        if lower.isdecimal():
            beat = int(lower) - 1
            placed.append((at, Fraction(beat)))
        elif lower in COUNTS:
            placed.append((at, beat + Fraction(*COUNTS[lower])))
        else:
            placed.append((at, None))
    known = [(k, place) for k, (_, place) in enumerate(placed) if place is not None]
    for k, (at, place) in enumerate(placed):
        if place is None:
            before = [one for one in known if one[0] < k]
            after = [one for one in known if one[0] > k]
            end = (after[0][0], after[0][1]) if after else (len(placed), Fraction(beat + 1))
            if before:
                first, begin = before[-1]
                place = begin + (end[1] - begin) * Fraction(k - first, end[0] - first)
        yield at, place


def by_letters(
    bar: TabBar, columns: list[int], lines: Lines
) -> tuple[Meter, list[Fraction]] | None:
    """Places by the note values over the columns, one after the other."""
    if not lines.letters:
        return None
    now = Fraction(0)
    by_column = {}
    for at, word in lines.letters:
        by_column[at - bar.start] = now
        length = Fraction(1, DURATIONS[word[0].lower()])
        now += length * Fraction(3, 2) if word.endswith(".") else length
    places = []
    for column in columns:
        near = [(abs(at - column), place) for at, place in by_column.items()]
        away, place = min(near)
        if away > 1:
            return None
        places.append(place)
    if sorted(set(places)) != places:
        return None
    return meter_of(now, None), places


def step_of(row: Row) -> int:
    """How many columns a slot is wide: what all strokes of a row are apart."""
    gaps = [b - a for bar in row.bars for a, b in _pairs(bar.columns())]
    return reduce(gcd, gaps) if gaps else max(1, (row.bars[0].width if row.bars else 8) // 8)


def _pairs(columns: list[int]) -> Iterator[tuple[int, int]]:
    return pairwise(columns)


def meter_of(length: Fraction, wanted: Meter | None) -> Meter:
    if wanted is not None and wanted.length == length:
        return wanted
    for unit in (4, 8, 16, 32, 64):
        beats = length * unit
        if beats.denominator == 1 and 1 <= beats <= 64:
            return Meter(int(beats), unit)
    return Meter(max(1, min(64, -(-length.numerator * 4 // length.denominator))), 4)
