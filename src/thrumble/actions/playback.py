"""A take to listen to: any stored format as 16-bit WAV, with the click mixed in where it was due if wanted."""

import io

import numpy as np
import soundfile
from sqlmodel import Session

from thrumble.core.player.click import click_times, click_track
from thrumble.core.riff.expand import expand
from thrumble.formats.audio import read_audio
from thrumble.store import riffs, takes

CLICK_LEVEL = 0.5


def listening_copy(session: Session, player_id: int, take_id: int, *, click: bool) -> bytes:
    """The take as WAV that every browser plays and can jump about in. Without a reading's start the click is left out."""
    take = takes.get_take(session, player_id, take_id)
    recording = read_audio(takes.get_audio(session, player_id, take_id))
    mono = recording.samples.mean(axis=1)
    mono = mono * np.float32(0.8 / max(1e-6, float(np.max(np.abs(mono)))))
    reading = takes.get_reading(session, player_id, take_id)
    if click and reading and reading.start_s is not None:
        expanded = expand(riffs.get_revision(session, player_id, take.revision_id).riff, reading.tempo_bpm)
        clicks = click_times(expanded, rounds=reading.rounds, count_in_bars=1)
        mono = mono * np.float32(1 - CLICK_LEVEL / 2) + CLICK_LEVEL * click_track(
            clicks, start_s=reading.start_s, rate_hz=recording.rate_hz, frames=mono.size
        )
    out = io.BytesIO()
    soundfile.write(out, np.clip(mono, -1, 1), recording.rate_hz, format="WAV", subtype="PCM_16")
    return out.getvalue()
