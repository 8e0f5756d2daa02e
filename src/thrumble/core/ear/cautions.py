"""What a reader of a reading has to know before believing it: each caution a code for machines and
a sentence with its remedy.
"""

from dataclasses import dataclass

from thrumble.core.counting import counted
from thrumble.core.ear.reading import Caution, HeardKind, HitReading, HitState, StartSource

CLIP_CAUTION, CLIP_NO_LEVELS = 0.001, 0.20
FEW_HITS = 8
NOTHING_HEARD = Caution(
    code="nothing_heard",
    text="We heard nothing. Check your cable, input and level, then play it again.",
)
NO_HITS = Caution(
    code="no_hits",
    text=(
        "There is sound but no hit in it: a hum, noise, or a note that was ringing before. Check "
        "that this input records your guitar, then play it again."
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Basis:
    """What a reading rests on.

    nothing_heard, silent : no hit; no sound either.
    source, certain : of the start; certain if no other place in the riff fits nearly as well.
    clicks : heard in the recording.   echo_ms : lag of an echo, None without one.
    strange : the sound is unlike what the ear was trained on.
    examples : hits of the player's own that the analysis goes by.
    """

    nothing_heard: bool
    silent: bool
    dropouts: tuple[str, ...]
    clipped_share: float
    source: StartSource
    clicks: int
    certain: bool
    calibrated: bool
    echo_ms: int | None = None
    strange: bool = False
    examples: int = 0


def find_cautions(basis: Basis, hits: list[HitReading]) -> list[Caution]:
    """All cautions that apply to a reading, the most serious first."""
    out = []
    if basis.nothing_heard:
        out.append(NOTHING_HEARD if basis.silent else NO_HITS)
    if basis.dropouts:
        words = "; ".join(basis.dropouts)
        text = (
            f"Your computer dropped some audio ({words}), so timing after that point isn't "
            "reliable. Close other programs and play it again."
        )
        out.append(Caution(code="dropouts", text=text))
    if basis.clipped_share >= CLIP_CAUTION:
        text = f"{basis.clipped_share:.1%} of the recording clips: turn your input down."
        out.append(
            Caution(
                code="clipping",
                text=text
                + (" We leave levels out." if basis.clipped_share >= CLIP_NO_LEVELS else ""),
            )
        )
    if basis.nothing_heard:
        return out
    about_sound = _about_strangeness(basis) + _about_echo(basis)
    return out + about_sound + _about_timing(basis) + _about_reach(hits) + _about_measures(hits)


def _about_strangeness(basis: Basis) -> list[Caution]:
    if not basis.strange:
        return []
    text = "This sound is unlike any we learned from"
    if basis.examples:
        text += ": we go by the hits you kept in this tone."
    else:
        text += (
            ", so open and muted come out wrong more often. Keep six hits of your own in this tone "
            "(Rig, palm finder), or play the sound check: then we go by yours."
        )
    return [Caution(code="unfamiliar_sound", text=text)]


def _about_echo(basis: Basis) -> list[Caution]:
    if basis.echo_ms is None:
        return []
    text = (
        f"We hear an echo {basis.echo_ms} ms behind your hits and don't count it as extra hits. "
        "Switch the delay off for a take: it can cover a mute or a stop."
    )
    return [Caution(code="echo", text=text)]


def _about_timing(basis: Basis) -> list[Caution]:
    """The caution that says what early and late count from."""
    clipped = [
        Caution(
            code="click_heard",
            text=(
                f"We hear the click {basis.clicks} times in the recording and never count it as a "
                "hit."
            ),
        )
    ]
    clipped = clipped if basis.clicks else []
    if basis.source is StartSource.GIVEN:
        text = (
            "Your latency isn't measured, so early and late count from your own average. Measure "
            "it on the Rig screen."
        )
        return (
            clipped
            if basis.calibrated
            else [Caution(code="delay_not_calibrated", text=text), *clipped]
        )
    if basis.source is StartSource.CLICK:
        text = (
            f"We took start and tempo from the click in the recording ({basis.clicks} clicks) and "
            "never count it as a hit."
        )
        return [Caution(code="start_by_click", text=text)]
    text = (
        "We found the start from your hits, so early and late count from your own average: we "
        "can't tell whether you were ahead or behind throughout."
    )
    out = [Caution(code="start_fitted", text=text), *clipped]
    if not basis.certain:
        text = (
            "The riff fits this take almost as well somewhere else: check that bar 1 is where you "
            "began, or enter the start."
        )
        out.append(Caution(code="start_uncertain", text=text))
    return out


def _about_reach(hits: list[HitReading]) -> list[Caution]:
    """Where the take begins late or ends early."""
    reached = [k for k, hit in enumerate(hits) if hit.state is not HitState.NOT_REACHED]
    out = []
    if reached and reached[0] > 0:
        before = counted(reached[0], "hit")
        text = (
            f"The take begins at bar {hits[reached[0]].bar}: {before} before it don't count as "
            "missed."
        )
        out.append(Caution(code="begins_late", text=text))
    if reached and reached[-1] < len(hits) - 1:
        after = counted(len(hits) - 1 - reached[-1], "hit")
        text = (
            f"The take ends in bar {hits[reached[-1]].bar}: {after} after it don't count as missed."
        )
        out.append(Caution(code="ends_early", text=text))
    return out


def _about_measures(hits: list[HitReading]) -> list[Caution]:
    out = []
    played = sum(hit.state is HitState.PLAYED for hit in hits)
    if played < FEW_HITS:
        out.append(
            Caution(
                code="few_hits",
                text=f"We heard only {counted(played, 'hit')}: too few for averages to say much.",
            )
        )
    chords = [hit for hit in hits if hit.heard_articulation is HeardKind.OPEN]
    if chords and all(hit.chord_ok is None for hit in chords):
        text = (
            "No open hit rings long and clear enough to check its notes and stray strings: we "
            "can't tell them under gain or when hits are short."
        )
        out.append(Caution(code="chords_not_checked", text=text))
    if chords and all(hit.strum_ms is None for hit in chords):
        text = "Not measured: how tightly you strum. We can't separate the strings in this sound."
        out.append(Caution(code="strum_not_measured", text=text))
    return out
