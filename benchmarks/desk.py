"""How fast riffs are written: parsing and printing, drawing, an edit from text to drawing, sound.

    python -m benchmarks.desk

Milliseconds or seconds, the median of nine.
"""

import json
import statistics
import time
from collections.abc import Callable
from fractions import Fraction
from itertools import count

from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import perform
from thrumble.core.player.sound import Tone
from thrumble.core.riff.counts import Counting
from thrumble.core.riff.editing import edits, whole
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Riff
from thrumble.core.riff.notation.printing import print_riff
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.riff.patterns import FORMS, PATTERNS, make_riff
from thrumble.demo import riff_texts
from thrumble.web.riffs.desk import EditSent, edit_riff
from thrumble.web.riffs.strip_editor import desk_html

BAR = "| F#5@6/2 >o m m o m m o m "
EIGHTH = Fraction(1, 8)


def text_of(bars: int) -> str:
    return f"title: T\ntempo: 118\npedal: 6:0\n[A]\n{BAR * bars}|\n"


def median_s(what: Callable[[], object], times: int = 9) -> float:
    """Seconds, after one go that is not counted."""
    what()
    taken = []
    for _ in range(times):
        begun = time.perf_counter()
        what()
        taken.append(time.perf_counter() - begun)
    return statistics.median(taken)


def drawn(riff: Riff) -> list[str]:
    times = whole.times_played(riff)
    return desk_html(expand(edits.unrolled(riff)), EIGHTH, Counting.BEATS, times)


def edited(text: str) -> Callable[[], object]:
    """What the server does for one key after another, each in another bar."""
    source = [text]
    keys = count()

    def key() -> None:
        number = next(keys)
        asked = EditSent(
            source=source[0], op="hit", bar=number % 6, at="1/8", letter="oxK"[number % 3]
        )
        source[0] = json.loads(bytes(edit_riff(asked).body))["source"]

    return key


def main() -> None:
    thousand = text_of(1000)
    long = parse_riff(thousand)
    sluice = riff_texts()["1-sluice-gate"]
    eight = make_riff(PATTERNS["shuffle"], FORMS["8"].degrees, key="E", tempo_bpm=120)
    print("| what | reached |\n| --- | --- |")
    print(f"| 1,000 bars parsed | {median_s(lambda: parse_riff(thousand), 3):.2f} s |")
    print(f"| 1,000 bars printed | {median_s(lambda: print_riff(long), 3):.2f} s |")
    fresh = iter([parse_riff(text_of(64).replace("118", str(tempo))) for tempo in range(60, 72)])
    first_ms = median_s(lambda: drawn(next(fresh))) * 1000
    print(f"| 64 bars drawn for the first time | {first_ms:.0f} ms |")
    print(f"| an edit of six bars | {median_s(edited(sluice)) * 1000:.0f} ms |")
    print(f"| an edit of 64 bars | {median_s(edited(text_of(64))) * 1000:.0f} ms |")
    for tone in Tone:
        length_s = expand(eight).round_s
        taken_s = median_s(lambda t=tone: perform(eight, seed=1, tone=t, flaws=Flaws()), 3)
        print(f"| 8 bars of {tone.value} sound | {length_s / taken_s:.0f} times real time |")


if __name__ == "__main__":
    main()
