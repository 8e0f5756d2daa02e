"""A riff in another key or on another tuning: the same riff, laid out anew, with a list of what is
lost on the way.
"""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from enum import StrEnum

from thrumble.core.chords.names import NAME, name_notes
from thrumble.core.chords.shapes import REACH_FRETS
from thrumble.core.chords.voicing import LAST_FRET, lay_pitches
from thrumble.core.counting import counted
from thrumble.core.errors import BadInput
from thrumble.core.instrument import Instrument, Note, check_instrument
from thrumble.core.music.pitch import pitch_class, spell
from thrumble.core.riff.checking import check_riff
from thrumble.core.riff.model import Bar, Hit, Riff

MAX_SEMITONES = 24
OCTAVES = (0, 12, -12, 24, -24)  # tried in this order where a pitch cannot be reached


class Keep(StrEnum):
    """What stays the same when the tuning changes: the sound or the fingering."""

    SOUND = "sound"
    FINGERING = "fingering"


@dataclass(frozen=True, slots=True)
class Moved:
    """A riff laid out anew. `lost`: what could not come along, each in words, nothing hidden."""

    riff: Riff
    lost: tuple[str, ...]


@dataclass(slots=True)
class _Losses:
    """Counts of what is lost while the hits are moved."""

    notes: int = 0
    octaves: list[str] = field(default_factory=list)
    drones: int = 0
    opened: int = 0
    pedal: bool = False
    unnamed: int = 0
    slides: int = 0
    bends: int = 0
    arpeggios: int = 0

    def words(self) -> tuple[str, ...]:
        out = []
        if self.octaves:
            out.append(
                f"{counted(len(self.octaves), 'hit')} out of range, moved by an octave, first in "
                f"{self.octaves[0]}"
            )
        if self.notes:
            out.append(f"{counted(self.notes, 'note')} out of reach left out of their chords")
        if self.pedal:
            out.append("the open pedal string becomes a fretted note")
        if self.drones:
            out.append(f"{counted(self.drones, 'ringing open string')} can't ring on")
        if self.opened:
            out.append(f"{counted(self.opened, 'open-string shape')} must be fretted")
        if self.unnamed:
            out.append(f"{counted(self.unnamed, 'chord name')} no longer fits and goes")
        if self.slides:
            out.append(f"{counted(self.slides, 'slide')} would start off the neck and goes")
        if self.bends:
            out.append(f"{counted(self.bends, 'bend')} would fall on open strings and goes")
        if self.arpeggios:
            out.append(f"{counted(self.arpeggios, 'chord')} struck string by string has one left")
        return tuple(out)


def transpose(riff: Riff, semitones: int) -> Moved:
    """The riff so many semitones higher, or lower if negative, within two octaves. Shapes keep
    their strings if the frets allow it and are laid anew if they do not; open-string shapes
    become movable ones and back. Raises BadInput beyond two octaves.
    """
    if not -MAX_SEMITONES <= semitones <= MAX_SEMITONES:
        raise BadInput(f"a riff moves by two octaves at most; {semitones} semitones are more")
    if not semitones:
        return Moved(riff, ())
    losses = _Losses()
    instrument = riff.instrument

    def moved(notes: tuple[Note, ...], where: str) -> tuple[Note, ...]:
        return _lay(notes, instrument, instrument, semitones, losses, where)

    def named(label: str) -> str | None:
        return _renamed(label, semitones)

    return _rebuilt(riff, riff, moved, named, losses)


def retune(riff: Riff, onto: Instrument, keep: Keep) -> Moved:
    """The riff on another tuning or capo. Keeping the sound, every pitch is found again; keeping
    the fingering, strings and frets stay and the sound goes with the tuning. Raises BadInstrument,
    and BadInput if the fingering needs strings that are not there.
    """
    check_instrument(onto)
    before = riff.instrument
    losses = _Losses()
    base = replace(riff, tuning=onto.tuning, capo=onto.capo)
    if keep is Keep.FINGERING:
        most = max((n.string for hit in _hits(riff) for n in hit.notes), default=1)
        if most > len(onto.tuning):
            raise BadInput(
                f"the fingering uses string {most} and that instrument has {len(onto.tuning)}: "
                "keep the sound instead"
            )
        return _rebuilt(riff, base, lambda notes, _: notes, None, losses)

    def moved(notes: tuple[Note, ...], where: str) -> tuple[Note, ...]:
        return _lay(notes, before, onto, 0, losses, where)

    return _rebuilt(riff, base, moved, lambda label: label, losses)


