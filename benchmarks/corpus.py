"""Random riffs and simulated takes of them, for training and measuring the ear.

    python -m benchmarks.corpus FOLDER [--takes 60] [--seed 1]

writes takes with their truth in the form that benchmarks/hearing.py reads.
"""

import argparse
import json
from collections.abc import Callable
from dataclasses import dataclass, replace
from decimal import Decimal
from fractions import Fraction
from functools import partial
from pathlib import Path

import numpy as np
import soundfile
import soxr

from benchmarks.recorded import NOTES as RECORDED_ONLY
from benchmarks.recorded import RecordedGuitar
from benchmarks.sampled import LEARNT, SampledGuitar
from thrumble.core.instrument import Note
from thrumble.core.music.feel import STRAIGHT, Feel
from thrumble.core.music.meter import Meter
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.guitars import Guitar, ModelGuitar
from thrumble.core.player.perform import Performance, perform
from thrumble.core.player.sound import (
    Amplifier,
    Setup,
    Tone,
    aged,
    amplify,
    with_cabinet,
    with_echo,
)
from thrumble.core.riff.checking import check_riff
from thrumble.core.riff.model import Articulation, Bar, Hit, Riff, Section, Stroke
from thrumble.core.signal import Samples
from thrumble.formats.riff_json import riff_document
from thrumble.formats.truth_json import truth_document

TUNINGS = {
    "standard": ("E2", "A2", "D3", "G3", "B3", "E4"),
    "half down": ("D#2", "G#2", "C#3", "F#3", "A#3", "D#4"),
    "dropped": ("D2", "A2", "D3", "G3", "B3", "E4"),
}


@dataclass(frozen=True, slots=True)
class Style:
    """A way of writing riffs: slot, tempo range, and the chances of what stands in a slot."""

    slot: Fraction
    tempo: tuple[int, int]
    open: float
    palm: float
    dead: float
    hold: float
    rest: float
    palm_chords: float = 0.2
    open_singles: float = 0.15
    shuffle: bool = False
    cell: tuple[int, ...] = ()  # lengths in slots that repeat, such as a gallop's


STYLES = {
    "chug": Style(Fraction(1, 8), (90, 190), 0.34, 0.58, 0.05, 0.03, 0.0),
    "sixteenths": Style(Fraction(1, 16), (90, 145), 0.2, 0.68, 0.06, 0.06, 0.0),
    "gallop": Style(Fraction(1, 16), (90, 165), 0.3, 0.6, 0.05, 0.0, 0.05, cell=(2, 1, 1)),
    "ghost": Style(Fraction(1, 16), (75, 110), 0.25, 0.1, 0.4, 0.22, 0.03),
    "stops": Style(Fraction(1, 8), (85, 140), 0.4, 0.2, 0.05, 0.15, 0.2),
    "open": Style(Fraction(1, 8), (90, 180), 0.8, 0.1, 0.05, 0.0, 0.05),
    "contrary": Style(
        Fraction(1, 8), (90, 170), 0.4, 0.45, 0.08, 0.05, 0.02, palm_chords=0.8, open_singles=0.8
    ),
    "shuffle": Style(Fraction(1, 8), (80, 140), 0.55, 0.35, 0.06, 0.02, 0.02, shuffle=True),
}
METERS = ("4/4", "4/4", "4/4", "3/4", "5/4", "7/8")


def draw_riff(seed: int) -> tuple[Riff, str]:
    """A random riff and the name of its style."""
    rng = np.random.default_rng(seed)
    name = str(rng.choice(list(STYLES)))
    style = STYLES[name]
    beats, unit = (int(x) for x in str(rng.choice(METERS)).split("/"))
    meter = Meter(beats, unit)
    tuning = TUNINGS[str(rng.choice(list(TUNINGS)))]
    feel = (
        Feel(Fraction(int(rng.integers(14, 30)), 10), Fraction(1, 8))
        if style.shuffle and unit == 4
        else STRAIGHT
    )
    pedal = Note(6, 0) if rng.random() < 0.7 else Note(5, 0)
    bars = tuple(_bar(style, meter, pedal, tuning, rng) for _ in range(int(rng.integers(3, 6))))
    if not any(bar.hits for bar in bars):
        return draw_riff(seed + 1_000_003)
    tempo = Decimal(int(rng.integers(*style.tempo)))
    sections = (Section(name="A", bars=bars),)
    play = ("A",) * int(rng.integers(1, 4))
    return check_riff(
        Riff(
            title=f"Study {seed}",
            tempo_bpm=tempo,
            sections=sections,
            tuning=tuning,
            feel=feel,
            play=play,
            pedal=pedal,
        )
    ), name


