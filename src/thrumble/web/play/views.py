"""Play: everything the page needs to click, show and record a riff without asking the server
again.
"""

from dataclasses import dataclass
from datetime import date
from itertools import pairwise

from thrumble.actions.planning import FOLLOWS, Going
from thrumble.core.counting import counted
from thrumble.core.instrument import Instrument
from thrumble.core.pulse.click import click_times
from thrumble.core.riff.expand import ExpandedRiff, expand
from thrumble.core.riff.shifts import shift_mm
from thrumble.store.riffs import Revision
from thrumble.store.rigs import Rig, ToneProfile
from thrumble.store.trials import Trial
from thrumble.web.drawings.strip import BarDrawing, plan_strip

RING_OUT_LEAST_S = 0.5
REST_WORDS = "shake out, drop your shoulder, elbow off your ribs, loosen your grip"


@dataclass(frozen=True, slots=True)
class PlayView:
    """The screen. `plan` is what the script reads, as JSON."""

    riff_id: int
    title: str
    tempo: str
    bars: list[BarDrawing]
    facts: str
    plan: dict[str, object]


def play_view(
    revision: Revision, instrument: Instrument, tempo_bpm: float | None = None
) -> PlayView:
    """The riff at its own tempo; the script scales times to the one that is played, for all times
    go as 1/tempo. `tempo_bpm`: to begin with.
    """
    expanded = expand(revision.riff)
    bars = plan_strip(expanded)
    hits = len(expanded.hits)
    bars_played = sum(1 for bar in expanded.bars if bar.number > 0)
    facts = f"{counted(bars_played, 'bar')}, {counted(hits, 'hit')}, {revision.riff.feel}"
    return PlayView(
        revision.riff_id,
        revision.riff.title,
        f"{float(revision.riff.tempo_bpm) if tempo_bpm is None else tempo_bpm:g}",
        bars,
        facts,
        _plan(revision, expanded, instrument),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class BlockBar:
    """The block of today's session that the page plays. Seconds: `before_s` of rest before it,
    `rest_s` between its takes and `work_s` of each, empty where the screen chooses; `follows`: the
    tempo goes with the readings.
    """

    day: str
    key: int
    place: str
    why: str
    minutes: int
    before_s: int
    rest_s: str
    work_s: str
    rest_words: str
    follows: str


def block_bar(going: Going, day: date) -> BlockBar | None:
    """The block that is played now; None where it is not this session's turn."""
    one = going.block
    if one is None:
        return None
    keys = [block.key for block in going.session.shown]
    work = going.work
    return BlockBar(
        day=day.isoformat(),
        key=one.key,
        place=f"Block {keys.index(one.key) + 1} of {len(keys)}",
        why=one.block.why if work is None else f"{work.why}: {work.times} times",
        minutes=one.block.minutes,
        before_s=going.rest_s,
        rest_s="" if work is None else f"{work.rest_s:.0f}",
        work_s="" if work is None else f"{work.work_s:.0f}",
        rest_words=REST_WORDS,
        follows="yes" if one.block.kind in FOLLOWS else "no",
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class TrialBar:
    """The turn of a fair trial that the page plays."""

    trial_id: int
    turn: int
    letter: str
    way: str
    place: str
    rounds: int


def trial_bar(trial: Trial) -> TrialBar | None:
    """The turn that comes next; None when all were played."""
    turn = trial.next_turn
    if turn is None:
        return None
    return TrialBar(
        trial_id=trial.id,
        turn=turn,
        letter=trial.turns[turn],
        way=trial.way(turn),
        place=f"{turn + 1} of {len(trial.turns)}",
        rounds=1,
    )


def _plan(revision: Revision, expanded: ExpandedRiff, instrument: Instrument) -> dict[str, object]:
    """Seconds at the riff's tempo from bar 1 beat 1; `clicks` of one round, `count` of one count-in
    bar.
    """
    first = next(bar for bar in expanded.bars if bar.number >= 1)
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
            }
            for b in expanded.bars
        ],
        "moves": _eye_moves(expanded, instrument),
        "clicks": click_times(expanded, rounds=1, count_in_bars=0),
        "count": [
            [t + first.end_s, accent]
            for t, accent in click_times(expanded, rounds=0, count_in_bars=1)
        ],
        "countBar": first.end_s,
        "ringOut": 60 / expanded.tempo_bpm,
        "ringOutLeast": RING_OUT_LEAST_S,
    }


def _eye_moves(expanded: ExpandedRiff, instrument: Instrument) -> list[dict[str, float]]:
    """Every move of the fretting hand: from the hit it leaves to the one it lands on, how far, and
    the fret to look at meanwhile. The way back to the beginning is the last one.
    """
    out: list[dict[str, float]] = []
    fretted = [due for due in expanded.hits if any(note.fret for note in due.hit.notes)]
    for before, after in pairwise([*fretted, *fretted[:1]]):
        moved = shift_mm(before, after, instrument)
        if not moved:
            continue
        again = expanded.round_s if after.index <= before.index else 0.0
        fret = min(note.fret for note in after.hit.notes if note.fret)
        out.append(
            {"from": before.due_s, "to": after.due_s + again, "mm": round(moved, 1), "fret": fret}
        )
    return out


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
