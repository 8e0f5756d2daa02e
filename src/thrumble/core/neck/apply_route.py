"""A route put into the riff: every written hit moves to where the route plays it first."""

from dataclasses import replace

from thrumble.core.instrument import Note
from thrumble.core.neck.routes import Route
from thrumble.core.riff.checking import check_riff
from thrumble.core.riff.expand import ExpandedRiff
from thrumble.core.riff.model import Bar, Hit, HitIdentity, Riff


def apply_route(expanded: ExpandedRiff, route: Route) -> Riff:
    """The riff with the route's strings and frets. Where a section comes again and is taken
    otherwise, its first time counts; sections that are never played stay as they are.
    """
    taken: dict[tuple[str, int, object], tuple[Note, ...]] = {}
    for place, due in zip(route.places, expanded.hits, strict=True):
        notes = tuple(Note(n.string, n.fret) for n in place.grip.notes)
        if all(note.fret is not None for note in due.hit.notes):
            taken.setdefault(_key(due.identity), _with_marks(notes, due.hit.notes))
    riff = expanded.riff
    sections = []
    for section in riff.sections:
        number = len(section.bars)
        endings = []
        for ending in section.endings:
            endings.append(_bars(ending, section.name, number, taken))
            number += len(ending)
        bars = _bars(section.bars, section.name, 0, taken)
        sections.append(replace(section, bars=bars, endings=tuple(endings)))
    pickup = riff.pickup
    if pickup is not None:
        hits = tuple(_hit(hit, "pickup", 0, taken) for hit in pickup.hits)
        pickup = replace(pickup, hits=hits)
    return check_riff(replace(riff, sections=tuple(sections), pickup=pickup))


def _key(identity: HitIdentity) -> tuple[str, int, object]:
    return identity.section, identity.bar, identity.at


def _bars(
    bars: tuple[Bar, ...],
    name: str,
    before: int,
    taken: dict[tuple[str, int, object], tuple[Note, ...]],
) -> tuple[Bar, ...]:
    return tuple(
        replace(bar, hits=tuple(_hit(hit, name, before + k, taken) for hit in bar.hits))
        for k, bar in enumerate(bars, 1)
    )


def _hit(
    hit: Hit, name: str, bar: int, taken: dict[tuple[str, int, object], tuple[Note, ...]]
) -> Hit:
    notes = taken.get((name, bar, hit.at))
    if notes is None:
        return hit
    slide = hit.slide_from
    if slide is not None and min((note.fret or 0) for note in notes) + slide < 0:
        slide = None
    bend = hit.bend if any(note.fret for note in notes) else None
    return replace(hit, notes=notes, slide_from=slide, bend=bend)


def _with_marks(notes: tuple[Note, ...], was: tuple[Note, ...]) -> tuple[Note, ...]:
    """Fingers that pluck keep their notes; a string rings on where it still is open."""
    return tuple(
        replace(note, plucked=old.plucked, let_ring=old.let_ring and note.fret == 0)
        for note, old in zip(notes, was, strict=True)
    )
