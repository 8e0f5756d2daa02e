"""Sounds of the rig: hits, held and released chords, a knock that comes back."""

import numpy as np

from thrumble.core.player.guitars import ModelGuitar
from thrumble.core.player.single import strike
from thrumble.core.player.sound import Tone, draw_setup
from thrumble.core.player.strings import Damping, Pluck, pluck
from thrumble.core.pulse.click import click_sound
from thrumble.core.riff.model import Articulation

RATE = 48000


def returned(
    delay_s: float, *, rate: int = RATE, noise: float = 0.002, gain: float = 0.3, echo: float = 0.0
) -> tuple[np.ndarray, list[int]]:
    """Sixteen clicks that came back late by any fraction of a frame, shifted exactly in the
    spectrum.
    """
    frames = [int((0.2 + 0.5 * k) * rate) for k in range(16)]
    sound = np.zeros(int(8.8 * rate))
    for frame in frames:
        click = click_sound(rate, accent=False)
        sound[frame : frame + click.size] += click * gain
    spectrum = np.fft.rfft(sound) * np.exp(
        -2j * np.pi * np.fft.rfftfreq(sound.size, 1 / rate) * delay_s
    )
    late = np.fft.irfft(spectrum, sound.size)
    late[int(0.007 * rate) :] += echo * late[: -int(0.007 * rate)]
    return (late + noise * np.random.default_rng(1).standard_normal(sound.size)).astype(
        np.float32
    ), frames


def decaying(peak: float, *, gate_db: float | None = None) -> np.ndarray:
    """Four notes that fade by 40 dB; a gate shuts them off at a level."""
    t = np.arange(RATE) / RATE
    level_db = -40 * t
    one = np.sin(2 * np.pi * 110 * t) * 10 ** (level_db / 20) * peak
    if gate_db is not None:
        begin = int(np.argmax(20 * np.log10(peak) + level_db < gate_db))
        one[begin:] *= 10 ** (-np.minimum(80, (t[begin:] - t[begin]) * 4000) / 20)
    return np.tile(one, 4).astype(np.float32)


def hits(kind: Articulation, depth: float, count: int, seed: int = 3) -> list[np.ndarray]:
    rng = np.random.default_rng(seed)
    setup = draw_setup(Tone.CRUNCH, rng)
    guitar = ModelGuitar(setup, rng)
    return [
        strike(guitar, setup, kind, depth=depth, midi=[40.0, 47.0], rng=rng) for _ in range(count)
    ]


def released(fall_s: float, left: float) -> np.ndarray:
    """The exercise played exactly: chords on one and three, let go on two and four within `fall_s`,
    a rest of `left` ringing on.
    """
    rng = np.random.default_rng(9)
    sound = np.zeros(int(13.5 * RATE), dtype=np.float32)
    for k in range(8):
        for note in (123.47, 185.0):
            how = Pluck(
                frequency_hz=note, strength=0.5, pick_place=0.12, pick_width_s=0.0008, scrape=0.3
            )
            hands = [(0.0, Damping(4, 1.2)), (0.75, Damping(fall_s * 3, fall_s * 2))]
            wave = pluck(how, hands, length_s=1.4, rate_hz=RATE, rng=rng)
            ringing = pluck(
                how,
                [(0.0, Damping(4, 1.2)), (1.45, Damping(0.03, 0.02))],
                length_s=1.6,
                rate_hz=RATE,
                rng=rng,
            )
            at = int((0.2 + 1.5 * k) * RATE)
            sound[at : at + wave.size] += wave
            sound[at : at + ringing.size] += np.float32(left) * ringing
    return sound + 1e-4 * rng.standard_normal(sound.size).astype(np.float32)


def held(
    damped: int | None = None, buzzing: int | None = None, weak: int | None = None
) -> tuple[np.ndarray, dict[int, float]]:
    """A held chord of three strings, one of them at fault."""
    rng = np.random.default_rng(5)
    notes = {5: 47.0, 4: 54.0, 3: 59.0}
    sound = np.zeros(int(1.7 * RATE), dtype=np.float32)
    for string, midi in notes.items():
        how = Pluck(
            frequency_hz=440 * 2 ** ((midi - 69) / 12),
            strength=0.02 if string == weak else 0.5,
            pick_place=0.15,
            pick_width_s=0.001,
            scrape=0.2,
        )
        wave = pluck(
            how,
            [(0.0, Damping(0.5, 0.2) if string == damped else Damping(4, 0.9))],
            length_s=1.5,
            rate_hz=RATE,
            rng=rng,
        )
        if (
            string == buzzing
        ):  # it strikes the fret once a period, at its widest: short bursts of noise, as long as it swings so far
            over = np.maximum(0, wave - 0.15 * np.abs(wave).max())
            wave = (
                np.minimum(wave, 0.2 * np.abs(wave).max())
                + 0.4 * over * rng.standard_normal(wave.size)
            ).astype(np.float32)
        sound[int(0.1 * RATE) : int(0.1 * RATE) + wave.size] += wave
    return sound, notes
