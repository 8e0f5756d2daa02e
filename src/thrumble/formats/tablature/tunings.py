"""How the strings of a tablature are tuned, from what people write above it, and which strings are
drawn if only some are.
"""

import re
from collections.abc import Iterator, Sequence

from thrumble.core.instrument import TUNINGS
from thrumble.core.music.pitch import STANDARD_TUNING, midi_of, name_of, pitch_class

Tuning = tuple[str, ...]  # pitches with octaves, lowest string first

_LISTED = re.compile(
    r"(?i:tun(?:ing|ed)\b)[^\n]{0,30}?[\s:=(]((?:[A-G](?:#|b)?\d?[\s,;-]{0,3}){5,7}[A-Ge](?:#|b)?\d?)"
    r"(?![A-Za-z#])"
)
_NAMES = re.compile(r"[A-Ge][#b]?\d?")
_STEPS = re.compile(
    r"\b(one and a half|1 ?1/2|half|1/2|whole|full|one|two|three|[123])[ -]{1,2}"
    r"(?:an? |whole |full )?(step|tone|semitone)s?\b"
)
_LETTER = r"([A-G])(#|b|[ -]sharp|[ -]flat)?"
_DROPPED = re.compile(rf"(?i:\bdrop(?:ped)?)[ -]{{1,2}}{_LETTER}(?![a-z#])")
_LOWERED = re.compile(rf"(?i:low(?:est)? (?:E|string|E string))[^\n]{{0,24}} to {_LETTER}(?![a-z])")
_STANDARD = re.compile(rf"(?<![A-Za-z#]){_LETTER} (?i:standard|tuning)\b")
_SEMITONES = {
    "half": 1, "1/2": 1, "whole": 2, "full": 2, "one": 2, "1": 2, "two": 4, "2": 4, "three": 6,
    "3": 6, "one and a half": 3, "1 1/2": 3, "11/2": 3,
}  # fmt: skip
_COUNTS = {"one": 1, "1": 1, "two": 2, "2": 2, "three": 3, "3": 3}
USUAL: dict[int, Tuning] = {
    len(strings.split()): tuple(strings.split())
    for name, strings in TUNINGS.items()
    if name in ("seven strings", "eight strings")
} | {6: STANDARD_TUNING}


def stated_tuning(text: str, count: int) -> Tuning | None:
    """The tuning that words above a tablature state for `count` strings; None if they state none.

    Understood: a list of notes, so many steps down, a dropped lowest string, the name of the
    lowest string with "standard" or "tuning".
    """
    if listed := _LISTED.search(text):
        names = [name[0].upper() + name[1:] for name in _NAMES.findall(listed[1])]
        if len(names) == count:
            return with_octaves(names)
    standard = USUAL[count]
    dropped = _DROPPED.search(text) or _LOWERED.search(text)
    if dropped and count == len(STANDARD_TUNING):
        lowest = _class_of(dropped[1], dropped[2])
        if _LOWERED.search(text) and not _DROPPED.search(text):
            fall = (midi_of(standard[0]) - lowest) % 12
            return (name_of(midi_of(standard[0]) - fall), *standard[1:])
        shift = (midi_of(standard[0]) - 2 - lowest) % 12
        shifted = _shifted(standard, -shift)
        return (name_of(midi_of(shifted[0]) - 2), *shifted[1:])
    for line in text.splitlines():
        down = re.search(r"(?i)\b(down|lower(?:ed)?|flat)\b", line)
        if down and (steps := _STEPS.search(line.lower())):
            semitones = _SEMITONES[steps[1]]
            if steps[2] == "semitone":
                semitones = _COUNTS.get(steps[1], 1)
            return _shifted(standard, -semitones)
    named = _STANDARD.search(text)
    if named and not re.search(r"(?i)\bopen\b", text):
        fall = (midi_of(standard[0]) - _class_of(named[1], named[2])) % 12
        return _shifted(standard, -fall)
    return None


def _class_of(letter: str, sign: str | None) -> int:
    marks = {"#": 1, "sharp": 1, "b": -1, "flat": -1, "": 0}
    return (pitch_class(letter) + marks[(sign or "").strip(" -")]) % 12


def _shifted(tuning: Tuning, semitones: int) -> Tuning:
    return tuple(name_of(midi_of(name) + semitones) for name in tuning) if semitones else tuning


def with_octaves(names: Sequence[str]) -> Tuning:
    """Note names, lowest string first, each in the octave nearest to the usual string."""
    usual = USUAL[len(names)]
    return tuple(
        name if name[-1].isdigit() else _near_octave(name, like)
        for name, like in zip(names, usual, strict=True)
    )


def _near_octave(name: str, like: str) -> str:
    above = (pitch_class(name) - midi_of(like)) % 12
    midi = midi_of(like) + (above if above <= 6 else above - 12)
    return next(
        (f"{name}{octave}" for octave in range(9) if midi_of(f"{name}{octave}") == midi), like
    )


def tunings_to_try() -> Iterator[Tuning]:
    """Tunings that letters beside a few strings may come from, the commonest first."""
    for shift in range(6):
        whole = _shifted(STANDARD_TUNING, -shift)
        yield whole
        yield (name_of(midi_of(whole[0]) - 2), *whole[1:])


def drawn_strings(labels: Sequence[str], tuning: Tuning) -> list[int] | None:
    """The string numbers (1 the highest) of the lines of a row, from the letters beside them, top
    line first; None if the letters are no strings of this tuning in this order.

    Where a letter names two strings the lower one is meant, unless it is written small.
    """
    count = len(tuning)
    classes = {count - place: midi_of(name) % 12 for place, name in enumerate(tuning)}
    below = count + 1
    numbers: list[int] = []
    for label in reversed(labels):
        if not label:
            return None
        wanted = pitch_class(label[0].upper() + label[1:].rstrip("0123456789"))
        fitting = [n for n in range(below - 1, 0, -1) if classes[n] == wanted]
        if not fitting:
            return None
        small = label[0].islower() and any(other[0].isupper() for other in labels)
        number = fitting[-1] if small or (len(labels) == 1 and label[0].islower()) else fitting[0]
        numbers.append(number)
        below = number
    return numbers[::-1]
