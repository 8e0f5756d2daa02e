"""The lines over and under a row of tablature, and the rhythm that they or the columns give."""

import re
from bisect import bisect_left
from dataclasses import dataclass, field
from fractions import Fraction
from functools import reduce
from itertools import pairwise
from math import gcd

from thrumble.core.chords.names import read_chord_name
from thrumble.core.music.meter import Meter
from thrumble.formats.tablature.rows import PALM, Row, TabBar

DURATIONS = {
    "w": Fraction(1),
    "h": Fraction(1, 2),
    "q": Fraction(1, 4),
    "e": Fraction(1, 8),
    "s": Fraction(1, 16),
    "t": Fraction(1, 32),
}
_VALUES = {
    "whole": 1, "half": 2, "quarter": 4, "eighth": 8, "8th": 8, "sixteenth": 16, "16th": 16,
    "thirtysecond": 32, "32nd": 32,
}  # fmt: skip
_LEGEND = re.compile(
    r"(?i)(?<![a-z])([a-z]) {0,3}[=:-] {0,3}(whole|half|quarter|eighth|8th|sixteenth|16th|"
    r"thirty[ -]?second|32nd)"
)
COUNTS = {"&": (1, 2), "+": (1, 2), "and": (1, 2), "e": (1, 4), "a": (3, 4)}
COUNTS |= {"trip": (1, 3), "let": (2, 3)}
NO_COUNT = ("·", ".")


@dataclass(slots=True)
class Lines:
    """The rhythm marks over and under a row, by column."""

    palms: list[tuple[int, int]] = field(default_factory=list)
    counts: list[tuple[int, str]] = field(default_factory=list)
    letters: list[tuple[int, Fraction]] = field(default_factory=list)  # lengths in whole notes
    accents: list[int] = field(default_factory=list)
    chords: list[tuple[int, str]] = field(default_factory=list)


# --- lines over and under a row -------------------------------------------------------------------


def lines_around(row: Row, durations: dict[str, Fraction] | None = None) -> Lines:
    """What the lines around a row say. `durations`: letters for note values and their lengths in
    whole notes, by the sheet's legend; else the usual ones.
    """
    letters = DURATIONS | (durations or {})
    out = Lines()
    for place, line in [*((-1, line) for line in row.above), *((1, line) for line in row.below)]:
        words = [(m.start(), m[0]) for m in re.finditer(r"[^\s|]+", line)]
        lower = [word.lower() for _, word in words]
        if PALM.search(line):
            out.palms += _spans(line)
        elif not words:
            continue
        elif all(set(word) <= set(">^") for word in lower):
            out.accents += [at for at, word in words]
        elif place > 0 and all(word == "." for word in lower):
            out.palms += [(at, -1) for at, _ in words]  # dots under the notes
        elif any(w.isdecimal() for w in lower) and all(_is_count(word) for word in lower):
            out.counts = out.counts or words
        elif all(word.rstrip(".") in letters and len(word) <= 2 for word in lower) and (
            len(words) > 1 or words[0][1].isupper()
        ):
            out.letters = out.letters or [
                (at, _length_of(word.lower(), letters)) for at, word in words
            ]
        else:
            out.chords += [(at, word) for at, word in words if read_chord_name(word)]
    return out


def _length_of(word: str, letters: dict[str, Fraction]) -> Fraction:
    length = letters[word.rstrip(".")]
    return length * Fraction(3, 2) if word.endswith(".") else length


def legend(head: str) -> dict[str, Fraction]:
    """Letters for note values as a sheet explains them, such as `Q = quarter`."""
    return {
        match[1].lower(): Fraction(1, _VALUES[match[2].lower().replace("-", "").replace(" ", "")])
        for match in _LEGEND.finditer(head)
    }


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
    names = [word for at, word in lines.chords if at <= column + 1]
    return names[-1] if names else last


# --- rhythm ---------------------------------------------------------------------------------------


def by_counts(
    bar: TabBar, columns: list[int], lines: Lines, meter: Meter | None
) -> tuple[Meter, list[Fraction]] | None:
    """Places by the count that stands at each struck column."""
    if not lines.counts:
        return None
    placed = _count_places(lines.counts)
    signs = [(at - bar.start, place) for at, place in placed if place is not None]
    if not signs:
        return None
    beats = max(int(place) for _, place in signs) + 1
    whole = meter if meter and meter.beats >= beats else Meter(max(beats, 1), 4)
    places = []
    for column in columns:
        away, place = _nearest(signs, column)
        if away > 1:
            return None
        places.append(place * whole.beat)
    if sorted(set(places)) != places:
        return None
    return whole, places


def _nearest(signs: list[tuple[int, Fraction]], column: int) -> tuple[int, Fraction]:
    """How far the sign nearest to a column is, and its place; `signs` are sorted by column."""
    after = bisect_left(signs, column, key=lambda item: item[0])
    around = signs[max(0, after - 1) : after + 1]
    return min((abs(at - column), place) for at, place in around)


def _count_places(counts: list[tuple[int, str]]) -> list[tuple[int, Fraction | None]]:
    """Each count's column and its place in beats; a sign for `finer` lies half way to the next."""
    beat = 0
    placed: list[Fraction | None] = []
    for _, word in counts:
        lower = word.lower()
        if lower.isdecimal():
            beat = int(lower) - 1
            placed.append(Fraction(beat))
        elif lower in COUNTS:
            placed.append(beat + Fraction(*COUNTS[lower]))
        else:
            placed.append(None)
    sure = [k for k, place in enumerate(placed) if place is not None]
    for first, following in zip(sure, [*sure[1:], len(placed)], strict=False):
        begin = placed[first]
        end = placed[following] if following < len(placed) else Fraction(beat + 1)
        assert begin is not None and end is not None
        for k in range(first + 1, following):
            placed[k] = begin + (end - begin) * Fraction(k - first, following - first)
    return [(at, place) for (at, _), place in zip(counts, placed, strict=True)]


def by_letters(
    bar: TabBar, columns: list[int], lines: Lines
) -> tuple[Meter | None, list[Fraction]] | None:
    """Places by the note values over the columns, one after the other."""
    if not lines.letters:
        return None
    now = Fraction(0)
    signs = []
    for at, length in lines.letters:
        signs.append((at - bar.start, now))
        now += length
    places = []
    for column in columns:
        away, place = _nearest(signs, column)
        if away > 1:
            return None
        places.append(place)
    if sorted(set(places)) != places:
        return None
    return meter_of(now, None), places


def step_of(row: Row) -> int:
    """How many columns a slot is wide: what all strokes of a row are apart."""
    gaps = [b - a for bar in row.bars for a, b in pairwise(bar.columns())]
    return reduce(gcd, gaps) if gaps else max(1, (row.bars[0].width if row.bars else 8) // 8)


def meter_of(length: Fraction, wanted: Meter | None) -> Meter | None:
    """A meter of this length, else the next whole number of quarters; None beyond 64 beats."""
    if wanted is not None and wanted.length == length:
        return wanted
    for unit in (4, 8, 16, 32, 64):
        beats = length * unit
        if beats.denominator == 1 and 1 <= beats <= 64:
            return Meter(int(beats), unit)
    quarters = -(-length.numerator * 4 // length.denominator)
    return Meter(max(1, quarters), 4) if quarters <= 64 else None
