"""Pieces of a riff as riffs of their own: its rhythm part, its signature part, both as one, the way
from one section into another.
"""

from dataclasses import replace
from enum import StrEnum
from fractions import Fraction

from thrumble.core.counting import counted
from thrumble.core.errors import BadInput
from thrumble.core.riff.checking import check_riff
from thrumble.core.riff.editing.excerpt import cut
from thrumble.core.riff.editing.marks import another_kind
from thrumble.core.riff.editing.runs import cut_short, whole_ramps
from thrumble.core.riff.editing.transposing import Moved
from thrumble.core.riff.model import Articulation, Bar, Hit, Riff, Section


class Part(StrEnum):
    """Which part is practised."""

    RHYTHM = "rhythm"
    SIGNATURE = "signature"
    BOTH = "both"


def has_parts(riff: Riff) -> bool:
    """Whether any section has a second part."""
    return any(section.over is not None for section in riff.sections)


def take_part(riff: Riff, part: Part) -> Moved:
    """One part by itself, or both as one guitar plays them; what two hands cannot do is left out
    and said. Raises BadInput if there is one part only.
    """
    if not has_parts(riff):
        raise BadInput("this riff has one part: write a second one as [signature over A]")
    seconds = {section.over: section for section in riff.sections if section.over is not None}
    lost: list[str] = []
    sections = []
    for section in riff.sections:
        if section.over is not None:
            continue
        second = seconds.get(section.name)
        bars = section.bars
        if second is not None and part is Part.SIGNATURE:
            bars = second.bars + bars[len(second.bars) :]
        elif second is not None and part is Part.BOTH:
            bars = _both(section, second, lost)
        sections.append(replace(section, bars=whole_ramps(bars)))
    return Moved(_named(replace(riff, sections=tuple(sections)), f", {part}"), tuple(lost))


def transition(riff: Riff, first: str, second: str, bars: int = 1) -> Riff:
    """The last bars of a section, as it ends last, and the first ones of another. Raises BadInput
    for sections that are not there and if there is no hit.
    """
    by_name = {section.name: section for section in riff.sections}
    for name in (first, second):
        if name not in by_name:
            raise BadInput(f"there is no section {name[:40]!r}; there are {', '.join(by_name)}")
    a, b = by_name[first], by_name[second]
    end = a.bars + (a.endings[-1] if a.endings else ())
    begin = b.bars + (b.endings[0] if b.endings else ())
    both = [*end[-bars:], *begin[:bars]]
    if not any(bar.hits for bar in both):
        raise BadInput("there is no hit in these bars")
    section = Section(name=f"{first} to {second}"[:60], bars=whole_ramps(cut(both)), feel=a.feel)
    base = replace(riff, sections=(section,), play=(), pickup=None)
    return _named(base, f", {first} to {second}")


def _named(riff: Riff, suffix: str) -> Riff:
    title = f"{riff.title}{suffix}"
    return check_riff(replace(riff, title=title if len(title) <= 120 else riff.title))


def _both(section: Section, second: Section, lost: list[str]) -> tuple[Bar, ...]:
    """Two parts on one guitar: what falls together is one hit if the strings allow it."""
    collided = muted = 0
    out = []
    for number, bar in enumerate(section.bars):
        over = second.bars[number].hits if number < len(second.bars) else ()
        placed: dict[Fraction, Hit] = {hit.at: hit for hit in bar.hits}
        for hit in over:
            there = placed.get(hit.at)
            if there is None:
                placed[hit.at] = hit
                continue
            joined = _joined(there, hit)
            collided += joined is None
            muted += joined is not None and there.articulation is not hit.articulation
            placed[hit.at] = joined or there
        out.append(replace(bar, hits=tuple(placed[at] for at in sorted(placed))))
    if collided:
        lost.append(
            f"{counted(collided, 'hit')} of {second.name} in {section.name} on a string that is "
            "struck already"
        )
    if muted:
        lost.append(
            f"{counted(muted, 'hit')} in {section.name} muted in one part and open in the other: "
            "they are open"
        )
    return cut_short(tuple(out))


def _joined(first: Hit, other: Hit) -> Hit | None:
    """Two hits at one place as one; None if they need the same string."""
    if {note.string for note in first.notes} & {note.string for note in other.notes}:
        return None
    notes = tuple(sorted((*first.notes, *other.notes), key=lambda note: -note.string))
    same_kind = first.articulation is other.articulation
    hit = replace(
        first,
        notes=notes,
        length=max(first.length, other.length),
        accent=first.accent or other.accent,
        label=None,
        slide_from=None,
        stop=first.stop and other.stop,
    )
    if same_kind:
        return hit
    fretted = tuple(replace(note, fret=note.fret or 0) for note in notes)
    return replace(another_kind(hit, Articulation.OPEN, None), notes=fretted)
