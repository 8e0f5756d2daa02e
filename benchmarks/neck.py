"""Whether passages are fingered as players do, how fast routes are planned, how surely called
chords are told apart, and whether the interval of a landing's slope holds what it says.

    python -m benchmarks.neck [TAKES]

TAKES: a folder of recordings with their truth (`NAME.riff.json`, `NAME.truth.json`, sound), of
guitars that are not the player's own model.
"""

import json
import sys
from pathlib import Path

import numpy as np

from benchmarks.desk import median_s
from benchmarks.fingerings import CASES, is_met
from thrumble.core.chords.names import name_notes
from thrumble.core.ear.front.conditioning import condition
from thrumble.core.ear.measure.chord_recognition import CLEAR, MIN_S, SKIP_S, name_chord
from thrumble.core.instrument import Instrument
from thrumble.core.neck.hand import Hand, School
from thrumble.core.neck.routes import plan_routes
from thrumble.core.player.perform import perform
from thrumble.core.player.sound import Tone
from thrumble.core.riff.expand import ExpandedRiff, expand
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.rig.recall import Order, draw_calls, every_chord, hear_calls
from thrumble.formats.audio import read_audio
from thrumble.formats.riff_json import read_riff_json
from thrumble.trained import EAR

NECK = Instrument()
BARS = 64
DRILLS, CALLS = 12, 8
WRONG_SHARE = 0.3


def random_riff(seed: int, bars: int = BARS) -> ExpandedRiff:
    """Eighths all through, every one another chord or note: nothing repeats."""
    rng = np.random.default_rng(seed)
    lines = []
    for _ in range(bars):
        hits = []
        for fret in rng.integers(1, 13, 8):
            kind = rng.integers(3)
            hits.append(
                [
                    f"6:{fret},5:{fret + 2} o",
                    f"6:{fret},5:{fret + 2},4:{fret + 2} o",
                    f"5:{fret} o",
                ][kind]
            )
        lines.append("| " + " ".join(hits) + " |")
    text = "title: T\ntempo: 160\n[A]\n" + "\n".join(lines) + "\n"
    return expand(parse_riff(text))


def planning() -> None:
    print(f"routes of {BARS} bars, {BARS * 8} chords, none like the one before; median of nine")
    for name, hand, strict in (
        ("any fingers, all places", Hand(), False),
        ("1 and 3, all places", Hand(school=School.ONE_THREE), False),
        ("fingers alone", Hand(), True),
    ):
        riff = random_riff(1)
        seconds = median_s(lambda h=hand, s=strict, r=riff: plan_routes(r, NECK, h, strict=s))
        routes = plan_routes(riff, NECK, hand, strict=strict)
        print(f"  {name:26s} {seconds * 1000:5.0f} ms   {len(routes)} routes")


def drilled(seed: int, tone: Tone) -> tuple[int, int, int, list[float]]:
    """One drill: calls, answers told right or wrong as they were, not told, and the errors of the
    time from call to hit.
    """
    rng = np.random.default_rng(seed)
    calls = draw_calls(tuple(range(12)), (6, 5, 4), Order.RANDOM, CALLS, seed=seed)
    bars, wrong, waits = [], [], []
    for call in calls:
        fret = (call.root - NECK.open_midi(call.string)) % 12
        wrong.append(bool(rng.random() < WRONG_SHARE))
        if wrong[-1]:
            fret = (fret + int(rng.integers(1, 12))) % 12
        waits.append(int(rng.integers(2, 6)))
        hit = f"{call.string}:{fret},{call.string - 1}:{fret + 2} o"
        bars.append("| " + ". " * waits[-1] + hit + " ~" * (7 - waits[-1]) + " |")
    text = "title: T\ntempo: 100\n[A]\n" + "\n".join(bars) + "\n"
    take = perform(parse_riff(text), seed=seed, tone=tone, click_db=-28.0)
    times = [take.start_s + 2.4 * k for k in range(CALLS)]
    found = hear_calls(take.samples, take.rate_hz, calls, times, times[-1] + 2.4, NECK, ear=EAR)
    told = [(one, not off, w) for one, off, w in zip(found, wrong, waits, strict=True)]
    as_was = sum(one.right is right for one, right, _ in told)
    untold = sum(one.right is None for one in found)
    errors = [abs(one.recall_ms - w * 300) for one, _, w in told if one.recall_ms is not None]
    return len(calls), as_was, untold, errors


def recalling() -> None:
    print(f"recall, {DRILLS} drills of {CALLS} calls a tone, three in ten answered wrong")
    for tone in Tone:
        drills = [drilled(seed, tone) for seed in range(DRILLS)]
        asked, as_was, untold = (sum(one[k] for one in drills) for k in range(3))
        errors = np.array([error for one in drills for error in one[3]])
        print(
            f"  {tone.value:10s} told as it was {as_was / asked:.3f}   nothing said "
            f"{untold / asked:.3f}   time off by {np.median(errors):.0f} ms, "
            f"95 % within {np.percentile(errors, 95):.0f} ms"
        )


def naming(folder: Path) -> None:
    """Chords of recorded guitars: of all power chords on the neck, is the best one the written?"""
    print(f"power chords of {folder}: the best of every power chord on the neck is the one played")
    asked = right = clear = right_clear = 0
    for path in sorted(folder.glob("*.truth.json")):
        truth = json.loads(path.read_text())
        riff = read_riff_json((folder / truth["riff"]).read_bytes())
        every = every_chord(riff.instrument)
        recording = read_audio((folder / truth["audio"]).read_bytes())
        heard = condition(recording.samples, recording.rate_hz)
        hits = expand(riff).hits
        for hit in truth["hits"]:
            if hit["index"] is None or not hit["played"] or hit["articulation"] != "open":
                continue
            notes = hits[hit["index"]].hit.notes
            midis = tuple(m for note in notes if (m := riff.instrument.midi(note)) is not None)
            pair = midis[:2]
            if len(midis) < 2 or pair not in every or (hit["ring_s"] or 0) < MIN_S + SKIP_S:
                continue
            named = name_chord(heard.samples, hit["onset_s"], hit["onset_s"] + hit["ring_s"], every)
            if named is None:
                continue
            ok = name_notes(every[named.best]) == name_notes(pair)
            asked += 1
            right += ok
            clear += named.lead >= CLEAR
            right_clear += ok and named.lead >= CLEAR
    if asked:
        print(
            f"  {asked} chords: right {right / asked:.3f}; clear {clear / asked:.3f}, "
            f"of those right {right_clear / max(1, clear):.3f}"
        )


def fingering() -> None:
    """The passages of `benchmarks.fingerings`, and those that are taken otherwise."""
    missed = [case.name for case in CASES if not is_met(case)]
    print(f"passages fingered as players do: {len(CASES) - len(missed)} of {len(CASES)}")
    for name in missed:
        print(f"  otherwise: {name}")


def main() -> None:
    fingering()
    planning()
    recalling()
    if len(sys.argv) > 1:
        naming(Path(sys.argv[1]))


if __name__ == "__main__":
    main()