def _rebuilt(
    riff: Riff,
    base: Riff,
    moved: Callable[[tuple[Note, ...], str], tuple[Note, ...]],
    named: Callable[[str], str | None] | None,
    losses: _Losses,
) -> Moved:
    """Every hit's notes and names changed, the pedal with them. Without `named` chords are called
    after what they now sound.
    """
    pedal = riff.pedal
    if pedal is not None:
        (pedal,) = moved((pedal,), "the pedal")
        losses.pedal = riff.pedal is not None and riff.pedal.fret == 0 and pedal.fret != 0

    def changed(hit: Hit, where: str) -> Hit:
        notes = moved(hit.notes, where)
        label = hit.label
        if label is not None:
            label = named(label) if named else name_notes(_midis(base.instrument, notes))
            losses.unnamed += label is None
        slide, bend = hit.slide_from, hit.bend
        if slide is not None and any((n.fret or 0) + slide < 0 for n in notes):
            slide = None
            losses.slides += 1
        if bend is not None and not any(n.fret for n in notes):
            bend = None
            losses.bends += 1
        arpeggio = hit.arpeggio and len(notes) > 1
        losses.arpeggios += hit.arpeggio and not arpeggio
        return replace(
            hit, notes=notes, label=label, slide_from=slide, bend=bend, arpeggio=arpeggio
        )

    def bars(of: tuple[Bar, ...], name: str, first: int) -> tuple[Bar, ...]:
        return tuple(
            replace(bar, hits=tuple(changed(hit, f"bar {n} of {name}") for hit in bar.hits))
            for n, bar in enumerate(of, first)
        )

    sections = tuple(
        replace(
            section,
            bars=bars(section.bars, section.name, 1),
            endings=tuple(
                bars(ending, section.name, len(section.bars) + 1) for ending in section.endings
            ),
        )
        for section in riff.sections
    )
    pickup = riff.pickup and replace(
        riff.pickup, hits=tuple(changed(hit, "the pick-up") for hit in riff.pickup.hits)
    )
    out = replace(base, sections=sections, pickup=pickup, pedal=pedal)
    return Moved(check_riff(out), losses.words())


def _lay(
    notes: tuple[Note, ...],
    was: Instrument,
    onto: Instrument,
    semitones: int,
    losses: _Losses,
    where: str,
) -> tuple[Note, ...]:
    """The notes so many semitones on, on their own strings if the hand allows it; an octave off
    if the instrument does not reach that far. At least one note.
    """
    if any(note.fret is None for note in notes):  # struck, not fretted: the strings are what counts
        there = {min(note.string, len(onto.tuning)): note for note in notes}
        return tuple(replace(note, string=string) for string, note in there.items())
    wanted = {note: pitch + semitones for note in notes if (pitch := was.midi(note)) is not None}
    same = [
        replace(note, fret=pitch - onto.open_midi(note.string))
        for note, pitch in wanted.items()
        if note.string in onto.strings
    ]
    if len(same) == len(notes) and _playable(same):
        return _with_rings(notes, tuple(same), losses)
    for octave in OCTAVES:
        pitches = sorted(pitch + octave for pitch in wanted.values())
        left = list(pitches)
        while left:  # the highest note gives way first: the root carries the chord
            laid = lay_pitches(onto, tuple(left), notes)
            if laid is not None:
                losses.notes += len(pitches) - len(left)
                if octave:
                    losses.octaves.append(where)
                return _with_rings(notes, laid, losses)
            left.pop()
    raise BadInput(f"{where} lies outside everything that instrument can sound")


def _playable(notes: list[Note]) -> bool:
    frets = [note.fret or 0 for note in notes]
    pressed = [fret for fret in frets if fret]
    reach = max(pressed) - min(pressed) if pressed else 0
    return min(frets) >= 0 and max(frets) <= LAST_FRET and reach <= REACH_FRETS


def _with_rings(
    before: tuple[Note, ...], after: tuple[Note, ...], losses: _Losses
) -> tuple[Note, ...]:
    """Open strings that ring on keep doing so if they are still open; fingers keep their
    notes.
    """
    if len(after) == len(before):
        pairs = zip(after, before, strict=True)
        after = tuple(replace(note, plucked=was.plucked) for note, was in pairs)
    rang = sum(note.let_ring for note in before)
    ringing = {note.string for note in before if note.let_ring}
    out = tuple(replace(note, let_ring=note.string in ringing and note.fret == 0) for note in after)
    losses.drones += max(0, rang - sum(note.let_ring for note in out))
    had_open = len(before) > 1 and any(note.fret == 0 for note in before)
    losses.opened += had_open and not any(note.fret == 0 for note in out)
    return out


def _renamed(label: str, semitones: int) -> str | None:
    """A chord name so many semitones on; a name that is none of ours goes."""
    match = NAME.fullmatch(label)
    if not match:
        return None
    root = match["root"]
    return spell(pitch_class(root) + semitones, flats="b" in root) + label[len(root) :]


def _midis(instrument: Instrument, notes: tuple[Note, ...]) -> tuple[int, ...]:
    return tuple(midi for note in notes if (midi := instrument.midi(note)) is not None)


def _hits(riff: Riff) -> list[Hit]:
    runs = [bars for s in riff.sections for bars in (s.bars, *s.endings)]
    hits = [hit for bars in runs for bar in bars for hit in bar.hits]
    return hits + list(riff.pickup.hits if riff.pickup else ())
