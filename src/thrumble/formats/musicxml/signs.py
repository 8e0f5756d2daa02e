"""What the signs on a note and in a measure mean."""

import re
from collections.abc import Iterator
from decimal import Decimal
from fractions import Fraction
from typing import Any
from xml.etree.ElementTree import Element

from thrumble.core.instrument import Note, Plucking
from thrumble.core.music.feel import STRAIGHT, Feel
from thrumble.core.music.pitch import SEMITONES
from thrumble.core.riff.checking import is_label
from thrumble.core.riff.model import (
    Legato,
    Stroke,
)
from thrumble.formats.musicxml import words as ours
from thrumble.formats.musicxml.score import (
    number_of,
)

FINGERS = {letter: finger for finger, letter in ours.PLUCKED.items()}
KINDS = {"major": "maj", "minor": "min", "power": "5", "suspended-fourth": "sus4"}
KINDS |= {"suspended-second": "sus2"}
UNITS = {kind: unit for unit, kind in ours.SWING_UNITS.items()}


def signs_of(element: Element) -> Iterator[tuple[str, Any]]:
    """Fields of a hit and their values from the notations of a note."""
    for sign in element.iterfind("notations/technical/*"):
        text = (sign.text or "").strip()
        if sign.tag == "down-bow":
            yield "stroke", Stroke.DOWN
        elif sign.tag == "up-bow":
            yield "stroke", Stroke.UP
        elif sign.tag in ("hammer-on", "pull-off") and sign.get("type") == "stop":
            yield "legato", Legato.HAMMER if sign.tag == "hammer-on" else Legato.PULL
        elif sign.tag == "bend":
            up = number_of(sign.findtext("bend-alter"), 0.01, 2)
            if up is not None:
                yield "bend", Decimal(str(sign.findtext("bend-alter")).strip())
        elif sign.tag == "other-technical" and text == ours.FINGERS:
            yield "stroke", Stroke.FINGERS
        elif sign.tag == "other-technical" and text == ours.OPENS:
            yield "opens", True
        elif sign.tag == "other-technical" and text.startswith(f"{ours.SLIDE} "):
            frets = number_of(text.split()[1], -36, 36)
            if frets:
                yield "slide_from", int(frets)
    signs = {
        sign.tag: (sign.text or "").strip()
        for sign in element.iterfind("notations/articulations/*")
    }
    if "accent" in signs or "strong-accent" in signs:
        yield "accent", True
    if "staccato" in signs or "staccatissimo" in signs:
        yield "staccato", True
    if signs.get("other-articulation") == ours.STOP:
        yield "stop", True
    slid = any(
        (other.text or "").startswith(f"{ours.SLIDE} ")
        for other in element.iterfind("notations/technical/other-technical")
    )
    if not slid and "scoop" in signs:
        yield "slide_from", -2
    if not slid and "plop" in signs:
        yield "slide_from", 2
    if element.find("notations/arpeggiate") is not None:
        yield "arpeggio", True


def rings_on(element: Element) -> bool:
    return any(tied.get("type") == "let-ring" for tied in element.iterfind("notations/tied"))


def finger_of(element: Element) -> Plucking | None:
    return FINGERS.get((element.findtext("notations/technical/pluck") or "").strip())


def label_of(harmony: Element) -> str | None:
    """A chord's name as Thrumble writes it, None for none."""
    step = harmony.findtext("root/root-step") or ""
    alter = number_of(harmony.findtext("root/root-alter"), -1, 1) or 0
    kind = harmony.find("kind")
    if kind is None:
        return None
    suffix = kind.get("text")
    if suffix is None:
        suffix = KINDS.get((kind.text or "").strip())
    if suffix is None:
        return None
    name = step + {1.0: "#", -1.0: "b"}.get(alter, "") + suffix
    return name if is_label(name) else None


def feel_of(swing: Element) -> Feel:
    first, second = (number_of(swing.findtext(t), 1, 1e15) for t in ("first", "second"))
    if not first or not second or swing.find("straight") is not None:
        return STRAIGHT
    ratio = Fraction(int(first), int(second))
    if not Fraction(1, 5) <= ratio <= 5:
        return STRAIGHT
    return Feel(ratio, UNITS.get(swing.findtext("swing-type") or "eighth", Fraction(1, 8)))


def beat_quarters(metronome: Element) -> float:
    """The metronome's beat in quarter notes."""
    units = {"whole": 4.0, "half": 2.0, "quarter": 1.0, "eighth": 0.5, "16th": 0.25}
    beat = units.get(metronome.findtext("beat-unit") or "quarter", 1.0)
    return beat * (1.5 if metronome.find("beat-unit-dot") is not None else 1.0)


def midi_of(element: Element) -> int | None:
    name = pitch_name(element.find("pitch"), "")
    if name is None:
        return None
    letter, alter, octave = ours.spelt(name)
    return SEMITONES[letter] + alter + 12 * (int(octave) + 1)


def pitch_name(element: Element | None, prefix: str) -> str | None:
    """`F#2` from step, alter and octave; None if they say no pitch."""
    if element is None:
        return None
    step = (element.findtext(f"{prefix}step") or "").strip()
    alter = number_of(element.findtext(f"{prefix}alter"), -1, 1) or 0
    octave = number_of(element.findtext(f"{prefix}octave"), 0, 9)
    if step not in SEMITONES or octave is None:
        return None
    sign = {1: "#", -1: "b"}.get(round(alter), "")
    return f"{step}{sign}{int(octave)}"


def pedal_of(root: Element) -> Note | None:
    for entry in root.iterfind("identification/miscellaneous/miscellaneous-field"):
        match = re.fullmatch(r"(\d{1,2}):(\d{1,2})", (entry.text or "").strip())
        if entry.get("name") == "pedal" and match:
            return Note(int(match[1]), int(match[2]))
    return None
