"""Pitch names and tunings. Pitches are MIDI numbers (A4 = 69 = 440 Hz), names are scientific (C4 =
60).
"""

import re

SEMITONES = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}
SHARP_NAMES = ("C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B")
FLAT_NAMES = ("C", "Db", "D", "Eb", "E", "F", "Gb", "G", "Ab", "A", "Bb", "B")
STANDARD_TUNING = ("E2", "A2", "D3", "G3", "B3", "E4")
_NAME = re.compile(r"([A-G])(#|b)?(-?\d)?")


def pitch_class(name: str) -> int:
    """Semitones above C of a bare name such as `F#` or `Bb`, 0 to 11. Raises ValueError for
    anything else.
    """
    match = _NAME.fullmatch(name)
    if not match or match[3]:
        raise ValueError(f"{name!r} is no note name; write a letter A to G, with # or b if needed")
    return (SEMITONES[match[1]] + {"#": 1, "b": -1, None: 0}[match[2]]) % 12


def midi_of(name: str) -> int:
    """MIDI number of a name with octave, `E2` = 40. Raises ValueError for anything else."""
    match = _NAME.fullmatch(name)
    if not match or not match[3]:
        raise ValueError(f"{name!r} is no pitch; write a note with its octave, such as E2")
    return SEMITONES[match[1]] + {"#": 1, "b": -1, None: 0}[match[2]] + 12 * (int(match[3]) + 1)


def name_of(midi: int) -> str:
    """Reverse of `midi_of`, spelt with sharps."""
    return f"{SHARP_NAMES[midi % 12]}{midi // 12 - 1}"


def spell(semitones: int, *, flats: bool = False) -> str:
    """A bare name for so many semitones above C, any octave; black keys as sharps or as flats."""
    return (FLAT_NAMES if flats else SHARP_NAMES)[semitones % 12]


def frequency_hz(midi: float) -> float:
    """Equal-tempered frequency of a MIDI number."""
    return float(440.0 * 2.0 ** ((midi - 69) / 12))


def read_tuning(words: list[str]) -> tuple[str, ...]:
    """A tuning from its words, lowest string first; a bare letter takes the octave within six
    semitones of standard.

    Raises ValueError if a word is no pitch, or a bare one has no standard string to lean on
    (other than six strings).
    """
    names = []
    for place, word in enumerate(words):
        match = _NAME.fullmatch(word)
        if match and not match[3]:
            if len(words) != len(STANDARD_TUNING):
                raise ValueError(
                    f"{word!r} needs its octave, such as {word}2, on an instrument without six "
                    "strings"
                )
            near = midi_of(STANDARD_TUNING[place])
            above = (pitch_class(word) - near) % 12
            word = f"{word}{_octave(word, near + (above if above <= 6 else above - 12))}"
        midi_of(word)
        names.append(word)
    return tuple(names)


def _octave(bare: str, midi: int) -> int:
    """The octave that makes the bare name mean this MIDI number; B# and Cb count with their
    letter.
    """
    accidental = {"#": 1, "b": -1, "": 0}[bare[1:]]
    return (midi - accidental - SEMITONES[bare[0]]) // 12 - 1
