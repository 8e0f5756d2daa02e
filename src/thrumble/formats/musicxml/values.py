"""Lengths as note values, and bars as pieces that fill them."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from fractions import Fraction

from thrumble.core.errors import RiffError
from thrumble.core.riff.model import Bar, Hit, Legato, Riff

TYPES = {1: "whole", 2: "half", 4: "quarter", 8: "eighth", 16: "16th", 32: "32nd", 64: "64th"}
TYPES |= {128: "128th", 256: "256th", 512: "512th", 1024: "1024th"}


@dataclass(frozen=True, slots=True)
class Piece:
    """What stands in a measure: a hit or a part of it, or a rest; lengths in whole notes."""

    length: Fraction
    hit: Hit | None
    begins: bool = True
    ends: bool = True
    leads: Legato | None = None  # into the next hit, by the fretting hand alone


def note_values(length: Fraction) -> Iterator[tuple[Fraction, str, int, tuple[int, int] | None]]:
    """A length as note values tied together: each its own length, type, dots, tuplet."""
    odd = length.denominator
    while odd % 2 == 0:
        odd //= 2
    tuplet = None
    scale = Fraction(1)
    if odd > 1:
        normal = 1 << (odd.bit_length() - 1)
        tuplet, scale = (odd, normal), Fraction(normal, odd)
    left = length / scale
    while left:
        value = Fraction(1)
        while value > left:
            value /= 2
        dots = 0
        for count in (1, 2):
            if value * (2 - Fraction(1, 2**count)) <= left:
                dots = count
        whole = value * (2 - Fraction(1, 2**dots))
        if value.denominator not in TYPES:
            raise RiffError("the riff has lengths that no note value stands for", found=str(length))
        yield whole * scale, TYPES[value.denominator], dots, tuplet
        left -= whole


def pieces_of(bars: tuple[Bar, ...]) -> list[list[Piece]]:
    """Bars that follow each other, each as pieces that fill it: hits, what rings over from before,
    rests.
    """
    out: list[list[Piece]] = []
    ringing, left = None, Fraction(0)  # the hit that rings over the bar line, and how long yet
    for bar in bars:
        pieces: list[Piece] = []
        at = Fraction(0)
        if ringing is not None:
            inside = min(left, bar.meter.length)
            left -= inside
            pieces.append(Piece(inside, ringing, begins=False, ends=not left))
            at = inside
            ringing = ringing if left else None
        for hit in bar.hits:
            if hit.at > at:
                pieces.append(Piece(hit.at - at, None))
            inside = min(hit.length, bar.meter.length - hit.at)
            left = hit.length - inside
            pieces.append(Piece(inside, hit, ends=not left))
            ringing = hit if left else None
            at = hit.at + inside
        if at < bar.meter.length:
            pieces.append(Piece(bar.meter.length - at, None))
        out.append(pieces)
    return _leading(out)


def _leading(bars: list[list[Piece]]) -> list[list[Piece]]:
    """The pieces, each hit knowing whether the next one is hammered on or pulled off from it."""
    following: Legato | None = None
    out = []
    for pieces in reversed(bars):
        led = []
        for piece in reversed(pieces):
            led.append(replace(piece, leads=following if piece.hit is not None else None))
            if piece.hit is not None:
                following = piece.hit.legato if piece.begins else following
        out.append(led[::-1])
    return out[::-1]


def all_quarters(riff: Riff) -> Iterator[Fraction]:
    """Every place, length and bar, converted to quarter notes."""
    runs = [bars for s in riff.sections for bars in (s.bars, *s.endings)]
    if riff.pickup:
        yield riff.pickup.length * 4
    for hit in riff.pickup.hits if riff.pickup else ():
        yield from (hit.at * 4, hit.length * 4)
    for bar in (bar for bars in runs for bar in bars):
        yield bar.meter.length * 4
        for hit in bar.hits:
            yield from (hit.at * 4, hit.length * 4)
