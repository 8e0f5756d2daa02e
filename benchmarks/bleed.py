"""What comes back through the microphone of what the player hears: by how much a reading suffers,
and by how much less where the ear knows what it was.

python -m benchmarks.bleed [HOW_MANY] [--write]
"""

import sys
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date
from pathlib import Path

import numpy as np

from thrumble.actions.accompaniment import accompaniment_for_analysis, accompaniment_sound
from thrumble.core.ear.reading import HitState, Reading
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import Performance, perform
from thrumble.core.player.sound import Tone
from thrumble.core.pulse.cues import Backing, Click
from thrumble.core.riff.expand import ExpandedRiff, expand
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.signal import Samples, filtered, high_pass, low_pass, peak
from thrumble.demo import riff_texts
from thrumble.formats.accompaniment_settings import AccompanimentSettings
from thrumble.trained import EAR

RATE_HZ = 48_000
LEVELS_DB = (-30, -20, -10, 0)  # of the bleed's peak under the guitar's
LEAD_S = 2.4
RIFFS = ("1-sluice-gate", "6-stop-planks", "5-puddle-clay")
HEARD = {
    "click": AccompanimentSettings(),
    "click in sixteenths": AccompanimentSettings(click=Click.SIXTEENTHS),
    "drums": AccompanimentSettings(click=Click.NONE, groove="backbeat"),
    "drums, sixteenths": AccompanimentSettings(click=Click.NONE, groove="sixteenths"),
    "a second guitar": AccompanimentSettings(click=Click.NONE, backing=Backing.RIFF),
}
DOCUMENT = Path(__file__).parents[1] / "docs/accuracy/bleed.md"
HEAD = """# What comes back through the microphone

Made on {day} by `python -m benchmarks.bleed {count} --write`: {count} takes of the simulated
guitarist ({due} hits, a twelfth of them played otherwise than written, all tones, riffs with and
without rests). What he hears comes back out of a small loudspeaker, through a room and a latency
that nobody measured. Each cell: extra hits, missed hits, and hits heard as another kind, of 100
that were due. *Not known*: the ear is told nothing, and has its own look-out for clicks; *known*:
it has what was meant to sound, finds the way it took back, and takes it out.
"""


@dataclass(slots=True)
class Tally:
    """Of some takes: due hits, and what went wrong with them."""

    due: int = 0
    missed: int = 0
    extra: int = 0
    wrong: int = 0

    def add(self, made: Performance, found: Reading) -> None:
        played = {(hit.index, hit.round): hit for hit in made.hits}
        for hit in found.hits:
            truth = played[hit.index, hit.round].articulation
            if truth is None:
                continue  # not played at all
            self.due += 1
            heard = hit.state is HitState.PLAYED
            self.missed += not heard
            kind = hit.heard_articulation
            self.wrong += heard and (kind is None or kind.value != truth.value)
        self.extra += len(found.extra_onsets)

    @property
    def line(self) -> str:
        per = 100 / max(1, self.due)
        return f"{self.extra * per:.1f} / {self.missed * per:.1f} / {self.wrong * per:.1f}"


def way_back(rng: np.random.Generator, track: Samples, peak_db: float) -> Samples:
    """Through a small loudspeaker or headphones, a room, and a latency nobody measured; its peak
    so far under the guitar's.
    """
    response = np.zeros(round(0.05 * RATE_HZ))
    response[0] = 1.0
    for _ in range(40):
        place = int(rng.integers(20, response.size))
        response[place] += 0.25 * rng.standard_normal() * np.exp(-3 * place / response.size)
    late = round(rng.uniform(0.005, 0.2) * RATE_HZ)
    size = 1 << (track.size + response.size).bit_length()
    sound = np.fft.irfft(np.fft.rfft(track, size) * np.fft.rfft(response, size), size)
    coloured = filtered(
        sound[: track.size].astype(np.float32),
        RATE_HZ,
        high_pass(float(rng.uniform(150, 350))),
        low_pass(float(rng.uniform(5000, 9000))),
        peak(float(rng.uniform(1500, 4000)), gain_db=5, q=1.0),
    )
    moved = np.concatenate([np.zeros(late, dtype=np.float32), coloured])[: track.size]
    loudest = max(1e-9, float(np.abs(moved).max()))
    return np.asarray(moved * (0.7 * 10 ** (peak_db / 20) / loudest), dtype=np.float32)


def takes(count: int) -> Iterator[tuple[int, Performance, ExpandedRiff]]:
    """Players of every tone on riffs with and without rests."""
    for seed in range(count):
        riff = parse_riff(riff_texts()[RIFFS[seed % len(RIFFS)]])
        tone = list(Tone)[seed // len(RIFFS) % len(Tone)]
        flaws = Flaws(timing=8.0, wrong=0.08, missed=0.03)
        yield seed, perform(riff, seed=seed, tone=tone, flaws=flaws, lead_s=LEAD_S), expand(riff)


def measure(count: int) -> list[tuple[str, str, Tally, Tally]]:
    """What was heard, how loud it came back, and the tallies without and with knowing it."""
    rows = {
        (name, level): (Tally(), Tally()) for name in ("nothing", *HEARD) for level in LEVELS_DB
    }
    for seed, made, expanded in takes(count):
        info = {"start_s": made.start_s, "delay_ms": 0.0, "rounds": 1}
        bare = read_take(made.samples, RATE_HZ, expanded, TakeInfo(**info), ear=EAR)
        for name, along in HEARD.items():
            given = {"rounds": 1, "start_s": made.start_s, "rate_hz": RATE_HZ}
            sound = accompaniment_sound(expanded, along, **given)
            known = TakeInfo(
                **info, accompaniment=accompaniment_for_analysis(expanded, along, **given)
            )
            whole = np.zeros(made.samples.size, dtype=np.float32)
            whole[: sound.size] = sound[: whole.size]
            none = rows["nothing", LEVELS_DB[0]]
            none[0].add(made, bare)
            none[1].add(made, read_take(made.samples, RATE_HZ, expanded, known, ear=EAR))
            for level in LEVELS_DB:
                rng = np.random.default_rng([seed, level + 100])
                heard = made.samples + way_back(rng, whole, level)
                for tally, own in zip(rows[name, level], (TakeInfo(**info), known), strict=True):
                    tally.add(made, read_take(heard, RATE_HZ, expanded, own, ear=EAR))
    return [
        (name, "" if name == "nothing" else f"{level} dB", *tallies)
        for (name, level), tallies in rows.items()
        if tallies[0].due
    ]


def main() -> None:
    numbers = [int(word) for word in sys.argv[1:] if word.isdecimal()]
    count = numbers[0] if numbers else 18
    rows = measure(count)
    lines = [
        "| what comes back | its peak under the guitar's | not known | known |",
        "| --- | --- | --- | --- |",
        *(
            f"| {name} | {level} | {without.line} | {known.line} |"
            for name, level, without, known in rows
        ),
    ]
    table = "\n".join(lines)
    print(table)
    if "--write" in sys.argv:
        due = rows[0][2].due // len(HEARD)
        DOCUMENT.write_text(f"{HEAD.format(day=date.today(), count=count, due=due)}\n{table}\n")


if __name__ == "__main__":
    main()