def _bar(
    style: Style, meter: Meter, pedal: Note, tuning: tuple[str, ...], rng: np.random.Generator
) -> Bar:
    places: list[tuple[Fraction, Fraction]] = []
    at, k = Fraction(0), 0
    cell = style.cell or (1,)
    while at < meter.length:
        length = min(style.slot * cell[k % len(cell)], meter.length - at)
        places.append((at, length))
        at, k = at + length, k + 1
    hits: list[Hit] = []
    root = int(rng.integers(0, 9))
    for at, length in places:
        kind = rng.choice(
            ["open", "palm", "dead", "hold", "rest"],
            p=[style.open, style.palm, style.dead, style.hold, style.rest],
        )
        if rng.random() < 0.25:
            root = int(rng.integers(0, 11))
        if (
            kind == "hold"
            and hits
            and hits[-1].at + hits[-1].length == at
            and hits[-1].articulation is Articulation.OPEN
        ):
            hits[-1] = replace(hits[-1], length=hits[-1].length + length)
            continue
        if kind in ("rest", "hold"):
            if hits and hits[-1].at + hits[-1].length == at:
                hits[-1] = replace(hits[-1], stop=True)
            continue
        articulation = Articulation(kind)
        single = rng.random() < (
            style.open_singles if articulation is Articulation.OPEN else 1 - style.palm_chords
        )
        if articulation is Articulation.DEAD:
            single = rng.random() < 0.2
        if not single:
            notes = _chord(root, tuning, rng)
        else:
            notes = (pedal,) if rng.random() < 0.6 else (Note(pedal.string, root),)
        depth = (
            Decimal(str(round(float(np.clip(rng.normal(0.6, 0.2), 0.1, 1)), 2)))
            if articulation is Articulation.PALM
            else None
        )
        index = int(at / style.slot)
        stroke = Stroke.UP if style.slot < Fraction(1, 8) and index % 2 else Stroke.DOWN
        hits.append(
            Hit(
                at=at,
                length=length,
                notes=notes,
                articulation=articulation,
                depth=depth,
                stroke=stroke,
                accent=bool(rng.random() < 0.2),
            )
        )
    return Bar(meter, tuple(hits))


def _chord(root: int, tuning: tuple[str, ...], rng: np.random.Generator) -> tuple[Note, ...]:
    """A power chord on strings 6 and 5 or 5 and 4, sometimes with its octave."""
    low = int(rng.choice([6, 6, 5]))
    dropped = low == 6 and tuning[0] == "D2"
    notes = [Note(low, root), Note(low - 1, root if dropped else root + 2)]
    if rng.random() < 0.45:
        notes.append(Note(low - 2, root if dropped else root + 2))
    return tuple(notes)


@dataclass(frozen=True, slots=True, kw_only=True)
class Surroundings:
    """What real takes have and plain simulated ones lack. `wear` of the strings 0 to 1; an `echo`;
    a speaker with peaks and dips of its own; the shares of stops and moves at which the hand is
    heard.
    """

    wear: float = 0.0
    echo: bool = False
    speaker: bool = False
    touch: float = 0.0
    squeak: float = 0.0

    def of(self, setup: Setup, rng: np.random.Generator) -> Setup:
        """The setup in these surroundings."""
        for asked, change in (
            (self.wear > 0, lambda s: aged(s, self.wear, rng)),
            (self.speaker, lambda s: with_cabinet(s, rng)),
            (self.echo, lambda s: with_echo(s, rng)),
        ):
            setup = change(setup) if asked else setup
        return setup


PLAIN = Surroundings()


