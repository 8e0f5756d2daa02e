"""Play: everything the page needs to click, show and record a riff without asking the server
again.
"""

from dataclasses import dataclass
from datetime import date
from itertools import pairwise

from thrumble.actions.accompaniment import backings_of
from thrumble.actions.judging import JudgedTake
from thrumble.actions.planning import FOLLOWS, NextBlock
from thrumble.core.counting import counted
from thrumble.core.instrument import Instrument
from thrumble.core.pulse.cues import (
    Backing,
    Click,
    Cue,
    Silence,
    bar_levels,
    count_cues,
    count_in_s,
    round_cues,
)
from thrumble.core.pulse.groove import GROOVE_TITLES
from thrumble.core.riff.beat_grid import beat_grid
from thrumble.core.riff.expand import ExpandedRiff, expand
from thrumble.core.riff.shifts import hand_frets
from thrumble.formats.accompaniment_settings import AccompanimentSettings
from thrumble.store.practice.trials import Trial
from thrumble.store.riffs.riffs import Revision
from thrumble.web.drawings.bars import BarDrawing
from thrumble.web.drawings.strip import plan_strip

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
    backings: list[tuple[str, str]]
    choices: dict[str, list[tuple[object, str]]]
    plan: dict[str, object]


CLICK_WORDS = {
    Click.BEATS: "on the beats",
    Click.EIGHTHS: "eighths",
    Click.TRIPLETS: "triplets",
    Click.SIXTEENTHS: "sixteenths",
    Click.SHUFFLE: "shuffle",
    Click.TWO_FOUR: "2 and 4",
    Click.ONE: "the one",
    Click.OFF_BEATS: "off-beats",
    Click.GROUPS: "the riff's groups",
    Click.NONE: "count-in only",
}
SILENCE_WORDS = {
    Silence.NONE: "none",
    Silence.TWO_TWO: "two on, two off",
    Silence.RANDOM: "bars at random",
    Silence.FADE: "fade out",
}
BACKING_WORDS = {
    Backing.NONE: "none",
    Backing.RIFF: "this riff",
    Backing.OTHER: "the other part",
}
COUNT_WORDS = {
    0: "last two beats",
    1: "1 bar",
    2: "2 bars",
    3: "3 bars",
    4: "4 bars",
    8: "8 bars",
}
CHOICES: dict[str, list[tuple[object, str]]] = {
    "clicks": [(kind.value, words) for kind, words in CLICK_WORDS.items()],
    "grooves": [("", "none"), *GROOVE_TITLES.items()],
    "silences": [(rule.value, words) for rule, words in SILENCE_WORDS.items()],
    "counts": list(COUNT_WORDS.items()),
}


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
        [(what.value, BACKING_WORDS[what]) for what in backings_of(revision.riff)],
        CHOICES,
        _plan(revision, expanded, instrument),
    )


def score_of(expanded: ExpandedRiff, settings: AccompanimentSettings) -> dict[str, object]:
    """Everything that is to be heard, for the script, in seconds at the riff's tempo: `count` and
    `round` as [second, sound, level, bar of the round]; `levels`: of the bars, over and over.
    """
    pulse, time = settings.pulse(), beat_grid(expanded)
    return {
        "count": _cue_rows(count_cues(time, pulse)),
        "countS": count_in_s(time, pulse),
        "round": _cue_rows(round_cues(time, pulse)),
        "levels": bar_levels(pulse),
        "bars": len(time.counted),
    }


def _cue_rows(cues: list[Cue]) -> list[list[object]]:
    return [[round(cue.at_s, 7), cue.sound, round(cue.level, 4), cue.bar] for cue in cues]


def round_verdict(judged: JudgedTake) -> dict[str, object]:
    """A pass in one sentence and one figure."""
    judgement = judged.judgement
    return {
        "words": judged.sentences[0],
        "clean": judgement.clean,
        "of": judgement.counted,
        "tempo": judgement.expanded.tempo_bpm,
    }


@dataclass(frozen=True, slots=True, kw_only=True)
class BlockBar:
    """The block of today's session that the page plays. Seconds: `before_s` of rest before it,
    `rest_s` between its takes and `work_s` of each, empty if the screen chooses; `follows`: the
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


def block_bar(going: NextBlock, day: date) -> BlockBar | None:
    """The block that is played now; None if it is not this session's turn."""
    next_block = going.block
    if next_block is None:
        return None
    keys = [block.key for block in going.session.shown]
    work = going.work
    return BlockBar(
        day=day.isoformat(),
        key=next_block.key,
        place=f"Block {keys.index(next_block.key) + 1} of {len(keys)}",
        why=next_block.block.why if work is None else f"{work.why}: {work.times} times",
        minutes=next_block.block.minutes,
        before_s=going.rest_s,
        rest_s="" if work is None else f"{work.rest_s:.0f}",
        work_s="" if work is None else f"{work.work_s:.0f}",
        rest_words=REST_WORDS,
        follows="yes" if next_block.block.kind in FOLLOWS else "no",
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
    """The riff as the page's script plays and draws it, times in seconds at its own tempo from
    bar 1 beat 1. `score`: the click that sounds unless another is chosen; `struck`: which bars have
    hits.
    """
    struck = {due.bar for due in expanded.hits}
    return {
        "revision": revision.id,
        "title": revision.riff.title,
        "tempo": expanded.tempo_bpm,
        "round": expanded.round_s,
        "begin": expanded.begin_s,
        "bars": [
            {
                "number": b.number,
                "section": b.section,
                "start": b.start_s,
                "end": b.end_s,
                "beats": b.meter.beats,
                "struck": b.number in struck,
            }
            for b in expanded.bars
        ],
        "moves": _eye_moves(expanded, instrument),
        "score": score_of(expanded, AccompanimentSettings()),
        "along": AccompanimentSettings().model_dump(mode="json"),
        "ringOut": 60 / expanded.tempo_bpm,
        "ringOutLeast": RING_OUT_LEAST_S,
    }


def _eye_moves(expanded: ExpandedRiff, instrument: Instrument) -> list[dict[str, float]]:
    """Every move of the fretting hand: from the hit it leaves to the one it lands on, how far, and
    the fret to look at meanwhile. The way back to the beginning is the last one.
    """
    out: list[dict[str, float]] = []
    fretted = [due for due in expanded.hits if any(note.fret for note in due.hit.notes)]
    way = [*fretted, *fretted[:1]]
    frets = hand_frets(due.hit for due in way)
    for (before, left), (after, landed) in pairwise(zip(way, frets, strict=True)):
        if left is None or landed is None or left == landed:
            continue
        moved = abs(instrument.fret_mm(landed) - instrument.fret_mm(left))
        again = expanded.round_s if after.index <= before.index else 0.0
        fret = min(note.fret for note in after.hit.notes if note.fret)
        out.append(
            {"from": before.due_s, "to": after.due_s + again, "mm": round(moved, 1), "fret": fret}
        )
    return out
