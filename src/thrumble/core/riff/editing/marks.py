"""Marks of a hit, each put on, taken off or turned to its next kind; mute ramps over several."""

from collections.abc import Callable
from dataclasses import replace
from decimal import Decimal

from thrumble.core.errors import BadInput
from thrumble.core.riff.model import (
    DEFAULT_BEND,
    TIGHT_DEPTH,
    Articulation,
    Hit,
    Legato,
    Ramp,
    Stroke,
)
from thrumble.core.riff.ramps import between

STROKES = {Stroke.DOWN: Stroke.UP, Stroke.UP: Stroke.FINGERS, Stroke.FINGERS: Stroke.DOWN}
LEGATOS = {None: Legato.HAMMER, Legato.HAMMER: Legato.PULL, Legato.PULL: None}
SLIDES = {None: -2, -2: 2}
BENDS = {None: DEFAULT_BEND, DEFAULT_BEND: Decimal(1)}
RAMP_ENDS = (TIGHT_DEPTH, Decimal("0.3"))  # what a ramp that is put goes from and to


def _next_legato(hit: Hit) -> Hit:
    legato = LEGATOS[hit.legato]
    return replace(hit, legato=legato, stroke=Stroke.DOWN if legato is None else None)


def _drones(hit: Hit) -> Hit:
    """Open strings above the lowest note ring on, or no longer."""
    able = {note.string for note in hit.notes[1:] if note.fret == 0}
    if not able:
        raise BadInput("no open string above the lowest note is there to ring on")
    on = not any(note.let_ring for note in hit.notes)
    return replace(
        hit, notes=tuple(replace(n, let_ring=on and n.string in able) for n in hit.notes)
    )


MARKED: dict[str, Callable[[Hit], Hit]] = {
    "accent": lambda hit: replace(hit, accent=not hit.accent),
    "staccato": lambda hit: replace(hit, staccato=not hit.staccato),
    "stroke": lambda hit: replace(hit, stroke=STROKES[hit.stroke or Stroke.DOWN], legato=None),
    "legato": _next_legato,
    "slide": lambda hit: replace(hit, slide_from=SLIDES.get(hit.slide_from)),
    "bend": lambda hit: replace(hit, bend=BENDS.get(hit.bend)),
    "opens": lambda hit: replace(hit, opens=not hit.opens),
    "arpeggio": lambda hit: replace(hit, arpeggio=not hit.arpeggio),
    "drones": _drones,
}  # what each mark makes of a hit; those with several kinds go round


def ramped(hits: list[Hit]) -> list[Hit]:
    """The first run of palm mutes as a ramp from tight to light; if one is there already, it
    goes. Raises BadInput without two palm mutes in a row.
    """
    begin = next((k for k, hit in enumerate(hits) if _is_palm(hit)), len(hits))
    end = next((k for k in range(begin, len(hits)) if not _is_palm(hits[k])), len(hits))
    if end - begin < 2:
        raise BadInput("a mute ramp takes two palm mutes in a row: there are none in these bars")
    changed = list(hits)
    if any(hit.ramp for hit in hits[begin:end]):
        changed = [replace(hit, ramp=None) for hit in hits]
    else:
        depths = between(*RAMP_ENDS, end - begin)
        for k, depth in zip(range(begin, end), depths, strict=True):
            mark = Ramp.START if k == begin else Ramp.ON
            changed[k] = replace(hits[k], depth=depth, ramp=mark)
    return changed


def _is_palm(hit: Hit) -> bool:
    return hit.articulation is Articulation.PALM


def another_kind(hit: Hit, kind: Articulation, depth: Decimal | None) -> Hit:
    """The hit as another kind, without the marks that this kind cannot have."""
    palm, dead = kind is Articulation.PALM, kind is Articulation.DEAD
    return replace(
        hit,
        articulation=kind,
        depth=depth,
        opens=hit.opens and palm,
        ramp=hit.ramp if palm else None,
        bend=None if dead else hit.bend,
        arpeggio=hit.arpeggio and not dead,
    )