def draw_surroundings(rng: np.random.Generator) -> Surroundings:
    """As many takes of a kind as the ear learns from: a third on new strings."""
    return Surroundings(
        wear=float(rng.uniform(0.15, 1)) if rng.random() < 0.65 else 0.0,
        echo=bool(rng.random() < 0.14),
        speaker=bool(rng.random() < 0.5),
        touch=float(rng.uniform(0.3, 1)) if rng.random() < 0.6 else 0.0,
        squeak=float(rng.uniform(0.2, 0.8)) if rng.random() < 0.5 else 0.0,
    )


def draw_take(
    seed: int,
    tone: Tone | None = None,
    *,
    sampled: bool = False,
    notes: str = LEARNT,
    hurry: float = 1.0,
    around: Surroundings = PLAIN,
    amplifier: Amplifier = amplify,
    **changed: float,
) -> tuple[Riff, Performance, str]:
    """A random riff played with random flaws by a random guitar, modelled or `sampled`; the same
    seed gives the same take.

    notes : the bank of sampled notes.
    hurry : factor on the tempo that the riff's style asks for.
    around, amplifier : what is heard beside the strings, and through what.
    changed : flaws to set otherwise.
    """
    riff, style = draw_riff(seed)
    if hurry != 1.0:
        riff = replace(riff, tempo_bpm=Decimal(round(float(riff.tempo_bpm) * hurry)))
    rng = np.random.default_rng([seed, 7])
    tone = tone or list(Tone)[int(rng.integers(3))]
    flaws = Flaws(
        timing=float(rng.uniform(4, 16)),
        bias=float(rng.uniform(-12, 12)),
        shift=float(rng.choice([0, 25])),
        missed=0.02,
        extra=0.015,
        wrong=0.07,
        stop=float(rng.uniform(-20, 120)),
        stop_spread=float(rng.uniform(5, 70)),
        stray=0.03,
        fret=0.03,
        level=float(rng.uniform(0.5, 3)),
        touch=around.touch,
        squeak=around.squeak,
    )
    flaws = replace(flaws, **changed)
    click = float(rng.uniform(-30, -12)) if rng.random() < 0.15 else None
    rate = int(rng.choice([44100, 48000]))
    lead_s = float(rng.uniform(0.3, 3))
    guitar = _guitar(notes) if sampled else ModelGuitar
    return (
        riff,
        perform(
            riff,
            seed=seed,
            tone=tone,
            flaws=flaws,
            click_db=click,
            rate_hz=rate,
            lead_s=lead_s,
            guitar=guitar,
            altered=partial(around.of, rng=np.random.default_rng([seed, 8])),
            amplifier=amplifier,
        ),
        style,
    )


def _guitar(notes: str) -> Callable[[Setup, np.random.Generator], Guitar]:
    return RecordedGuitar if notes == RECORDED_ONLY else partial(SampledGuitar, notes=notes)


def with_behind(
    samples: Samples, rate_hz: int, other: Samples, other_hz: int, level_db: float
) -> Samples:
    """A take with another one sounding behind it all along, so loud against it."""
    far = np.resize(soxr.resample(other, other_hz, rate_hz), samples.size)
    gain = 10 ** (level_db / 20) * float(np.std(samples)) / max(1e-9, float(np.std(far)))
    return (samples + gain * far).astype(np.float32)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--takes", type=int, default=60)
    parser.add_argument("--seed", type=int, default=1)
    arguments = parser.parse_args()
    arguments.folder.mkdir(parents=True, exist_ok=True)
    for k in range(arguments.takes):
        riff, performance, style = draw_take(arguments.seed * 100_000 + k)
        name = f"sim{k:03d}"
        (arguments.folder / f"{name}.riff.json").write_text(json.dumps(riff_document(riff)))
        soundfile.write(
            arguments.folder / f"{name}.flac",
            performance.samples,
            performance.rate_hz,
            subtype="PCM_16",
        )
        truth = truth_document(
            performance, riff=f"{name}.riff.json", audio=f"{name}.flac", condition={"style": style}
        )
        (arguments.folder / f"{name}.truth.json").write_text(json.dumps(truth, indent=1))


if __name__ == "__main__":
    main()
