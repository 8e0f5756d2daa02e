"""The signs over a block of the strip: how a hit is reached or left, drawn as lines in ink; and a
hit in words.
"""

from fractions import Fraction

from thrumble.core.music.meter import Meter, spoken_count
from thrumble.core.riff.model import Articulation, Hit, Legato, Stroke

KINDS = {Articulation.OPEN: "open", Articulation.PALM: "palm-muted", Articulation.DEAD: "dead"}
LEGATOS = {Legato.HAMMER: "hammered on", Legato.PULL: "pulled off"}
ARC_PX = 14.0


def place_words(at: Fraction, meter: Meter) -> str:
    """A place as it is counted, with its beat: `2`, `2 &`, `3 trip`."""
    beat, count = at // meter.beat + 1, spoken_count(at, meter)
    if count == "·":
        return f"after {beat}"
    return count if count.isdecimal() else f"{beat} {count}"


def plan_words(hit: Hit, meter: Meter) -> str:
    """The hit as written, for titles and screen readers."""
    kind = KINDS[hit.articulation]
    words = [f"{hit.label} {kind}" if hit.label else kind]
    if hit.accent:
        words.append("accent")
    if hit.slide_from is not None:
        words.append("slide in from below" if hit.slide_from < 0 else "slide in from above")
    if hit.legato is not None:
        words.append(LEGATOS[hit.legato])
    if hit.bend is not None:
        words.append(f"bend {hit.bend:f}")
    if hit.opens:
        words.append("opens up as it rings")
    if hit.arpeggio:
        words.append("one string after another")
    if hit.ramp is not None:
        words.append("mute ramp")
    if any(note.let_ring for note in hit.notes):
        words.append("open strings ring on")
    words += [f"string {note.string} with {note.plucked}" for note in hit.notes if note.plucked]
    if hit.stroke is Stroke.UP:
        words.append("up")
    if hit.stop:
        words.append("stop")
    return f"{place_words(hit.at, meter)}: {', '.join(words)}"


def signs_of(hit: Hit, x: float, end: float, base: float, top: float) -> str:
    """Path data of the hit's signs; `x` to `end` is the block, `top` its upper edge."""
    high = top - 3
    out = []
    if hit.slide_from is not None:
        rise = 8 if hit.slide_from < 0 else -8
        out.append(f"M{x - 9:.1f} {high + 4 + rise / 2:.1f}l9 {-rise}")
    if hit.legato is not None:
        out.append(f"M{x - ARC_PX:.1f} {high + 2:.1f}q{ARC_PX / 2} -7 {ARC_PX} 0")
    if hit.bend is not None:
        out.append(f"M{x + 3:.1f} {high:.1f}q9 0 10 -9m-3 3.5l3 -3.5l3 3.5")
    if hit.arpeggio:
        step = max(3.0, min(6.0, (end - x) / 6))
        out.append(f"M{x + 1:.1f} {high:.1f}" + f"h{step:.1f}v-3" * 3)
    if any(note.let_ring for note in hit.notes):
        out.append(f"M{x:.1f} {high - 2:.1f}H{end - 3:.1f}m-4 -3l4 3l-4 3")
    if hit.stroke is Stroke.UP:
        out.append(f"M{x + 1:.1f} {base - 5:.1f}l3.5 -7l3.5 7")
    fingers = sum(note.plucked is not None for note in hit.notes)
    out += [f"M{x + 2 + 5 * k:.1f} {high - 4:.1f}a1.6 1.6 0 1 0 .1 0z" for k in range(fingers)]
    return "".join(out)
