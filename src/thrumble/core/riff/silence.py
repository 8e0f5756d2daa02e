"""Which strings must not ring while each hit sounds."""

from collections.abc import Iterable

from thrumble.core.riff.model import Hit


def ringing_before(hits: Iterable[Hit]) -> list[frozenset[int]]:
    """For every hit in order the strings that may still ring from hits before it: those let ring
    and neither struck anew nor stopped since.
    """
    out = []
    ringing: frozenset[int] = frozenset()
    for hit in hits:
        struck = {note.string for note in hit.notes}
        ringing -= struck
        out.append(ringing)
        ringing |= {note.string for note in hit.notes if note.let_ring}
        if hit.stop:
            ringing = frozenset()
    return out


def silent_strings(hits: Iterable[Hit], strings: int) -> list[tuple[int, ...]]:
    """For every hit in order the strings, of so many, that must not ring while it sounds: all that
    it neither strikes nor finds ringing on by right. The highest, 1, first.
    """
    hits = list(hits)
    return [
        tuple(
            string
            for string in range(1, strings + 1)
            if string not in ringing and all(note.string != string for note in hit.notes)
        )
        for hit, ringing in zip(hits, ringing_before(hits), strict=True)
    ]
