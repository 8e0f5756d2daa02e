"""What the ear cannot judge of a written hit: it leaves those figures out, names the reason on the
hit, and says it once for the take.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from thrumble.core.counting import counted
from thrumble.core.ear.align.echoes import echo_lag, repeats
from thrumble.core.ear.reading import Caution, ExtraOnset, HitReading, HitState
from thrumble.core.riff.expand import DueHit
from thrumble.core.riff.model import Hit

AFTER_S = 0.05  # so long after an arpeggio's end its last string may still begin


@dataclass(frozen=True, slots=True)
class Unjudged:
    """A mark that the ear does not judge. `left_out`: figures of the hit that mean nothing then."""

    name: str
    written: Callable[[Hit], bool]
    left_out: tuple[str, ...]
    one: str
    more: str
    why: str


KINDS = (
    Unjudged(
        "bend",
        lambda hit: hit.bend is not None,
        ("chord_ok", "chord_probability", "stray_strings", "stray_probability"),
        "bend",
        "bends",
        "we can't hear how far you bend, so only the timing and the mute count there",
    ),
    Unjudged(
        "slide",
        lambda hit: hit.slide_from is not None,
        ("chord_ok", "chord_probability", "stray_strings", "stray_probability"),
        "slide",
        "slides",
        "we can't hear which fret you slide from, so only the timing and the mute count there",
    ),
    Unjudged(
        "legato",
        lambda hit: hit.legato is not None,
        (),
        "hammer-on or pull-off",
        "hammer-ons and pull-offs",
        "we can't tell them from picked notes",
    ),
    Unjudged(
        "plucked",
        lambda hit: any(note.plucked for note in hit.notes),
        (),
        "hit with fingers and pick",
        "hits with fingers and pick",
        "we can't tell which string you pick and which you pluck",
    ),
    Unjudged(
        "opens",
        lambda hit: hit.opens,
        ("heard_articulation", "probabilities", "mute_depth"),
        "mute that opens up",
        "mutes that open up",
        "we can't tell yet when your palm lifts, so only the timing counts there",
    ),
    Unjudged(
        "arpeggio",
        lambda hit: hit.arpeggio,
        ("strum_ms",),
        "chord struck string by string",
        "chords struck string by string",
        "we time the first string only",
    ),
)


def without_guesses(
    hits: list[HitReading], due: list[tuple[DueHit, int]]
) -> tuple[list[HitReading], list[Caution]]:
    """The hits without the figures that say nothing about them, and what to say about it. `due`
    runs beside `hits`.
    """
    counts = dict.fromkeys((kind.name for kind in KINDS), 0)
    out = []
    for hit, (due_hit, _) in zip(hits, due, strict=True):
        kinds = [kind for kind in KINDS if kind.written(due_hit.hit)]
        if hit.state is HitState.PLAYED:
            for kind in kinds:
                counts[kind.name] += 1
        left_out: dict[str, Any] = {name: None for kind in kinds for name in kind.left_out}
        if kinds:
            hit = replace(hit, not_judged=[kind.name for kind in kinds], **left_out)
        out.append(hit)
    reasons = [
        Caution(
            code=f"not_judged_{kind.name}",
            text=f"{counted(counts[kind.name], kind.one, kind.more)}: {kind.why}.",
        )
        for kind in KINDS
        if counts[kind.name]
    ]
    return out, reasons


def without_repeats(
    extras: list[ExtraOnset], hits: list[HitReading], echo_s: float | None
) -> tuple[list[ExtraOnset], float | None]:
    """The extra hits that no echo repeats, and its lag in seconds, now that each is placed: where
    sounds were only noticed, a soft repeat may lie ten milliseconds off, and the lag too.
    """
    struck = np.array([hit.onset_s for hit in hits if hit.onset_s is not None])
    extra_s = np.array([extra.onset_s for extra in extras])
    echo_s = echo_lag(struck, extra_s) or echo_s
    if echo_s is None or not extra_s.size:
        return extras, echo_s
    echoed = repeats(np.sort(np.concatenate([struck, extra_s])), extra_s, echo_s)
    return [extra for extra, echo in zip(extras, echoed, strict=True) if not echo], echo_s


def without_own_strings(
    extras: list[ExtraOnset], hits: list[HitReading], due: list[tuple[DueHit, int]]
) -> list[ExtraOnset]:
    """The extra hits that are not later strings of an arpeggio."""
    spans = [
        (hit.onset_s, hit.onset_s + due_hit.end_s - due_hit.due_s + AFTER_S)
        for hit, (due_hit, _) in zip(hits, due, strict=True)
        if due_hit.hit.arpeggio and hit.onset_s is not None
    ]
    return [
        extra for extra in extras if not any(begin < extra.onset_s < end for begin, end in spans)
    ]
