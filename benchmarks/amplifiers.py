"""Amplifiers and speakers that nobody here wrote, to measure the ear behind: LADSPA plug-ins of
Debian's packages caps (GPL 3) and guitarix-ladspa (GPL 2), hosted through their C interface.

    apt-get install caps guitarix-ladspa

Nothing is ever trained behind them, and nothing of them ships.
"""

import ctypes
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from thrumble.core.player.sound import Setup, Tone
from thrumble.core.signal import Samples

FOLDER = Path("/usr/lib/ladspa")
INPUT, AUDIO = 1, 8  # bits of a port's kind
BLOCK = 4096
SETTLE_S = 1.0  # of silence first: some begin with a crack
# gain of the amplifier's first stage, by tone; and of what is driven behind it
GAIN = {Tone.CLEAN: (0.02, 0.12), Tone.CRUNCH: (0.4, 0.65), Tone.HIGH_GAIN: (0.75, 1.0)}
DRIVE_DB = {Tone.CLEAN: (-12.0, 0.0), Tone.CRUNCH: (14.0, 26.0), Tone.HIGH_GAIN: (28.0, 42.0)}


class _Descriptor(ctypes.Structure):
    """What a plug-in says of itself, as ladspa.h lays it out."""


_HANDLE = ctypes.c_void_p
_Descriptor._fields_ = [
    ("id", ctypes.c_ulong),
    ("label", ctypes.c_char_p),
    ("properties", ctypes.c_int),
    ("name", ctypes.c_char_p),
    ("maker", ctypes.c_char_p),
    ("copyright", ctypes.c_char_p),
    ("ports", ctypes.c_ulong),
    ("kinds", ctypes.POINTER(ctypes.c_int)),
    ("names", ctypes.POINTER(ctypes.c_char_p)),
    ("hints", ctypes.c_void_p),
    ("data", ctypes.c_void_p),
    (
        "instantiate",
        ctypes.CFUNCTYPE(_HANDLE, ctypes.POINTER(_Descriptor), ctypes.c_ulong),
    ),
    (
        "connect",
        ctypes.CFUNCTYPE(None, _HANDLE, ctypes.c_ulong, ctypes.POINTER(ctypes.c_float)),
    ),
    ("activate", ctypes.CFUNCTYPE(None, _HANDLE)),
    ("run", ctypes.CFUNCTYPE(None, _HANDLE, ctypes.c_ulong)),
    ("run_adding", ctypes.c_void_p),
    ("set_gain", ctypes.c_void_p),
    ("deactivate", ctypes.CFUNCTYPE(None, _HANDLE)),
    ("cleanup", ctypes.CFUNCTYPE(None, _HANDLE)),
]


@lru_cache(maxsize=32)
def _plugin(file: str, label: str) -> Any:
    """A plug-in's descriptor. Raises FileNotFoundError naming the packages, KeyError for no such
    plug-in.
    """
    path = FOLDER / f"{file}.so"
    if not path.exists():
        raise FileNotFoundError(f"{path} is missing: apt-get install caps guitarix-ladspa")
    ask = ctypes.CDLL(str(path)).ladspa_descriptor
    ask.restype, ask.argtypes = ctypes.POINTER(_Descriptor), [ctypes.c_ulong]
    number = 0
    while found := ask(number):
        if found.contents.label == label.encode():
            return found
        number += 1
    raise KeyError(label)


