"""Play: everything the page needs to click, show and record a riff without asking the server
again.
"""

from dataclasses import dataclass

from thrumble.core.counting import counted
from thrumble.core.instrument import Instrument
from thrumble.core.neck.geometry import shifts_mm
from thrumble.core.pulse.click import click_times
from thrumble.core.riff.expand import ExpandedRiff, expand
from thrumble.store.riffs import Revision
from thrumble.store.rigs import Rig, ToneProfile
from thrumble.web.drawings.strip import BarDrawing, plan_strip

EYE_CUE_MM = 100.0
RING_OUT_LEAST_S = 0.5


@dataclass(frozen=True, slots=True)
class PlayView:
    """The screen. `plan` is what the script reads, as JSON."""

    riff_id: int
    title: str
    tempo: str
    bars: list[BarDrawing]
    facts: str
    plan: dict[str, object]


def play_view(revision: Revision, instrument: Instrument) -> PlayView:
    """The riff at its own tempo; the script scales times when the player changes it, for all times
    go as 1/tempo.
    """
    expanded = expand(revision.riff)
    bars = plan_strip(expanded)
    hits = len(expanded.hits)
    bars_played = sum(1 for bar in expanded.bars if bar.number > 0)
    facts = f"{counted(bars_played, 'bar')}, {counted(hits, 'hit')}, {revision.riff.feel}"
    return PlayView(
        revision.riff_id,
        revision.riff.title,
        f"{float(revision.riff.tempo_bpm):g}",
        bars,
        facts,
        _plan(revision, expanded, instrument),
    )


def _plan(revision: Revision, expanded: ExpandedRiff, instrument: Instrument) -> dict[str, object]:
    """Seconds at the riff's tempo from bar 1 beat 1; `clicks` of one round, `count` of one count-in
    bar.
    """
    first = next(bar for bar in expanded.bars if bar.number >= 1)
    cues = _eye_cues(expanded, instrument)
    return {
        "revision": revision.id,
        "title": revision.riff.title,
        "tempo": expanded.tempo_bpm,
        "round": expanded.round_s,
        "begin": expanded.begin_s,
        "bars": [
            {
                "number": b.number,
                "start": b.start_s,
                "end": b.end_s,
                "beats": b.meter.beats,
                "cue": cues.get(b.number, ""),
            }
            for b in expanded.bars
        ],
        "clicks": click_times(expanded, rounds=1, count_in_bars=0),
        "count": [
            [t + first.end_s, accent]
            for t, accent in click_times(expanded, rounds=0, count_in_bars=1)
        ],
        "countBar": first.end_s,
        "ringOut": 60 / expanded.tempo_bpm,
        "ringOutLeast": RING_OUT_LEAST_S,
    }


def _eye_cues(expanded: ExpandedRiff, instrument: Instrument) -> dict[int, str]:
    """For every bar the fret to look at: of its last long move, or of the one that opens the next
    bar.
    """
    cues: dict[int, str] = {}
    for due, moved in zip(expanded.hits, shifts_mm(expanded.hits, instrument), strict=True):
        pressed = [note.fret for note in due.hit.notes if note.fret]
        if moved >= EYE_CUE_MM and pressed:
            cues[due.bar - 1 if due.hit.at == 0 else due.bar] = f"look: fret {min(pressed)}"
    return cues


@dataclass(frozen=True, slots=True)
class ToneChoice:
    """A tone to play with, under its rig's name."""

    tone_id: int
    words: str


def rig_tones(rigs: list[Rig], tones: list[ToneProfile]) -> list[ToneChoice]:
    """All tones; the rig is named where there are several."""
    names = {rig.id: rig.name for rig in rigs}
    return [
        ToneChoice(tone.id, f"{names[tone.rig_id]}: {tone.name}" if len(rigs) > 1 else tone.name)
        for tone in tones
    ]
