"""Strings and frets as they are typed: `6:2,5:4`, `6:x` for an unpressed string, `^` behind one
that rings on, a letter behind one that a finger plucks (`3:2m`).
"""

import re

from thrumble.core.instrument import MAX_FRET, Note, Plucking

FINGERS = {
    "t": Plucking.THUMB,
    "i": Plucking.INDEX,
    "m": Plucking.MIDDLE,
    "r": Plucking.RING,
    "l": Plucking.LITTLE,
}
LETTERS = {finger: letter for letter, finger in FINGERS.items()}
SINGLE_NOTE = r"\d+:(?:\d+|x)[timrl]?\^?"
_NOTE = re.compile(r"(\d{1,3}):(\d{1,3}|x)([timrl]?)(\^?)")


def read_frets(text: str, strings: int) -> tuple[Note, ...]:
    """The notes, lowest string first. Raises ValueError saying what is expected."""
    notes = []
    for word in text.replace(" ", "").split(","):
        match = _NOTE.fullmatch(word)
        if not match:
            raise ValueError("write a name such as F#5 or F#5@6/2, or frets such as 6:2,5:4")
        string, fret, finger, rings = match.groups()
        if not 1 <= int(string) <= strings or (fret != "x" and int(fret) > MAX_FRET):
            raise ValueError(
                f"write string:fret with strings 1 to {strings} and frets 0 to {MAX_FRET} or x"
            )
        number = None if fret == "x" else int(fret)
        notes.append(Note(int(string), number, bool(rings), FINGERS.get(finger)))
    if len({note.string for note in notes}) < len(notes):
        raise ValueError("each string once")
    return tuple(sorted(notes, key=lambda note: -note.string))


def print_frets(notes: tuple[Note, ...]) -> str:
    """Reverse of `read_frets`."""
    return ",".join(
        f"{n.string}:{'x' if n.fret is None else n.fret}"
        f"{LETTERS[n.plucked] if n.plucked else ''}{'^' if n.let_ring else ''}"
        for n in notes
    )
