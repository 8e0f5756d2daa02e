"""What a sound check asks to be played: blocks of every kind of hit, low and high, slow and fast.
The ear is told something else for a part of them, so that repeating the plan proves nothing.
"""

from dataclasses import dataclass, replace
from decimal import Decimal
from fractions import Fraction

import numpy as np

from thrumble.core.instrument import Note
from thrumble.core.music.meter import Meter
from thrumble.core.riff.checking import check_riff
from thrumble.core.riff.model import Articulation, Bar, Hit, Riff, Section, Stroke

TITLE = "Sound check"
TEMPO_BPM = Decimal(100)
METER = Meter(4, 4)
LOW, LOW_CHORD = (Note(6, 0),), (Note(6, 5), Note(5, 7))
HIGH, HIGH_CHORD = (Note(4, 7),), (Note(5, 9), Note(4, 11))
QUARTER, EIGHTH, SIXTEENTH = Fraction(1, 4), Fraction(1, 8), Fraction(1, 16)
LIGHT, FULL, TIGHT = Decimal("0.25"), Decimal("0.6"), Decimal("0.9")
Kind = tuple[Articulation, Decimal | None]
OPEN: Kind = (Articulation.OPEN, None)
DEAD: Kind = (Articulation.DEAD, None)
MISLED = 0.2  # share of hits of which the ear is told something else
SEED = 16


def palm(depth: Decimal) -> Kind:
    """A palm mute so deep."""
    return Articulation.PALM, depth


@dataclass(frozen=True, slots=True, kw_only=True)
class Block:
    """Some bars of one thing, then a bar of rest. `pattern`: what each hit in turn is, over and
    over; `slots`: how long each in turn is; `stopped`: only half of it sounds, then silence.
    """

    name: str
    bars: int
    pattern: tuple[Kind, ...]
    notes: tuple[tuple[Note, ...], ...] = (LOW,)
    slots: tuple[Fraction, ...] = (EIGHTH,)
    stopped: bool = False


BLOCKS = (
    Block(name="open low string", bars=4, pattern=(OPEN,), slots=(QUARTER,)),
    Block(
        name="open chords at fret 5", bars=4, pattern=(OPEN,), notes=(LOW_CHORD,), slots=(QUARTER,)
    ),
    Block(name="light palm on the low string", bars=3, pattern=(palm(LIGHT),)),
    Block(name="full palm on the low string", bars=3, pattern=(palm(FULL),)),
    Block(name="tight palm on the low string", bars=3, pattern=(palm(TIGHT),)),
    Block(name="palm on the chord at fret 5", bars=3, pattern=(palm(FULL),), notes=(LOW_CHORD,)),
    Block(name="dead strings 6 and 5", bars=4, pattern=(DEAD,), notes=(LOW_CHORD,)),
    Block(name="open chords at fret 9", bars=3, pattern=(OPEN,), notes=(HIGH_CHORD,)),
    Block(name="palm on string 4 at fret 7", bars=3, pattern=(palm(FULL),), notes=(HIGH,)),
    Block(
        name="chords at fret 5 stopped short",
        bars=4,
        pattern=(OPEN,),
        notes=(LOW_CHORD,),
        slots=(QUARTER,),
        stopped=True,
    ),
    Block(name="palm and every fourth open", bars=4, pattern=(*3 * (palm(FULL),), OPEN)),
    Block(
        name="chords and every fourth dead",
        bars=3,
        pattern=(*3 * (OPEN,), DEAD),
        notes=(LOW_CHORD,),
    ),
    Block(
        name="palm in sixteenths on the low string",
        bars=3,
        pattern=(palm(FULL),),
        slots=(SIXTEENTH,),
    ),
    Block(
        name="gallop from an open chord",
        bars=4,
        pattern=(OPEN, palm(FULL), palm(FULL)),
        notes=(LOW_CHORD, LOW, LOW),
        slots=(EIGHTH, SIXTEENTH, SIXTEENTH),
    ),
    Block(name="open low string in eighths", bars=3, pattern=(OPEN,), slots=(EIGHTH,)),
)


def sound_check(tuning: tuple[str, ...]) -> Riff:
    """The riff that the sound check asks for, in the player's tuning."""
    return check_riff(
        Riff(
            title=TITLE,
            tempo_bpm=TEMPO_BPM,
            sections=tuple(_section(block) for block in BLOCKS),
            tuning=tuning,
        )
    )


def _section(block: Block) -> Section:
    hits: list[tuple[int, Hit]] = []
    at, number = Fraction(0), 0
    while at < block.bars * METER.length:
        slot = block.slots[number % len(block.slots)]
        articulation, depth = block.pattern[number % len(block.pattern)]
        bar = int(at / METER.length)
        up = slot == SIXTEENTH and (at / SIXTEENTH) % 2 == 1
        hits.append(
            (
                bar,
                Hit(
                    at=at - bar * METER.length,
                    length=slot / 2 if block.stopped else slot,
                    notes=block.notes[number % len(block.notes)],
                    articulation=articulation,
                    depth=depth,
                    stroke=Stroke.UP if up else Stroke.DOWN,
                    stop=block.stopped,
                ),
            )
        )
        at, number = at + slot, number + 1
    bars = [
        Bar(METER, tuple(hit for bar, hit in hits if bar == number)) for number in range(block.bars)
    ]
    return Section(name=block.name, bars=(*bars, Bar(METER, ())))


def with_decoys(riff: Riff) -> Riff:
    """The same riff as the ear is told it: every fifth hit or so is written otherwise, always the
    same ones.
    """
    rng = np.random.default_rng(SEED)

    def as_shown(hit: Hit) -> Hit:
        if rng.random() >= MISLED:
            return hit
        if hit.articulation is Articulation.PALM:
            return replace(hit, articulation=Articulation.OPEN, depth=None)
        return replace(hit, articulation=Articulation.PALM, depth=FULL)

    return replace(
        riff,
        sections=tuple(
            replace(
                section,
                bars=tuple(
                    replace(bar, hits=tuple(as_shown(hit) for hit in bar.hits))
                    for bar in section.bars
                ),
            )
            for section in riff.sections
        ),
    )