def through(sound: Samples, rate_hz: int, file: str, label: str, **set_to: float) -> Samples:
    """The sound through one plug-in, its first output; ports named as the plug-in names them, their
    blanks and signs as underscores. What is not set is 0.
    """
    plugin = _plugin(file, label)
    of = plugin.contents
    handle = of.instantiate(plugin, rate_hz)
    values, buffers, heard = [], [], None
    for port in range(of.ports):
        kind = of.kinds[port]
        if kind & AUDIO:
            buffer = (ctypes.c_float * BLOCK)()
            buffers.append((kind, buffer))
            of.connect(handle, port, buffer)
            if not kind & INPUT and heard is None:
                heard = buffer
            continue
        name = "".join(c if c.isalnum() else "_" for c in of.names[port].decode().lower())
        value = ctypes.c_float(set_to.pop(name, 0.0))
        values.append(value)
        of.connect(handle, port, ctypes.byref(value))
    if set_to:
        raise KeyError(f"{label} has no {', '.join(set_to)}")
    if of.activate:
        of.activate(handle)
    settled = int(SETTLE_S * rate_hz)
    out = np.zeros(-(-(settled + sound.size) // BLOCK) * BLOCK, dtype=np.float32)
    padded = np.zeros_like(out)
    padded[settled : settled + sound.size] = sound
    sources = [np.frombuffer(b, dtype=np.float32) for kind, b in buffers if kind & INPUT]
    result = np.frombuffer(heard, dtype=np.float32)
    for start in range(0, out.size, BLOCK):
        for source in sources:
            source[:] = padded[start : start + BLOCK]
        of.run(handle, BLOCK)
        out[start : start + BLOCK] = result
    if of.deactivate:
        of.deactivate(handle)
    of.cleanup(handle)
    if not np.isfinite(out).all():
        raise ValueError(f"{label} ran away")
    return out[settled : settled + sound.size]


def amplify_by_plugins(
    strings: Samples, setup: Setup, *, rate_hz: int, rng: np.random.Generator
) -> Samples:
    """The strings through a chain drawn for the take's tone: a valve amplifier or a pedal, a
    speaker, mostly a room; hiss and hum as the setup says. Peak about 1.
    """
    loud = float(np.percentile(np.abs(strings), 99.9))
    sound = np.asarray(strings * (0.3 / max(1e-6, loud)), dtype=np.float32)
    between = rng.uniform
    first = str(rng.choice(["valves", "pedal", "saturated"]))
    if first == "valves":
        sound = through(
            sound,
            rate_hz,
            "caps",
            "AmpVTS",
            over=1,
            gain=between(*GAIN[setup.tone]),
            bright=between(0, 1),
            power=between(0.2, 0.8),
            tonestack=int(rng.integers(0, 9)),
            bass=between(0.1, 0.7),
            mid=between(0.2, 1),
            treble=between(0.2, 1),
            attack=between(0, 0.6),
            squash=between(0.2, 1),
            lowcut=between(0.2, 1),
        )
    elif first == "pedal" and setup.tone is not Tone.CLEAN:
        hard = setup.tone is Tone.HIGH_GAIN
        sound = through(
            sound,
            rate_hz,
            "guitarix_distortion",
            "guitarix-distortion",
            overdrive=between(8, 18),
            driveover=hard,
            # with more it compares: flat over 30 dB, then nothing
            drive=between(0.02, 0.25) if hard else between(0.05, 0.15),
            drivelevel=between(0.2, 0.6),
            highpass=between(60, 200),
            lowpass=between(4000, 9000),
            lowhighpass=1,
            highcut=between(4000, 9000),
            lowcut=between(60, 200),
            lowhighcut=1,
            trigger=0,
            vibrato=1,
        )
    else:
        sound = through(
            sound,
            rate_hz,
            "caps",
            "Saturate",
            mode=int(rng.choice([1, 2, 3, 5])),
            gain__db_=between(*DRIVE_DB[setup.tone]),
            bias=between(0, 0.4),
        )
    sound = _even(sound)
    speaker, models = ("CabinetIV", 25) if rng.random() < 0.5 else ("CabinetIII", 17)
    sound = through(sound, rate_hz, "caps", speaker, model=int(rng.integers(1, models)))
    if setup.echo_s is not None:
        sound = _even(sound)
        sound = through(
            sound,
            rate_hz,
            "guitarix_echo",
            "guitarix_echo",
            release=100 * 10 ** (setup.echo_db / 20),
            time=1000 * setup.echo_s,
        )
    if setup.room_level:
        wet = through(
            _even(sound),
            rate_hz,
            "caps",
            "Plate",
            bandwidth=between(0.3, 0.8),
            tail=between(0.1, 0.5),
            damping=between(0.3, 0.8),
            blend=between(0.03, 0.2),
        )
        sound = wet
    sound = _even(sound)
    t = np.arange(sound.size) / rate_hz
    hum = sum(np.sin(2 * np.pi * setup.hum_hz * k * t + k) / k for k in (1, 2, 3, 5))
    hiss = rng.standard_normal(sound.size) * 10 ** (setup.noise_db / 20)
    return np.asarray(sound + hiss + hum * 10 ** (setup.hum_db / 20), dtype=np.float32)


def _even(sound: Samples) -> Samples:
    """Without what stands still, peak 1."""
    still = sound - np.mean(sound)
    return np.asarray(still / max(1e-9, float(np.max(np.abs(still)))), dtype=np.float32)
